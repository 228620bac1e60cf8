"""Intervals of frequency that rise over their surroundings, in levels that are exceeded for long: candidates.

Nothing is decided here: each interval is measured (interval_features) and then judged (judgement). Source:
docs/radio-model.md, "Finding emitters".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import grey_closing, median_filter, uniform_filter1d
from scipy.signal import find_peaks

from gray_kettle.interference.runs import half_open_runs
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Levels, Rows, gamma_db
from gray_kettle.model.records import FloatArray
from gray_kettle.spectrum.quantise import DBM_OF_CODE, MISSING

_FEWEST_WINDOWS = 4  # to tell what is sometimes on from what always is
_LOW, _MIDDLE, _HIGH, _TOP, _LEAST = range(5)
_NAMES = {"low": _LOW, "mid": _MIDDLE, "high": _HIGH, "top": _TOP, "least": _LEAST}
_BELOW_ALL_DB = -50.0
_RANK = 0.7  # the lowest of n values lies, in the median, where 0.7 of n + 0.4 do


@dataclass(frozen=True)
class Interval:
    """Bins from first to before last. top_db: over noise; rise_db: over its surroundings; profile: where it shows."""

    first: int
    last: int
    top_db: float
    rise_db: float
    profile: str
    is_line: bool

    @property
    def quantile(self) -> int:
        """Which of the levels of a window it was found in: low, middle, high, top or least, from 0 to 4."""
        return _NAMES[self.profile.split()[0]]


@dataclass(frozen=True, eq=False)
class Profiles:
    """Levels over time.

    windows: dB over noise that is exceeded in most, half, some, few and nearly all of the rows of each window, shape (3
    or 5, windows, bins).
    window_rows: rows of a window; levels: by name, over the whole block, shape (bins,) each; of_noise_db: where noise
    alone lies in each.
    """

    windows: Levels
    window_rows: int
    levels: dict[str, FloatArray]
    of_noise_db: dict[str, float]

    @property
    def highest(self) -> FloatArray:
        """What the strongest of a bin's moments reach."""
        return self.levels.get("high some", self.levels["high all"])


def profiles_of(rows: Rows, few_moments: bool) -> Profiles:
    """Levels of each window and over all of them. few_moments: what shows in few rows, and what never
    pauses at all, is looked at as well; where a row sums up many moments, the weights do not know such intervals yet.
    """
    size = min(max(round(P.window_s * rows.rate), int(P.window_rows)), len(rows.codes))
    count = len(rows.codes) // size
    names = tuple(_NAMES) if few_moments else tuple(_NAMES)[:_TOP]
    shares = [P.low_share, P.mid_share, P.high_share, P.top_share, P.least_share][: len(names)]
    at = [int(share * (size - 1)) for share in shares]
    shares[_LEAST:] = [(k + _RANK) / (size + 2 * _RANK - 1) for k in at[_LEAST:]]
    windows = np.empty((len(at), count, rows.span.bins), np.float32)
    for window in range(count):
        ordered = np.partition(rows.codes[window * size : (window + 1) * size], at, axis=0)
        for which, k in enumerate(at):
            windows[which, window] = DBM_OF_CODE[np.minimum(ordered[k], MISSING - 1)] - rows.noise.median_dbm
    levels, of_noise = {}, {}
    for which, name in enumerate(names):
        law = gamma_db(rows.noise.shape, shares[which]) - gamma_db(rows.noise.shape, 0.5)
        for ending in ("all", "some", "always"):
            of_noise[f"{name} {ending}"] = law
        levels[f"{name} all"] = np.median(windows[which], axis=0).astype(float)
        if count >= _FEWEST_WINDOWS:
            levels[f"{name} some"] = np.quantile(windows[which], P.some_windows, axis=0).astype(float)
    if count >= _FEWEST_WINDOWS:
        levels["low always"] = np.quantile(windows[_LOW], P.always_windows, axis=0).astype(float)
    return Profiles(windows, size, levels, of_noise)


def find_intervals(rows: Rows, profiles: Profiles) -> list[Interval]:
    """All intervals of all profiles, each once."""
    step_hz = rows.span.step_hz
    notch = max(int(P.notch_hz / step_hz), 3)
    found: list[Interval] = []
    for name, profile in profiles.levels.items():
        waver_db = 1.05 * float(np.median(np.abs(np.diff(profile))))  # from bin to bin, of chance
        least_db = max(P.least_rise_db, P.rise_deviations * waver_db)
        level = profile - profiles.of_noise_db[name]
        found += _lines(level, step_hz, least_db, name)
        found += _rises(_without_lines(level, step_hz, least_db), step_hz, least_db, name)
        closed = grey_closing(level, notch, mode="nearest")
        found += [
            i for i in _rises(closed, step_hz, least_db, name) if (i.last - i.first) * step_hz > P.wide_hz
        ]
    kept: list[Interval] = []
    for interval in found:
        if not any(_overlap(interval, other) > P.same_overlap for other in kept):
            kept.append(interval)
    return kept


def _overlap(one: Interval, other: Interval) -> float:
    """Common part of both, of the part that either fills."""
    common = min(one.last, other.last) - max(one.first, other.first)
    return max(common, 0) / (max(one.last, other.last) - min(one.first, other.first))


def _around(level: FloatArray, step_hz: float) -> FloatArray:
    half = max(int(P.line_around_hz / step_hz), 3)
    return np.asarray(median_filter(level, 2 * half + 1, mode="nearest"))


def _lines(level: FloatArray, step_hz: float, least_db: float, name: str) -> list[Interval]:
    """Narrow maxima."""
    around = _around(level, step_hz)
    most = max(int(P.line_hz / step_hz), 2) + 1
    out = []
    for first, last in half_open_runs(level - around > least_db):
        at = first + int(np.argmax(level[first:last]))
        rise = float(level[at] - around[at])
        begin, end = _bounds(level, at, max(level[at] - P.down_db, level[at] - P.down_share * rise))
        if end - begin <= most:
            out.append(Interval(begin, end, float(level[at]), rise, name, is_line=True))
    return out


def _without_lines(level: FloatArray, step_hz: float, least_db: float) -> FloatArray:
    around = _around(level, step_hz)
    most = 2 * max(int(P.line_hz / step_hz), 2)
    out = level.copy()
    for first, last in half_open_runs(level - around > least_db):
        if last - first <= most:
            part = slice(max(first - 1, 0), last + 1)
            out[part] = around[part]
    return out


def _rises(level: FloatArray, step_hz: float, least_db: float, name: str) -> list[Interval]:
    """Maxima with the width that they have some way down, the narrowest first; each is then cut off at its shoulders,
    so that what it stood on can be found.
    """
    level = np.asarray(uniform_filter1d(level, max(int(P.smooth_hz / step_hz), 1), mode="nearest"))
    taken = np.zeros(len(level), np.bool_)
    out = []
    for _ in range(int(P.most_bumps)):
        best = _narrowest(level, least_db)
        if best is None:
            break
        begin, end, at, rise = best
        first, last = _free(taken, begin, end)
        if last - first >= 2 or (last - first) * step_hz >= P.line_hz:
            top = float(np.quantile(level[first:last], 0.8))
            out.append(Interval(first, last, top, rise, name, is_line=False))
        taken[begin:end] = True
        _cut(level, begin, end, at, rise, max(int(0.5e6 / step_hz), 1))
    return out


def _narrowest(level: FloatArray, least_db: float) -> tuple[int, int, int, float] | None:
    """(first, before last, where its top is, its rise) of the narrowest maximum."""
    padded = np.concatenate([[_BELOW_ALL_DB], level, [_BELOW_ALL_DB]])
    tops, properties = find_peaks(padded, prominence=least_db, plateau_size=1)
    found = []
    for top, prominence in zip(tops - 1, properties["prominences"], strict=True):
        rise = float(min(prominence, level[top]))
        if rise < least_db:
            continue
        begin, end = _bounds(
            level, int(top), float(max(level[top] - P.down_db, level[top] - P.down_share * rise))
        )
        found.append((end - begin, begin, end, int(top), rise))
    return min(found)[1:] if found else None


def _bounds(level: FloatArray, at: int, least: float) -> tuple[int, int]:
    """From where to before where it stays over a level."""
    below = np.flatnonzero(level[:at] <= least)
    begin = int(below[-1]) + 1 if len(below) else 0
    below = np.flatnonzero(level[at + 1 :] <= least)
    return begin, at + 1 + (int(below[0]) if len(below) else len(level) - at - 1)


def _free(taken: NDArray[np.bool_], begin: int, end: int) -> tuple[int, int]:
    """The interval, or where much of it was found before, the longest part of it that was not."""
    free = ~taken[begin:end]
    if free.mean() >= 0.6:
        return begin, end
    parts = half_open_runs(free)
    if not parts:
        return begin, begin
    first, last = max(parts, key=lambda part: part[1] - part[0])
    return begin + first, begin + last


def _cut(level: FloatArray, begin: int, end: int, at: int, rise: float, reach: int) -> None:
    """Take a maximum off, down to the higher of its shoulders. Changes level."""
    count = len(level)
    while begin > 0 and level[begin] > 0 and level[max(begin - reach, 0)] < level[begin] - P.shoulder_db:
        begin -= 1
    while (
        end < count
        and level[end - 1] > 0
        and level[min(end - 1 + reach, count - 1)] < level[end - 1] - P.shoulder_db
    ):
        end += 1
    left = level[begin - 1] if begin > 0 else _BELOW_ALL_DB
    right = level[end] if end < count else _BELOW_ALL_DB
    left, right = (right if begin == 0 else left), (left if end == count else right)
    base = 0.0 if begin == 0 and end == count else min(max(min(left, right), 0.0), level[at] - 0.2 * rise)
    level[begin:end] = np.minimum(level[begin:end], base)
