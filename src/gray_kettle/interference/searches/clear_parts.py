"""Hops between channels: parts of the band where hardly anything wide is met of a level, and bursts come alike to all.

A tuned instrument meets short parts of everything. Where a channel lies, parts of its frames hide how often a hopper
comes; between channels a hopper goes on as ever, and parts of frames do not.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import LocalBackground, NarrowBursts
from gray_kettle.interference.searches.evenness import unlikeness
from gray_kettle.interference.searches.visibility import visible_rows_at
from gray_kettle.interference.searches.wifi_rejection import CLEAR, HOP_HZ, runs_at
from gray_kettle.model.records import FloatArray

_PART_HZ, _LEAST_VISIBLE, _AS_MANY = 2e6, 0.05, 0.3  # of the bursts of a usual part
_FEWEST_PARTS, _FEWEST, _LEAST_RANGE_HZ = 12, 40, 45e6
_EVEN, _UNLIKE, _MOST = 0.5, 0.1, 4.0
_LAST_HZ, _BEYOND_HZ, _NEXT_TO_NONE = 2.4765e9, 2.4812e9, 0.02  # no channel ends between these


@dataclass(frozen=True, eq=False)
class ClearParts:
    """A range of hops. edges_hz: of its parts, shape (parts + 1,); is_clear: which tell; expected: bursts of each;
    number: of those in clear parts.
    """

    edges_hz: FloatArray
    is_clear: NDArray[np.bool_]
    expected: FloatArray
    number: int

    def picked(self, narrow: NarrowBursts, near: NDArray[np.bool_], level_dbm: float) -> NDArray[np.bool_]:
        """Which bursts are its: all in clear parts, and of the others as many as there should be, those of its level
        first.
        """
        part = np.searchsorted(self.edges_hz, narrow.freq_hz, side="right") - 1
        inside = near & (part >= 0) & (part < len(self.is_clear))
        its = inside.copy()
        for k in np.flatnonzero(~self.is_clear):
            here = np.flatnonzero(inside & (part == k))
            off_db = np.abs(narrow.level_dbm[here] - level_dbm)
            its[here[np.argsort(off_db, kind="stable")[int(self.expected[k]) :]]] = False
        return its


def clear_parts(
    block: Block, around: LocalBackground, bursts: NarrowBursts, level_dbm: float
) -> ClearParts | None:
    """The parts in which bursts of one level lie evenly with nothing wide among them; None where they are too few, or
    do not go on to where no channel is.
    """
    if not _go_on_beyond_channels(bursts.freq_hz):
        return None
    edges_hz = np.arange(block.freq_hz[0], block.freq_hz[-1], _PART_HZ)
    middle_hz = (edges_hz[:-1] + edges_hz[1:]) / 2
    counts = np.histogram(bursts.freq_hz, edges_hz)[0]
    visible = visible_rows_at(block, around, middle_hz, level_dbm, bursts) / block.rows
    told = visible >= _LEAST_VISIBLE
    if not told.any():
        return None
    first_cell, last_cell = runs_at(block, around, level_dbm, slice(0, len(block.freq_hz)))
    low_hz, high_hz = block.freq_hz[first_cell], block.freq_hz[last_cell]
    wide = _wide_in(low_hz, high_hz, HOP_HZ, edges_hz)
    clear = told & (wide <= _AS_MANY * max(float(np.median(counts[told])), 1.0))
    at = np.flatnonzero(clear & (counts > 0))
    if len(at) < _FEWEST_PARTS:
        return None
    first, last = int(at[0]), int(at[-1])
    clear[: first + 1] = clear[last:] = False  # it may begin and end within a part
    if clear.sum() < _FEWEST_PARTS or not _are_alike(counts[clear], visible[clear]):
        return None
    # Where a hopper is, most of what is met stands clear.
    met = np.histogram((low_hz + high_hz) / 2, edges_hz)[0]
    if np.ptp(middle_hz[clear]) < _LEAST_RANGE_HZ or met[clear].sum() > CLEAR * counts[clear].sum():
        return None
    density = counts[clear].sum() / visible[clear].sum()
    some = slice(first, last + 1)
    return ClearParts(
        edges_hz[first : last + 2], clear[some], density * visible[some], int(counts[clear].sum())
    )


def _go_on_beyond_channels(freq_hz: FloatArray) -> bool:
    """Whether they end where no channel does: beyond those that most countries use, before the last of all."""
    if len(freq_hz) < _FEWEST:
        return False
    return float(np.quantile(freq_hz, 0.99)) > _LAST_HZ and (freq_hz > _BEYOND_HZ).mean() <= _NEXT_TO_NONE


def _wide_in(low_hz: FloatArray, high_hz: FloatArray, least_hz: float, edges_hz: FloatArray) -> FloatArray:
    """How many of some runs that are wider than that reach into each part. low_hz, high_hz: middles of their ends."""
    is_wide = high_hz - low_hz > least_hz
    begun = np.searchsorted(np.sort(low_hz[is_wide]), edges_hz[1:], side="left")
    return np.asarray(begun - np.searchsorted(np.sort(high_hz[is_wide]), edges_hz[:-1], side="right"), float)


def _are_alike(counts: NDArray[np.integer], visible: FloatArray) -> bool:
    """Whether parts are met as often as one another, but for chance."""
    if counts.sum() < _FEWEST:
        return False
    density = counts / visible
    usual = float(np.median(density))
    return (
        float(np.quantile(density, 0.2)) >= _EVEN * usual > 0
        and unlikeness(counts, visible) < _UNLIKE
        and float(density.max()) < _MOST * usual
    )
