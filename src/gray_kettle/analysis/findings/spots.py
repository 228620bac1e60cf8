"""Spots that a band of ours does not cover."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.figures import ThinSpots
from gray_kettle.analysis.findings.facts import Facts
from gray_kettle.analysis.spots import spot_table
from gray_kettle.model.enums import FindingKind, Severity, SpotCoverage
from gray_kettle.safe_text import dbm, printable

_MOST_NAMED = 4


def _thin_spots(facts: Facts) -> Iterator[Finding]:
    """One for each band: where our best level is under the limit, and whether another band of ours helps there."""
    table = spot_table(facts.radios, facts.limits)
    covered = {row.spot for row in table if row.coverage == SpotCoverage.COVERED}
    for band in dict.fromkeys(row.band for row in table):
        thin = [
            (row.spot, row.level_dbm)
            for row in table
            if row.band == band and row.coverage != SpotCoverage.COVERED
        ]
        levels = {spot: level for spot, level in thin if level is not None}
        if not levels:
            continue
        listed = ", ".join(
            f"{printable(spot)} {dbm(level)}" for spot, level in list(levels.items())[:_MOST_NAMED]
        )
        more = f" and {len(levels) - _MOST_NAMED} more" if len(levels) > _MOST_NAMED else ""
        open_spots = [spot for spot in levels if spot not in covered]
        named = ", ".join(printable(spot) for spot in open_spots[:_MOST_NAMED])
        yield Finding(
            severity=Severity.WATCH if open_spots else Severity.NOTE,
            kind=FindingKind.THIN_SPOTS,
            subject=f"{band} GHz",
            cause=f"Our strongest radio of the band is under {dbm(facts.limits.coverage_dbm)} at {listed}{more}.",
            effect=f"No band of ours covers {named}: clients there get low rates, or lose the link."
            if open_spots
            else "Another band of ours covers each of these spots.",
            first_step="Where people use it there, add a radio nearby or move one."
            if open_spots
            else "Nothing, unless clients there need this band.",
            figures=ThinSpots(band, levels),
            see="heard",
        )


RULES = (_thin_spots,)
