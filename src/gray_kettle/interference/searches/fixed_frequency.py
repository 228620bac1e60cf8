"""Places that narrow bursts come back to: 802.15.4, advertising, radar.

A tuned instrument meets short parts of everything; there a place must hold more than lies beside it.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ, LocalBackground, NarrowBursts
from gray_kettle.interference.searches.partial_hits import are_own, part_met, whole_hz
from gray_kettle.interference.searches.visibility import (
    comes_with_others,
    flanks_of,
    peaks_by_chance,
    visible_rows,
)
from gray_kettle.model.records import FloatArray

_KNOWN_HZ = tuple(2.405e9 + 5e6 * k for k in range(16))
_IN_PART_HZ = 0.3e6
_PLACE_HZ = 0.45e6  # by which centres of bursts on one place may differ, beside half a bin
FEWEST_FIXED = 4
_COMPARED = 6  # so many places may be of things that stay; a hopper has more
SAME_LEVEL_DB = 5.0
_OF_A_LINE_HZ = 0.4e6  # so far beside it its own bursts lie
_SIDE_HZ = 2.4e6  # a channel fills the whole of one side at least
_BESIDE_HZ = 4.0e6  # so far the level around a place is looked at: the next one lies at 5 MHz
_NEAR_HZ, _MORE = (1.8e6, 4.2e6), 1.5
_ALONE, _FEW_PLACES, _AS_OFTEN, _SIDE_BY_SIDE_HZ = 4.0, 4, 3.0, 2.3e6
_SHARP_HZ, _SHARP_GAP_HZ, _FEWEST_SHARP, _SHARPER, _SHARP_CELL_HZ = 0.35e6, 0.3e6, 10, 6.5, 5.2e5
_ALIKE_DB, _NEXT_HZ = 6.0, 1.6e6
_LEAST_FIXED_SHARE = 0.004  # of the rows
_FALLEN = 0.22  # 6.5 dB
_WHOLE_HZ = 1.4e6  # of a burst that fills 2 MHz


@dataclass(frozen=True, eq=False)
class FixedFrequency:
    """Bursts that come back to one place. share: of the rows in which it could be seen. period_s: after which they do,
    0 where that is not known.
    """

    bursts: NarrowBursts
    centre_hz: float
    spread_hz: float
    width_hz: float
    level_dbm: float
    level_spread_db: float
    share: float
    alone: float  # times as many as at the places around it
    period_s: float = 0.0


def find_places(
    block: Block,
    narrow: NarrowBursts,
    around: LocalBackground,
    lines_hz: tuple[tuple[float, float], ...] = (),
    told: list[FixedFrequency] | None = None,
) -> tuple[list[FixedFrequency], NarrowBursts]:
    """The places that bursts come back to, and the bursts that are left.

    lines_hz: ends of narrow things that stand. told: places that are known already.
    """
    left = np.ones(len(narrow), bool)
    least = _LEAST_FIXED_SHARE
    if block.freq_hz[0] < LOW_BAND_HZ:  # where radar is, few must do
        least = max(least, peaks_by_chance(block, around))
    free_hz = [hz for hz in _KNOWN_HZ if all(abs(f.centre_hz - hz) > _NEXT_HZ for f in told or [])]
    found: list[tuple[FixedFrequency, NDArray[np.bool_]]] = []
    for chosen in _bands(block, narrow):
        places = _fullest(narrow.freq_hz[chosen & left], tolerance_of(block))
        if block.meets_parts:
            places += _known(block, narrow.freq_hz[chosen & left])
        for number, at_hz in places:
            if number < least * block.rows:
                continue
            near = left & chosen & (np.abs(narrow.freq_hz - at_hz) <= 1.5 * tolerance_of(block))
            if not near.any():
                continue
            level = float(np.median(narrow.level_dbm[near]))
            near &= np.abs(narrow.level_dbm - level) <= max(3 * SAME_LEVEL_DB / np.sqrt(block.looks), 6.0)
            if not near.any():  # as many far over the median as far below it: of two, not of one
                continue
            fixed = fixed_of(block, narrow, around, near)
            is_foot = is_hump(block, around, fixed.bursts) or comes_with_others(block, around, fixed.bursts)
            if not is_foot and block.meets_parts:
                group_rows = left & (np.abs(narrow.level_dbm - level) <= _ALIKE_DB)
                is_sharp = at_hz in free_hz and _is_sharp(block, narrow.freq_hz[group_rows], at_hz)
                if not (is_sharp or stands_out(block, around, fixed)):
                    continue
            left &= ~near
            # Of one place the strongest are whole bursts, and the weaker ones parts of them.
            reach_hz = _OF_A_LINE_HZ + block.cell_hz / 2
            is_known = any(a - reach_hz < fixed.centre_hz < b + reach_hz for a, b in lines_hz)
            is_known = is_known or any(abs(fixed.centre_hz - f.centre_hz) < 1e6 for f, _ in found)
            if not is_foot and not is_known:
                found.append((fixed, near))
    if _are_hops([fixed for fixed, _ in found], block.meets_parts):
        for _, near in found:
            left |= near
        found = []
    return [fixed for fixed, _ in found], narrow.those(left)


def is_hump(block: Block, around: LocalBackground, bursts: NarrowBursts) -> bool:
    """Whether bursts are as wide as what reflections make of a channel. Radar may be."""
    is_asked = not block.meets_parts and bursts.freq_hz[0] < LOW_BAND_HZ
    return is_asked and flanks_of(block, around, bursts) > _FALLEN


def _bands(block: Block, narrow: NarrowBursts) -> list[NDArray[np.bool_]]:
    """All bursts at once, then those of one level after the other: a hopper that is louder hides a place from view.

    A tuned sweep meets parts of everything: there only those of one level tell.
    """
    if not len(narrow):
        return []
    half_db = 4.0 if block.meets_parts else 8.0
    levels = np.arange(float(narrow.level_dbm.max()), float(narrow.level_dbm.min()) - half_db, -half_db)
    bands = [np.abs(narrow.level_dbm - level) <= half_db for level in levels]
    return bands if block.meets_parts else [np.ones(len(narrow), bool), *bands]


def _known(block: Block, freq_hz: FloatArray) -> list[tuple[int, float]]:
    """(bursts, place) of the places of 802.15.4 that have more than what lies beside them.

    Parts of a busy channel are more in number than all that comes to one place: they do not decide.
    """
    found = []
    for hz in _KNOWN_HZ:
        number, chance = at_and_beside(freq_hz, hz, 1.5 * tolerance_of(block))
        if number >= max(FEWEST_FIXED, 3 * chance + 1.5 * np.sqrt(chance)) or _is_sharp(block, freq_hz, hz):
            found.append((number, hz))
    return found


def _is_sharp(block: Block, freq_hz: FloatArray, hz: float) -> bool:
    """Whether bursts come to a place itself, and next to none right beside it: what channels' edges gather is spread
    over a megahertz and more.
    """
    half_hz = _SHARP_HZ + block.cell_hz / 2
    away_hz = freq_hz - hz
    step_hz = 2 * half_hz + _SHARP_GAP_HZ
    here, below, above = (int((np.abs(away_hz - k * step_hz) <= half_hz).sum()) for k in (0, -1, 1))
    return here >= max(_FEWEST_SHARP, _SHARPER * (max(below, above) + 1)) and block.cell_hz <= _SHARP_CELL_HZ


def at_and_beside(freq_hz: FloatArray, hz: float, tolerance_hz: float) -> tuple[int, float]:
    """(bursts at a place, those that would come there if it were like the fuller of its sides)."""
    away = freq_hz - hz
    from_hz = tolerance_hz + 0.3e6
    beside = away[(np.abs(away) > from_hz) & (np.abs(away) < from_hz + _SIDE_HZ)]
    fuller = max(int((beside > 0).sum()), int((beside < 0).sum()))
    return int((np.abs(away) <= tolerance_hz).sum()), 2 * fuller * tolerance_hz / _SIDE_HZ


def _fullest(freq_hz: FloatArray, tolerance_hz: float) -> list[tuple[int, float]]:
    """(bursts, place) of places that many more come back to than to a hopper's usual place."""
    freq_hz = np.sort(freq_hz)
    count = np.searchsorted(freq_hz, freq_hz + 2 * tolerance_hz, side="right") - np.arange(len(freq_hz))
    taken = np.zeros(len(freq_hz), bool)
    windows: list[tuple[int, float]] = []
    for k in np.argsort(-count, kind="stable"):
        if len(windows) > _COMPARED + 20:
            break
        if not taken[k : k + count[k]].any():
            taken[k : k + count[k]] = True
            windows.append((int(count[k]), float(np.median(freq_hz[k : k + count[k]]))))
    counts = sorted((n for n, _ in windows), reverse=True)
    usual = counts[_COMPARED] if len(counts) > _COMPARED else 0
    return [(n, hz) for n, hz in windows if n >= 2.5 * usual + 3 * np.sqrt(usual) + FEWEST_FIXED]


def _are_hops(places: list[FixedFrequency], in_parts: bool) -> bool:
    """Four places and more of one level and about as often, or so many side by side, whose levels wide bins tell badly:
    a hopper that has few. Before a tuned instrument, which is asked for known places alone, three will do.
    """
    few, alike_db = (_FEW_PLACES - 1, 1.5) if in_parts else (_FEW_PLACES, 3.0)
    if in_parts:
        places = [f for f in places if min(abs(f.centre_hz - hz) for hz in _KNOWN_HZ) < _PLACE_HZ]
    if len(places) < few:
        return False
    beside_hz = np.diff(np.sort([f.centre_hz for f in places]))
    if (beside_hz < _SIDE_BY_SIDE_HZ).sum() >= _FEW_PLACES:
        return True
    levels = np.array([f.level_dbm for f in places])
    numbers = np.array([len(f.bursts) for f in places])
    group_rows = np.abs(levels - np.median(levels)) < alike_db
    if group_rows.sum() < few:
        return False
    # What stands near may hide some of them, so that the one or the other shows more seldom.
    often = np.abs(np.log(numbers / np.median(numbers[group_rows]))) < np.log(_AS_OFTEN)
    return bool((group_rows & often).sum() >= few)


def tolerance_of(block: Block) -> float:
    """By which bursts on one place may differ; a tuned sweep meets a part of each."""
    return _PLACE_HZ + block.cell_hz / 2 + (_IN_PART_HZ if block.meets_parts else 0.0)


def stands_out(block: Block, around: LocalBackground, fixed: FixedFrequency) -> bool:
    """In a tuned sweep parts of wide bursts look narrow, most of all at the edges of channels: there as much of one
    level lies to one side, narrow or not.
    """
    if fixed.alone < _ALONE:
        return False
    own_mw = 10 ** (fixed.level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    away = block.freq_hz - fixed.centre_hz
    level = around.smooth / own_mw
    group_rows = (level > 0.15) & (level < 6)
    here = float(group_rows[:, np.abs(away) < 0.4e6 + block.cell_hz / 2].mean())
    for side in ((away > _NEAR_HZ[0]) & (away < _NEAR_HZ[1]), (away < -_NEAR_HZ[0]) & (away > -_NEAR_HZ[1])):
        if side.any():
            beside = float(group_rows[:, side].mean())
            if here < _MORE * beside + 3 * np.sqrt(beside / block.rows):
                return False
    return True


def fixed_of(
    block: Block, narrow: NarrowBursts, around: LocalBackground, near: NDArray[np.bool_]
) -> FixedFrequency:
    """Measurements of the bursts near one frequency. near: which of the bursts, shape (bursts,)."""
    bursts = narrow.those(near)
    centre = float(np.median(bursts.freq_hz))
    level = float(np.median(bursts.level_dbm))
    group_rows = narrow.freq_hz[np.abs(narrow.level_dbm - level) < 8] - centre
    # The fuller side counts: the edge of a channel has nothing on the other.
    per_hz = max(
        ((group_rows > 1.6e6) & (group_rows < _BESIDE_HZ)).sum(),
        ((group_rows < -1.6e6) & (group_rows > -_BESIDE_HZ)).sum(),
    )
    per_hz = per_hz / (_BESIDE_HZ - 1.6e6)
    span_hz = 2 * 1.5 * tolerance_of(block)
    share = len(np.unique(bursts.row)) / max(visible_rows(block, around, centre, level, bursts), 1)
    if block.meets_parts:  # of the others that are there, what lies beside is as much at the place itself
        there = np.abs(narrow.freq_hz - centre) <= span_hz / 2
        number = max((there & are_own(narrow, level)).sum() - per_hz * span_hz, len(bursts))
        of_whole_hz = whole_hz(block, bursts, _WHOLE_HZ)
        share *= number / len(bursts) * part_met(block, bursts, of_whole_hz)
    return FixedFrequency(
        bursts, centre, float(np.quantile(np.abs(bursts.freq_hz - centre), 0.7)), float(np.median(bursts.width_hz)),
        level, float(bursts.level_dbm.std()), float(min(share, 1.0)),
        float(len(bursts) / max(per_hz * span_hz, 1.0)),
    )  # fmt: skip
