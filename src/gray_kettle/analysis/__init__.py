"""Observations to an assessment: radios, utilisation, harms, findings. Same input, same answer, to the bit."""

from gray_kettle.analysis.assess import assess

__all__ = ["assess"]
