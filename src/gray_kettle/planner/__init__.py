"""An assessment to a proposal: channel and width for each own radio, with reasons, and the steps that are no change."""
