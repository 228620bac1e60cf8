"""Narrow bursts sorted out: those that come back to one place, and those that go from place to place.

Source: docs/radio-model.md, "Places and hops".
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.emitters.block import Block
from gray_kettle.emitters.bursts import WIDTH_HZ, Narrow, Surroundings, thresholds
from gray_kettle.emitters.comb import Stretch, even_stretch
from gray_kettle.records import FloatArray, IntArray

ADVERTISING_HZ = (2.402e9, 2.426e9, 2.480e9)
_KNOWN_HZ = tuple(2.405e9 + 5e6 * k for k in range(16))
_IN_PART_HZ = 0.3e6
_PLACE_HZ = 0.45e6  # by which centres of bursts on one place may differ, beside half a bin
_FEWEST_FIXED, _FEWEST_HOPS = 4, 8
_COMPARED = 6  # so many places may be of things that stay; a hopper has more
_SAME_LEVEL_DB = 5.0
_APART_DB = 4.0
_NEXT_TO_NONE = 0.5
_USED_HZ, _TOLD = 4e6, 0.03
_SIDE_HZ = 2.4e6  # a channel fills the whole of one side at least
_BESIDE_HZ = 4.0e6
_NEAR_HZ, _MORE = (1.8e6, 4.2e6), 1.5
_GROUP_HZ = 1e6
_LEVEL_BAND_DB, _LEVEL_STEP_DB = 3.0, 2.0
_RASTERS_HZ = (0.55e6, 4.2e6)
_LEAST_RASTER = 14.0  # how far the strongest comb stands over chance (exponent)
_LEAST_COMB, _COMB_PART_HZ = 0.25, 8e6
_LOW_BAND_HZ, _FINE_HZ, _ONE_PLACE_HZ = 2.5e9, 3.5e5, 1.4e6
_MANY_CHANNELS_HZ, _CHANNEL_HZ = 52e6, ((0.0, 23.5e6), (32e6, 41e6))
_MOST_SHARE = 1.2  # one hopper cannot be on the air more than always
_ALONE, _FEW_PLACES = 4.0, 4
_LEAST_FIXED_SHARE, _LEAST_HOP_SHARE = 0.004, 0.008  # of the rows
_MUCH_STRONGER, _STRONGER = 100.0, 25.0
_NEARLY_ALL, _NOT_ALWAYS, _SELDOM = 0.93, 0.75, -4.6  # of bursts; the logarithm of a hundredth
_LAST_HZ, _QUICK_HZ_PER_S = 2.477e9, 1.2e9  # beyond the last channel that most countries use
_OWN_HZ = 8e6  # so far a burst spoils the view
_LEAST_TURN_S, _FEWEST_TURNS = 0.8, 5


@dataclass(frozen=True, eq=False)
class Fixed:
    """Bursts that come back to one place. share: of the rows in which it could be seen."""

    bursts: Narrow
    centre_hz: float
    spread_hz: float
    width_hz: float
    level_dbm: float
    level_spread_db: float
    share: float
    alone: float  # times as many as at the places around it


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


def find_places(
    block: Block, narrow: Narrow, around: Surroundings, lines_hz: tuple[float, ...] = ()
) -> tuple[list[Fixed], Narrow]:
    """The places that bursts come back to, and the bursts that are left. lines_hz: of narrow things that stand."""
    left = np.ones(len(narrow), bool)
    found: list[tuple[Fixed, NDArray[np.bool_]]] = []
    for chosen in _bands(block, narrow):
        places = _fullest(narrow.freq_hz[chosen & left], _tolerance_hz(block))
        if block.span.is_tuned:
            places += _known(narrow.freq_hz[chosen & left], 1.5 * _tolerance_hz(block))
        for number, at_hz in places:
            if number < _LEAST_FIXED_SHARE * block.rows:
                continue
            near = left & chosen & (np.abs(narrow.freq_hz - at_hz) <= 1.5 * _tolerance_hz(block))
            if not near.any():
                continue
            level = float(np.median(narrow.level_dbm[near]))
            near &= np.abs(narrow.level_dbm - level) <= max(3 * _SAME_LEVEL_DB / np.sqrt(block.looks), 6.0)
            fixed = _fixed(block, narrow, around, near)
            is_foot = _comes_with_others(block, around, fixed.bursts)
            if not is_foot and block.span.is_tuned and not _stands_out(block, around, fixed):
                continue
            left &= ~near
            # Of one place the strongest are whole bursts, and the weaker ones parts of them.
            known = [*lines_hz, *(f.centre_hz for f, _ in found)]
            if not is_foot and not any(abs(fixed.centre_hz - hz) < 1e6 for hz in known):
                found.append((fixed, near))
    if _are_hops([fixed for fixed, _ in found]):
        for _, near in found:
            left |= near
        found = []
    return [fixed for fixed, _ in found], narrow.those(left)


def _bands(block: Block, narrow: Narrow) -> list[NDArray[np.bool_]]:
    """All bursts at once, then those of one level after the other: a hopper that is louder hides a place from view.

    A tuned sweep meets parts of everything: there only those of one level tell.
    """
    if not len(narrow):
        return []
    half_db = 4.0 if block.span.is_tuned else 8.0
    levels = np.arange(float(narrow.level_dbm.max()), float(narrow.level_dbm.min()) - half_db, -half_db)
    bands = [np.abs(narrow.level_dbm - level) <= half_db for level in levels]
    return bands if block.span.is_tuned else [np.ones(len(narrow), bool), *bands]


def _known(freq_hz: FloatArray, tolerance_hz: float) -> list[tuple[int, float]]:
    """(bursts, place) of the places of 802.15.4 that have more than what lies beside them.

    Parts of a busy channel are more in number than all that comes to one place: they do not decide.
    """
    found = []
    for hz in _KNOWN_HZ:
        number, chance = _at_and_beside(freq_hz, hz, tolerance_hz)
        if number >= max(_FEWEST_FIXED, 3 * chance + 1.5 * np.sqrt(chance)):
            found.append((number, hz))
    return found


def _at_and_beside(freq_hz: FloatArray, hz: float, tolerance_hz: float) -> tuple[int, float]:
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
    return [(n, hz) for n, hz in windows if n >= 2.5 * usual + 3 * np.sqrt(usual) + _FEWEST_FIXED]


def _are_hops(places: list[Fixed]) -> bool:
    """Four places and more of one level and about as often: a hopper that has few."""
    if len(places) < _FEW_PLACES:
        return False
    levels = np.array([f.level_dbm for f in places])
    numbers = np.array([len(f.bursts) for f in places])
    alike = np.abs(levels - np.median(levels)) < 3
    return bool(alike.sum() >= _FEW_PLACES and numbers[alike].max() < 5 * numbers[alike].min())


def _tolerance_hz(block: Block) -> float:
    """By which bursts on one place may differ; a tuned sweep meets a part of each."""
    return _PLACE_HZ + block.cell_hz / 2 + (_IN_PART_HZ if block.span.is_tuned else 0.0)


def find_advertising(block: Block, narrow: Narrow, around: Surroundings) -> tuple[list[Fixed], Narrow]:
    """Bursts of one level on two or three of the places of advertising, and the bursts that are left."""
    tolerance_hz = 1.5 * _tolerance_hz(block)
    at = [np.abs(narrow.freq_hz - hz) <= tolerance_hz for hz in ADVERTISING_HZ]
    joint = at[0] | at[1] | at[2]
    if joint.sum() < _FEWEST_FIXED:
        return [], narrow
    for level in _levels(narrow.level_dbm[joint]):
        alike = np.abs(narrow.level_dbm - level) <= _SAME_LEVEL_DB + (3.0 if block.span.is_tuned else 0.0)
        counts, chances = [], []
        for hz in ADVERTISING_HZ:
            number, chance = _at_and_beside(narrow.freq_hz[alike], hz, tolerance_hz)
            counts.append(number)
            chances.append(chance)
        stands = [n >= max(2, 3 * c + 1.5 * np.sqrt(c)) for n, c in zip(counts, chances, strict=True)]
        shown = [n for n, is_there in zip(counts, stands, strict=True) if is_there]
        if len(shown) < 2 or sum(shown) < 5 or max(shown) > 0.9 * sum(shown):
            continue
        its = [here & alike for here, is_there in zip(at, stands, strict=True) if is_there]
        left = ~np.logical_or.reduce(its)
        found = [_fixed(block, narrow, around, near) for near in its]
        if block.span.is_tuned:
            sure = [f for f in found if _stands_out(block, around, f)]
            # Beside one that is sure, others of its level count that have nothing at all next to them.
            lonely = [n for n, is_there in zip(chances, stands, strict=True) if is_there]
            found = [
                f
                for f, chance in zip(found, lonely, strict=True)
                if f in sure or (sure and chance < _NEXT_TO_NONE and len(f.bursts) >= _FEWEST_FIXED)
            ]
        if len(found) >= 2:
            return found, narrow.those(left)
    return [], narrow


def _levels(level_dbm: FloatArray) -> list[float]:
    """Levels around which most lie, the fullest first, none close to another."""
    centres = np.arange(level_dbm.min(), level_dbm.max() + 2, 2.0)
    numbers = (np.abs(level_dbm[None, :] - centres[:, None]) <= 4).sum(axis=1)
    out: list[float] = []
    for k in np.argsort(-numbers, kind="stable"):
        if numbers[k] and all(abs(centres[k] - level) >= _APART_DB for level in out):
            out.append(float(centres[k]))
    return out


def _stands_out(block: Block, around: Surroundings, fixed: Fixed) -> bool:
    """In a tuned sweep parts of wide bursts look narrow, most of all at the edges of channels: there as much of one
    level lies to one side, narrow or not.
    """
    if fixed.alone < _ALONE:
        return False
    own_mw = 10 ** (fixed.level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    away = block.freq_hz - fixed.centre_hz
    level = around.smooth / own_mw
    alike = (level > 0.15) & (level < 6)
    here = float(alike[:, np.abs(away) < 0.4e6 + block.cell_hz / 2].mean())
    for side in ((away > _NEAR_HZ[0]) & (away < _NEAR_HZ[1]), (away < -_NEAR_HZ[0]) & (away > -_NEAR_HZ[1])):
        if side.any():
            beside = float(alike[:, side].mean())
            if here < _MORE * beside + 3 * np.sqrt(beside / block.rows):
                return False
    return True


def _comes_with_others(block: Block, around: Surroundings, bursts: Narrow) -> bool:
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
    return bool(((then >= _NEARLY_ALL) & (usual < _NOT_ALWAYS) & (by_chance < _SELDOM)).any())


def _fixed(block: Block, narrow: Narrow, around: Surroundings, near: NDArray[np.bool_]) -> Fixed:
    bursts = narrow.those(near)
    centre = float(np.median(bursts.freq_hz))
    level = float(np.median(bursts.level_dbm))
    alike = narrow.freq_hz[np.abs(narrow.level_dbm - level) < 8] - centre
    # The fuller side counts: the edge of a channel has nothing on the other.
    per_hz = max(
        ((alike > 1.6e6) & (alike < _BESIDE_HZ)).sum(), ((alike < -1.6e6) & (alike > -_BESIDE_HZ)).sum()
    )
    per_hz = per_hz / (_BESIDE_HZ - 1.6e6)
    span_hz = 2 * 1.5 * _tolerance_hz(block)
    share = len(np.unique(bursts.row)) / max(visible_rows(block, around, centre, level, bursts), 1)
    if block.span.is_tuned:  # a row meets a part of a burst where that ends while it passes
        share *= min(float(bursts.width_hz.mean() / max(np.median(bursts.width_hz), WIDTH_HZ)), 1.0)
    return Fixed(
        bursts, centre, float(np.quantile(np.abs(bursts.freq_hz - centre), 0.7)), float(np.median(bursts.width_hz)),
        level, float(bursts.level_dbm.std()), min(share, 1.0),
        float(len(bursts) / max(per_hz * span_hz, 1.0)),
    )  # fmt: skip


def visible_rows(
    block: Block, around: Surroundings, freq_hz: float, level_dbm: float, own: Narrow
) -> float:
    """Rows in which a burst of a level at a place would have stood out, each by its chance to do so.

    Rows in which one of its own bursts lies so close that nothing else can be seen there do not tell.
    """
    cell = int(np.clip(round((freq_hz - block.freq_hz[0]) / block.cell_hz), 0, block.power.shape[1] - 1))
    over_ground, over_beside = thresholds(around.looks)
    smooth_mw = 10 ** (level_dbm / 10) / max(1e6 / block.span.step_hz, 1.0)
    ground = around.ground[:, cell]
    needed = np.maximum(over_ground * ground, over_beside * (around.beside[:, cell] - 0.5 * ground)) - ground
    ninth = 1 / (9 * around.looks)
    # Wilson and Hilferty again, the other way round.
    deviations = (np.cbrt(np.maximum(needed, 0) / smooth_mw) - (1 - ninth)) / np.sqrt(ninth)
    chance = 0.5 * (1 - np.tanh(0.8 * deviations))
    free = np.ones(block.rows, bool)
    free[own.row[np.abs(own.freq_hz - freq_hz) < _OWN_HZ]] = False
    return float(chance[free].mean() * block.rows) if free.any() else float(block.rows)


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
        if low < 2.406e9 and below < 0.3 * len(group) * 1.4 / 79 and not (high > _LAST_HZ and width < _ONE_PLACE_HZ):
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
    if _comes_with_others(block, around, bursts):
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
    if block.span.is_tuned:  # a row crosses each place once, and meets a part of a burst where that ends meanwhile
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


def raster_of(freq_hz: FloatArray, cell_hz: float) -> tuple[float, float, float]:
    """(raster, how far it stands over chance, phase) of the comb that centres fit best; NaN where none shows."""
    some = freq_hz[:: len(freq_hz) // 3000 + 1]
    finest = max(_RASTERS_HZ[0], 2.3 * cell_hz)
    lines = np.arange(1 / _RASTERS_HZ[1], 1 / finest, 1 / 320e6)
    if not len(lines):
        return float("nan"), 0.0, float("nan")
    turned = np.exp(2j * np.pi * np.outer(lines, some - 2.4e9)).sum(axis=1)
    strength = np.abs(turned) ** 2 / len(some)
    best = int(np.argmax(strength))
    if strength[best] < _LEAST_RASTER:
        return float("nan"), float(strength[best]), float("nan")
    # A comb has overtones: the widest raster that is nearly as strong is meant.
    for k in range(best):
        if strength[k] > 0.6 * strength[best] and strength[k] == strength[max(k - 8, 0) : k + 9].max():
            best = k
            break
    raster = float(1 / lines[best])
    phase = float(np.angle(turned[best]) / (2 * np.pi) * raster)
    return raster, float(strength[best]), phase % raster


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


def period_of(when_s: FloatArray) -> float:
    """Time after which bursts come back, as the beam of an antenna that turns; 0 where they do not."""
    when_s = np.unique(np.round(when_s - when_s[0], 2))
    turns = when_s[np.append(True, np.diff(when_s) > _LEAST_TURN_S / 2)]  # one for each pass
    if len(turns) < _FEWEST_TURNS:
        return 0.0
    steps = np.diff(turns)
    shortest = float(np.median(steps))
    for period in (shortest, float(steps.min()), shortest / 2):
        if period < _LEAST_TURN_S:
            continue
        number = np.rint(turns / period)
        if (number < 1).sum() > 1 or len(np.unique(number)) < len(number):
            continue
        slope = float((number * turns).sum() / (number**2).sum())  # a pass may be missed, none comes between
        if np.abs(turns - number * slope).max() < 0.12 * slope:
            return slope
    return 0.0
