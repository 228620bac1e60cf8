"""Two stretches of one figure, compared hour by hour: the difference with its interval, and what it says.

Source: docs/proof.md, "The comparison"; Künsch 1989 (moving blocks); Politis and White 2004, corrected 2009 (length of
a block from the autocorrelation); Benjamini and Hochberg 1995 (several figures at a time).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr, stdtrit

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

SLOT_S = 300.0  # figures are means over so long
CONFIDENCE = 0.95
_ROUNDS = 999
_LEAST_SLOTS = 6  # matched, before and after
_LEAST_BLOCKS = 3.0
_MOST_HOURS = 24.0 * 14
_HOUR_S = 3600.0


class Verdict(StrEnum):
    """What a comparison says."""

    BETTER = "better"
    WORSE = "worse"
    NO_CHANGE = "no change shown"
    TOO_LITTLE = "too little data"


@dataclass(frozen=True, eq=False)
class Stretch:
    """One figure over time: means over slots. slot: number of each (time over SLOT_S), increasing; likeness: which
    slots may be compared: those of the same kind of day and the same hour.
    """

    slot: IntArray
    value: FloatArray
    likeness: IntArray

    def __len__(self) -> int:
        return len(self.slot)

    def rows(self, chosen: NDArray[np.bool_]) -> "Stretch":
        return Stretch(self.slot[chosen], self.value[chosen], self.likeness[chosen])


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


def compared(before: Stretch, after: Stretch, seed: int = 0) -> Difference:
    """The difference over like hours. Its mean weighs each kind of hour by the data that both have of it."""
    common = np.intersect1d(before.likeness, after.likeness)
    one, other = (s.rows(np.isin(s.likeness, common)) for s in (before, after))
    unmatched = (len(before) - len(one) + len(after) - len(other)) * SLOT_S / _HOUR_S
    if not len(one) or not len(other):
        return Difference(_mean(before.value), _mean(after.value), *[np.nan] * 3, 0.0, unmatched)
    kinds = np.unique(common)
    at = [np.searchsorted(kinds, s.likeness) for s in (one, other)]
    counts = [np.bincount(k, minlength=len(kinds)) for k in at]
    means = [
        np.bincount(k, s.value, len(kinds)) / c for k, s, c in zip(at, (one, other), counts, strict=True)
    ]
    weight = 1 / (1 / counts[0] + 1 / counts[1])
    weight = weight / weight.sum()
    was, now = (float(weight @ m) for m in means)
    hours = min(len(one), len(other)) * SLOT_S / _HOUR_S
    if min(len(one), len(other)) < _LEAST_SLOTS:
        return Difference(was, now, *[np.nan] * 3, hours, unmatched)
    # What is left when the hour and the change are taken out; few degrees of freedom are left where hours are few.
    shift = now - was
    level = (counts[0] * means[0] + counts[1] * (means[1] - shift)) / (counts[0] + counts[1])
    left = [one.value - level[at[0]], other.value - shift - level[at[1]]]
    freedom = len(one) + len(other) - len(kinds) - 1
    if freedom < 2:
        return Difference(was, now, *[np.nan] * 3, hours, unmatched)
    share = [-weight[at[0]] / counts[0][at[0]], weight[at[1]] / counts[1][at[1]]]
    rng = np.random.default_rng(seed)
    variance, blocks = 0.0, 0.0
    for stretch, noise, part in zip((one, other), left, share, strict=True):
        runs = _runs(stretch.slot)
        length, inflation = _block_length(noise, runs)
        drawn = _moving_blocks(noise, runs, length, rng)
        variance += float((drawn @ part).var()) * inflation
        blocks += len(stretch) / length
    variance *= (len(one) + len(other)) / freedom
    error = np.sqrt(variance)
    independent = max(blocks - 1 - (len(kinds) - 1) / max((len(one) + len(other)) / blocks, 1.0), 1.0)
    reach = float(stdtrit(independent, (1 + CONFIDENCE) / 2)) * error
    p = float(2 * stdtr(independent, -abs(shift) / error)) if error > 0 else float(shift == 0)
    return Difference(was, now, shift - reach, shift + reach, p, hours, unmatched)


def _mean(values: FloatArray) -> float:
    return float(values.mean()) if len(values) else float("nan")


def _runs(slot: IntArray) -> IntArray:
    """Number of the unbroken run that each slot is in."""
    return np.concatenate([[0], np.cumsum(np.diff(slot) != 1)])


def _autocovariance(noise: FloatArray, runs: IntArray, most: int) -> FloatArray:
    """At lags up to `most`, over pairs that lie in one run."""
    centred = noise - noise.mean()
    found = [float(centred @ centred) / len(noise)]
    for lag in range(1, most + 1):
        same = runs[lag:] == runs[:-lag]
        found.append(float((centred[lag:] * centred[:-lag])[same].sum()) / len(noise))
    return np.array(found)


def _block_length(noise: FloatArray, runs: IntArray) -> tuple[int, float]:
    """(slots of a block, by how much the variance is to be raised as short stretches hide their own correlation)."""
    n = len(noise)
    most = max(1, min(n // 4, int(np.ceil(np.sqrt(n))) + 5))
    gamma = _autocovariance(noise, runs, 2 * most)
    if gamma[0] <= 0:
        return 1, 1.0
    rho = gamma / gamma[0]
    band = 2 * np.sqrt(np.log10(max(n, 10)) / n)
    quiet = np.flatnonzero(np.abs(rho[1 : most + 1]) < band)
    cut = min(2 * int(quiet[0] if len(quiet) else most), 2 * most)
    lag = np.arange(-cut, cut + 1)
    taper = np.clip(2 * (1 - np.abs(lag) / max(cut, 1)), 0, 1) if cut else np.ones(1)
    whole = taper * gamma[np.abs(lag)]
    spectrum, slope = float(whole.sum()), float((np.abs(lag) * whole).sum())
    length = 1.0
    if spectrum > 0 and slope > 0:
        length = (2 * slope**2 / (4 / 3 * spectrum**2)) ** (1 / 3) * n ** (1 / 3)
    length = float(np.clip(length, 1, max(n / 4, 1)))
    first = float(np.clip(rho[1], -0.5, 0.99)) if len(rho) > 1 else 0.0
    true = min(first + (1 + 3 * max(first, 0.0)) / n, 0.98)  # a short stretch shows too little of it
    return max(1, round(length)), max(_inflation(true, n) / _block_variance(first, round(length)), 1.0)


def _inflation(rho: float, n: int) -> float:
    """Variance of a mean of n values whose neighbours correlate, over that of independent ones."""
    lag = np.arange(1, n)
    return float(1 + 2 * ((1 - lag / n) * rho**lag).sum())


def _block_variance(rho: float, length: int) -> float:
    """What moving blocks of a length see of it."""
    lag = np.arange(1, max(length, 1))
    return float(1 + 2 * ((1 - lag / max(length, 1)) * max(rho, 0.0) ** lag).sum())


def _moving_blocks(noise: FloatArray, runs: IntArray, length: int, rng: np.random.Generator) -> FloatArray:
    """Series drawn from blocks that lie in one run each, shape (rounds, slots)."""
    n = len(noise)
    starts = np.flatnonzero(runs[: n - length + 1] == runs[length - 1 :])
    if not len(starts):
        starts = np.arange(n - length + 1)
    count = -(-n // length)
    chosen = rng.choice(starts, (_ROUNDS, count))
    rows = (chosen[:, :, None] + np.arange(length)).reshape(_ROUNDS, -1)[:, :n]
    drawn: FloatArray = noise[rows]
    return drawn - noise.mean()


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
