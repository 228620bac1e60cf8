"""Observations to an assessment: radios, utilisation, losses, findings. Same input, same answer, to the bit."""

from gray_kettle.analysis.assess import assess

__all__ = ["assess"]
