"""Utilisation and noise from a receiver's own counters.

Source: docs/radio-model.md, "Utilisation": busy time over active time, both as they grew within the window.
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.records import Observations

_TUNED_HZ = 1e6
LEAST_ACTIVE_S = 0.5


@dataclass(frozen=True)
class Surveyed:
    """What the counters of one channel tell. whole_window: they were read more than once."""

    busy_share: float
    noise_dbm: float | None
    whole_window: bool


def surveyed(observations: Observations, channel_hz: float) -> Surveyed | None:
    """None where no counter of the channel ran for long enough."""
    surveys = observations.surveys
    rows = surveys.rows(np.abs(surveys.receiver_hz - channel_hz) < _TUNED_HZ)
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
