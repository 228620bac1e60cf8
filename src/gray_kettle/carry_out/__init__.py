"""Carrying out a plan by machine: over RESTCONF, on access points that speak the open OpenConfig model."""

from gray_kettle.carry_out.matching import Change, changes_for
from gray_kettle.carry_out.restconf import Restconf

__all__ = ["Change", "Restconf", "changes_for"]
