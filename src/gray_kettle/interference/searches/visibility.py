"""What can be seen of bursts, and what they come with: company in time that tells whose they are.

Source: docs/radio-model.md, "Narrow bursts".
"""

import numpy as np

from gray_kettle.interference.searches.block import Block, normal_below
from gray_kettle.interference.searches.bursts import (
    BEACONS_S,
    LocalBackground,
    NarrowBursts,
    over_ground,
    thresholds,
)
from gray_kettle.model.records import FloatArray, IntArray

_MUCH_STRONGER, _STRONGER = 100.0, 25.0
_NEARLY_ALL, _NOT_ALWAYS, _SELDOM = 0.93, 0.75, -4.6  # of bursts; the logarithm of a hundredth
_STEP_HZ, _NEXT_HZ, _FAR_HZ = 2e6, 3e6, 20e6
_OVER_GROUND, _WEAKER, _MOSTLY, _HARDLY = 2.0, (4.0, 10.0, 25.0, 60.0), 0.85, 2.5
_FLANK_HZ = (1.3e6, 2.6e6)
_RAW_HZ, _RAW_LOOKS, _RAW_PEAKS = 7e5, 1.6, 0.02
_AT_ONE_MOMENT, _AT_FEW_MOMENTS, _MOMENTS, _CROWDED = 0.6, 0.6, 24, 2.5
_ALONE_HZ, _HIGH_ENOUGH, _AS_OFTEN_AS_NOT = 7e6, 200.0, 0.5
_OWN_HZ = 8e6  # so far a burst spoils the view


def visible_rows(
    block: Block, around: LocalBackground, freq_hz: float, level_dbm: float, own: NarrowBursts
) -> float:
    """Rows in which a burst of a level at a place would have stood out, each by its chance to do so.

    Rows in which one of its own bursts lies so close that nothing else can be seen there do not tell.
    """
    return float(visible_rows_at(block, around, np.array([freq_hz]), level_dbm, own)[0])


def visible_rows_at(
    block: Block,
    around: LocalBackground,
    freq_hz: FloatArray,
    level_dbm: float,
    own: NarrowBursts,
    every: int = 1,
) -> FloatArray:
    """The same of several places, shape (places,). every: so many rows the first is asked, for all of them."""
    cell = _cells_at(block, freq_hz)
    times_ground, times_beside = thresholds(around)
    smooth_mw = 10 ** (level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    ground, beside = around.ground[::every][:, cell], around.beside[::every][:, cell]
    needed = np.maximum(times_ground * ground, times_beside * (beside - 0.5 * ground)) - ground
    ninth = 1 / (9 * around.looks)
    # Wilson and Hilferty again, the other way round.
    deviations = (np.cbrt(np.maximum(needed, 0) / smooth_mw) - (1 - ninth)) / np.sqrt(ninth)
    chance = normal_below(-deviations)
    asked = own.row % every == 0
    burst, place = np.nonzero(np.abs(own.freq_hz[asked, None] - freq_hz) < _OWN_HZ)
    chance[own.row[asked][burst] // every, place] = np.nan
    free = np.isfinite(chance)
    share = np.nansum(chance, axis=0) / np.maximum(free.sum(axis=0), 1)
    return np.asarray(np.where(free.any(axis=0), share, 1.0) * block.rows)


def comes_with_others(block: Block, around: LocalBackground, bursts: NarrowBursts) -> bool:
    """Whether they only come when something much stronger is on the air elsewhere: then they are a part of that."""
    own_mw = 10 ** (float(np.median(bursts.level_dbm)) / 10) / max(1e6 / block.span.step_hz, 1.0)
    covered = around.strongest > _MUCH_STRONGER * own_mw
    expected = len(bursts) * (1 - covered.mean())
    alone = int((~covered[bursts.row]).sum())
    if expected > 2.5 and alone < 0.3 * expected:
        return True
    # The same of each single place: of several strong ones it may be the foot of one.
    step = max(int(2e6 / block.cell_hz), 1)
    cells = around.smooth[:, ::step]
    each_mw = 10 ** (bursts.level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    usual = (cells > _STRONGER * own_mw).mean(axis=0)
    then = (cells[bursts.row] > _STRONGER * each_mw[:, None]).mean(axis=0)
    by_chance = len(bursts) * np.log(np.maximum(usual, 1e-9))
    if ((then >= _NEARLY_ALL) & (usual < _NOT_ALWAYS) & (by_chance < _SELDOM)).any():
        return True
    return not block.meets_parts and any(
        _are_humps(block, around, bursts, own_mw, each_mw, weaker) for weaker in _WEAKER
    )


def _are_humps(
    block: Block,
    around: LocalBackground,
    bursts: NarrowBursts,
    own_mw: float,
    each_mw: FloatArray,
    weaker: float,
) -> bool:
    """Whether the moments of bursts nearly always show something beside them that is so much weaker at most, and other
    moments do not: reflections make humps of a channel's flat top, and the rest of it is there, too.
    """
    step = max(round(_STEP_HZ / block.cell_hz), 1)
    power, ground = around.smooth[:, ::step], _OVER_GROUND * around.ground[:, ::step]
    away_hz = np.abs(block.freq_hz[::step] - float(np.median(bursts.freq_hz)))
    usual = (power > np.maximum(own_mw / weaker, ground)).mean(axis=0).clip(1e-6, 1 - 1e-6)
    there = power[bursts.row] > np.maximum(each_mw[:, None] / weaker, ground[bursts.row])
    then = there.mean(axis=0).clip(1e-6, 1 - 1e-6)
    by_chance = then * np.log(then / usual) + (1 - then) * np.log((1 - then) / (1 - usual))
    own_neighbours = (then >= _MOSTLY) & (then > usual) & (len(bursts) * by_chance > _HARDLY)
    own_neighbours &= (away_hz > _NEXT_HZ) & (away_hz < _FAR_HZ)
    return bool((own_neighbours[1:] & own_neighbours[:-1]).any())


def peaks_by_chance(block: Block, around: LocalBackground) -> float:
    """Share of the rows in which chance may well make a narrow peak of a busy channel: not next to none only where one
    wide bin tells.
    """
    is_raw = block.cell_hz > _RAW_HZ and around.frame_looks < _RAW_LOOKS
    return _RAW_PEAKS if is_raw and not block.meets_parts else 0.0


def stand_alone(block: Block, around: LocalBackground, bursts: NarrowBursts) -> bool:
    """Whether bursts stand so high that the rest of a channel would show a few megahertz farther, and nothing does."""
    cell = _cells_at(block, bursts.freq_hz)
    over = around.smooth[bursts.row, cell] / around.ground[bursts.row, cell]
    free = []
    for sign in (-1, 1):
        at = cell + sign * max(round(_ALONE_HZ / block.cell_hz), 1)
        inside = (at >= 0) & (at < block.power.shape[1])
        at = np.clip(at, 0, block.power.shape[1] - 1)
        beside = around.smooth[bursts.row, at] < over_ground(around.looks) * around.ground[bursts.row, at]
        free.append(beside | ~inside)
    return bool(np.median(over) > _HIGH_ENOUGH and np.logical_and(*free).mean() > _AS_OFTEN_AS_NOT)


def _cells_at(block: Block, freq_hz: FloatArray) -> IntArray:
    """The cells in which frequencies lie."""
    cell = np.rint((freq_hz - block.freq_hz[0]) / block.cell_hz)
    return np.asarray(np.clip(cell, 0, block.power.shape[1] - 1).astype(int))


def keep_time_with_beacons(bursts: NarrowBursts) -> bool:
    """Whether bursts come at one moment between two beacons, or at a few, those of several networks: rows at even
    distances meet these at even steps, which looks like a raster.
    """
    phase = (bursts.when_s - bursts.when_s[0]) / BEACONS_S % 1
    if np.abs(np.exp(2j * np.pi * phase).mean()) > _AT_ONE_MOMENT:
        return True
    many = np.histogram(phase, _MOMENTS, (0, 1))[0]
    usual = len(phase) / _MOMENTS
    crowded = many[many > _CROWDED * usual + 3 * np.sqrt(usual)]
    return bool(crowded.sum() > _AT_FEW_MOMENTS * len(phase))


def over_limit_db(block: Block, around: LocalBackground, bursts: NarrowBursts) -> float:
    """By how much most bursts stand over the least that would have been one. Peaks of noise, whatever its law, hardly
    do.
    """
    cell = _cells_at(block, bursts.freq_hz)
    least = over_ground(around.looks) * around.ground[bursts.row, cell]
    return float(10 * np.log10(max(np.median(around.smooth[bursts.row, cell] / least), 1e-9)))


def flanks_of(block: Block, around: LocalBackground, bursts: NarrowBursts) -> float:
    """What is left of most bursts 1.3 to 2.6 MHz to the fuller of their sides, against the burst itself.

    The humps that reflections make of a channel are wider than bursts; that a few megahertz farther all is quiet is
    then chance, which picked them out.
    """
    cell = _cells_at(block, bursts.freq_hz)
    near = max(int(np.ceil(_FLANK_HZ[0] / block.cell_hz + 0.5)), 1)
    steps = np.arange(near, max(int(_FLANK_HZ[1] / block.cell_hz + 0.25), near) + 1)
    row = bursts.row[:, None]
    flanks = []
    for sign in (-1, 1):
        at = cell[:, None] + sign * steps
        inside = (at >= 0) & (at < block.power.shape[1])
        at = np.clip(at, 0, block.power.shape[1] - 1)
        power = np.where(inside, np.maximum(block.power[row, at] - around.ground[row, at], 0.0), 0.0)
        flanks.append(power.sum(axis=1) / np.maximum(inside.sum(axis=1), 1))
    own = np.maximum(around.smooth[bursts.row, cell] - around.ground[bursts.row, cell], 1e-30)
    return float(np.median(np.maximum(*flanks) / own))
