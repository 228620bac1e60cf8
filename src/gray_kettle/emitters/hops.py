"""Narrow bursts that go from place to place.

A tuned instrument meets short parts of everything; there hops must lie evenly over a range that channels do not fill,
or show a raster all through it.

Source: docs/radio-model.md, "Places and hops".
"""

import math
from dataclasses import dataclass

import numpy as np

from gray_kettle.emitters.block import Block
from gray_kettle.emitters.bursts import WIDTH_HZ, Narrow, Surroundings
from gray_kettle.emitters.comb import Stretch, even_stretch, raster_of
from gray_kettle.emitters.seen import comes_with_others, visible_rows
from gray_kettle.records import FloatArray

_FEWEST_HOPS = 8
_USED_HZ, _TOLD = 4e6, 0.03
_GROUP_HZ = 1e6
_LEVEL_BAND_DB, _LEVEL_STEP_DB = 3.0, 2.0
_LEAST_COMB, _COMB_PART_HZ = 0.25, 8e6
_LOW_BAND_HZ, _FINE_HZ, _ONE_PLACE_HZ = 2.5e9, 3.5e5, 1.4e6
_MANY_CHANNELS_HZ, _CHANNEL_HZ = 52e6, ((0.0, 23.5e6), (32e6, 41e6))
_MOST_SHARE = 1.2  # one hopper cannot be on the air more than always
_LEAST_HOP_SHARE = 0.008  # of the rows
_LAST_HZ, _QUICK_HZ_PER_S = 2.477e9, 1.2e9  # beyond the last channel that most countries use


@dataclass(frozen=True, eq=False)
class Hops:
    """Bursts that go from place to place.

    weight: of each burst, by how seldom one can be seen there. raster_hz: NaN where none shows; phase_hz: of the
    raster, from 0 Hz. dwelling: how often the next row finds it at the same place, against chance. evenness: share
    of its range, in parts of 4 MHz, that it visits about as often as it should. seen_below, seen_above: whether it
    could have been seen beyond its range.
    """

    bursts: Narrow
    used_hz: FloatArray
    low_hz: float
    high_hz: float
    width_hz: float
    level_dbm: float
    level_spread_db: float
    share: float
    places: int
    raster_hz: float
    raster_strength: float
    phase_hz: float
    dwelling: float
    evenness: float
    seen_below: bool
    seen_above: bool

    def part_within(self, first_hz: float, last_hz: float) -> float:
        """Share of its hops that lie there. A hopper uses its places alike, but for those that it leaves out."""
        first, last = np.maximum(self.used_hz[:, 0], first_hz), np.minimum(self.used_hz[:, 1], last_hz)
        inside = np.maximum(last - first, 0.0).sum()
        return float(inside / np.ptp(self.used_hz, axis=1).sum())


def find_hops(block: Block, narrow: Narrow, around: Surroundings) -> list[Hops]:
    """Hoppers among the bursts that stay nowhere, told apart by level and by raster."""
    if len(narrow) < _FEWEST_HOPS:
        return []
    groups = _even_levels(block, narrow, around) if block.span.is_tuned else _by_level(block, narrow)
    return [h for group in groups if (h := _hops(block, group, around)) is not None]


def _by_level(block: Block, narrow: Narrow) -> list[Narrow]:
    """One group, or two where levels fall into two heaps."""
    level = np.sort(narrow.level_dbm)
    number = np.arange(1, len(level))
    if len(level) < 2 * _FEWEST_HOPS:
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
    if apart and min(len(low), len(high)) >= _FEWEST_HOPS:
        upper = narrow.level_dbm > (low[-1] + high[0]) / 2
        return [narrow.those(upper), narrow.those(~upper)]
    return [narrow]


def _even_levels(block: Block, narrow: Narrow, around: Surroundings) -> list[Narrow]:
    """In a tuned sweep: groups of one level that are met over a range whatever channels lie in it."""
    groups: list[Narrow] = []
    left = np.ones(len(narrow), bool)
    lowest, highest = float(narrow.level_dbm.min()), float(narrow.level_dbm.max())
    ends_hz = (float(block.freq_hz[0]), float(block.freq_hz[-1]))
    at = np.linspace(*ends_hz, 42)
    for level in np.arange(highest, lowest, -_LEVEL_STEP_DB):
        in_band = left & (np.abs(narrow.level_dbm - level) <= _LEVEL_BAND_DB)
        if in_band.sum() < 5 * _FEWEST_HOPS:
            continue
        its = narrow.those(in_band)
        visible = np.array([visible_rows(block, around, float(f), float(level), its) for f in at])
        weight = block.rows / np.maximum(np.interp(its.freq_hz, at, visible), 0.1 * block.rows)
        stretch = even_stretch(its.freq_hz, weight, *ends_hz)
        if stretch is None:
            continue
        inside = (narrow.freq_hz > stretch.low_hz) & (narrow.freq_hz < stretch.high_hz)
        whole = left & inside & (np.abs(narrow.level_dbm - level) <= 2 * _LEVEL_BAND_DB)
        group = narrow.those(whole)
        left &= ~whole
        if _is_no_channels(block, group, stretch) and len(group) >= max((len(g) for g in groups), default=0):
            groups.append(group)  # what follows at lower levels are those of its bursts that were met in part
    return groups


def _is_no_channels(block: Block, group: Narrow, stretch: Stretch) -> bool:
    """Whether a range of even bursts cannot be channels side by side."""
    low, high = (float(q) for q in np.quantile(group.freq_hz, [0.02, 0.98]))
    width = float(np.quantile(group.width_hz, 0.9))
    if stretch.high_hz > _LOW_BAND_HZ:
        return _comb(block, group)
    if high - low >= _MANY_CHANNELS_HZ:
        # Channels begin at 2403 MHz; the common hoppers have a place below, and none above 2480.
        below, above = (group.freq_hz < 2.4029e9).sum(), (group.freq_hz > 2.4812e9).sum()
        if above > 0.02 * len(group):
            return _comb(block, group)
        if (
            low < 2.406e9
            and below < 0.3 * len(group) * 1.4 / 79
            and not (high > _LAST_HZ and width < _ONE_PLACE_HZ)
        ):
            return _comb(block, group)
        return block.cell_hz > _FINE_HZ or width < _ONE_PLACE_HZ
    a_channel = any(least < high - low < most for least, most in _CHANNEL_HZ)
    hz_per_s = block.span.step_hz * block.span.bins / max(block.span.sweep_s, 1e-9)
    if (
        hz_per_s > _QUICK_HZ_PER_S  # else parts of frames are no wider than hops are
        and block.cell_hz <= _FINE_HZ
        and width < 0.8 * _ONE_PLACE_HZ
        and stretch.evenness > 0.55
        and not a_channel
    ):
        return True
    return _comb(block, group)


def _comb(block: Block, group: Narrow) -> bool:
    """A raster shows that is none of channels' edges, evenly through the range."""
    raster_hz, _, phase_hz = raster_of(group.freq_hz, block.cell_hz)
    if math.isnan(raster_hz) or np.ptp(group.freq_hz) < _CHANNEL_HZ[0][1] or len(group) < 50:
        return False
    on_raster = np.cos(2 * np.pi * (group.freq_hz - 2.4e9 - phase_hz) / raster_hz)
    part = np.floor((group.freq_hz - group.freq_hz.min()) / _COMB_PART_HZ).astype(int)
    number = np.bincount(part)
    mean = np.bincount(part, on_raster)[number > 0] / number[number > 0]
    return bool(len(mean) >= 3 and np.quantile(mean, 0.25) > _LEAST_COMB)


def _hops(block: Block, bursts: Narrow, around: Surroundings) -> Hops | None:
    freq_hz = bursts.freq_hz
    # The farthest are left out where there are many: something else may be among them.
    if comes_with_others(block, around, bursts):
        return None
    cut = 0.02 if len(bursts) > 100 else 0.0
    low, high = (float(q) for q in np.quantile(freq_hz, [cut, 1 - cut]))
    beyond_hz = (high - low) * cut / (1 - 2 * cut)  # what was cut off, of even places
    low, high = max(low - beyond_hz, float(freq_hz.min())), min(high + beyond_hz, float(freq_hz.max()))
    places = len(np.unique(np.rint(freq_hz / _GROUP_HZ)))
    if places < 7 or high - low < 7e6 or len(bursts) < max(_FEWEST_HOPS, _LEAST_HOP_SHARE * block.rows):
        return None
    level = float(np.median(bursts.level_dbm))
    raster, strength, phase = raster_of(freq_hz, block.cell_hz)
    width = float(np.median(bursts.width_hz))
    share, used_hz = _used(block, around, bursts, level, low, high)
    if block.span.is_tuned and share > _MOST_SHARE:
        return None
    below, above = np.linspace(2.403e9, low - 3e6, 6), np.linspace(high + 3e6, 2.479e9, 6)
    seen_below, seen_above = (
        float(np.mean([visible_rows(block, around, float(f), level, bursts) for f in ends]))
        > 0.2 * block.rows
        for ends in (below, above)
    )
    return Hops(
        bursts, used_hz, low, high, width, level, float(bursts.level_dbm.std()), min(float(share), 1.0),
        places, raster, strength, phase, _dwelling(bursts, block), _evenness(freq_hz, low, high), seen_below,
        seen_above,
    )  # fmt: skip


def _used(
    block: Block, around: Surroundings, bursts: Narrow, level_dbm: float, low_hz: float, high_hz: float
) -> tuple[float, FloatArray]:
    """(share of the rows in which it is on the air, stretches of its range that it uses, shape (stretches, 2)).

    A hopper uses its places alike, but for those that it leaves out: so what others cover is used as the rest is, and
    stretches that are visited so seldom that chance does not do that are not used.
    """
    parts = max(int((high_hz - low_hz) / _USED_HZ), 1)
    edges = np.linspace(low_hz, high_hz, parts + 1)
    counts = np.histogram(bursts.freq_hz, edges)[0]
    amounts = counts.astype(float)
    if (
        block.span.is_tuned
    ):  # a row crosses each place once, and meets a part of a burst where that ends meanwhile
        whole_hz = max(float(np.median(bursts.width_hz)), WIDTH_HZ)
        amounts = np.histogram(bursts.freq_hz, edges, weights=bursts.width_hz)[0] / whole_hz
    middle = (edges[:-1] + edges[1:]) / 2
    visible = np.array([visible_rows(block, around, float(f), level_dbm, bursts) for f in middle])
    told = visible > _TOLD * block.rows
    if not told.any():
        told = visible >= visible.max()
    is_used = np.ones(parts, bool)
    for _ in range(2):
        some = told & is_used
        expected = visible * counts[some].sum() / max(visible[some].sum(), 1.0)
        is_used = ~(told & (counts < 0.3 * expected - 1.5 * np.sqrt(0.3 * expected)))
    some = told & is_used
    share = amounts[some].sum() / max(visible[some].sum(), 1.0) * is_used.sum()
    return float(share), np.stack([edges[:-1], edges[1:]], axis=1)[is_used]


def _dwelling(bursts: Narrow, block: Block) -> float:
    """How often the next row finds a burst at the same place, against how often chance would."""
    order = np.argsort(bursts.row, kind="stable")
    row, place = bursts.row[order], np.rint(bursts.freq_hz[order] / _GROUP_HZ)
    follows = np.diff(row) == 1
    if follows.sum() < 5:
        return float("nan")
    same = float((np.abs(np.diff(place)[follows]) <= 0).mean())
    _, counts = np.unique(place, return_counts=True)
    chance = float(((counts / counts.sum()) ** 2).sum())
    return float((same + 1 / follows.sum()) / (chance + 1 / follows.sum()))


def _evenness(freq_hz: FloatArray, low: float, high: float) -> float:
    """Share of the parts of a range that are visited at least a third as often as they are in the middle."""
    parts = max(int((high - low) / 4e6), 2)
    counts = np.histogram(freq_hz, parts, (low, high))[0]
    return float((counts >= max(np.median(counts) / 3, 1)).mean())
