"""Utilisation and noise from a receiver's own counters.

Source: docs/radio-model.md, "Utilisation": busy time over active time, both as they grew within the window.
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import Observations, Surveys

_TUNED_HZ = 1e6
LEAST_ACTIVE_S = 0.5
_HOUR_S = 3600


@dataclass(frozen=True)
class Surveyed:
    """What the counters of one channel report. whole_window: they were read more than once."""

    busy_share: float
    noise_dbm: float | None
    whole_window: bool


def _rows_of(observations: Observations, channel_hz: float) -> Surveys:
    surveys = observations.surveys
    return surveys.rows(np.abs(surveys.receiver_hz - channel_hz) < _TUNED_HZ)


def surveyed_by_hour(observations: Observations, channel_hz: float) -> dict[int, float]:
    """Busy share by hour of the day (UTC), where the counters were read more than once."""
    rows = _rows_of(observations, channel_hz)
    active_s, busy_s = np.zeros(24), np.zeros(24)
    for spot in np.unique(rows.spot):
        here = rows.rows((rows.spot == spot) & ~np.isnan(rows.busy_s))
        grown, busy = np.diff(here.active_s), np.diff(here.busy_s)
        good = (grown > 0) & (busy >= 0) & (busy <= grown)
        hour = (here.time_s[1:][good] // _HOUR_S % 24).astype(np.int64)
        active_s += np.bincount(hour, grown[good], 24)
        busy_s += np.bincount(hour, busy[good], 24)
    return {int(h): float(busy_s[h] / active_s[h]) for h in np.flatnonzero(active_s >= LEAST_ACTIVE_S)}


def surveyed(observations: Observations, channel_hz: float) -> Surveyed | None:
    """None where no counter of the channel ran for long enough."""
    rows = _rows_of(observations, channel_hz)
    active_s = busy_s = 0.0
    more_than_once = False
    for spot in np.unique(rows.spot):
        here = rows.rows((rows.spot == spot) & ~np.isnan(rows.busy_s))
        if len(here) == 1:
            active_s, busy_s = active_s + float(here.active_s[0]), busy_s + float(here.busy_s[0])
            continue
        grown, busy = np.diff(here.active_s), np.diff(here.busy_s)
        good = (grown > 0) & (busy >= 0) & (busy <= grown)  # else they wrapped, or began anew in between
        active_s, busy_s = active_s + float(grown[good].sum()), busy_s + float(busy[good].sum())
        more_than_once |= bool(good.any())
    if active_s < LEAST_ACTIVE_S:
        return None
    noise = rows.noise_dbm[~np.isnan(rows.noise_dbm)]
    level = round(float(np.median(noise)), 2) if len(noise) else None
    return Surveyed(min(busy_s / active_s, 1.0), level, more_than_once)
