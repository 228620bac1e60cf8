"""Narrow bursts that go from place to place: what a group of them tells of its hopper.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ, WIDTH_HZ, LocalBackground, NarrowBursts
from gray_kettle.interference.searches.comb import raster_of, raster_of_strongest
from gray_kettle.interference.searches.groups import FEWEST_HOPS, groups_of
from gray_kettle.interference.searches.hop_injection import share_and_level
from gray_kettle.interference.searches.partial_hits import (
    part_by_company,
    part_of_frames,
    without_feet,
)
from gray_kettle.interference.searches.visibility import (
    comes_with_others,
    flanks_of,
    keep_time_with_beacons,
    over_limit_db,
    peaks_by_chance,
    stand_alone,
    visible_rows_at,
)
from gray_kettle.model.records import FloatArray, IntArray

_USED_HZ, _LOOKS_A_PART, _TOLD, _SHOWS = 4e6, 3, 0.03, 0.2
_MOST_RUNS, _SELDOM_AT_ENDS, _SELDOM_WITHIN = 4, 0.4, 0.2  # of the usual rate
_TWO_RATES, _AS_WELL = 5.0, 1.0  # logarithms of how much likelier
_LEAST_LEFT = 0.7  # of the visits
_GROUP_HZ = 1e6
_ON_RASTER, _STRONGER_DB, _MORE_THAN_OTHERS = 0.2, 4.0, 5.0
BEYOND_DOUBT, _RIGHT_ON = 50.0, 0.08  # exponent of a raster; of its distance
_WEAKER_DB, _WEAKER = 10.0, 3.0  # that, or so many spreads
_MOST_SHARE = 1.2  # one hopper cannot be on the air more than always
_LEAST_HOP_SHARE = 0.008  # of the rows
_ALONE, _MOST_FRAMES = 0.75, 64
_OVER_LIMIT_DB = 3.0
_FALLEN = 0.11  # 9.5 dB


@dataclass(frozen=True, eq=False)
class Hops:
    """Bursts that go from place to place.

    used_hz: stretches of its range that it uses, shape (stretches, 2). level_dbm: of its bursts as they are met,
    whole_dbm: of whole ones. raster_hz: NaN where none shows; phase_hz: of it, from 2400 MHz. dwelling: how often the
    next row finds it at the same place, against chance. evenness: share of its range, in parts of 4 MHz, that it visits
    about as often as it should. seen_below, seen_above: whether it could have been seen beyond its range. partner_dbm:
    level of another that takes turns with it, NaN where none does.
    """

    bursts: NarrowBursts
    used_hz: FloatArray
    low_hz: float
    high_hz: float
    width_hz: float
    level_dbm: float
    whole_dbm: float
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
    partner_dbm: float = math.nan

    def part_within(self, first_hz: float, last_hz: float) -> float:
        """Share of its hops that lie there. A hopper uses its places alike, but for those that it leaves out."""
        first, last = np.maximum(self.used_hz[:, 0], first_hz), np.minimum(self.used_hz[:, 1], last_hz)
        inside = np.maximum(last - first, 0.0).sum()
        return float(inside / np.ptp(self.used_hz, axis=1).sum())

    def carried_on(self, low_hz: float, high_hz: float) -> "Hops":
        """The same as far as the ends of its kind's range, where it would not have been seen beyond its own."""
        used = list(self.used_hz)
        low, high = self.low_hz, self.high_hz
        if not self.seen_below and low > low_hz + _USED_HZ:
            used.insert(0, np.array([low_hz, low]))
            low = low_hz
        if not self.seen_above and high < high_hz - _USED_HZ:
            used.append(np.array([high, high_hz]))
            high = high_hz
        used_hz = np.array(used)
        times = np.ptp(used_hz, axis=1).sum() / np.ptp(self.used_hz, axis=1).sum()
        return replace(
            self, used_hz=used_hz, low_hz=low, high_hz=high, share=float(min(self.share * times, 1.0))
        )

    def beside(self, block: Block, around: LocalBackground, freq_hz: float) -> float:
        """How often the fullest of the places next to one would be met if it showed as well; infinite if none does."""
        if math.isnan(self.raster_hz):
            return math.inf
        places_hz = freq_hz + self.raster_hz * np.array([0, -2, -1, 1, 2])
        here, *others = visible_rows_at(block, around, places_hz, self.level_dbm, self.bursts)
        steps = np.rint((self.bursts.freq_hz - freq_hz) / self.raster_hz)
        met = [
            (steps == k).sum() * here / rows
            for k, rows in zip((-2, -1, 1, 2), others, strict=True)
            if rows > _SHOWS * here
        ]
        return float(max(met)) if met else math.inf

    def takes(self, freq_hz: float, level_dbm: float, number: int, beside: float = math.inf) -> bool:
        """Whether bursts on one place are hops of it: on its raster, of its level, no more than on its others. beside:
        how many places next to it would have.
        """
        raster_hz = _GROUP_HZ if math.isnan(self.raster_hz) else self.raster_hz
        inside = self.low_hz - raster_hz < freq_hz < self.high_hz + raster_hz
        off_hz = abs((freq_hz - 2.4e9 - self.phase_hz + raster_hz / 2) % raster_hz - raster_hz / 2)
        usual = len(self.bursts) * raster_hz / max(self.high_hz - self.low_hz, raster_hz)
        # Two next to one another may look like one between them, but not more often than each.
        on_raster = math.isnan(self.raster_hz) or off_hz < _ON_RASTER * raster_hz or number <= usual
        weaker_db = max(_WEAKER_DB, _WEAKER * self.level_spread_db)
        group_rows = self.level_dbm - weaker_db < level_dbm < self.level_dbm + _STRONGER_DB
        is_there = inside and on_raster and group_rows
        # Where its other places are covered, one that is free has more; then it must be its own beyond doubt, and so
        # must have those next to it that are as free.
        is_own = (
            self.raster_strength > BEYOND_DOUBT
            and off_hz < _RIGHT_ON * raster_hz
            and abs(level_dbm - self.level_dbm) < _STRONGER_DB
            and number < _MORE_THAN_OTHERS * max(beside, 1.0)
        )
        return is_there and (is_own or number < _MORE_THAN_OTHERS * usual)


def find_hops(block: Block, narrow: NarrowBursts, around: LocalBackground) -> list[Hops]:
    """Hoppers among the bursts that stay nowhere, told apart by level and by raster."""
    if len(narrow) < FEWEST_HOPS:
        return []
    groups = groups_of(block, narrow, around)
    return [h for group in groups if (h := _hops(block, group, narrow, around)) is not None]


def _hops(block: Block, bursts: NarrowBursts, narrow: NarrowBursts, around: LocalBackground) -> Hops | None:
    freq_hz = bursts.freq_hz
    # The farthest are left out where there are many: something else may be among them.
    if (
        comes_with_others(block, around, bursts)
        or over_limit_db(block, around, bursts) < _OVER_LIMIT_DB
        or keep_time_with_beacons(bursts)
    ):
        return None
    if (
        not block.meets_parts
        and flanks_of(block, around, bursts) > _FALLEN
        and not stand_alone(block, around, bursts)
    ):
        return None
    cut = 0.02 if len(bursts) > 100 else 0.0
    low, high = (float(q) for q in np.quantile(freq_hz, [cut, 1 - cut]))
    beyond_hz = (high - low) * cut / (1 - 2 * cut)  # what was cut off, of even places
    low, high = max(low - beyond_hz, float(freq_hz.min())), min(high + beyond_hz, float(freq_hz.max()))
    places = len(np.unique(np.rint(freq_hz / _GROUP_HZ)))
    least = max(FEWEST_HOPS, max(_LEAST_HOP_SHARE, peaks_by_chance(block, around)) * block.rows)
    if places < 7 or high - low < 7e6 or len(bursts) < least:
        return None
    raster, strength, phase = (
        raster_of_strongest(bursts.freq_hz, bursts.level_dbm, block.cell_hz)
        if block.meets_parts
        else raster_of(freq_hz, block.cell_hz)
    )
    if math.isnan(raster) and low > LOW_BAND_HZ:
        return None  # there no kind goes without one that bins would show
    width = float(np.median(bursts.width_hz))
    its = without_feet(block, bursts) if block.meets_parts else bursts
    level = whole_dbm = float(np.median(its.level_dbm))
    share, used_hz = _used(block, around, its, level, (low, high))
    low, high = max(low, float(used_hz[0, 0])), min(high, float(used_hz[-1, 1]))
    if block.meets_parts:
        # Parts of channels come more often than one hopper can.
        most = _MOST_SHARE * max(width, WIDTH_HZ) / min(float(bursts.width_hz.mean()), max(width, WIDTH_HZ))
        if share > most:
            return None
        share, whole_dbm = share_and_level(block, around, narrow, its, used_hz, (raster, phase), share)
    elif block.sums_frames:
        frames = block.span.averages
        of_frames = part_by_company(bursts.row, block.rows)
        least = 1 / (frames if frames > 1 else _MOST_FRAMES)
        share *= max(of_frames, least) if of_frames < _ALONE else part_of_frames(bursts.level_dbm, frames)
    below, above = np.linspace(2.403e9, low - 3e6, 6), np.linspace(high + 3e6, 2.479e9, 6)
    seen_below, seen_above = (
        bool(visible_rows_at(block, around, ends, level, bursts).mean() > 0.2 * block.rows)
        for ends in (below, above)
    )
    return Hops(
        bursts, used_hz, low, high, width, level, whole_dbm, float(bursts.level_dbm.std()), min(float(share), 1.0),
        places, raster, strength, phase, _dwelling(bursts, block), _evenness(freq_hz, low, high), seen_below,
        seen_above,
    )  # fmt: skip


def _used(
    block: Block,
    around: LocalBackground,
    bursts: NarrowBursts,
    level_dbm: float,
    ends_hz: tuple[float, float],
) -> tuple[float, FloatArray]:
    """(share of the rows in which it is met, stretches of its range that it uses, shape (stretches, 2)).

    A hopper uses its places alike, but for those that it leaves out: so what others cover is used as the rest is, and
    stretches that are visited so seldom that chance does not do that are not used.
    """
    low_hz, high_hz = ends_hz
    parts = max(int((high_hz - low_hz) / _USED_HZ), 1)
    edges = np.linspace(low_hz, high_hz, parts + 1)
    counts = np.histogram(bursts.freq_hz, edges)[0]
    at = np.linspace(low_hz, high_hz, 2 * _LOOKS_A_PART * parts + 1)[1::2]
    visible = visible_rows_at(block, around, at, level_dbm, bursts).reshape(parts, _LOOKS_A_PART).mean(axis=1)
    told = visible > _TOLD * block.rows
    if not told.any():
        told = visible >= visible.max()
    of_runs = np.ones(parts, bool)
    if not block.meets_parts:  # where parts of frames do not make the rest look empty
        of_runs = _without_runs(told, _visits(bursts, edges), visible)
    is_used = of_runs
    for _ in range(2):
        some = told & is_used
        expected = visible * counts[some].sum() / max(visible[some].sum(), 1.0)
        is_used = of_runs & ~(told & (counts < 0.3 * expected - 1.5 * np.sqrt(0.3 * expected)))
    some = told & is_used
    share = counts[some].sum() / max(visible[some].sum(), 1.0) * is_used.sum()
    return float(share), np.stack([edges[:-1], edges[1:]], axis=1)[is_used]


def _visits(bursts: NarrowBursts, edges: FloatArray) -> IntArray:
    """How often each part of a range is come to: what stays at a place from one row to the next came once."""
    order = np.argsort(bursts.row, kind="stable")
    row, place = bursts.row[order], np.rint(bursts.freq_hz[order] / _GROUP_HZ)
    comes = np.append(True, (np.diff(row) > 1) | (np.diff(place) != 0))
    return np.histogram(bursts.freq_hz[order][comes], edges)[0]


def _without_runs(told: NDArray[np.bool_], visits: IntArray, visible: FloatArray) -> NDArray[np.bool_]:
    """Parts of a range, but for runs of them that are come to much more seldom than the rest, which single ones do not
    tell. All of shape (parts,).

    A law of two rates must tell the visits much better than one does; of the runs that it tells about as well the
    longest.
    """
    is_used = np.ones(len(told), bool)
    for _ in range(_MOST_RUNS):
        some = told & is_used
        visits_to, visible_to = (np.append(0.0, np.cumsum(np.where(some, v, 0.0))) for v in (visits, visible))
        first, last = np.triu_indices(len(told) + 1, 1)
        inside, seen = visits_to[last] - visits_to[first], visible_to[last] - visible_to[first]
        outside, elsewhere = visits_to[-1] - inside, visible_to[-1] - seen
        usual = visits_to[-1] / max(visible_to[-1], 1e-9)
        rates = inside / np.maximum(seen, 1e-9), outside / np.maximum(elsewhere, 1e-9)
        gain = sum(
            number * np.log(np.maximum(rate, 1e-9) / max(usual, 1e-9))
            for number, rate in zip((inside, outside), rates, strict=True)
        )
        is_end = (visits_to[first] == 0) | (visits_to[last] == visits_to[-1])
        seldom = np.where(is_end, _SELDOM_AT_ENDS, _SELDOM_WITHIN) * rates[1]
        asked = (rates[0] < seldom) & (seen > 0) & (outside >= FEWEST_HOPS)
        gain = np.where(asked, gain, 0.0)
        if gain.max() < _TWO_RATES:
            break
        best = int(np.argmax(np.where(gain > gain.max() - _AS_WELL, last - first, 0)))
        is_used[first[best] : last[best]] = False
    if visits[told & is_used].sum() <= _LEAST_LEFT * visits[told].sum():
        return np.ones(len(told), bool)
    return is_used


def _dwelling(bursts: NarrowBursts, block: Block) -> float:
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
