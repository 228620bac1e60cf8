"""Whether bursts come as often to one place as to another, but for what chance does and what others cover.

A hopper uses its places alike. What channels make that looks like places, or like a range, does not.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import LocalBackground, NarrowBursts
from gray_kettle.interference.searches.comb import Comb
from gray_kettle.interference.searches.visibility import visible_rows_at
from gray_kettle.model.records import FloatArray

_UNLIKE_PLACES, _UNLIKE_PARTS, _PART_HZ = 0.45, 0.3, 2e6
_ALL_HZ, _MOST_FULLER, _FULLER, _USUAL = 7e7, 0.4, 1.8, 0.3
_TOLD = 0.05  # share of the rows in which a place must have been free


def are_used_alike(block: Block, around: LocalBackground, bursts: NarrowBursts, comb: Comb) -> bool:
    """Whether the places of a raster are: edges of channels may lie on a wide one, here many and there none."""
    from_hz = 2.4e9 + comb.phase_hz
    first, last = (round((hz - from_hz) / comb.raster_hz) for hz in (comb.low_hz, comb.high_hz))
    edges_hz = from_hz + comb.raster_hz * (np.arange(first, last + 2) - 0.5)
    return _unlikeness(block, around, bursts, edges_hz) < _UNLIKE_PLACES


def is_even(
    block: Block, around: LocalBackground, bursts: NarrowBursts, ends_hz: tuple[float, float]
) -> bool:
    """Whether the parts of a range are."""
    parts_hz = ends_hz[0] + _PART_HZ * np.arange(int((ends_hz[1] - ends_hz[0]) / _PART_HZ + 0.5) + 1)
    most_fuller = _MOST_FULLER if ends_hz[1] - ends_hz[0] > _ALL_HZ else 0.0
    return _unlikeness(block, around, bursts, parts_hz, most_fuller) < _UNLIKE_PARTS


def _unlikeness(
    block: Block,
    around: LocalBackground,
    bursts: NarrowBursts,
    edges_hz: NDArray[np.floating],
    most_fuller: float = 0.0,
) -> float:
    """How much more the numbers of bursts between some edges differ than chance lets them: a variance, against the
    square of what is expected of each. most_fuller: share of them that may have more, of a channel on top, and do not
    count.
    """
    middle_hz = (edges_hz[:-1] + edges_hz[1:]) / 2
    visible = visible_rows_at(block, around, middle_hz, float(np.median(bursts.level_dbm)), bursts)
    told = visible > _TOLD * block.rows
    if not told.any():
        return 0.0
    met = np.histogram(bursts.freq_hz, edges_hz)[0][told]
    rate = met / visible[told]
    fuller = rate > _FULLER * np.quantile(rate, _USUAL)
    if fuller.mean() < most_fuller:
        told[told] = ~fuller
        met = met[~fuller]
    return unlikeness(met, visible[told])


def unlikeness(met: NDArray[np.integer], visible: FloatArray) -> float:
    """How much more numbers of bursts differ than chance lets them, and than how often each could be seen."""
    expected = visible * met.sum() / visible.sum()
    return float(((met - expected) ** 2 - met).sum() / max((expected**2).sum(), 1e-9))
