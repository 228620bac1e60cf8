"""What bursts of one level that lie evenly over a range cannot be: channels side by side, or what a strong one spills.

A tuned instrument meets short parts of everything. Ends, a raster, or widths tell hops from such parts.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import math

import numpy as np

from gray_kettle.interference.runs import runs_of
from gray_kettle.interference.searches.block import FINE_HZ, Block, running_total
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ, LocalBackground, NarrowBursts, over_ground
from gray_kettle.interference.searches.comb import agreement, raster_of, raster_of_strongest
from gray_kettle.interference.searches.even_bursts import Stretch
from gray_kettle.model.records import FloatArray, IntArray

MANY_CHANNELS_HZ = 52e6  # more than channels fill that are as full as one another
_TWO_CHANNELS_HZ, _BEYOND_ALL_HZ = 44e6, 2.479e9  # wider than channels bonded together; hardly any end there
_LEAST_COMB, _COMB_PART_HZ = 0.25, 8e6
_ONE_PLACE_HZ = 1.4e6
_CHANNEL_HZ = (0.0, 23.5e6), (32e6, 41e6)
_LAST_HZ, _QUICK_HZ_PER_S = 2.477e9, 1.2e9  # beyond the last channel that most countries use
_RASTER_SHOWS_HZ, _ENOUGH_HOPS, _SPILLS, _SPILLS_OFTEN = 2.6e5, 100, 1e3, 0.05
HOP_HZ, _FADED_HZ, _ALIKE = 3.2e6, 6e5, 4.0  # of the widest hop; within one burst; 6 dB
_WIDE_SHARE, _FEWEST_WIDE, _ALL, _MOST, _MANY_TIMES, _SELDOM_CLEAR = 0.25, 20, 0.85, 0.65, 4.5, 10.0
_MANY, _NEXT_TO_NONE, CLEAR = 140, 0.02, 3.2
_IN_THE_MIDDLE_HZ = 1.2e6
_MOSTLY_CLEAR, _BY_CHANCE = 2.0, 9.0  # the exponent that the best of all rasters reaches by chance
_FIRST_END_HZ, _INNER_HZ = 2.402e9, (2.405e9, 2.4775e9)  # between ends of channels: 2401.6 and 2402.4 MHz


def are_no_channels(block: Block, around: LocalBackground, group: NarrowBursts, stretch: Stretch) -> bool:
    """Whether a range of even bursts cannot be channels side by side."""
    ends_hz = ends_of(group.freq_hz)
    cannot = _cannot_be_channels(block, around, group, stretch, ends_hz)
    if not cannot and (
        block.cell_hz <= FINE_HZ or stretch.high_hz > LOW_BAND_HZ or _is_channels(block, *ends_hz)
    ):
        return False
    met_hz = _widths_met(block, around, group, ends_hz)
    return (
        (cannot or _stand_clear(block, len(group), met_hz))
        and not are_parts_of_frames(block.cell_hz, len(group), met_hz)
        and not _lie_anywhere(block, group, met_hz)
    )


def ends_of(freq_hz: FloatArray) -> tuple[float, float]:
    """Between which nearly all of some bursts lie."""
    low_hz, high_hz = np.quantile(freq_hz, [0.02, 0.98])
    return float(low_hz), float(high_hz)


def _is_channels(block: Block, low_hz: float, high_hz: float) -> bool:
    """Whether a range may be that of a channel, or begins and ends as channels do."""
    width_hz, middle_hz = high_hz - low_hz, (low_hz + high_hz) / 2
    is_two = _is_as_wide_as(_CHANNEL_HZ[1], width_hz) and _off_raster_hz(middle_hz) < _IN_THE_MIDDLE_HZ
    return _is_as_wide_as(_CHANNEL_HZ[0], width_hz) or is_two or _ends_with_channels(block, low_hz, high_hz)


def _is_as_wide_as(channel_hz: tuple[float, float], width_hz: float) -> bool:
    return channel_hz[0] < width_hz < channel_hz[1]


def _cannot_be_channels(
    block: Block, around: LocalBackground, group: NarrowBursts, stretch: Stretch, ends_hz: tuple[float, float]
) -> bool:
    low, high = ends_hz
    if stretch.high_hz > LOW_BAND_HZ:
        return _is_combed(block, group)
    if high - low >= (_TWO_CHANNELS_HZ if high > _BEYOND_ALL_HZ else MANY_CHANNELS_HZ):
        return _is_too_wide(block, around, group, low, high)
    width = float(np.quantile(group.width_hz, 0.9))
    if (
        block.hz_per_s > _QUICK_HZ_PER_S  # else parts of frames are no wider than hops are
        and block.cell_hz <= FINE_HZ
        and width < 0.8 * _ONE_PLACE_HZ
        and stretch.evenness > 0.55
        and not any(_is_as_wide_as(channel_hz, high - low) for channel_hz in _CHANNEL_HZ)
    ):
        return True
    return _is_combed(block, group)


def _is_too_wide(
    block: Block, around: LocalBackground, group: NarrowBursts, low_hz: float, high_hz: float
) -> bool:
    """The same of a range that is wider than channels usually fill evenly."""
    width = float(np.quantile(group.width_hz, 0.9))
    # Channels begin at 2403 MHz; the common hoppers have a place below, and none above 2480.
    below, above = (group.freq_hz < 2.4029e9).sum(), (group.freq_hz > 2.4812e9).sum()
    begins_late = low_hz < 2.406e9 and below < 0.3 * len(group) * 1.4 / 79
    if above > 0.02 * len(group) or (begins_late and not (high_hz > _LAST_HZ and width < _ONE_PLACE_HZ)):
        return _is_combed(block, group)
    if block.cell_hz > FINE_HZ:
        return not _ends_with_channels(block, low_hz, high_hz)
    if (
        block.cell_hz < _RASTER_SHOWS_HZ
        and len(group) > _ENOUGH_HOPS
        and _may_be_spilled(block, around, group)
    ):
        return not math.isnan(raster_of_strongest(group.freq_hz, group.level_dbm, block.cell_hz)[0])
    return width < _ONE_PLACE_HZ


def _widths_met(
    block: Block, around: LocalBackground, group: NarrowBursts, ends_hz: tuple[float, float]
) -> FloatArray:
    """How wide all is that is met in a range at the level of some bursts, narrow or not."""
    cells = slice(*np.searchsorted(block.freq_hz, ends_hz))
    first, last = runs_at(block, around, float(np.median(group.level_dbm)), cells)
    return np.asarray((last - first + 1) * block.cell_hz)


def runs_at(
    block: Block, around: LocalBackground, level_dbm: float, cells: slice
) -> tuple[IntArray, IntArray]:
    """(first, last) of the cells of all that is met of a level, narrow or not, counted from the first of some cells."""
    own_mw = 10 ** (level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    power = around.smooth[:, cells]
    shows = power > np.maximum(over_ground(around.looks) * around.ground[:, cells], own_mw / _ALIKE)
    row, first, last = runs_of(shows, 1, max(round(_FADED_HZ / block.cell_hz), 1) + 1)
    total = running_total(power)
    mean = (total[row, last + 1] - total[row, first]) / (last - first + 1)
    is_alike = (mean > own_mw / _ALIKE) & (mean < own_mw * _ALIKE)
    return first[is_alike], last[is_alike]


def are_parts_of_frames(cell_hz: float, number: int, width_hz: FloatArray) -> bool:
    """Whether what is met in a range at the level of so many narrow bursts makes as many by itself. width_hz: of all
    that is met there.

    A sweep meets of a frame as much as it passes while that lasts. Frames last by a law without memory, nearly: by how
    much the wide ones are wider than a hop can be tells how many are narrower. And where a hopper is, most of what is
    no wider than a hop stands clear.
    """
    hop_hz = HOP_HZ + cell_hz
    wide = width_hz[width_hz > hop_hz]
    narrow = len(width_hz) - len(wide)
    if narrow > _SELDOM_CLEAR * number:
        return True
    if len(wide) < _FEWEST_WIDE or wide.sum() < _WIDE_SHARE * width_hz.sum():
        return False
    usual_hz = max(float((wide - hop_hz).mean()), cell_hz / 2)
    explained = len(wide) * math.expm1(hop_hz / usual_hz)
    return explained > _ALL * narrow or explained > max(_MOST * narrow, _MANY_TIMES * number)


def _lie_anywhere(block: Block, group: NarrowBursts, width_hz: FloatArray) -> bool:
    """Whether most of what is met there does not stand clear, and cells that would show a raster show none."""
    wide_hz = width_hz[width_hz > HOP_HZ + block.cell_hz].sum()
    is_clear = len(width_hz) < _MOSTLY_CLEAR * len(group) and wide_hz < _WIDE_SHARE * width_hz.sum()
    if block.cell_hz > FINE_HZ or is_clear:
        return False
    return raster_of_strongest(group.freq_hz, group.level_dbm, block.cell_hz)[1] < _BY_CHANCE


def _stand_clear(block: Block, number: int, width_hz: FloatArray) -> bool:
    """Whether next to nothing that is met there is wider than a hop, and most stands clear, before a sweep that is
    quick enough to meet more of frames.
    """
    wide_hz = float(width_hz[width_hz > HOP_HZ + block.cell_hz].sum())
    return (
        block.hz_per_s > _QUICK_HZ_PER_S
        and number >= _MANY
        and wide_hz < _NEXT_TO_NONE * width_hz.sum()
        and len(width_hz) < CLEAR * number
    )


def _may_be_spilled(block: Block, around: LocalBackground, group: NarrowBursts) -> bool:
    """Whether what is on the air now and then is so strong that bursts may be parts of what it spills over the band."""
    own_mw = 10 ** (float(np.median(group.level_dbm)) / 10) / max(1e6 / block.span.step_hz, 1.0)
    return bool((around.strongest > _SPILLS * own_mw).mean() > _SPILLS_OFTEN)


def _off_raster_hz(hz: float) -> float:
    """How far from a place where a channel may have its middle."""
    return float(abs((hz - 2.412e9 + 2.5e6) % 5e6 - 2.5e6))


def _ends_with_channels(block: Block, low_hz: float, high_hz: float) -> bool:
    """Whether a range begins where a channel does, and ends where one does."""
    off_hz = [abs((hz - _FIRST_END_HZ + 2.5e6) % 5e6 - 2.5e6) for hz in (low_hz - 0.8e6, high_hz + 0.8e6)]
    inside = low_hz > _INNER_HZ[0] and high_hz < _INNER_HZ[1]
    return inside and max(off_hz) < 0.6e6 + 0.35 * block.cell_hz


def _is_combed(block: Block, group: NarrowBursts) -> bool:
    """A raster shows that is none of channels' edges, evenly through the range."""
    raster_hz, _, phase_hz = raster_of(group.freq_hz, block.cell_hz)
    if math.isnan(raster_hz) or np.ptp(group.freq_hz) < _CHANNEL_HZ[0][1] or len(group) < 50:
        return False
    on_raster = agreement(group.freq_hz, raster_hz, phase_hz)
    part = np.floor((group.freq_hz - group.freq_hz.min()) / _COMB_PART_HZ).astype(int)
    number = np.bincount(part)
    mean = np.bincount(part, on_raster)[number > 0] / number[number > 0]
    return bool(len(mean) >= 3 and np.quantile(mean, 0.25) > _LEAST_COMB)
