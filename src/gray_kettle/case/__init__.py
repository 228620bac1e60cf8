"""The case file: one job at one site in one SQLite file. The only place that speaks to a database."""

from gray_kettle.case.store import Case

__all__ = ["Case"]
