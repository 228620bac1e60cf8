"""What is different since a moment: radios that are new, that are not heard any more, and that moved.

Source: docs/radio-model.md, "What is new".
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis.assessment import Change, Radio
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.model.records import Observations, TakeInfo

_SURE_SCANS = 3  # a radio that so many scans in a row missed is gone
_LOUD_DBM = -75.0  # one this loud is not missed by a scan


@dataclass(frozen=True)
class Missing:
    """A radio that was not heard again. scans: moments since in which its band was heard where it had been.

    is_sure: it was loud, or was missed often; else it may have been missed by chance.
    """

    radio: Radio
    scans: int
    is_sure: bool


@dataclass(frozen=True)
class ChangesSince:
    """moment_s: since when. moved: with the last change of each. scans: moments of observation after it."""

    moment_s: float
    new: tuple[Radio, ...]
    missing: tuple[Missing, ...]
    moved: tuple[tuple[Radio, Change], ...]
    scans: int


def changes_since(radios: tuple[Radio, ...], observations: Observations, moment_s: float) -> ChangesSince:
    """Each list with the strongest first. Radios of a spot or band that was not observed since are not missing."""
    coverage = Coverage(observations)
    spots = {name: k for k, name in enumerate(observations.spots)}
    by_level = sorted(radios, key=lambda r: (-(r.level_dbm if r.level_dbm is not None else -200.0), r.id))
    missing = []
    for radio in (r for r in by_level if r.last_s <= moment_s):
        heard_at = {spot for stay in radio.stays for spot, _ in stay.level_at} or {""}
        moments = [
            int((coverage.moments(radio.band, spots[s]) > moment_s).sum()) for s in heard_at if s in spots
        ]
        scans = max(moments, default=0)
        if scans:
            is_sure = scans >= _SURE_SCANS or (radio.level_dbm or -200.0) >= _LOUD_DBM
            missing.append(Missing(radio, scans, is_sure))
    moved = [(r, r.changes[-1]) for r in by_level if r.changes and r.changes[-1].time_s > moment_s]
    later = observations.sightings.time_s[observations.sightings.time_s > moment_s]
    return ChangesSince(
        moment_s,
        tuple(r for r in by_level if r.first_s > moment_s),
        tuple(missing),
        tuple((r, change) for r, change in moved if r.first_s <= moment_s),
        len(np.unique(later)),
    )


def moment_before(takes: tuple[TakeInfo, ...]) -> float | None:
    """The end of what was taken before the newest take; None where there is but one."""
    ended = sorted((t for t in takes if t.start_s), key=lambda t: t.start_s)
    earlier = ended if len(ended) < len(takes) else ended[:-1]  # one that goes on is the newest
    return max((t.end_s for t in earlier), default=None)
