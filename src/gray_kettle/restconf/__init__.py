"""Carrying out a plan by machine: over RESTCONF, on access points that speak the open OpenConfig model."""

from gray_kettle.restconf.client import Restconf
from gray_kettle.restconf.matching import Change, changes_for

__all__ = ["Change", "Restconf", "changes_for"]
