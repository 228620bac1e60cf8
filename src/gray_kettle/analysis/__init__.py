"""Observations to an assessment: radios, utilisation, losses, findings. Same input, same answer, to the bit."""
