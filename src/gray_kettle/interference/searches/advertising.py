"""Who advertises: bursts of one level on two or three of three places, and nowhere else.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import itertools
import math
from functools import partial

import numpy as np

from gray_kettle.interference.searches.block import FINE_HZ, Block
from gray_kettle.interference.searches.bursts import LocalBackground, NarrowBursts
from gray_kettle.interference.searches.fixed_frequency import (
    FEWEST_FIXED,
    SAME_LEVEL_DB,
    FixedFrequency,
    at_and_beside,
    fixed_of,
    is_hump,
    stands_out,
    tolerance_of,
)
from gray_kettle.interference.searches.visibility import visible_rows
from gray_kettle.model.records import FloatArray

ADVERTISING_HZ = (2.402e9, 2.426e9, 2.480e9)
_APART_DB = 4.0
_MOST, _ANOTHER_DB, _FADES_DB = 3, 8.0, 17.0
_NEXT_TO_NONE, _NOT_AS_OFTEN = 0.5, 3.5
_OFF_HZ, _WANDERS = 0.25e6, 2.5
_FEWEST_ALONE, _LONGEST_S, _PASSED_HZ, _BESIDE_HZ, _BELOW_HZ = 8, 4e-4, 0.9e6, 2.7e6, 0.35e6
_RIGHT_ON, _BAND_HZ, _HARDLY_EVER, _NO_MORE = 0.5, 80e6, 3e-5, 100
_FEW, _SPREAD_HZ, _MOST_SPREAD_HZ, _MOST_SHARE = 14, 0.35e6, 1.2e6, 0.1


def find_advertising(
    block: Block, narrow: NarrowBursts, around: LocalBackground
) -> tuple[list[list[FixedFrequency]], NarrowBursts]:
    """The places of each who advertises, apart by their levels, and the bursts that are left.

    A tuned sweep meets parts of bursts at lower levels: there one is told.
    """
    found: list[list[FixedFrequency]] = []
    known_dbm: list[float] = []
    # What fades deep looks like another below it.
    apart_db = max(
        _ANOTHER_DB, _FADES_DB / math.sqrt(block.looks * max(2e6 / block.cell_hz, 1.0)) + SAME_LEVEL_DB
    )
    for _ in range(1 if block.meets_parts else _MOST):
        places, rest = _one(block, narrow, around, known_dbm, apart_db)
        if not places and block.meets_parts:
            places, rest = _last_alone(block, narrow, around)
        if not places:
            break
        found.append(places)
        known_dbm.append(float(np.median([f.level_dbm for f in places])))
        narrow = rest
    return found, narrow


def _one(
    block: Block, narrow: NarrowBursts, around: LocalBackground, known_dbm: list[float], apart_db: float
) -> tuple[list[FixedFrequency], NarrowBursts]:
    """Bursts of one level on two or three of the places, far from the levels that are known."""
    tolerance_hz = 1.5 * tolerance_of(block)
    at = [np.abs(narrow.freq_hz - hz) <= tolerance_hz for hz in ADVERTISING_HZ]
    objective = at[0] | at[1] | at[2]
    if objective.sum() < FEWEST_FIXED:
        return [], narrow
    band_hz = min(block.span.step_hz * block.span.bins, _BAND_HZ)
    # Few are asked for only where there are not more of any level.
    ways = (False,) if block.meets_parts else (False, True)
    for are_few, level in itertools.product(ways, _levels(narrow.level_dbm[objective])):
        if any(abs(level - known) < apart_db for known in known_dbm):
            continue
        group_rows = np.abs(narrow.level_dbm - level) <= SAME_LEVEL_DB + (3.0 if block.meets_parts else 0.0)
        told = _told(narrow.freq_hz[group_rows], tolerance_hz, band_hz if are_few else None)
        if told is None:
            continue
        stands, chances = told
        its = [here & group_rows for here, is_there in zip(at, stands, strict=True) if is_there]
        left = ~np.logical_or.reduce(its)
        found = [fixed_of(block, narrow, around, near) for near in its]
        if any(_is_off(block, f) for f in found) or (len(found) == 2 and not _as_often(*found)):
            continue
        if block.meets_parts and not _may_be_one(block, found):
            continue
        if block.meets_parts:
            sure = [f for f in found if stands_out(block, around, f)]
            # Beside one that is sure, others of its level count that have nothing at all next to them.
            lonely = [n for n, is_there in zip(chances, stands, strict=True) if is_there]
            found = [
                f
                for f, chance in zip(found, lonely, strict=True)
                if f in sure or (sure and chance < _NEXT_TO_NONE and len(f.bursts) >= FEWEST_FIXED)
            ]
        if any(is_hump(block, around, f.bursts) for f in found):
            break  # channels make bursts there
        if len(found) >= 2:
            return found, narrow.those(left)
    return [], narrow


def _told(
    freq_hz: FloatArray, tolerance_hz: float, few_in_hz: float | None
) -> tuple[list[bool], list[float]] | None:
    """Which of the places bursts of one level stand out on, and how many chance would put on each; None where they tell
    nothing. few_in_hz: few will do, if of all that is seen in so wide a band they are just there.
    """
    at = [at_and_beside(freq_hz, hz, tolerance_hz) for hz in ADVERTISING_HZ]
    chances = [chance for _, chance in at]
    if few_in_hz is not None:
        return (
            ([n > 0 for n, _ in at], chances) if _are_just_there(freq_hz, tolerance_hz, few_in_hz) else None
        )
    stands = [n >= max(2, 3 * chance + 1.5 * math.sqrt(chance)) for n, chance in at]
    shown = [n for (n, _), is_there in zip(at, stands, strict=True) if is_there]
    if len(shown) < 2 or sum(shown) < 5 or max(shown) > 0.9 * sum(shown):
        return None
    return stands, chances


def _are_just_there(freq_hz: FloatArray, tolerance_hz: float, band_hz: float) -> bool:
    """Whether bursts of one level are few, and so many of them lie right on the places, two at least, that anything
    else that hops or fades would hardly ever put them there.
    """
    near_hz = _RIGHT_ON * tolerance_hz
    on = [int((np.abs(freq_hz - hz) <= near_hz).sum()) for hz in ADVERTISING_HZ]
    number, total = sum(on), len(freq_hz)
    if not FEWEST_FIXED <= number <= total <= _NO_MORE or sum(n > 0 for n in on) < 2:
        return False
    chance = 2 * near_hz * len(ADVERTISING_HZ) / band_hz
    tail = sum(
        math.comb(total, k) * chance**k * (1 - chance) ** (total - k) for k in range(number, total + 1)
    )
    return tail < _HARDLY_EVER


def _last_alone(
    block: Block, narrow: NarrowBursts, around: LocalBackground
) -> tuple[list[FixedFrequency], NarrowBursts]:
    """The last place of advertising, which lies where few channels are, with nothing at all of its level beside it,
    where channels cover the others.

    A sweep meets no more of its bursts than it passes in their time, and those of 802.15.4, which has a place there,
    too, last longer. The other places must be met as often as it is at least.
    """
    last_hz = ADVERTISING_HZ[-1]
    tolerance_hz = 1.5 * tolerance_of(block)
    at = np.abs(narrow.freq_hz - last_hz) <= tolerance_hz
    passed_hz = _LONGEST_S * block.hz_per_s
    if at.sum() < _FEWEST_ALONE or (passed_hz > _PASSED_HZ and block.cell_hz > FINE_HZ):
        return [], narrow
    for level in _levels(narrow.level_dbm[at]):
        group_rows = np.abs(narrow.level_dbm - level) <= SAME_LEVEL_DB + 3.0
        number, chance = at_and_beside(narrow.freq_hz[group_rows], last_hz, tolerance_hz)
        if number < _FEWEST_ALONE or chance > _NEXT_TO_NONE:
            continue
        found = fixed_of(block, narrow, around, at & group_rows)
        # (A hopper's last places lie below.)
        is_below = found.centre_hz < last_hz - _BELOW_HZ
        is_short = found.width_hz < min(passed_hz, _PASSED_HZ) + block.cell_hz
        if is_below or not is_short or _is_off(block, found) or not _may_be_one(block, [found]):
            continue
        sees = partial(visible_rows, block, around, level_dbm=found.level_dbm, own=found.bursts)
        if sees(last_hz - _BESIDE_HZ) < 0.5 * block.rows:
            continue  # it may be one of many that something hides
        # The others are met as often as it is, of the rows that could show them; what channels add is no matter.
        others_hz = narrow.freq_hz[group_rows]
        expected = np.array([found.share * sees(hz) for hz in ADVERTISING_HZ[:-1]])
        met = np.array([(np.abs(others_hz - hz) <= tolerance_hz).sum() for hz in ADVERTISING_HZ[:-1]])
        if (met >= expected - _NOT_AS_OFTEN * np.sqrt(expected)).all():
            return [found], narrow.those(~(at & group_rows))
    return [], narrow


def _as_often(one: FixedFrequency, other: FixedFrequency) -> bool:
    """Whether two places may be met as often as one another: each event goes to all."""
    usual = [len(f.bursts) / max(f.share, 1e-9) for f in (one, other)]  # rows that could show it
    share = (len(one.bursts) + len(other.bursts)) / sum(usual)
    away = [
        abs(len(f.bursts) - n * share) / np.sqrt(n * share) for f, n in zip((one, other), usual, strict=True)
    ]
    return bool(max(away) < _NOT_AS_OFTEN)


def _may_be_one(block: Block, found: list[FixedFrequency]) -> bool:
    """Whether what a tuned sweep meets on places may be of one who advertises: of like levels, around its places, and
    as seldom as events can be.
    """
    level = np.array([f.level_dbm for f in found])
    # Of few, chance alone may lie as wide.
    is_few = sum(len(f.bursts) for f in found) < _FEW
    spread_hz = min(_SPREAD_HZ + 0.75 * block.cell_hz, _MOST_SPREAD_HZ) if is_few else _MOST_SPREAD_HZ
    wanders_db = max(f.level_spread_db / math.sqrt(len(f.bursts)) for f in found)
    return bool(
        np.ptp(level) < _APART_DB + _WANDERS * wanders_db
        and max(f.spread_hz for f in found) < spread_hz
        and max(f.share for f in found) < _MOST_SHARE
    )


def _is_off(block: Block, fixed: FixedFrequency) -> bool:
    """Whether bursts lie beside their place rather than around it: edges of channels do."""
    off_hz = min(abs(fixed.centre_hz - hz) for hz in ADVERTISING_HZ)
    wanders_hz = _WANDERS * fixed.spread_hz / np.sqrt(len(fixed.bursts))
    of_a_cell = 0.5 if block.cell_hz <= FINE_HZ else 1.0  # wide ones tell centres badly
    return bool(off_hz > _OFF_HZ + of_a_cell * block.cell_hz + wanders_hz)


def _levels(level_dbm: FloatArray) -> list[float]:
    """Levels around which most lie, the fullest first, none close to another."""
    centres = np.arange(level_dbm.min(), level_dbm.max() + 2, 2.0)
    numbers = (np.abs(level_dbm[None, :] - centres[:, None]) <= 4).sum(axis=1)
    out: list[float] = []
    for k in np.argsort(-numbers, kind="stable"):
        if numbers[k] and all(abs(centres[k] - level) >= _APART_DB for level in out):
            out.append(float(centres[k]))
    return out
