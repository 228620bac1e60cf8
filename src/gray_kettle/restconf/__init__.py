"""Carrying out a plan by machine: over RESTCONF, on access points that speak the open OpenConfig model."""

from gray_kettle.restconf.client import Restconf
from gray_kettle.restconf.matching import Change, changes_for
from gray_kettle.restconf.writing import Written, roll_back, write_changes

__all__ = ["Change", "Restconf", "Written", "changes_for", "roll_back", "write_changes"]
