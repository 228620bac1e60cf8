"""Combs: rasters that the places of a hopper lie on.

A tuned instrument meets parts of channels that look like hops, and the edges of channels, which lie 5 MHz apart, make
broad combs of 3.5 to 5 MHz by themselves. A hopper's comb is finer, and the same in every part of its range.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import functools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import FINE_HZ
from gray_kettle.model.records import FloatArray

_RASTERS_HZ = (0.55e6, 4.2e6)
_LINE_STEP = 1 / 320e6
_CELLS = 2.3  # of a raster at least: bins that are coarser do not show it
_LEAST_RASTER = 14.0  # how far the strongest comb stands over chance (exponent)
_NEARLY_AS_STRONG = 0.6
_PART_HZ, _FEWEST_A_PART, _FEWEST_PARTS, _KNOWN_PARTS = 6e6, 4, 4, 0.7
_GRID_HZ = 50e3
_MOST_OF_A_PART = 2.0  # times the usual: a channel's many fragments do not outvote the rest
_WIDEST_HZ, _SURE, _SURE_PER_HZ = 3.4e6, 14.0, 5e-6  # edges of channels make wide combs rather than fine ones
WIDE_HZ, _SURE_OF_WIDE = 2.2e6, 28.0  # rasters so wide edges of channels may make
_AGREES, _NEXT = 0.25, 1.5
SAME_RASTER = 0.02
USUAL_HZ = 1e6  # of the commonest kind
_ON, _FEWEST_OF_TWO, _PARTED, _LEAST_OF_TWO = 0.5, 30, 0.15, 0.15
_BUT, _RANGE_HZ = 2.0, 80e6


def agreement(freq_hz: FloatArray, raster_hz: float, phase_hz: float) -> FloatArray:
    """How well bursts lie on a raster: from 1 on its places to -1 between them."""
    return np.asarray(np.cos(2 * np.pi * (freq_hz - 2.4e9 - phase_hz) / raster_hz))


def is_usual_raster(raster_hz: float) -> bool:
    """The raster of the commonest kind, or none that shows."""
    return math.isnan(raster_hz) or abs(raster_hz / USUAL_HZ - 1) < SAME_RASTER


@dataclass(frozen=True)
class Comb:
    """A raster that shows through a range. phase_hz: of it, from 2400 MHz. strength: exponent of how seldom chance does
    that.
    """

    raster_hz: float
    phase_hz: float
    low_hz: float
    high_hz: float
    strength: float

    def agreement(self, freq_hz: FloatArray) -> FloatArray:
        """From 1 on its places to -1 between them."""
        return agreement(freq_hz, self.raster_hz, self.phase_hz)

    def picked(self, freq_hz: FloatArray) -> NDArray[np.bool_]:
        """Which of some bursts it takes: where others lie among them, as many as agree, those that agree best."""
        agrees = self.agreement(freq_hz)
        parts = max(int((self.high_hz - self.low_hz) / _PART_HZ + 0.5), 1)
        part = np.clip(
            ((freq_hz - self.low_hz) / (self.high_hz - self.low_hz) * parts).astype(int), 0, parts - 1
        )
        number = np.bincount(part, minlength=parts)
        mean = np.bincount(part, agrees, parts) / np.maximum(number, 1)
        usual = (
            float(np.quantile(mean[number >= _FEWEST_A_PART], 0.7))
            if (number >= _FEWEST_A_PART).any()
            else 1.0
        )
        kept = np.ones(len(freq_hz), bool)
        for k in np.flatnonzero(mean < usual - _NEXT * np.sqrt(0.5 / np.maximum(number, 1))):
            its = np.flatnonzero(part == k)
            many = int(number[k] * max(mean[k], 0.0) / max(usual, 1e-6))
            kept[its[np.argsort(-agrees[its], kind="stable")[many:]]] = False
        return kept


def _lines_of(cell_hz: float) -> FloatArray:
    """Rasters worth trying, as lines per hertz: the widest first."""
    return np.arange(1 / _RASTERS_HZ[1], 1 / max(_RASTERS_HZ[0], _CELLS * cell_hz), _LINE_STEP)


def _without_overtones(strength: FloatArray, best: int) -> int:
    """A comb has overtones: the widest raster that is nearly as strong is meant."""
    for k in range(best):
        if (
            strength[k] > _NEARLY_AS_STRONG * strength[best]
            and strength[k] == strength[max(k - 8, 0) : k + 9].max()
        ):
            return k
    return best


def raster_of(
    freq_hz: FloatArray, cell_hz: float, but_hz: float = math.nan, widest_hz: float = math.inf
) -> tuple[float, float, float]:
    """(raster, how far it stands over chance, phase) of the comb that centres fit best; NaN where none shows.

    but_hz: a raster that is not asked for, nor its overtones.
    """
    some = freq_hz[:: len(freq_hz) // 3000 + 1]
    lines = _lines_of(cell_hz)
    lines = lines[lines > 1 / widest_hz]
    if math.isfinite(but_hz):
        lines = lines[np.abs(lines * but_hz - np.rint(lines * but_hz)) > _BUT * but_hz / _RANGE_HZ]
    if not len(lines) or not len(some):
        return float("nan"), 0.0, float("nan")
    turned = np.exp(2j * np.pi * np.outer(lines, some - 2.4e9)).sum(axis=1)
    strength = np.abs(turned) ** 2 / len(some)
    best = int(np.argmax(strength))
    if strength[best] < _LEAST_RASTER:
        return float("nan"), float(strength[best]), float("nan")
    best = _without_overtones(strength, best)
    raster = float(1 / lines[best])
    phase = float(np.angle(turned[best]) / (2 * np.pi) * raster)
    return raster, float(strength[best]), phase % raster


def raster_of_strongest(
    freq_hz: FloatArray, level_dbm: FloatArray, cell_hz: float
) -> tuple[float, float, float]:
    """Raster, strength and phase before a tuned instrument, by the stronger half: the weaker may be feet, which lie
    between the places.
    """
    strong = level_dbm >= (np.median(level_dbm) if cell_hz <= FINE_HZ else -np.inf)
    raster_hz, strength, phase_hz = raster_of(freq_hz[strong], cell_hz, widest_hz=_WIDEST_HZ)
    if raster_hz > WIDE_HZ and strength < _SURE_OF_WIDE:
        return math.nan, strength, math.nan
    return raster_hz, strength, phase_hz


def differ(raster_hz: float, other_hz: float) -> bool:
    """Whether both show rasters, neither of them an overtone of the other."""
    ratio = max(raster_hz, other_hz) / min(raster_hz, other_hz)
    return abs(ratio - round(ratio)) > SAME_RASTER if math.isfinite(ratio) else False


def parted_by_rasters(freq_hz: FloatArray, cell_hz: float) -> NDArray[np.bool_] | None:
    """Which of some bursts are of the first of two hoppers of one level; None where no two rasters show.

    As many go to each as its phasor tells, those first that agree with the one and not with the other.
    """
    raster_hz, _, phase_hz = raster_of(freq_hz, cell_hz)
    if math.isnan(raster_hz):
        return None
    first = agreement(freq_hz, raster_hz, phase_hz)
    rest = freq_hz[first < _ON]
    other_hz, strength, other_phase_hz = raster_of(rest, cell_hz, raster_hz)
    if len(rest) < _FEWEST_OF_TWO or math.isnan(other_hz) or strength < _PARTED * len(rest):
        return None
    second = agreement(freq_hz, other_hz, other_phase_hz)
    share = max(first.mean(), 0.0) / max(first.mean() + second.mean(), 1e-9)
    if not _LEAST_OF_TWO < share < 1 - _LEAST_OF_TWO:
        return None
    order = np.argsort(second - first, kind="stable")
    is_first = np.zeros(len(freq_hz), bool)
    is_first[order[: round(share * len(order))]] = True
    return is_first


@functools.lru_cache(maxsize=4)  # blocks of one span come one after the other
def combing_of(low_hz: float, high_hz: float, cell_hz: float) -> "Combing":
    """What only depends on the span, worked out once."""
    return Combing(low_hz, high_hz, cell_hz)


class Combing:
    """Looks for combs in bursts of one level after the other."""

    def __init__(self, low_hz: float, high_hz: float, cell_hz: float) -> None:
        parts = max(int((high_hz - low_hz) / _PART_HZ + 0.5), 1)
        self._edges_hz = np.linspace(low_hz, high_hz, parts + 1)
        self._lines = _lines_of(cell_hz)
        grid = max(int((high_hz - low_hz) / parts / _GRID_HZ), 1)
        self._grid_hz = np.linspace(low_hz, high_hz, parts * grid + 1)
        middle = (self._grid_hz[:-1] + self._grid_hz[1:]) / 2
        turned = np.exp(2j * np.pi * np.outer(self._lines, middle - 2.4e9)).astype(np.complex64)
        turned = turned.reshape(len(self._lines), parts, grid)
        self._turned = np.ascontiguousarray(turned.transpose(1, 0, 2))  # shape (parts, lines, grid)

    def comb_of(self, freq_hz: FloatArray) -> Comb | None:
        """The comb that shows best through some range of these bursts; None where none does."""
        if not len(self._lines):
            return None
        parts, _, grid = self._turned.shape
        counts = np.histogram(freq_hz, self._grid_hz)[0].reshape(parts, grid)
        number = counts.sum(axis=1)
        known = number >= _FEWEST_A_PART
        if known.sum() < _FEWEST_PARTS:
            return None
        mean = (self._turned @ counts.astype(np.complex64)[:, :, None])[:, :, 0].T / np.maximum(number, 1)
        weight = np.sqrt(np.minimum(number, _MOST_OF_A_PART * np.median(number[known]))) * known
        best: Comb | None = None
        for first, last in self._ranges(known):
            found = self._in_range(mean[:, first:last], weight[first:last])
            if found is not None and (best is None or found[1] > best.strength):
                line, strength, turn = found
                raster = float(1 / self._lines[line])
                phase = float(np.angle(turn) / (2 * np.pi) * raster) % raster
                low, high = self._reach(mean[line], weight, turn, first, last)
                best = Comb(raster, phase, float(self._edges_hz[low]), float(self._edges_hz[high]), strength)
        return best

    def _ranges(self, known: NDArray[np.bool_]) -> list[tuple[int, int]]:
        parts = len(known)
        return [
            (first, last)
            for first in range(parts)
            for last in range(first + _FEWEST_PARTS, parts + 1)
            if known[first] and known[last - 1]
            and known[first:last].sum() >= max(_FEWEST_PARTS, _KNOWN_PARTS * (last - first))
        ]  # fmt: skip

    def _in_range(self, mean: NDArray[np.complex64], weight: FloatArray) -> tuple[int, float, complex] | None:
        """(line, strength, its turn) of the strongest in a range if it shows in nearly every part."""
        total = (mean * weight).sum(axis=1)
        strength = np.abs(total) ** 2 / (weight > 0).sum()
        least = _SURE + _SURE_PER_HZ / self._lines
        if not (strength > least).any():
            return None
        best = _without_overtones(strength, int(np.argmax(np.where(strength > least, strength, 0))))
        turn = total[best] / np.abs(total[best])
        agrees = (mean[best, weight > 0] * np.conj(turn)).real
        if np.quantile(agrees, 0.25) < _AGREES or 1 / self._lines[best] > _WIDEST_HZ:
            return None
        return best, float(strength[best]), complex(turn)

    def _reach(
        self, mean: NDArray[np.complex64], weight: FloatArray, turn: complex, first: int, last: int
    ) -> tuple[int, int]:
        """The parts beyond in which it shows, too, however few bursts are there."""
        shows = (mean * np.conj(turn)).real * weight > _NEXT
        at = np.flatnonzero(shows)
        return min(first, int(at[0])), max(last, int(at[-1]) + 1)
