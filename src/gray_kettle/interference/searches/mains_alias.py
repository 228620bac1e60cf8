"""Rows in step with the mains show an oven's wave in slow motion: a hump that wanders for seconds, then none.

Every row falls on nearly the same part of the wave, and they move on through it as slowly as their rate is beside the
mains. While the tube is on at that part the hump never pauses, and drifts; for the rest of the turn it is away. What
channels do may come and go as slowly, but stays where it is.

Source: docs/radio-model.md, "Mains-synchronous bursts".
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import run_around
from gray_kettle.interference.searches.block import Block, Floats, gamma_quantile, running_mean
from gray_kettle.interference.searches.bursts import LocalBackground
from gray_kettle.interference.searches.magnetron_phase import USUAL_ON
from gray_kettle.interference.searches.mains import OVENS_HZ, slowness
from gray_kettle.model.records import FloatArray, IntArray

_LINES_HZ = np.array([50.0, 60.0])
_IN_STEP = 0.5
_SLICE_S, _ROWS_A_SLICE, _FEWEST_SLICES, _FEWEST_CELLS = 1.5, 8, 5, 8
_QUIET, _DEVIATIONS = 0.25, -0.6745  # a quantile, and where it lies in normal deviations
_SMOOTH_HZ, _BESIDE_A_LINE_HZ, _HOLE_HZ, _ALWAYS = 2e6, 1.5e6, 3e6, 0.8
_LEAST_DB, _DOWN_DB, _FLOOR_DB = 7.0, 10.0, 3.0
_WIDE_HZ = 5e6
_NEXT_DB, _NEXT_HZ, _LAST, _AGAIN_DB = 4.0, 5e6, 3, 6.0
_LEAST_DRIFT_HZ, _LEAST_STRENGTH = 1.5e6, 6.0
_AWAY, _FEWEST_AWAY = 0.75, 2  # as seldom there as that, in so many slices
_MOST_ON = 0.65  # of the wave
_AROUND = 2  # slices at whose edges it may begin or end


@dataclass(frozen=True, eq=False)
class SlowWave:
    """What the rows show of a tube. ends_hz: of it, at even moments from its beginning to its end, shape (moments, 2).
    strength: exponent by which its drift stands over chance. drift_hz: from beginning to end, lasts_s: while it stands,
    each on average. share: of the wave in which it is on; is_usual: as tubes usually are, since no whole turn shows.
    """

    ends_hz: FloatArray
    level_dbm: float
    strength: float
    drift_hz: float
    lasts_s: float
    rows_per_s: float
    share: float
    is_usual: bool
    first_s: float
    last_s: float
    rows: int

    @property
    def low_hz(self) -> float:
        return float(self.ends_hz[:, 0].min())

    @property
    def high_hz(self) -> float:
        return float(self.ends_hz[:, 1].max())

    def duty(self, first_hz: float, last_hz: float) -> float:
        """Share of the time in which it is between two frequencies."""
        touches = (self.ends_hz[:, 0] < last_hz) & (self.ends_hz[:, 1] > first_hz)
        return self.share * float(touches.mean())


@dataclass(frozen=True, eq=False)
class _Humps:
    """What never pauses in each slice of time: its top over the noise (NaN where there is none), its ends 10 dB below,
    its middle, and its power; each of shape (slices,).
    """

    top_db: FloatArray
    low_hz: FloatArray
    high_hz: FloatArray
    middle_hz: FloatArray
    power_mw: FloatArray


@dataclass(frozen=True, eq=False)
class _Way:
    """Where one hump goes while it stays. stay: the slices that show it; begin, end: in slices. middle_hz: at even
    moments between them, shape (moments,).
    """

    stay: IntArray
    begin: float
    end: float
    strength: float
    level_db: float
    middle_hz: FloatArray

    def is_again(self, other: "_Way") -> bool:
        """A tube goes the same way each time, and is as strong."""
        is_alike = abs(self.level_db - other.level_db) < _AGAIN_DB
        return is_alike and self.drift_hz * other.drift_hz > 0

    @property
    def lasts(self) -> float:
        return self.end - self.begin

    @property
    def drift_hz(self) -> float:
        return float(self.middle_hz[-1] - self.middle_hz[0])


def find_slow_wave(block: Block, around: LocalBackground) -> SlowWave | None:
    """An oven before snapshots in step with the mains; None where no hump wanders as a tube does."""
    start_s = block.time_s - block.time_s[0]
    usual_s = max(float(np.median(np.diff(start_s))), 1e-3)
    each = max(round(_SLICE_S / usual_s), _ROWS_A_SLICE)
    is_theirs = block.freq_hz[0] < OVENS_HZ[1] and block.freq_hz[-1] > OVENS_HZ[0]
    if not is_theirs or block.meets_parts or block.rows < _FEWEST_SLICES * each:
        return None
    if slowness(_LINES_HZ, start_s).max() < _IN_STEP:
        return None
    inside = (block.freq_hz > OVENS_HZ[0]) & (block.freq_hz < OVENS_HZ[1])
    noise, quiet = _quiet(block, inside, each)
    always = np.quantile(quiet, 1 - _ALWAYS, axis=0)
    # Where all of it does not tell, what is left of it without what is there for most of the time.
    for ground in (noise, np.maximum(noise, always)):
        found = _slow_wave(block, around, _humps(block, around, inside, ground, quiet), each, usual_s)
        if found is not None:
            return found
    return None


def _slow_wave(
    block: Block, around: LocalBackground, humps: _Humps, each: int, usual_s: float
) -> SlowWave | None:
    slices = len(humps.top_db)
    ways = [way for stay in _stays(humps) if (way := _way(block, around, humps, stay, each)) is not None]
    if not ways:
        return None
    best = max(ways, key=lambda w: w.strength)
    ways = [w for w in ways if w.is_again(best)]
    strength = float(sum(w.strength for w in ways))
    if strength < _LEAST_STRENGTH:
        return None
    its = np.concatenate([w.stay for w in ways])
    share, is_usual = _share(ways, slices)
    half_hz = float(np.median(humps.high_hz[its] - humps.low_hz[its])) / 2
    middle_hz = np.concatenate([w.middle_hz for w in ways])
    ends_hz = np.stack([middle_hz - half_hz, middle_hz + half_hz], axis=1)
    of_span = np.array([-0.5, 0.5]) * block.cell_hz + block.freq_hz[[0, -1]]
    return SlowWave(
        np.clip(ends_hz, *of_span),
        10 * math.log10(max(float(np.median(humps.power_mw[its])), 1e-20)), strength,
        float(np.mean([w.drift_hz for w in ways])), each * usual_s * float(np.mean([w.lasts for w in ways])),
        1 / usual_s, share, is_usual, float(block.time_s[its[0] * each]),
        float(block.time_s[(its[-1] + 1) * each - 1]), len(its) * each,
    )  # fmt: skip


def _quiet(block: Block, inside: NDArray[np.bool_], each: int) -> tuple[Floats, FloatArray]:
    """(noise of some cells, what never pauses in them in each slice of so many rows, shape (slices, cells)), mW."""
    half = block.half_of(_SMOOTH_HZ)
    slices = block.rows // each
    power = running_mean(block.power, half)[: slices * each, inside].reshape(slices, each, -1)
    at = int(_QUIET * each)
    looks = block.looks_over(2 * half + 1)
    quiet = np.partition(power, at, axis=1)[:, at] / gamma_quantile(looks, _DEVIATIONS)
    return running_mean(block.noise, half)[inside], quiet


def _humps(
    block: Block,
    around: LocalBackground,
    inside: NDArray[np.bool_],
    ground: FloatArray | Floats,
    quiet: FloatArray,
) -> _Humps:
    """The strongest wide one of each slice over a ground."""
    over_db = 10 * np.log10(np.maximum(quiet / ground, 1e-3))
    near = max(round(_BESIDE_A_LINE_HZ / block.cell_hz), 1)
    lined = (np.convolve(around.is_line, np.ones(2 * near + 1), "same") > 0)[inside]
    found = np.full((5, len(quiet)), np.nan)
    if inside.sum() >= _FEWEST_CELLS and not lined.all():
        for k, own_mw in enumerate(np.maximum(quiet - ground, 0)):
            found[:, k] = _hump(block, block.freq_hz[inside], over_db[k], own_mw, ~lined)
    return _Humps(*found)


def _hump(
    block: Block, freq_hz: FloatArray, over_db: FloatArray, own_mw: FloatArray, told: NDArray[np.bool_]
) -> FloatArray:
    """Top, ends, middle and power of the strongest, NaN where it is not wide. told: cells that hold no line."""
    level_db = np.interp(freq_hz, freq_hz[told], over_db[told])
    top = int(level_db.argmax())
    least_db = max(level_db[top] - _DOWN_DB, _FLOOR_DB)
    first, last = run_around(level_db >= least_db, top, round(_HOLE_HZ / block.cell_hz))
    if level_db[top] < _LEAST_DB or (last - first + 1) * block.cell_hz < _WIDE_HZ:
        return np.full(5, np.nan)
    inside = slice(first, last + 1)
    weight = level_db[inside] - least_db + 1e-3
    own = own_mw[inside][told[inside]]
    power_mw = float(own.mean()) * (last - first + 1) * block.joined if len(own) else 0.0
    half_hz = block.cell_hz / 2
    middle_hz = float((weight * freq_hz[inside]).sum() / weight.sum())
    return np.array([level_db[top], freq_hz[first] - half_hz, freq_hz[last] + half_hz, middle_hz, power_mw])


def _stays(humps: _Humps) -> list[IntArray]:
    """Stretches of slices in which one hump stays: of one level, never far from where it was just before. One slice in
    which something else is stronger does not end it.
    """
    out: list[list[int]] = [[]]
    for k in np.flatnonzero(np.isfinite(humps.top_db)):
        stay = out[-1]
        if stay:
            level_db = np.median(humps.top_db[stay])
            away_hz = np.abs(humps.middle_hz[k] - humps.middle_hz[stay[-_LAST:]]).min()
            is_same = abs(humps.top_db[k] - level_db) < _NEXT_DB and away_hz < _NEXT_HZ
            if k - stay[-1] > 2 or (not is_same and k - stay[-1] > 1):
                out.append([])
            elif not is_same:
                continue
        out[-1].append(int(k))
    return [np.array(stay) for stay in out if len(stay) >= _FEWEST_SLICES]


def _way(block: Block, around: LocalBackground, humps: _Humps, stay: IntArray, each: int) -> _Way | None:
    """How a hump wanders while it stays; None where it hardly does, goes all of it in one step, or
    is never away: what a busy channel's neighbours add to it may wander, too.
    """
    number = len(stay)
    middle_hz = humps.middle_hz[stay]
    away = middle_hz - middle_hz.mean()
    at = stay - stay.mean()
    slope = float((at * away).sum() / (at**2).sum())
    all_of_it = float((away**2).sum()) + 1e-9
    straight = float(((away - slope * at) ** 2).sum()) + 1e-3 * all_of_it
    before = np.arange(1, number)
    step = all_of_it - float((np.cumsum(away)[:-1] ** 2 * (1 / before + 1 / (number - before))).max())
    if step < straight or abs(slope) * float(np.ptp(stay)) < _LEAST_DRIFT_HZ:
        return None
    there = _there(block, around, humps, stay, each)
    if (there < _AWAY * np.median(there[stay])).sum() < _FEWEST_AWAY:
        return None
    # Of the slices just before and after it is there for a part.
    begin = float(stay[0]) - float(there[max(stay[0] - _AROUND, 0) : stay[0]].sum())
    end = float(stay[-1]) + 1 + float(there[stay[-1] + 1 : stay[-1] + 1 + _AROUND].sum())
    moments = np.linspace(begin, end, 4 * number) - 0.5  # a slice's own moment is its middle
    strength = (number - 2) / 2 * math.log(all_of_it / straight)
    level_db = float(np.median(humps.top_db[stay]))
    return _Way(stay, begin, end, strength, level_db, middle_hz.mean() + slope * (moments - stay.mean()))


def _there(block: Block, around: LocalBackground, humps: _Humps, stay: IntArray, each: int) -> FloatArray:
    """What part of the rows of each slice shows it in its middle, shape (slices,)."""
    at = int(np.argmin(np.abs(block.freq_hz - float(np.median(humps.middle_hz[stay])))))
    inside = slice(int(stay[0]) * each, (int(stay[-1]) + 1) * each)
    usual = float(np.median(around.smooth[inside, at]))
    is_there = around.smooth[:, at] > math.sqrt(usual * float(block.noise[at]))
    slices = len(humps.top_db)
    return np.asarray(is_there[: slices * each].reshape(slices, each).mean(axis=1))


def _share(ways: list[_Way], slices: int) -> tuple[float, bool]:
    """(share of the wave: how long it stands of the time from one beginning to the next, or from end to end; whether it
    is a tube's usual one, because the rows show no whole turn). A turn lasts as long as it is away at least.
    """
    begins = [w.begin for w in ways if w.begin > 0]
    ends = [w.end for w in ways if w.end < slices]
    whole = [w.lasts for w in ways if w.begin > 0 and w.end < slices]
    lasts = float(np.median(whole or [w.lasts for w in ways]))
    turns = np.concatenate([np.diff(begins), np.diff(ends)])
    turns = turns[turns > lasts / _MOST_ON]  # one that was parted in two is no turn
    if len(turns):
        return lasts / float(np.median(turns)), False
    away = max(ways[0].begin, slices - ways[-1].end)
    return (min(USUAL_ON, lasts / (lasts + away)) if whole else USUAL_ON), True
