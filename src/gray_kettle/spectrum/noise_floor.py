"""Noise floor of each bin, that neither a steady carrier nor a busy channel can raise.

Source: docs/radio-model.md, "Noise floor of a sweep".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import Span
from gray_kettle.spectrum.quantise import MISSING, Codes, FloatDb, to_codes, to_dbm

OVER_FLOOR_DB = 10.0  # power this far over the floor is a signal
_LOW, _HIGH = (
    0.1,
    0.3,
)  # quantiles over time that are still noise in a bin that is busy two thirds of the time
# Power of averaged noise follows a gamma law. Whatever the averaging, its mean is about 1.83 times as far over
# the 10th percentile as the 30th does (1.85 for one frame, 1.73 for 64).
_MEAN_PER_SPREAD = 1.83
_ONE_LOOK_DB, _BUSY_DB = 5.3, 8.0  # spread of noise that nothing averages; what spreads wider is not noise
_NEIGHBOURS_HZ = 30e6  # to each side: wider than most channels
_CALM = 0.3  # quantile over the neighbours that is taken for their calm part
_RAISED_DB = 3.0
_SMOOTHED_HZ = 2e6
_PLACES, _ENOUGH_BINS = 24, 400  # of a running quantile
_BLOCKS = 64  # that the floor remembers
_SETTLED, _NOW_AND_THEN = 8, 8  # after so many blocks only every eighth is used


class FloorTracker:
    """The floor as rows arrive, block by block."""

    def __init__(self, span: Span) -> None:
        self._span = span
        self._low: list[FloatDb] = []
        self._spread_db: list[float] = []
        self._seen = 0
        self._floor_dbm = np.full(span.bins, np.nan, np.float32)

    def add(self, block: Codes) -> FloatDb:
        """The floor, dBm, shape (bins,), after one more block of rows (some tens), shape (rows, bins)."""
        self._seen += 1
        if self._seen > _SETTLED and self._seen % _NOW_AND_THEN:
            return self._floor_dbm
        low, spread_db = low_and_spread(block)
        self._low = [*self._low[1 - _BLOCKS :], low]
        self._spread_db = [*self._spread_db[1 - _BLOCKS :], spread_db]
        # Of several blocks the calmer ones: a channel that was busy for a minute was not so before.
        kept = np.stack(self._low)
        kept.sort(axis=0)
        calmer = kept[(len(kept) - 1) // 3]
        self._floor_dbm = floor_of(calmer, float(np.median(self._spread_db)), self._span.step_hz)
        return self._floor_dbm


def low_and_spread(block: Codes) -> tuple[FloatDb, float]:
    """10th percentile over time of each bin, dBm, and by how many dB the 30th exceeds it in calm bins."""
    rows = len(block)
    low_at, high_at = int(_LOW * (rows - 1)), int(_HIGH * (rows - 1))
    if rows > 2 * high_at + 1:
        block = np.partition(block, (low_at, high_at), axis=0)  # missing is the largest code: it sorts last
    low, high = to_dbm(block[low_at]), to_dbm(block[high_at])
    known = np.flatnonzero(np.isfinite(high - low))
    if not len(known):
        return low, 0.0
    # Busy bins are far apart: the spread of noise is found in the calm ones.
    order = known[np.argsort((low + high)[known], kind="stable")]
    calm = order[len(order) // 20 : max(7 * len(order) // 20, 1)]
    spread_db = (high - low)[calm]
    # Where nearly all is busy, so are most of these; single frames spread farthest.
    of_noise = spread_db < _BUSY_DB
    return low, float(spread_db[of_noise].mean()) if of_noise.any() else _ONE_LOOK_DB


def floor_of(low_dbm: FloatDb, spread_db: float, step_hz: float) -> FloatDb:
    """Mean noise power of each bin from low percentiles over time; NaN where nothing was ever measured.

    A bin that exceeds the calm part of its neighbourhood is a carrier or a channel that is never free: its
    floor is that of the bins beside it.
    """
    base = low_dbm + np.float32(_MEAN_PER_SPREAD * spread_db)
    known = np.isfinite(base)
    if not known.any():
        return base
    reach = max(int(_NEIGHBOURS_HZ / step_hz), 3)
    calm = _running_quantile(base, reach, _CALM)
    quiet = known & (base <= calm + _RAISED_DB)
    if not quiet.any():
        quiet = known
    at = np.flatnonzero(quiet)
    values = _running_mean(base[at], max(int(_SMOOTHED_HZ / step_hz), 1))
    floor = np.interp(np.arange(len(base)), at, values).astype(np.float32)
    floor[~known] = np.nan
    return floor


def threshold_codes(floor_dbm: FloatDb) -> Codes:
    """First code that counts as a signal in each bin; MISSING where there is no floor."""
    codes = to_codes(floor_dbm + np.float32(OVER_FLOOR_DB))
    return np.where(np.isfinite(floor_dbm), codes, MISSING).astype(np.uint8)


def _running_quantile(values: FloatDb, reach: int, share: float) -> FloatDb:
    """Quantile of the neighbours to each side, computed at some places from some of them, and joined by lines."""
    stride = max(len(values) // _ENOUGH_BINS, 1)
    some = values[::stride]
    reach = max(reach // stride, 1)
    places = np.unique(np.linspace(0, len(some) - 1, min(len(some), _PLACES)).astype(int))
    around = places[:, None] + np.arange(-reach, reach + 1)[None, :]
    inside = (around >= 0) & (around < len(some))
    met = np.where(inside, some[np.clip(around, 0, len(some) - 1)], np.nan)
    met.sort(axis=1)  # what is missing goes to the end
    known = np.isfinite(met).sum(axis=1)
    found = met[np.arange(len(places)), (share * np.maximum(known - 1, 0)).astype(int)]
    found = np.where(known > 0, found, np.nanmedian(values))
    return np.interp(np.arange(len(values)), places * stride, found).astype(np.float32)


def _running_mean(values: FloatDb, reach: int) -> NDArray[np.float64]:
    total = np.concatenate([[0.0], np.cumsum(values, dtype=np.float64)])
    at = np.arange(len(values))
    first, last = np.maximum(at - reach, 0), np.minimum(at + reach + 1, len(values))
    return np.asarray((total[last] - total[first]) / (last - first))
