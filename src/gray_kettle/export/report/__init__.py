"""The report: one source of blocks, written as PDF and as HTML."""
