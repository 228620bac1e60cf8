"""Which narrow bursts may be of one hopper: those of one level, and before tuned instruments those that cannot be parts
of channels.

A tuned instrument meets short parts of everything. There hops must lie evenly over a range that channels do not fill,
or show a raster all through it.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import FINE_HZ, Block
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ, LocalBackground, NarrowBursts
from gray_kettle.interference.searches.clear_parts import clear_parts
from gray_kettle.interference.searches.comb import (
    WIDE_HZ,
    Comb,
    agreement,
    combing_of,
    differ,
    is_usual_raster,
    parted_by_rasters,
    raster_of_strongest,
)
from gray_kettle.interference.searches.even_bursts import Visible, are_sparse, even_stretch, sparse_stretch
from gray_kettle.interference.searches.evenness import are_used_alike, is_even
from gray_kettle.interference.searches.simultaneity import parted_by_meetings
from gray_kettle.interference.searches.visibility import visible_rows_at
from gray_kettle.interference.searches.wifi_rejection import MANY_CHANNELS_HZ, are_no_channels, ends_of
from gray_kettle.model.records import FloatArray

FEWEST_HOPS = 8
_ENOUGH_ROWS = 700  # to weigh places by
_LEVEL_BAND_DB, _LEVEL_STEP_DB = 3.0, 2.0
_MOST_COMBS, _SAME, _ONE_LEVEL_DB, _NO_CHANCE = 4, 0.4, 8.0, 3.0
_FEET_DB, _SAME_RANGE = 18.0, 0.7
_LEAST_APART_DB, _MOST_APART_DB, _VALLEY, _PARTS = 9.0, 36.0, 0.3, 4
_LINE_HIDES_HZ = 7e6  # about itself, parts that it touches and all

Mask = NDArray[np.bool_]


def groups_of(block: Block, narrow: NarrowBursts, around: LocalBackground) -> list[NarrowBursts]:
    """Bursts that may be of one hopper each."""
    if not block.meets_parts:
        return [its for group in _by_level(block, narrow) for its in _of_two(block, group)]
    even = _evenly(block, narrow, around) or _between_channels(block, narrow, around)
    # A range that is wide enough is told by that; of a narrower one a raster may tell more.
    sure = [its for its in even if np.ptp(ends_of(narrow.freq_hz[its])) > MANY_CHANNELS_HZ]
    combed = _combed(block, narrow, around, ~np.logical_or.reduce([np.zeros(len(narrow), bool), *sure]))
    return [narrow.those(its) for its in _of_their_own(block, narrow, even, combed)]


def _of_their_own(
    block: Block, narrow: NarrowBursts, even: list[Mask], combed: list[tuple[Comb, Mask]]
) -> list[Mask]:
    """Without those that are bursts of a stronger one that were met in part, on its raster or between its places."""
    found = [((comb.raster_hz, comb.phase_hz), its) for comb, its in combed]
    for its in even:
        if not any((its & known).sum() > _SAME * its.sum() for _, known in combed):
            raster_hz, _, phase_hz = raster_of_strongest(
                narrow.freq_hz[its], narrow.level_dbm[its], block.cell_hz
            )
            found.append(((raster_hz, phase_hz), its))
    out: list[tuple[float, float, Mask]] = []
    by_level = [(float(np.median(narrow.level_dbm[its])), raster, its) for raster, its in found]
    for level, (raster_hz, phase_hz), its in sorted(by_level, key=lambda f: -f[0]):
        for k, (known_dbm, known_hz, known) in enumerate(out):
            usual = is_usual_raster(raster_hz) and is_usual_raster(known_hz)
            # (The feet of hops far apart lie on their raster, too, and are a heap where bins are as wide.)
            if differ(raster_hz, known_hz) or (usual and _is_heap(narrow, its, known)):
                continue
            # Of a hop that was met in passing the place does not tell the raster, but its foot at both sides does.
            is_near = known_dbm - level < _FEET_DB and _share_range(
                narrow.freq_hz[its], narrow.freq_hz[known]
            )
            if (is_near and usual) or (
                known_dbm - level < _ONE_LEVEL_DB
                and its.sum() >= known.sum()
                and _shows(narrow.freq_hz[known], raster_hz, phase_hz)
            ):
                out[k] = known_dbm, raster_hz if math.isnan(known_hz) else known_hz, known | its
                break
            if its.sum() < known.sum():
                break
        else:
            out.append((level, raster_hz, its))
    return [its for _, _, its in out]


def _are_feet(narrow: NarrowBursts, its: Mask, known: Mask) -> bool:
    """Whether bursts far below others are those of them that were met in part: fewer, or in the same range, and no heap
    of their own.
    """
    is_fewer = its.sum() < known.sum() or _share_range(narrow.freq_hz[its], narrow.freq_hz[known])
    return bool(is_fewer and not _is_heap(narrow, its, known))


def _is_heap(narrow: NarrowBursts, its: Mask, known: Mask) -> bool:
    """Whether there are few levels between those of some bursts and those of stronger ones, in all of their range: what
    is met of a hop in passing has all of them, and parts of a channel lie where that does.
    """
    own, top = (float(np.median(narrow.level_dbm[mask])) for mask in (its, known))
    if not _LEAST_APART_DB < top - own < _MOST_APART_DB:
        return False
    steps = np.arange(own - _LEVEL_BAND_DB, top + 0.1, 1.0)
    edges = np.quantile(narrow.freq_hz[its], np.linspace(0.02, 0.98, _PARTS + 1))
    for low_hz, high_hz in itertools.pairwise(edges):
        level = np.sort(narrow.level_dbm[(narrow.freq_hz > low_hz) & (narrow.freq_hz < high_hz)])
        many = np.searchsorted(level, steps + _LEVEL_STEP_DB) - np.searchsorted(level, steps - _LEVEL_STEP_DB)
        heap = int(many[steps <= own + _LEVEL_BAND_DB].max())
        if many[steps > own].min() > _VALLEY * heap:
            return False
    return True


def _share_range(freq_hz: FloatArray, other_hz: FloatArray) -> bool:
    """Whether bursts lie over much the same range."""
    ends = np.array([ends_of(hz) for hz in (freq_hz, other_hz)])
    return bool(ends[:, 1].min() - ends[:, 0].max() > _SAME_RANGE * (ends[:, 1].max() - ends[:, 0].min()))


def _shows(freq_hz: FloatArray, raster_hz: float, phase_hz: float) -> bool:
    """Whether bursts lie on a raster, too, beyond chance."""
    return bool(agreement(freq_hz, raster_hz, phase_hz).mean() > _NO_CHANCE / np.sqrt(2 * len(freq_hz)))


def _by_level(block: Block, narrow: NarrowBursts) -> list[NarrowBursts]:
    """One group, or two where levels fall into two heaps."""
    level = np.sort(narrow.level_dbm)
    number = np.arange(1, len(level))
    if len(level) < 2 * FEWEST_HOPS:
        return [narrow]
    left, total = np.cumsum(level)[:-1], level.sum()
    between = (left / number - (total - left) / (len(level) - number)) ** 2 * number * (len(level) - number)
    cut = int(np.argmax(between))
    share = between[cut] / len(level) ** 2 / max(level.var(), 1e-6)
    low, high = level[: cut + 1], level[cut + 1 :]
    gap_db = float(np.median(high) - np.median(low))
    # Two heaps (an even spread would give three quarters), or wider than one level fades.
    fading_db = 5.6 / np.sqrt(max(block.looks * 1e6 / block.cell_hz, 1))
    apart = (share > 0.82 and gap_db > 7) or (share > 0.72 and level.std() > max(1.7 * fading_db, 4.5))
    if apart and min(len(low), len(high)) >= FEWEST_HOPS:
        upper = narrow.level_dbm > (low[-1] + high[0]) / 2
        return [narrow.those(upper), narrow.those(~upper)]
    return [narrow]


def _of_two(block: Block, group: NarrowBursts) -> list[NarrowBursts]:
    """One group, or two where it shows the rasters of two hoppers, or places of two at one moment."""
    is_first = parted_by_rasters(group.freq_hz, block.cell_hz)
    if is_first is None and not block.span.is_tuned and not block.sums_frames:
        is_first = parted_by_meetings(group, block.rows)
    return [group] if is_first is None else [group.those(is_first), group.those(~is_first)]


def _levels(narrow: NarrowBursts) -> FloatArray:
    return np.arange(float(narrow.level_dbm.max()), float(narrow.level_dbm.min()), -_LEVEL_STEP_DB)


def _combed(
    block: Block, narrow: NarrowBursts, around: LocalBackground, left: Mask
) -> list[tuple[Comb, Mask]]:
    """Rasters that show through a range in bursts of one level, among those left, and the bursts that are on them."""
    combing = combing_of(float(block.freq_hz[0]), float(block.freq_hz[-1]), block.cell_hz)
    found: list[tuple[Comb, Mask]] = []
    for _ in range(_MOST_COMBS):
        bands = [left & (np.abs(narrow.level_dbm - level) <= _LEVEL_BAND_DB) for level in _levels(narrow)]
        combs = [comb for band in bands if (comb := combing.comb_of(narrow.freq_hz[band])) is not None]
        if not combs:
            break
        comb = max(combs, key=lambda c: c.strength)
        inside = left & (narrow.freq_hz > comb.low_hz) & (narrow.freq_hz < comb.high_hz)
        on_raster = comb.agreement(narrow.freq_hz) * inside
        level = max(
            _levels(narrow), key=lambda v: on_raster[np.abs(narrow.level_dbm - v) <= _LEVEL_BAND_DB].sum()
        )
        near = inside & (np.abs(narrow.level_dbm - level) <= 2 * _LEVEL_BAND_DB)
        left = left & ~near
        its = near.copy()
        its[near] = comb.picked(narrow.freq_hz[near])
        if comb.raster_hz < WIDE_HZ or are_used_alike(block, around, narrow.those(its), comb):
            found.append((comb, its))
    return found


def _evenly(block: Block, narrow: NarrowBursts, around: LocalBackground) -> list[Mask]:
    """Bursts of one level that are met over a range whatever channels lie in it."""
    groups: list[Mask] = []
    ends_hz = (float(block.freq_hz[0]), float(block.freq_hz[-1]))
    for stretch_of in (even_stretch, sparse_stretch):  # what is sparse only where nothing else is even
        left = np.ones(len(narrow), bool)
        for level in _levels(narrow):
            near = left & (np.abs(narrow.level_dbm - level) <= 2 * _LEVEL_BAND_DB)
            its = narrow.those(near & (np.abs(narrow.level_dbm - level) <= _LEVEL_BAND_DB))
            if len(its) < 5 * FEWEST_HOPS or (
                stretch_of is sparse_stretch and not are_sparse(len(its), *ends_hz)
            ):
                continue
            at = np.linspace(*ends_hz, 42)
            every = block.rows // _ENOUGH_ROWS + 1
            share = visible_rows_at(block, around, at, float(level), its, every) / block.rows
            # Only where a raster would show may a range go on beneath what hides a channel.
            visible = Visible(at, share, math.inf if block.cell_hz <= FINE_HZ else _LINE_HIDES_HZ)
            stretch = stretch_of(its.freq_hz, visible, *ends_hz)
            if stretch is None:
                continue
            whole = near & (narrow.freq_hz > stretch.low_hz) & (narrow.freq_hz < stretch.high_hz)
            left &= ~whole
            bursts = narrow.those(whole)
            if not any(_are_feet(narrow, whole, known) for known in groups) and are_no_channels(
                block, around, bursts, stretch
            ):
                # Without a raster, nothing but evenness tells it from many channels.
                is_combed = raster_of_strongest(bursts.freq_hz, bursts.level_dbm, block.cell_hz)[0] > 0
                if is_combed or is_even(block, around, bursts, (stretch.low_hz, stretch.high_hz)):
                    groups.append(whole)
        if groups:
            break
    return groups


def _between_channels(block: Block, narrow: NarrowBursts, around: LocalBackground) -> list[Mask]:
    """Bursts of the one level of which most lie evenly where nothing wide is met."""
    if block.freq_hz[0] > LOW_BAND_HZ or block.cell_hz > FINE_HZ:
        return []  # wide cells tell hops from parts of frames badly
    found: list[tuple[int, Mask]] = []
    for level in _levels(narrow):
        off_db = np.abs(narrow.level_dbm - level)
        parts = clear_parts(block, around, narrow.those(off_db <= _LEVEL_BAND_DB), float(level))
        if parts is not None:
            its = parts.picked(narrow, off_db <= 2 * _LEVEL_BAND_DB, float(level))
            found.append((parts.number, its))
    return [max(found, key=lambda f: f[0])[1]] if found else []
