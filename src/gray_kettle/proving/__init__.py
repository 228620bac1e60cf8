"""Joins the proof with the case, the session and the analysis."""

from gray_kettle.proving.prove import prove, prove_each

__all__ = ["prove", "prove_each"]
