"""Narrow bursts: moments in which a place of a megahertz or so stands alone over what lies to both of its sides.

Wi-Fi never does that: its top is flat for 16 MHz and more. What a tuned instrument meets of it can, see `hops`.

Source: docs/radio-model.md, "Narrow bursts".
"""

import itertools
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import (
    Block,
    Floats,
    gamma_quantile,
    running_mean,
    running_total,
    sums_between,
)
from gray_kettle.interference.searches.continuous import ContinuousBackground
from gray_kettle.model.records import FloatArray, IntArray

WIDTH_HZ = 1e6
_FALLEN_HZ, _FALLEN = 1.2e6, 0.35
_CHANCE = 4.9  # normal deviations that noise reaches about once in a million looks
_BESIDE_CHANCE = 5.6
_LEAST = 10**0.6
BEACONS_S = 0.1024  # from one to the next, of nearly all access points
LOW_BAND_HZ = 2.5e9  # where hoppers are
_MOST = 60_000
_FOOT, _FOOT_HZ = 2.0, 1e6  # of a line, over noise, beyond where it has fallen by 10 dB
_LEAST_OWN = 0.3  # of what a burst beside a line stands out by


@dataclass(frozen=True)
class Scale:
    """What counts as narrow: mean_hz wide, over what lies from_hz to to_hz beside it; of two closer than clear_hz the
    stronger one counts, what is within reach_hz is measured. goes_on: what an end of the span cuts off is none.
    """

    mean_hz: float
    from_hz: float
    to_hz: float
    clear_hz: float
    reach_hz: float
    goes_on: bool = True


HOP = Scale(WIDTH_HZ, 2.4e6, 6.5e6, 2.0e6, 1.6e6)
PULSE = Scale(3e6, 6.0e6, 10.5e6, 5.0e6, 5.0e6, goes_on=False)


@dataclass(frozen=True, eq=False)
class NarrowBursts:
    """Bursts in order of time, one row each. when_s: when its cell was measured; width_hz: as if it were flat."""

    row: IntArray
    when_s: FloatArray
    freq_hz: FloatArray
    level_dbm: FloatArray
    width_hz: FloatArray

    def __len__(self) -> int:
        return len(self.row)

    def those(self, chosen: NDArray[np.bool_] | IntArray) -> "NarrowBursts":
        return NarrowBursts(
            self.row[chosen], self.when_s[chosen], self.freq_hz[chosen], self.level_dbm[chosen], self.width_hz[chosen]
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class LocalBackground:
    """What a burst has to stand over: power beside each cell and under it, mW, shape (rows, cells).

    smooth: mean around each cell over what counts as narrow, looks: that it sums up. frame_looks: and of what is there
    for one of the frames that a row is made of. strongest: of each row. is_line: cells of lines that stand, shape
    (cells,).
    """

    beside: Floats
    ground: Floats
    smooth: Floats
    strongest: Floats
    looks: float
    frame_looks: float
    is_line: NDArray[np.bool_]
    scale: Scale = HOP


def surroundings_of(block: Block, ground: ContinuousBackground, scale: Scale = HOP) -> LocalBackground:
    """Background and lines around bursts of a scale, row by row; shapes (rows, cells)."""
    smooth, cells = block.running(scale.mean_hz)
    under = running_mean(ground.power, cells // 2)
    by_row = np.empty_like(smooth)
    for part, power in zip(ground.slices, under, strict=True):
        by_row[part] = power
    looks = block.looks_over(cells)
    of_frame = looks if block.meets_parts else max(looks / max(block.bin_looks, 1.0), 1.0)
    is_line = _lines(block, ground)
    beside = _beside(block, scale, is_line)
    return LocalBackground(beside, by_row, smooth, smooth.max(axis=1), looks, of_frame, is_line, scale)


def surroundings_over(block: Block, ground: Floats, like: LocalBackground) -> LocalBackground:
    """The same of rows with other power over a ground that is known, shape (rows, cells)."""
    smooth, _ = block.running(like.scale.mean_hz)
    beside = _beside(block, like.scale, like.is_line)
    return replace(like, beside=beside, ground=ground, smooth=smooth, strongest=smooth.max(axis=1))


def _lines(block: Block, ground: ContinuousBackground) -> NDArray[np.bool_]:
    """Cells that a line stands in, its feet and all: what is beside it is no company of it, nor it of that. Shape
    (cells,).
    """
    shows = np.median(ground.power, axis=0) > _FOOT * block.noise
    is_line = np.zeros(len(block.freq_hz), bool)
    for s in ground.regions:
        if s.is_line:
            away_hz = np.abs(block.freq_hz - s.centre_hz) - s.width10_hz / 2
            is_line |= (away_hz < block.cell_hz) | (shows & (away_hz < _FOOT_HZ))
    return is_line


def _beside(block: Block, scale: Scale, is_line: NDArray[np.bool_]) -> Floats:
    """The stronger of the means to both sides of each cell, but for lines; at the edge of the span the side that there
    is.
    """
    cells = block.power.shape[1]
    power = np.where(is_line, np.float32(0), block.power) if is_line.any() else block.power
    total = running_total(power)
    told = running_total((~is_line).astype(float))
    # A hop may fill three wide bins and fade in the middle one; parts of channels that a sweep meets do so, too.
    from_cells = scale.from_hz / block.cell_hz
    is_asked = not block.meets_parts and block.freq_hz[0] < LOW_BAND_HZ
    near = max(math.ceil(from_cells) if is_asked else round(from_cells), 2)
    far = max(round(scale.to_hz / block.cell_hz), 4)
    at = np.arange(cells)
    least = max((far - near) // 3, 1)
    sides = []
    for begin, end in ((-far, -near + 1), (near, far + 1)):
        count = told[np.clip(at + end, 0, cells)] - told[np.clip(at + begin, 0, cells)]
        side = sums_between(total, begin, end) * ((count >= least) / np.maximum(count, 1)).astype(np.float32)
        if scale.goes_on:
            _to_the_end(block, total, side, begin + least if begin < 0 else end - least)
        sides.append(side)
    return np.maximum(sides[0], sides[1])


def _to_the_end(block: Block, total: FloatArray, side: Floats, needed: int) -> None:
    """Where a side lies beyond the end of what is measured at one time: what is left of it must have fallen somewhat.

    A channel that the end cuts off would look narrow. needed: cells that would be enough, negative to the lower side.
    """
    cells = side.shape[1]
    from_cells = math.ceil(_FALLEN_HZ / block.cell_hz)
    ends = np.unique([*(first // block.joined for first in block.span.pieces), cells])
    # Above the low band nothing has its place at an end.
    is_high = block.freq_hz[0] > LOW_BAND_HZ
    for first, end in itertools.pairwise(ends):
        if not is_high and block.cell_hz > _FALLEN_HZ / 2 and (first == 0 if needed < 0 else end == cells):
            continue  # of the few wide bins that are left one tells too little
        low, high = (first, first - needed) if needed < 0 else (end - needed, end)
        for cell in range(max(low, first), min(high, end)):
            begin, until = (first, cell - from_cells + 1) if needed < 0 else (cell + from_cells, end)
            many = max(until - begin, 1)
            left = np.inf if until <= begin or is_high else total[:, until] - total[:, begin]
            fallen = _FALLEN * (1 + 2 / (many * block.joined))  # few of them waver
            side[:, cell] = np.maximum(side[:, cell], fallen / many * left)


def thresholds(around: LocalBackground) -> tuple[float, float]:
    """(times the ground, times the power beside) from which a burst is no chance.

    Noise is there in all the frames of a row, a channel beside it may be there in one.
    """
    return over_ground(around.looks), max(
        1.3 * float(gamma_quantile(around.frame_looks, _BESIDE_CHANCE)), 2 * _LEAST
    )


def over_ground(looks: float) -> float:
    """Times the ground that noise of so many looks does not reach."""
    return max(float(gamma_quantile(looks, _CHANCE)), _LEAST)


def find_narrow(block: Block, around: LocalBackground) -> NarrowBursts:
    """Every narrow burst of a block."""
    times_ground, times_beside = thresholds(around)
    smooth = around.smooth
    hot = smooth > times_ground * around.ground
    # Noise beside a burst is no company; only what stands over it.
    hot &= smooth > times_beside * (around.beside - 0.5 * around.ground)
    if block.missing is not None:  # what is cut off looks narrow
        hot &= running_mean(block.missing.astype(np.float32), round(around.scale.to_hz / block.cell_hz)) == 0
    row, cell = np.nonzero(hot)
    if not len(row):
        return _none()
    rivals = smooth
    if around.is_line.any():
        # A line near a burst is there all the time: it counts where it is a burst itself.
        half = block.half_of(around.scale.mean_hz)
        holds_line = np.convolve(around.is_line, np.ones(2 * half + 1), "same") > 0
        rivals = np.where(hot | ~holds_line, smooth, np.float32(0))
    row, cell = _strongest(rivals, row, cell, max(int(around.scale.clear_hz / block.cell_hz), 1))
    if len(row) > _MOST:  # enough to tell; even over time
        chosen = np.linspace(0, len(row) - 1, _MOST).astype(int)
        row, cell = row[chosen], cell[chosen]
    return _measured(block, around, row, cell)


def _strongest(smooth: Floats, row: IntArray, cell: IntArray, reach: int) -> tuple[IntArray, IntArray]:
    """Of hot cells near to one another the strongest."""
    cells = smooth.shape[1]
    value = smooth[row, cell]
    keep = np.ones(len(row), bool)
    for step in range(-reach, reach + 1):
        if step:
            other = cell + step
            there = smooth[row, np.clip(other, 0, cells - 1)]
            stronger = (there > value) if step > 0 else (there >= value)
            keep &= ~(stronger & (other >= 0) & (other < cells))
    return row[keep], cell[keep]


def _measured(block: Block, around: LocalBackground, row: IntArray, cell: IntArray) -> NarrowBursts:
    """Centre, width and level from the cells around the strongest."""
    reach = max(round(around.scale.reach_hz / block.cell_hz), 1)
    steps = np.arange(-reach, reach + 1)
    at = cell[:, None] + steps[None, :]
    inside = (at >= 0) & (at < block.power.shape[1])
    at = np.clip(at, 0, block.power.shape[1] - 1)
    lined = around.is_line[at] & ~around.is_line[cell][:, None] & inside
    inside &= ~lined  # a line near a burst is no part of it
    base = np.maximum(around.ground[row, cell], around.beside[row, cell])[:, None]
    power = np.where(inside, np.maximum(block.power[row[:, None], at] - base, 0), 0).astype(np.float64)
    top = power.max(axis=1, keepdims=True)
    power = np.where(power >= top / 40, power, 0)  # what is far below its top is somebody else's
    total = power.sum(axis=1)
    # What a line that wavers makes beside itself is none.
    cells = 2 * block.half_of(around.scale.mean_hz) + 1
    own = ~lined.any(axis=1) | (total > _LEAST_OWN * cells * (around.smooth[row, cell] - base[:, 0]))
    row, cell, at, power, total = row[own], cell[own], at[own], power[own], np.maximum(total[own], 1e-30)
    freq_hz = (power * block.freq_hz[at]).sum(axis=1) / total
    width_hz = total**2 / np.maximum((power**2).sum(axis=1), 1e-60) * block.cell_hz
    when_s = block.time_s[row] + block.offset_s[cell]
    level_mw = total * block.joined
    if block.meets_parts:  # it may have met a part of it only: as if it were a megahertz wide
        level_mw = level_mw * WIDTH_HZ / np.maximum(width_hz, WIDTH_HZ / 4)
    level_dbm = 10 * np.log10(level_mw)
    return NarrowBursts(row, when_s, freq_hz, level_dbm, width_hz)


def _none() -> NarrowBursts:
    nothing = np.zeros(0)
    return NarrowBursts(np.zeros(0, np.int64), nothing, nothing, nothing, nothing)
