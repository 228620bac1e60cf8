"""Two hoppers that neither a level nor a raster parts: one alone is never in two places at one moment.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import math

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.bursts import NarrowBursts

_APART_HZ, _FEWEST, _LEAST = 4e6, 12, 0.2
_TWO_LEVELS_DB = 3.0


def parted_by_meetings(group: NarrowBursts, rows: int) -> NDArray[np.bool_] | None:
    """Which bursts are of the first of two hoppers, where rows show two places at one moment; None where one is enough.

    Rows of one frame. Two that are on the air for shares p and q of the time meet in p q of the rows, whatever part of
    both can be seen: so their sum and their meetings tell both. Levels tell who is who; where these are alike, each
    gets as many as it should.
    """
    one, other = _meetings(group)
    total, met = len(group) / rows, len(one) / rows
    if len(one) < _FEWEST:
        return None
    away = math.sqrt(max(total**2 - 4 * met, 0.0))
    less = (total - away) / 2 / total
    if less < _LEAST:
        return None
    level = group.level_dbm
    high, low = (float(np.median(level[its])) for its in (one, other))
    tell_apart = high - low > _TWO_LEVELS_DB
    share = float((level > (high + low) / 2).mean()) if tell_apart else less
    is_first = np.zeros(len(group), bool)
    is_first[one] = True
    left = np.setdiff1d(np.arange(len(group)), np.concatenate([one, other]))
    more = min(max(round(share * len(group)) - len(one), 0), len(left))
    if tell_apart:
        left = left[np.argsort(-level[left], kind="stable")]
        is_first[left[:more]] = True
    elif more:
        is_first[left[np.linspace(0, len(left) - 1, more).astype(int)]] = True
    return is_first


def _meetings(group: NarrowBursts) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """(stronger, weaker) burst of each row that shows two far from one another."""
    order = np.lexsort((-group.level_dbm, group.row))
    row = group.row[order]
    first = np.flatnonzero(np.diff(row, prepend=-1))
    several = first[np.diff(first, append=len(row)) >= 2]
    one, other = order[several], order[several + 1]
    far = np.abs(group.freq_hz[one] - group.freq_hz[other]) > _APART_HZ
    return one[far], other[far]
