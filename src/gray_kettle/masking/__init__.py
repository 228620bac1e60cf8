"""What leaves the house without addresses and foreign names: the same figures, other identities."""

from gray_kettle.masking.identities import Masking, MaskOptions

__all__ = ["MaskOptions", "Masking"]
