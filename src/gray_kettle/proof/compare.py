"""Two stretches of one figure, compared hour by hour: the difference with its interval, and what it says.

The figure is taken as a level for each kind of hour, a shift by the change, and noise whose neighbours correlate. How
much they correlate is not known: every possible value counts by how well it explains the data, so that short and slow
stretches get wide intervals. Source: docs/proof.md, "The comparison"; Harville 1977 (restricted likelihood);
Benjamini and Hochberg 1995 (several figures at a time).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

SLOT_S = 300.0  # figures are means over so long
CONFIDENCE = 0.95
_HOUR_S = 3600.0
_LEAST_SLOTS = 6  # matched, before and after
_SCALES = (1, 3, 12)  # slots that are put together: noise may be quick, slow, or both
_LEAST_ROWS = 24  # of a scale, beyond the finest
_CORRELATIONS = np.concatenate([np.arange(0.0, 0.9, 0.06), np.arange(0.9, 0.995, 0.015)])  # from slot to slot
_STEADY = 1e-9
_STEPS = 60  # of a bisection
_MOST_HOURS = 24.0 * 14


class Verdict(StrEnum):
    """What a comparison says."""

    BETTER = "better"
    WORSE = "worse"
    TOO_LITTLE = "too little data"
    NO_CHANGE = "no change shown"


@dataclass(frozen=True, eq=False)
class Stretch:
    """One figure over time: means over slots. slot: number of each (time over slot_s), increasing; likeness: which
    slots may be compared: those of the same kind of day and the same hour.
    """

    slot: IntArray
    value: FloatArray
    likeness: IntArray
    slot_s: float = SLOT_S

    @property
    def hours(self) -> float:
        return len(self) * self.slot_s / _HOUR_S

    def __len__(self) -> int:
        return len(self.slot)

    def rows(self, chosen: NDArray[np.bool_]) -> "Stretch":
        return replace(self, slot=self.slot[chosen], value=self.value[chosen], likeness=self.likeness[chosen])


@dataclass(frozen=True)
class Difference:
    """before, after: means over matched hours. low, high: interval of after - before that covers the true one in 95 %
    of cases; NaN where there is too little. p: chance of such a difference where nothing changed; NaN likewise.
    hours: matched, the fewer of before and after. unmatched: hours that have nothing like them on the other side.
    """

    before: float
    after: float
    low: float
    high: float
    p: float
    hours: float
    unmatched: float

    @property
    def difference(self) -> float:
        return self.after - self.before


def compared(before: Stretch, after: Stretch, bounds: tuple[float, float] = (-np.inf, np.inf)) -> Difference:
    """The difference over like hours. bounds: between which every value lies; no difference leads out of them."""
    common = np.intersect1d(before.likeness, after.likeness)
    one, other = (s.rows(np.isin(s.likeness, common)) for s in (before, after))
    unmatched = before.hours + after.hours - one.hours - other.hours
    hours = min(one.hours, other.hours)
    if min(len(one), len(other)) < _LEAST_SLOTS:
        sides = (one, other) if len(one) and len(other) else (before, after)
        was, now = (_mean(s.value) for s in sides)
        return Difference(was, now, np.nan, np.nan, np.nan, hours, unmatched)
    widest: tuple[float, float, float] | None = None
    for scale in _SCALES:
        coarse = _coarser(one, scale), _coarser(other, scale)
        if scale > 1 and sum(map(len, coarse)) < _LEAST_ROWS:
            break
        found = _shift(*coarse, scale)
        if found is not None and (widest is None or found[1] - found[0] > widest[1] - widest[0]):
            widest = found
    low, high, p = widest or (np.nan, np.nan, np.nan)
    was, now = _matched_means(one, other)
    middle = (
        0.0 if widest is None else (low + high) / 2 - (now - was)
    )  # the best estimate weighs the slots otherwise
    then = float(np.clip(now + middle, *bounds))
    low, high = (float(np.clip(end, bounds[0] - was, bounds[1] - was)) for end in (low, high))
    return Difference(was, then, low, high, p, hours, unmatched)


def expected_difference(before: Stretch, expected: Stretch, after: Stretch) -> float:
    """Mean of what was expected over what was, over the hours that the comparison weighs; NaN where there are none.

    expected: of slots of before.
    """
    common = np.intersect1d(before.likeness, after.likeness)
    one, then, other = (s.rows(np.isin(s.likeness, common)) for s in (before, expected, after))
    one = one.rows(np.isin(one.slot, then.slot))
    if not len(one) or not len(other) or len(one) != len(then):
        return float("nan")
    change = replace(one, value=then.value - one.value)
    return _matched_means(change, other.rows(np.isin(other.likeness, one.likeness)))[0]


def _mean(values: FloatArray) -> float:
    return float(values.mean()) if len(values) else float("nan")


def _matched_means(one: Stretch, other: Stretch) -> tuple[float, float]:
    """Means over the kinds of hours, each weighed by the data that both sides have of it."""
    kinds = np.unique(one.likeness)
    at = [np.searchsorted(kinds, s.likeness) for s in (one, other)]
    counts = [np.bincount(k, minlength=len(kinds)) for k in at]
    weight = 1 / (1 / counts[0] + 1 / counts[1])
    means = (
        np.bincount(k, s.value, len(kinds)) / count
        for k, s, count in zip(at, (one, other), counts, strict=True)
    )
    was, now = (float(weight @ mean / weight.sum()) for mean in means)
    return was, now


def _coarser(stretch: Stretch, scale: int) -> Stretch:
    """The same in longer slots; slots of different kinds of hours are never put together."""
    if scale == 1:
        return stretch
    slot = stretch.slot // scale
    keys, first, group = np.unique(
        np.stack([slot, stretch.likeness]), axis=1, return_index=True, return_inverse=True
    )
    group = group.reshape(-1)
    value = np.bincount(group, stretch.value) / np.bincount(group)
    order = np.argsort(first)
    return Stretch(keys[0][order], value[order], stretch.likeness[first][order], scale * stretch.slot_s)


def _shift(one: Stretch, other: Stretch, scale: int) -> tuple[float, float, float] | None:
    """(low, high, p) of the shift by the change; None where the data leave nothing to judge the noise by."""
    kinds, at = np.unique(np.concatenate([one.likeness, other.likeness]), return_inverse=True)
    rows = len(at)
    freedom = rows - len(kinds) - 1
    if freedom < 2:
        return None
    design = np.zeros((rows, len(kinds) + 2))  # levels of the hours, the shift, and the figure itself
    design[np.arange(rows), at.reshape(-1)] = 1
    design[len(one) :, -2] = 1
    design[:, -1] = np.concatenate([one.value, other.value])
    apart = np.diff(np.concatenate([one.slot, other.slot]), prepend=0)
    apart = np.maximum(apart, 1)  # a slot that two kinds of hours share is two rows
    apart[[0, len(one)]] = 1 << 20  # before and after have nothing to do with each other
    shift, error, weight = (np.zeros(len(_CORRELATIONS)) for _ in range(3))
    for k, correlation in enumerate(_CORRELATIONS):
        carried = (correlation**scale) ** apart.astype(np.float64)
        spread = np.sqrt(1 - carried**2)
        white = design.copy()
        white[1:] -= carried[1:, None] * design[:-1]
        white /= spread[:, None]
        try:
            triangle = np.linalg.cholesky(white.T @ white).T
        except np.linalg.LinAlgError:
            return _without_noise(one, other)
        inner = triangle[:-1, :-1]
        left = float(triangle[-1, -1] ** 2)
        shift[k] = triangle[-2, -1] / triangle[-2, -2]
        error[k] = np.sqrt(left / freedom) / abs(triangle[-2, -2])
        determinants = np.log(spread).sum() + np.log(np.abs(np.diag(inner))).sum()
        weight[k] = -determinants - freedom / 2 * np.log(left)
    weight = np.exp(weight - weight.max())
    width = np.gradient(_CORRELATIONS)
    weight *= width / (weight * width).sum()

    def below(x: float) -> float:
        return float(weight @ stdtr(freedom, (x - shift) / error))

    tail = (1 - CONFIDENCE) / 2
    low, high = (_where(below, share, shift, error) for share in (tail, 1 - tail))
    at_zero = below(0.0)
    return low, high, 2 * min(at_zero, 1 - at_zero)


def _without_noise(one: Stretch, other: Stretch) -> tuple[float, float, float] | None:
    """Of figures that never move: the same, or another one, for certain."""
    was, now = _matched_means(one, other)
    spread = max(float(np.ptp(s.value)) for s in (one, other))
    if spread > _STEADY * max(abs(was), abs(now), _STEADY):
        return None
    return now - was, now - was, float(was == now)


def _where(below: Callable[[float], float], share: float, shift: FloatArray, error: FloatArray) -> float:
    """The value below which the shift lies with a probability."""
    low, high = float((shift - 1000 * error).min()), float((shift + 1000 * error).max())
    for _ in range(_STEPS):
        middle = (low + high) / 2
        low, high = (middle, high) if below(middle) < share else (low, middle)
    return (low + high) / 2


def adjusted(p_values: Sequence[float]) -> FloatArray:
    """The chance for each of several figures, when all of them are looked at. NaN stays."""
    p = np.asarray(p_values, np.float64)
    known = np.flatnonzero(~np.isnan(p))
    order = known[np.argsort(p[known])]
    out = np.full(len(p), np.nan)
    if len(order):
        scaled = p[order] * len(order) / np.arange(1, len(order) + 1)
        out[order] = np.minimum(np.minimum.accumulate(scaled[::-1])[::-1], 1.0)
    return out


def verdict_of(found: Difference, p: float, least: float, is_more_better: bool) -> tuple[Verdict, float]:
    """(what it says, hours on each side that would settle it; 0 where it is settled).

    p: adjusted. least: the smallest difference that matters.
    """
    reach = (found.high - found.low) / 2
    if np.isnan(p) or np.isnan(reach):
        return Verdict.TOO_LITTLE, max(2.0, 2 * found.hours)
    if p < 1 - CONFIDENCE and abs(found.difference) >= least:
        return (Verdict.BETTER if (found.difference > 0) == is_more_better else Verdict.WORSE), 0.0
    if reach <= 2 * least:
        return Verdict.NO_CHANGE, 0.0
    wanted = found.hours * (reach / (2 * least)) ** 2
    return Verdict.TOO_LITTLE, float(min(np.ceil(wanted), _MOST_HOURS))
