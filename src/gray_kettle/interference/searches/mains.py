"""Wide bursts that keep time with the mains: what an oven's tube does, and nothing that is meant to be a radio.

Every stretch of cells that something fills at a moment has a vote as wide as itself, at the phase of the mains in its
middle. (Each one alike would not do: what is wide joins many narrow ones to one.) Votes of radios fall on all phases
alike. What all looks have in common (the instrument's own rhythm) is taken off.

Source: docs/radio-model.md, "Mains-synchronous bursts".
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import runs_of
from gray_kettle.interference.searches.block import Block, running_mean
from gray_kettle.interference.searches.bursts import BEACONS_S, LocalBackground, over_ground
from gray_kettle.interference.searches.mains_in_row import can_be_told, wave_in_rows
from gray_kettle.interference.searches.wave import (
    STRETCH_S,
    Wave,
    folded,
    lit_parts,
    mirror_of,
    running_share,
    smooth_cells,
    smoothed,
    usual_density,
)
from gray_kettle.model.records import FloatArray, IntArray

_LOW_HZ, _HIGH_HZ = (2.405e9, 2.446e9), 2.495e9
OVENS_HZ = (2.42e9, _HIGH_HZ)  # between which they lie
_LINES_HZ = (50.0, 60.0, 100.0, 120.0)
_WANDER = 1.2e-3  # of the mains
_SPARSE_S = 1.0  # rows farther apart tell nothing
_WIDE_HZ, _HALF_WAVE_S = 4e6, 8e-3
_FOLD = 16
_NEARLY_AS_GOOD, _LEAST_STRENGTH = 0.3, 6.0
_FEET = 12.0
_FOLLOWED_S, _SURE = 12.0, 8.0  # no shorter than that each stretch of it agrees by more than chance
_BLIND, _HALF_BLIND = 0.85, 0.4  # looks that all fall on one phase tell nothing
_OVERTONES, _NEARLY, _PARTLY = 20, 0.7, 0.3
_BESIDE, _BESIDE_TO, _COARSER = 0.5, 1.2e-2, 2.0
_FEWEST_RUNS = 12
_IN_STEP, _EVENED_HZ = 0.2, 4e6
_WINDOW_S, _SLOW = 8.0, 0.5  # through which the wave must turn: what comes and goes as slowly may be anything

# When each was met, its row, (cell in its middle, width against the usual), times of all rows, offsets of the cells.
Votes = tuple[FloatArray, IntArray, tuple[IntArray, FloatArray], FloatArray, FloatArray]


@dataclass(frozen=True, eq=False)
class MainsSynced:
    """Wide bursts that keep time. line_hz: with what. strength: exponent by which that stands over chance.

    votes: how many bursts spoke. filled: by how much more it is met at its own half of the wave than at the other.
    by_phase: whether it is there, by part of the wave and cell. core_hz, core_duty: ends and share of what is within
    6 dB of its usual density. in_step: how far rows that are close in time fall on one part of the wave, 0 to 1.
    in_rows: told by what a sweep sees of the wave within its rows. running: share of the time in which it runs at all.
    """

    line_hz: float
    strength: float
    votes: int
    low_hz: float
    high_hz: float
    level_dbm: float
    duty: float
    filled: float
    cells_hz: FloatArray
    by_phase: NDArray[np.bool_]
    rows: IntArray
    core_hz: tuple[float, float]
    core_duty: float
    in_step: float
    in_rows: bool = False
    running: float = 1.0

    @property
    def is_in_step(self) -> bool:
        """Whether its rows see but a part of the wave for seconds, so that what slowly comes and goes looks like it."""
        return self.in_step > _IN_STEP and not self.in_rows

    @property
    def stands_in_stripes(self) -> bool:
        """Whether a sweep meets it at places that move so slowly that they seem to stand."""
        return self.in_rows and self.in_step > _SLOW


@dataclass(frozen=True, eq=False)
class Swing:
    """What keeps time, before it is measured.

    by_cell: by how much more is hit at its own half of the wave, of the cells that were asked. wide: hits of wide runs,
    its_own: those at its own half, shape (rows, cells).
    """

    wave: Wave
    strength: float
    votes: int
    cells: slice
    by_cell: FloatArray
    wide: NDArray[np.bool_]
    its_own: NDArray[np.bool_]

    @property
    def top(self) -> float:
        return float(self.by_cell.max())


def find_locked(block: Block, around: LocalBackground) -> Iterator[MainsSynced]:
    """Wide things that keep time with the mains, what tells most first, each measured when it is asked for: of them one
    is an oven at most.

    Asked of the whole band, and of its upper half alone: there ovens are, and channels of the lower half do not vote. A
    sweep is asked first what it sees within its rows.
    """
    if block.rows < 30 or np.median(np.diff(block.time_s)) > _SPARSE_S:
        return
    in_rows = _locked_in_rows(block, around) if can_be_told(block) else None
    if in_rows is not None:
        yield in_rows
    found = [_swing_in(block, around, low_hz) for low_hz in _LOW_HZ]
    for swing in sorted((s for s in found if s is not None), key=lambda s: -s.strength * s.top):
        told = _locked(block, around, swing)
        if told is not None:
            yield told


def _locked_in_rows(block: Block, around: LocalBackground) -> MainsSynced | None:
    """The same by what a sweep sees of the wave within its rows. What comes in step stands still and is no ground."""
    noise = running_mean(block.noise, block.half_of(around.scale.mean_hz))
    around = replace(around, ground=np.broadcast_to(noise, around.ground.shape))
    asked = _hits_in(block, around, _LOW_HZ[0])
    if asked is None:
        return None
    cells, hits, runs = asked
    told = wave_in_rows(block, cells, hits, block.time_s - block.time_s[0])
    if told is None:
        return None
    swing = _swing(block, cells, hits, runs, *told)
    found = None if swing is None else _locked(block, around, swing)
    return None if found is None else replace(found, in_rows=True)


def _hits_in(
    block: Block, around: LocalBackground, low_hz: float
) -> tuple[slice, NDArray[np.bool_], tuple[IntArray, IntArray, IntArray]] | None:
    """(cells asked, where something stands over the ground, row, first and last cell of each that is wide enough)."""
    inside = np.flatnonzero((block.freq_hz > low_hz) & (block.freq_hz < _HIGH_HZ))
    if len(inside) < 8:
        return None
    cells = slice(int(inside[0]), int(inside[-1]) + 1)
    hits = around.smooth[:, cells] > over_ground(around.looks) * around.ground[:, cells]
    least = _WIDE_HZ
    if block.span.is_tuned and block.span.sweep_s:
        least = min(_WIDE_HZ, 0.6 * _HALF_WAVE_S * block.hz_per_s)
    runs = runs_of(hits, max(int(least / block.cell_hz), 1), 1)
    return None if len(runs[0]) < _FEWEST_RUNS else (cells, hits, runs)


def _swing_in(block: Block, around: LocalBackground, low_hz: float) -> Swing | None:
    asked = _hits_in(block, around, low_hz)
    if asked is None:
        return None
    cells, hits, (row, first, last) = asked
    offsets = block.offset_s[cells]
    # Seconds since 1970 times 50 leave few digits: count from the block's own beginning.
    start_s = block.time_s - block.time_s[0]
    when = start_s[row] + (offsets[first] + offsets[last]) / 2
    middle = (first + last) // 2
    width = (last - first + 1) / float((last - first + 1).mean())
    seconds = float(start_s[-1])
    votes: Votes = (when, row, (middle, width), start_s, offsets)
    strongest = [_agreement(_close_to(line, seconds), *votes) for line in _LINES_HZ]
    strongest = [
        (strength, line_hz)
        for strength, line_hz in strongest
        if strength < _LEAST_STRENGTH
        or _BESIDE * strength
        > max((_agreement(lines, *votes)[0] for lines in _beside(line_hz, start_s)), default=0.0)
    ]
    if not strongest:
        return None
    best = max(strongest)[0]
    if best < _LEAST_STRENGTH or _keep_time_with_beacons(votes, best):
        return None
    # Rows at even distances let two lines look alike, and what comes with every wave comes with every second
    # half-wave too: the one that tells best when it is on and when not.
    swings = [
        _swing(
            block, cells, hits, (row, first, last),
            Wave(line_hz, _followed(line_hz, strength, when, width, start_s), offsets), strength,
        )
        for strength, line_hz in strongest
        if strength > max(_NEARLY_AS_GOOD * best, _LEAST_STRENGTH)
    ]  # fmt: skip
    return max((s for s in swings if s is not None), key=lambda s: s.top, default=None)


def _close_to(line_hz: float, seconds: float) -> FloatArray:
    """What the mains may really be at: as finely as the time allows, longer stretches being cut."""
    step = 0.5 / max(min(seconds, STRETCH_S), 1.0)
    reach = int(_WANDER * line_hz / step)
    return np.asarray(line_hz + step * np.arange(-reach, reach + 1))


def _keep_time_with_beacons(votes: Votes, strength: float) -> bool:
    """Whether bursts agree with overtones of beacons, nearly as well as with the mains: rows at even distances let the
    one look like the other.
    """
    overtones = [_agreement(np.array([k / BEACONS_S]), *votes)[0] for k in range(1, _OVERTONES + 1)]
    first, second = sorted(overtones)[:-3:-1]
    return first > _NEARLY * strength and second > _PARTLY * strength


def _beside(line_hz: float, start_s: FloatArray) -> list[FloatArray]:
    """Lines below and above all that the mains may be at: what agrees with them as well is no oven's doing.

    But for the mirror of the mains: rows at even distances do not tell whether the phase goes on or back from one to
    the next.
    """
    step = _COARSER * 0.5 / max(min(float(start_s[-1]), STRETCH_S), 1.0)
    away = np.arange(2 * _WANDER * line_hz, _BESIDE_TO * line_hz, step)
    mirror_hz = mirror_of(line_hz, start_s)
    out = []
    for lines in (line_hz - away[::-1], line_hz + away):
        # (All of one side turn by even steps: cut where the mirror lies.)
        is_mirror = np.abs(lines - mirror_hz) < 2 * _WANDER * line_hz
        first = int(np.argmax(is_mirror)) if is_mirror.any() else len(lines)
        out += [part for part in (lines[:first], lines[first + int(is_mirror.sum()) :]) if len(part)]
    return out


def _agreement(
    lines_hz: FloatArray,
    when: FloatArray,
    row: IntArray,
    runs: tuple[IntArray, FloatArray],
    start_s: FloatArray,
    offsets: FloatArray,
) -> tuple[float, float]:
    """(exponent of how seldom chance agrees so well, the frequency) of the best of some lines.

    runs: the cell in the middle of each, and its width against the usual one. Stretch by stretch of time.
    """
    cell, weight = runs
    first_row = np.flatnonzero(np.diff(start_s // STRETCH_S, prepend=-1))
    stretch = np.searchsorted(first_row, row, side="right") - 1
    told = np.unique(stretch)
    first_vote = np.searchsorted(stretch, told)
    rows = np.diff(first_row, append=len(start_s))
    usual = (_turned(lines_hz, start_s, np.ones(len(start_s)), first_row) / rows)[:, told]
    # By cell, and so one look at each: what is common to all of a stretch turns with the cell alone.
    by_cell = np.zeros((len(told), len(offsets)))
    np.add.at(by_cell, (np.searchsorted(told, stretch), cell), weight)
    common = usual * (np.exp(2j * np.pi * np.outer(lines_hz, offsets)) @ by_cell.T)
    excess = _turned(lines_hz, when, weight, first_vote) - common
    most = np.add.reduceat(weight**2, first_vote)
    variance = most * (1 - np.abs(usual) ** 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        each = np.where(variance > (1 - _BLIND**2) * most, np.abs(excess) ** 2 / variance - 1, 0.0)
    strength = each.sum(axis=1) * (slowness(lines_hz, start_s) < _SLOW)
    best = int(np.argmax(strength))
    return max(float(strength[best]), 0.0), float(lines_hz[best])


def slowness(lines_hz: FloatArray, start_s: FloatArray) -> FloatArray:
    """How far rows that are close in time fall on one part of the wave: 0 for evenly, 1 for all on one, shape (lines,).

    Rows that come in step with the mains see of the wave only how it slowly drifts, and traffic drifts as slowly.
    """
    first = np.flatnonzero(np.diff(start_s // _WINDOW_S, prepend=-1))
    turned = _turned(lines_hz, start_s, np.ones(len(start_s)), first)
    return np.asarray(np.abs(turned).sum(axis=1) / len(start_s))


def _turned(
    lines_hz: FloatArray, when_s: FloatArray, weight: FloatArray, first: IntArray
) -> NDArray[np.complex128]:
    """Sums of votes, each turned as far as evenly spaced lines have at its time, shape (lines, stretches)."""
    turned = weight * np.exp(2j * np.pi * lines_hz[0] * when_s)
    # From line to line all turn by the same: to multiply is much quicker than to ask for each anew.
    step = np.exp(2j * np.pi * (lines_hz[1] - lines_hz[0]) * when_s) if len(lines_hz) > 1 else turned
    out = np.empty((len(lines_hz), len(first)), complex)
    for line in out:
        line[:] = np.add.reduceat(turned, first)
        turned *= step
    return out


def _followed(
    line_hz: float, strength: float, when: FloatArray, weight: FloatArray, start_s: FloatArray
) -> FloatArray:
    """Turns of the wave at the start of each row, 0 in the middle of its own part of it.

    A line is known no better than the time allows, and the mains wander: the phase is followed through the block.
    """
    turned = np.exp(2j * np.pi * line_hz * start_s)
    stretches = int(np.clip(min(start_s[-1] / _FOLLOWED_S, strength / _SURE), 1, 400))
    while stretches > 1 and _blindness(turned, start_s, stretches) > _HALF_BLIND:
        stretches //= 2
    edges = np.linspace(0, float(start_s[-1]) + 1e-6, stretches + 1)
    votes = weight * np.exp(2j * np.pi * line_hz * when)
    number = np.clip(np.searchsorted(edges, when, side="right") - 1, 0, stretches - 1)
    total = np.bincount(number, votes.real, stretches) + 1j * np.bincount(number, votes.imag, stretches)
    told = np.abs(total) > 0
    middle = ((edges[:-1] + edges[1:]) / 2)[told]
    phase = np.unwrap(np.angle(total[told])) / (2 * np.pi)
    if len(phase) < 3:
        return np.asarray(start_s * line_hz - phase.mean())
    # Beyond the middles of the outermost it goes on as between the next ones.
    ahead, behind = phase[0] - (phase[1] - phase[0]), phase[-1] + (phase[-1] - phase[-2])
    step = middle[1] - middle[0]
    middle = np.concatenate([[middle[0] - step], middle, [middle[-1] + middle[-1] - middle[-2]]])
    followed = np.interp(start_s, middle, np.concatenate([[ahead], phase, [behind]]))
    return np.asarray(start_s * line_hz - followed)


def _blindness(turned: NDArray[np.complex128], start_s: FloatArray, stretches: int) -> float:
    """How far the rows of a stretch fall on one part of the wave, at the worst: 0 for evenly, 1 for all on one."""
    number = np.minimum((start_s / (start_s[-1] + 1e-6) * stretches).astype(int), stretches - 1)
    rows = np.maximum(np.bincount(number, minlength=stretches), 1)
    total = np.bincount(number, turned.real, stretches) + 1j * np.bincount(number, turned.imag, stretches)
    return float((np.abs(total) / rows).max())


def _swing(
    block: Block, cells: slice, hits: NDArray[np.bool_],
    runs: tuple[IntArray, IntArray, IntArray], wave: Wave, strength: float,
) -> Swing | None:  # fmt: skip
    """How much more is hit at its own half of the wave than at the other."""
    row, first, last = runs
    steps = np.zeros((hits.shape[0], hits.shape[1] + 1), np.int8)
    steps[row, first] += 1
    steps[row, last + 1] -= 1
    wide = np.cumsum(steps, axis=1)[:, :-1] > 0
    fold = wave.part(_FOLD)
    samples, met = (smoothed(v, 0, smooth_cells(block)) for v in folded(fold, _FOLD, wide))
    near = np.minimum(np.arange(_FOLD), _FOLD - np.arange(_FOLD)) <= _FOLD // 8
    far = np.minimum(np.arange(_FOLD), _FOLD - np.arange(_FOLD)) >= _FOLD // 2 - _FOLD // 8
    on = met[near].sum(axis=0) / np.maximum(samples[near].sum(axis=0), 1)
    off = met[far].sum(axis=0) / np.maximum(samples[far].sum(axis=0), 1)
    swing = np.where((samples[near].sum(axis=0) > 0) & (samples[far].sum(axis=0) > 0), on - off, 0)
    top = float(swing.max())
    if top <= 0.02:
        return None
    return Swing(wave, strength, len(row), cells, swing, wide, near[fold] & wide)


def _evened(values: FloatArray, many: int) -> FloatArray:
    """Means of so many next to one another: of many values that waver the highest tells too much."""
    kernel = np.ones(min(many, len(values)))
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")


def _locked(block: Block, around: LocalBackground, swing: Swing) -> MainsSynced | None:
    """Where it lies, and how often it is there."""
    cells, its_own, top = swing.cells, swing.its_own, swing.top
    met_mw = np.where(its_own, block.power[:, cells], 0).sum(axis=0) / np.maximum(its_own.sum(axis=0), 1)
    loud = (
        met_mw >= np.median(met_mw[swing.by_cell >= 0.7 * top]) / _FEET
    )  # the feet of a strong one reach far
    lit = np.flatnonzero((swing.by_cell >= max(0.35 * top, 0.02)) & loud)
    centre = int(np.argmax(np.where(loud, swing.by_cell, -1)))
    if not len(lit):
        return None
    gaps = np.flatnonzero(np.diff(lit) > max(int(6e6 / block.cell_hz), 1))
    for part in np.split(lit, gaps + 1):
        if part[0] <= centre <= part[-1]:
            lit = part
    low, high = int(lit[0]), int(lit[-1])
    its = its_own.copy()
    its[:, :low] = its[:, high + 1 :] = False
    rows = np.flatnonzero(its.any(axis=1))
    if not len(rows):
        return None
    power = np.where(swing.wide, block.power[:, cells], 0)[:, low : high + 1]
    if block.span.is_tuned:
        level = power[its[:, low : high + 1]]
        level_mw = float(np.median(level)) * (high - low + 1) * block.joined if len(level) else 1e-12
    else:
        level_mw = float(np.median(power[rows].sum(axis=1))) * block.joined
    wave = replace(swing.wave, offset_s=block.offset_s)
    shows = (swing.by_cell >= 0.7 * top) & loud
    is_clear = ~around.is_line[cells]  # a line's own power says nothing of what comes on top of it
    asked = cells.start + np.flatnonzero(shows & is_clear if (shows & is_clear).any() else shows)
    usual_mw = _evened(usual_density(block, around, wave, asked), max(round(_EVENED_HZ / block.cell_hz), 1))
    densest = int(np.argmax(usual_mw))
    # Its core tells whether it is an oven, its feet what it touches.
    centre, usual = int(asked[densest]), float(usual_mw[densest])
    core, reach = (lit_parts(block, around, wave, centre, usual, is_core) for is_core in (True, False))
    if not core.any() or not reach.any():
        return None
    core_cells, lit_cells = (np.flatnonzero(lit.any(axis=0)) for lit in (core, reach))
    is_there = around.smooth > over_ground(around.looks) * around.ground
    running = running_share(wave, core, is_there, block.time_s)
    return MainsSynced(
        swing.wave.line_hz, swing.strength, swing.votes, float(block.freq_hz[lit_cells[0]] - block.cell_hz / 2),
        float(block.freq_hz[lit_cells[-1]] + block.cell_hz / 2), 10 * np.log10(max(level_mw, 1e-20)),
        float(reach.any(axis=1).mean()) * running, top, block.freq_hz, reach, rows,
        (float(block.freq_hz[core_cells[0]]), float(block.freq_hz[core_cells[-1]])), float(core.any(axis=1).mean()),
        float(slowness(np.array([swing.wave.line_hz]), block.time_s - block.time_s[0])[0]), running=running,
    )  # fmt: skip
