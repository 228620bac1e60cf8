"""Times in which an own radio was off the air although somebody listened for it.

Source: docs/radio-model.md, "Channel changes and absences".
"""

import math
from collections.abc import Iterable

import numpy as np

from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.model.records import FloatArray

LEAST_OUTAGE_S = 300.0
_CHANCE = 0.01  # of one by chance in the whole window
_HIT_SHARE_MOST = 0.98  # of no radio it is certain that a scan hears it
_CORRELATED = 2.0  # so many scans in a row are worth one that knows nothing of the last
_ROUNDS = 4
Outage = tuple[float, float | None]  # from when to when; None: it was not heard again


def outages_of(heard_s: FloatArray, scan_times_s: FloatArray) -> tuple[Outage, ...]:
    """Runs of scans without a radio that are too long for chance. Both in order of time, at one spot.

    How often a scan misses it is taken from the scans outside of those runs: a radio at the edge of reception is
    missed often, and only a longer run says something of it.
    """
    hits = np.unique(np.searchsorted(scan_times_s, heard_s))
    scans = len(scan_times_s) - (int(hits[0]) if len(hits) else 0)  # from the first time that it was heard
    if len(hits) < 2 or scans < 2:
        return ()
    missed = np.diff(np.append(hits, len(scan_times_s))) - 1
    last_s = scan_times_s[np.minimum(hits, len(scan_times_s) - 1)]
    again_s = np.append(last_s[1:], scan_times_s[-1])
    is_long = again_s - last_s >= LEAST_OUTAGE_S
    found = np.zeros(len(missed), np.bool_)
    for _ in range(_ROUNDS):
        share = min(len(hits) / max(scans - int(missed[found].sum()), 1), _HIT_SHARE_MOST)
        needed = _CORRELATED * math.log(_CHANCE / scans) / math.log1p(-share)
        found = is_long & (missed >= needed)
    return tuple(
        (float(last_s[k]), float(again_s[k]) if k < len(hits) - 1 else None) for k in np.flatnonzero(found)
    )


def without_switched_off(
    outages: tuple[Outage, ...], addresses: Iterable[str], done: Iterable[CompletedStep], margin_s: float
) -> tuple[Outage, ...]:
    """A radio that is silent since somebody did something to it, and marked that as done, was switched off."""
    names = set(addresses)
    when_s = [step.time_s for step in done if step.radio in names]
    return tuple(
        (began_s, ended_s)
        for began_s, ended_s in outages
        if ended_s is not None or not any(abs(began_s - time_s) <= margin_s for time_s in when_s)
    )
