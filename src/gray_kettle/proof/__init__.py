"""Did a change help? Like hours before and after, with an interval and a verdict for each figure.

It works on numbers alone: what is measured is gathered by gray_kettle.analysis. Source: docs/proof.md.
"""
