"""What a sweep sees of the mains within its rows: it takes its time, and cells measured later lie later on the wave.

So rows that come in step with the mains tell, too. What is there at one part of the wave makes stripes that move
through the rows as the wave drifts against them, always to one side. What comes and goes with time, wherever it lies,
makes as much to the other.

Source: docs/radio-model.md, "Mains-synchronous bursts".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.wave import STRETCH_S, Wave, mirror_of
from gray_kettle.model.records import FloatArray

_LINES_HZ, _WANDER_HZ = (50.0, 60.0), 0.06
_STEPS = 4.0
_CELL_HZ = 1e6
_LEAST, _BY_CHANCE, _MIRROR, _MOST_STRENGTH = 0.01, 7e-4, 0.2, 500.0


def can_be_told(block: Block) -> bool:
    return block.span.sweep_s > 0 and len(block.span.pieces) <= 1


def wave_in_rows(
    block: Block, cells: slice, is_there: NDArray[np.bool_], start_s: FloatArray
) -> tuple[Wave, float] | None:
    """(the wave that most of what comes and goes keeps time with, its strength); None where next to nothing does.

    is_there: by row and cell, of those cells. strength: of all that comes and goes, how much goes with the wave,
    against what does by chance.
    """
    step = max(round(_CELL_HZ / block.cell_hz), 1)
    offset_s = block.offset_s[cells]
    some, behind_s = is_there[:, ::step].astype(np.float32), offset_s[::step]
    seconds = max(float(start_s[-1]), 1e-3)
    stretches = max(round(seconds / STRETCH_S), 1)
    first_row = np.unique(
        np.searchsorted(start_s, np.arange(stretches) * seconds / stretches)
    )  # some hold none
    rows = np.diff(first_row, append=len(start_s))
    means = np.add.reduceat(some, first_row) / rows[:, None]
    some = some - np.repeat(means, rows, axis=0)  # what is always there has no part in it
    every = float((some**2).sum())
    if every <= 0:
        return None
    best: tuple[float, float] | None = None
    for line_hz in _LINES_HZ:
        near = np.arange(-_WANDER_HZ, _WANDER_HZ, 1 / (_STEPS * seconds / stretches))
        for hz in line_hz + near:
            part = _part(some, start_s, behind_s, first_row, rows, float(hz)) / every
            if best is None or part > best[0]:
                best = part, float(hz)
    if best is None or best[0] < _LEAST:
        return None
    part, line_hz = best
    mirror_hz = mirror_of(line_hz, start_s)
    if _part(some, start_s, behind_s, first_row, rows, mirror_hz) / every > _MIRROR * part:
        return None
    total = _totals(some, start_s, behind_s, first_row, line_hz)
    phase = np.unwrap(np.angle(total)) / (2 * np.pi)
    middle_s = np.add.reduceat(start_s, first_row) / rows
    turns = start_s * line_hz - np.interp(start_s, middle_s, phase)
    return Wave(line_hz, turns, offset_s), min(part / _BY_CHANCE, _MOST_STRENGTH)


def _totals(
    some: NDArray[np.float32],
    start_s: FloatArray,
    behind_s: FloatArray,
    first_row: NDArray[np.intp],
    hz: float,
) -> NDArray[np.complex128]:
    """Sum of what is there, each turned as far as the wave is, by stretch."""
    of_rows = some @ np.exp(2j * np.pi * hz * behind_s)
    return np.asarray(np.add.reduceat(of_rows * np.exp(2j * np.pi * hz * start_s), first_row))


def _part(
    some: NDArray[np.float32], start_s: FloatArray, behind_s: FloatArray, first_row: NDArray[np.intp],
    rows: NDArray[np.intp], hz: float,
) -> float:  # fmt: skip
    """How much of what comes and goes a wave explains, whatever its phase is in each stretch."""
    total = np.abs(_totals(some, start_s, behind_s, first_row, hz)) ** 2
    return float((2 * total / (rows * some.shape[1])).sum())
