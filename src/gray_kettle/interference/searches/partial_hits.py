"""What part of a burst a row has met: hits alone say too much of instruments that average, or look at a place for a
while.

Source: docs/radio-model.md, "Narrow bursts".
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import FINE_HZ, Block
from gray_kettle.interference.searches.bursts import NarrowBursts
from gray_kettle.model.records import FloatArray, IntArray

_OWN_DB = (-1.0, 9.0)  # about a hopper's level, by how much its bursts may differ
_LEAST_HELD = 0.3
_WAVERS = 0.8  # widths do but for peaks in fine bins
_FEET_DB = (8.0, 13.0)  # in fine bins, and in others, where levels waver more
_LENGTHS = (1.2, 1.5, 2.0, 3.0, 5.0, 10.0, 30.0, 1e3)  # of a burst, against the time that frames lie in
_MOST_FRAMES = 32  # more tell no more, and files may claim any number
_SPREADS_DB, _LEVEL_STEP_DB, _STRANGERS, _FEWEST = (1.0, 1.5, 2.0, 2.7, 3.6), 0.25, 0.03, 20


def whole_hz(block: Block, bursts: NarrowBursts, least_hz: float) -> float:
    """How wide a burst is that was met whole: as the widest are, since a tuned instrument meets parts of others."""
    is_calm = block.span.detector == "max" and block.cell_hz <= FINE_HZ
    return max((1.0 if is_calm else _WAVERS) * float(np.quantile(bursts.width_hz, 0.9)), least_hz)


def without_feet(block: Block, bursts: NarrowBursts) -> NarrowBursts:
    """Bursts at their places: what a sweep met beside them, just before or after, is weaker."""
    feet_db = _FEET_DB[int(block.cell_hz > FINE_HZ)]
    return bursts.those(bursts.level_dbm > np.quantile(bursts.level_dbm, 0.8) - feet_db)


def part_met(block: Block, bursts: NarrowBursts, of_whole_hz: float) -> float:
    """What part of the time that a tuned instrument takes for a burst's width the burst is there, on average.

    What a peak detector looks at for a while it meets from before it begins until after it has ended.
    """
    part = min(float(bursts.width_hz.mean()) / of_whole_hz, 1.0)
    held = block.span.step_hz / of_whole_hz * (1 - part) if block.span.detector == "max" else 0.0
    return max(part - held, _LEAST_HELD * part)


def are_own(narrow: NarrowBursts, level_dbm: float) -> NDArray[np.bool_]:
    """Bursts whose level may be that of one transmitter as a tuned instrument meets it."""
    return np.asarray(np.abs(narrow.level_dbm - level_dbm - _OWN_DB[0]) < _OWN_DB[1])


def part_by_company(row: IntArray, rows: int) -> float:
    """What part of a row's frames a hop fills, by how often a row shows several: 1 where it never does.

    Frames that lie close together see one place at a time. Frames that lie apart see as many: of N that a row may
    show, each by its own chance, there are N (N - 1) pairs for N squared of single ones.
    """
    number = np.bincount(row, minlength=rows).astype(float)
    mean = float(number.mean())
    pairs = float((number * (number - 1)).mean())
    return 1.0 - min(pairs / max(mean**2, 1e-12), 1.0)


def part_of_frames(level_dbm: FloatArray, frames: int) -> float:
    """What part of a row's frames its bursts fill on average, 1 where a row is one frame.

    A burst that fills half of them is met 3 dB below its level. How long bursts are against the time in which the
    frames lie says how many of them are met so: of all such laws the mean, each by how well it tells the levels.
    """
    if frames < 2 or len(level_dbm) < _FEWEST:
        return 1.0
    frames = min(frames, _MOST_FRAMES)
    low, high = np.quantile(level_dbm, [0.02, 0.98])
    middle = np.arange(low - 1, high + 1, _LEVEL_STEP_DB)
    number = np.histogram(level_dbm, np.append(middle, middle[-1] + _LEVEL_STEP_DB) - _LEVEL_STEP_DB / 2)[0]
    tops = np.arange(float(np.median(level_dbm)) - 1, high + 1, _LEVEL_STEP_DB)
    each, mean = _met(frames)
    below_db = 10 * np.log10(np.arange(1, frames + 1) / frames)
    away = middle[None, None, :] - tops[:, None, None] - below_db[None, :, None]
    told = []
    for spread in _SPREADS_DB:
        of_part = np.exp(-0.5 * (away / spread) ** 2) * _LEVEL_STEP_DB / (spread * np.sqrt(2 * np.pi))
        law = (1 - _STRANGERS) * np.einsum("lk,tkm->ltm", each, of_part) + _STRANGERS / len(middle)
        told.append((np.log(law) * number).sum(axis=2))
    of_lengths = np.stack(told)
    weight = np.exp(of_lengths - of_lengths.max()).sum(axis=(0, 2))
    return float((weight * mean).sum() / weight.sum())


@lru_cache(maxsize=16)
def _met(frames: int) -> tuple[FloatArray, FloatArray]:
    """(share of bursts that fill 1, 2 … of the frames, by their length; the mean part of the frames)."""
    at = np.arange(frames) / (frames - 1)
    each = []
    for length in _LENGTHS:
        start = -length + (1 + length) * (np.arange(4000) + 0.5) / 4000
        inside = ((at >= start[:, None]) & (at < start[:, None] + length)).sum(axis=1)
        counts = np.bincount(inside, minlength=frames + 1)[1:].astype(float)
        each.append(counts / counts.sum())
    table = np.array(each)
    return table, table @ np.arange(1, frames + 1) / frames
