"""How often a hopper is on the air before a sweep: hops that we know are put into its rows, and looked for like others.

A sweep meets a part of a hop as it passes, or holds a bin for longer than a hop lasts; channels and other hops hide
some; levels waver, and what wavers too far is not taken for the same. What all that leaves of a hopper no formula
tells, but the rows do: of a hopper of that level and width, as much as is expected is put in place of what was found.
By how much more or less of it comes out, the expectation was wrong.

Source: docs/radio-model.md, "Narrow bursts".
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block, Floats, normal_below
from gray_kettle.interference.searches.bursts import (
    LocalBackground,
    NarrowBursts,
    find_narrow,
    surroundings_over,
)
from gray_kettle.interference.searches.comb import USUAL_HZ, is_usual_raster
from gray_kettle.model.records import FloatArray, IntArray

_ROUNDS, _SETTLED = 6, 2  # after so many of them the level is told, and all that come later count
_HOPS_ASKED, _ROWS_ASKED = 400, (150, 500)
_ALIKE_DB, _MOST_OFF_DB = 7.0, 4.0  # about the level of those that were picked; by which that may be wrong
_UPPER = 0.8  # quantile that tells a level: fading reaches far down, and not so far up
_CLEAR_HZ = 1.3e6  # about a burst, what is taken out with it
_OFTEN_ENOUGH, _MOST_OVER, _LEAST_SEEN = 0.5, 2.4, 0.03
_LEAST_SHARE, _MOST_GUESSED = 0.01, 0.9
_MOST_FILLED = 0.9  # of its raster, and what the commonest kind fills
_SLOT_S, _USUAL_ON_S = 625e-6, 450e-6  # of that kind
_OTHER_ON_S, _FILLED, _WIDEST_HZ = 3e-3, 0.75, 2e6
_ON_S, _NARROW = (350e-6, 10e-3), 0.6
_BELL = 2.355  # standard deviations between where a bell has fallen by 3 dB


@dataclass(frozen=True)
class Hopper:
    """A hopper that may be, with one of its places, by chance, in each slot that it uses. on_s: of a slot, on the air;
    share: of time.
    """

    level_dbm: float
    width_hz: float
    slot_s: float
    on_s: float
    share: float
    places_hz: FloatArray


def share_and_level(
    block: Block, around: LocalBackground, narrow: NarrowBursts, bursts: NarrowBursts, used_hz: FloatArray,
    raster_hz: tuple[float, float], share: float,
) -> tuple[float, float]:  # fmt: skip
    """(share of time in which a hopper is on the air, its level in dBm).

    bursts: that were picked for its; level and share are told of all that are like them. used_hz: stretches that it
    uses, shape (stretches, 2). raster_hz: and where it begins, from 2400 MHz; NaN where none shows. share: of the rows
    in which it is met.
    """
    rng = np.random.default_rng(len(bursts))
    usual_dbm = float(np.median(bursts.level_dbm))
    hopper = _first_guess(block, bursts, used_hz, raster_hz, share)
    edges = np.append(used_hz[:, 0], used_hz[-1, 1])

    def group_rows(some: NarrowBursts) -> NarrowBursts:
        return some.those(np.abs(some.level_dbm - usual_dbm) < _ALIKE_DB)

    def amount(some: NarrowBursts) -> FloatArray:
        return np.histogram(some.freq_hz, edges, weights=some.width_hz)[0]

    rows = int(np.clip(_HOPS_ASKED * block.rows / len(bursts), *_ROWS_ASKED))
    asked = np.linspace(0, block.rows - 1, min(rows, block.rows)).astype(int)
    met = group_rows(narrow)
    per_row = len(asked) / block.rows
    met_hz, width_hz = amount(met) * per_row, float(met.width_hz.mean())
    power = _without(block, around, met, asked, rng)
    found_hz: list[FloatArray] = []
    for number in range(_ROUNDS):
        found = group_rows(
            find_narrow(*_with(block, around, asked, power + _power_of(block, hopper, asked, rng)))
        )
        found_hz.append(amount(found) / hopper.share)
        told_hz = np.mean(found_hz[min(number, _SETTLED + 1) :], axis=0)
        if not told_hz.any():
            break
        rounds = max(number - _SETTLED, 1)
        share, is_clear = _share_by(met_hz, told_hz, width_hz * (per_row + 1 / rounds))
        here, there = (_within(some, used_hz[is_clear]) for some in (met, found))
        if not len(here) or not len(there):
            break
        more_db = float(np.quantile(here.level_dbm, _UPPER) - np.quantile(there.level_dbm, _UPPER))
        level = float(np.clip(hopper.level_dbm + more_db, usual_dbm - _MOST_OFF_DB, usual_dbm + _MOST_OFF_DB))
        hopper = replace(hopper, share=float(np.clip(share, _LEAST_SHARE, 1.0)), level_dbm=level)
        hopper = _as_wide(block, hopper, raster_hz[0], float(here.width_hz.mean() / there.width_hz.mean()))
    return hopper.share, hopper.level_dbm


def _first_guess(
    block: Block, bursts: NarrowBursts, used_hz: FloatArray, raster_hz: tuple[float, float], share: float
) -> Hopper:
    is_usual = is_usual_raster(raster_hz[0])
    step_hz = USUAL_HZ if is_usual else raster_hz[0]
    width_hz = _MOST_FILLED * step_hz if is_usual else _FILLED * min(step_hz, _WIDEST_HZ)
    on_s, met_hz = _USUAL_ON_S if is_usual else _OTHER_ON_S, float(bursts.width_hz.mean())
    if not is_usual and met_hz < _NARROW * width_hz:
        on_s = float(np.clip(met_hz / block.hz_per_s, *_ON_S))
    first_hz = 2.4e9 + float(np.nan_to_num(raster_hz[1]))
    first, last = (round((hz - first_hz) / step_hz) for hz in (used_hz[0, 0], used_hz[-1, 1]))
    places_hz = first_hz + step_hz * np.arange(first, last + 1)
    away_hz = np.maximum(used_hz[:, 0] - places_hz[:, None], places_hz[:, None] - used_hz[:, 1])
    return Hopper(
        float(np.median(bursts.level_dbm)), width_hz, _slot_s(on_s, is_usual), on_s,
        float(np.clip(share * met_hz / width_hz, _LEAST_SHARE, _MOST_GUESSED)),
        places_hz[away_hz.min(axis=1) < step_hz / 2],
    )  # fmt: skip


def _slot_s(on_s: float, is_usual: bool) -> float:
    return max(on_s, _SLOT_S) if is_usual else on_s / _FILLED


def _as_wide(block: Block, hopper: Hopper, raster_hz: float, times: float) -> Hopper:
    """A hopper whose hops are met as wide as others are: a slow sweep sees how long they last, a quick one how wide
    they are.
    """
    is_usual = is_usual_raster(raster_hz)
    if hopper.on_s * block.hz_per_s < 2 * hopper.width_hz:
        on_s = float(np.clip(hopper.on_s * times**2, *_ON_S))
        return replace(hopper, on_s=on_s, slot_s=_slot_s(on_s, is_usual))
    widest_hz = _MOST_FILLED * min(USUAL_HZ if is_usual else raster_hz, _WIDEST_HZ)
    return replace(hopper, width_hz=float(np.clip(hopper.width_hz * times, widest_hz / 2, widest_hz)))


def _share_by(met_hz: FloatArray, found_hz: FloatArray, usual_hz: float) -> tuple[float, NDArray[np.bool_]]:
    """(share of time, parts of the range that tell it, shape (parts,)). met_hz: amount in each part, found_hz: of a
    hopper that is always on the air, usual_hz: of one burst.

    In some parts others are met, too, and in some next to nothing shows: those parts say most where least is met
    against what should be, and all that are like them.
    """
    told = found_hz > _LEAST_SEEN * found_hz.max()
    ratio = met_hz / np.maximum(found_hz, 1e-9)
    order = np.argsort(ratio)
    weight = np.cumsum((found_hz * told)[order])
    share = float(ratio[order][np.searchsorted(weight, _OFTEN_ENOUGH * weight[-1])])
    kept = told
    for _ in range(3):
        expected = found_hz * share
        like_them = told & (
            met_hz < expected + _MOST_OVER * np.sqrt(np.maximum(expected, usual_hz) * usual_hz)
        )
        if not like_them.any():
            break
        kept = like_them
        share = float(met_hz[kept].sum() / found_hz[kept].sum())
    return share, kept


def _within(some: NarrowBursts, parts_hz: FloatArray) -> NarrowBursts:
    freq_hz = some.freq_hz[:, None]
    return some.those(np.flatnonzero(((freq_hz >= parts_hz[:, 0]) & (freq_hz < parts_hz[:, 1])).any(axis=1)))


def _without(
    block: Block, around: LocalBackground, bursts: NarrowBursts, asked: IntArray, rng: np.random.Generator
) -> Floats:
    """Power of the rows that are asked, noise over the ground in place of some bursts, shape (asked, cells)."""
    power = block.power[asked]
    place = np.full(block.rows, -1)
    place[asked] = np.arange(len(asked))
    its = bursts.those(place[bursts.row] >= 0)
    reach = int(_CLEAR_HZ / block.cell_hz + 0.5)
    cell = np.rint((its.freq_hz - block.freq_hz[0]) / block.cell_hz).astype(int)
    cell = np.clip(cell[:, None] + np.arange(-reach, reach + 1), 0, power.shape[1] - 1)
    row = place[its.row][:, None]
    power[row, cell] = around.ground[asked[row], cell] * rng.gamma(block.looks, 1 / block.looks, cell.shape)
    return power


def _power_of(block: Block, hopper: Hopper, asked: IntArray, rng: np.random.Generator) -> Floats:
    """What the cells of some rows see of a hopper, mW, shape (asked, cells)."""
    span, rows, cells = block.span, len(asked), block.power.shape[1]
    bins = cells * block.joined
    behind_s = np.repeat(block.offset_s, block.joined)
    if span.sweep_s:
        behind_s = span.sweep_s * np.arange(bins) / span.bins
    hold_s = span.sweep_s / span.bins if span.detector == "max" else 0.0
    slot_s = min(hopper.slot_s, hopper.on_s / hopper.share)  # who is on for longer pauses less
    slots = int((float(behind_s.max()) + hold_s) / slot_s) + 2
    row, slot = np.nonzero(rng.random((rows, slots)) < hopper.share * slot_s / hopper.on_s)
    begin_s = slot * slot_s - rng.uniform(0, slot_s, rows)[row]
    place_hz = rng.choice(hopper.places_hz, len(row)) - span.start_hz
    reach = int((1.5 * hopper.width_hz + span.step_hz / 2) / span.step_hz) + 1
    at = np.clip(np.rint(place_hz / span.step_hz).astype(int) + np.array([[-reach], [reach]]), 0, bins - 1)
    # Few of them are on the air while their place is looked at.
    looked_s = np.sort(behind_s[at], axis=0)
    its = np.flatnonzero((begin_s <= looked_s[1] + hold_s) & (looked_s[0] < begin_s + hopper.on_s))
    row, begin_s, place_hz = row[its, None], begin_s[its, None], place_hz[its, None]
    at = np.rint(place_hz / span.step_hz).astype(int) + np.arange(-reach, reach + 1)
    looked_s = behind_s[np.clip(at, 0, bins - 1)]
    is_met = (at >= 0) & (at < bins) & (begin_s <= looked_s + hold_s) & (looked_s < begin_s + hopper.on_s)
    below, above = (
        ((at + side / 2) * span.step_hz - place_hz)[is_met] / (hopper.width_hz / _BELL) for side in (-1, 1)
    )
    power = np.zeros((rows, bins), np.float32)
    met = np.broadcast_to(row, at.shape)[is_met], at[is_met]
    # Of all that a bin is held through it keeps the strongest.
    np.maximum.at(power, met, (normal_below(above) - normal_below(below)).astype(np.float32))
    looks = max(block.bin_looks, 1.0)
    shown = np.nonzero(power)
    power[shown] *= 10 ** (hopper.level_dbm / 10) * rng.gamma(looks, 1 / looks, len(shown[0]))
    return np.asarray(power.reshape(rows, cells, block.joined).mean(axis=2))


def _with(
    block: Block, around: LocalBackground, asked: IntArray, power: Floats
) -> tuple[Block, LocalBackground]:
    """A block of some rows with other power, and what is around bursts in it."""
    rows = replace(block, time_s=block.time_s[asked], codes=block.codes[:0], power=power, missing=None)
    return rows, surroundings_over(rows, around.ground[asked], around)
