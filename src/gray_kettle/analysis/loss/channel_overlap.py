"""How channels lie to one another: what they share, what spills over, and what is left when one falls back.

Source: docs/radio-model.md, "Masks and coupling" and "Interference loss".
"""

import math
from functools import lru_cache

from gray_kettle.phy.channels import Channel, centre_hz
from gray_kettle.phy.masks import NOTHING_DB, received_db

_REACH_HZ = 200e6  # centres further apart than this cannot touch
# What lies within the width that a receiver is set to reaches its narrower frames unfiltered, but for what the
# transform keeps apart (docs/decisions/009-narrow-fallback-has-a-cost.md).
_UNFILTERED_DB = -30.0

Overlap = tuple[float, ...]
VALUES = 8  # of an overlap, see _overlap
_PAIRS: dict[tuple[object, ...], Overlap] = {}


def overlap(mine: Channel, theirs: Channel, dsss: bool) -> Overlap:
    """How theirs lies to mine; only where they lie to each other matters, which few pairs differ in."""
    shape = (
        dsss,
        mine.band,
        theirs.band,
        mine.width_mhz,
        theirs.width_mhz,
        mine.centre_hz - theirs.centre_hz,
    )
    inside = (mine.primary_hz - mine.centre_hz, theirs.primary_hz - theirs.centre_hz)
    seconds = tuple(c.second_hz - mine.centre_hz if c.second_hz else 0.0 for c in (mine, theirs))
    key = (*shape, *inside, *seconds)
    if key not in _PAIRS:
        _PAIRS[key] = _overlap(mine, theirs, dsss)
    return _PAIRS[key]


def _overlap(mine: Channel, theirs: Channel, dsss: bool) -> Overlap:
    """(same primary, my primary is among their parts, secondary segment overlaps, coupling, coupling into my primary,
    coupling into what is left of mine when I fall back before theirs, whether they send frames on a part of that
    segment, coupling into that segment)
    """
    if mine.band != theirs.band:
        return 0.0, 0.0, 0.0, NOTHING_DB, NOTHING_DB, NOTHING_DB, 0.0, NOTHING_DB
    shares = mine.primary in theirs.parts
    framed = 0 if shares else _shared_segment(mine, theirs)
    segment = framed or (0 if shares else _touched_segment(mine, theirs))
    full, narrow = _coupling(mine.segments, theirs, dsss), _coupling(((mine.primary_hz, 20e6),), theirs, dsss)
    inner = outer = NOTHING_DB
    if segment:
        added = [centre_hz(mine.band, n) for n in _segment_parts(mine, segment)]
        outer = _coupling(((sum(added) / len(added), 20e6 * len(added)),), theirs, dsss)
        inner = max(_coupling((_inner(mine, segment),), theirs, dsss), _UNFILTERED_DB)
    same, in_frames = float(mine.primary == theirs.primary), float(framed > 0)
    return same, float(shares), float(segment), full, narrow, inner, in_frames, outer


def _touched_segment(mine: Channel, theirs: Channel) -> int:
    """Width of the innermost secondary segment of mine that theirs overlaps off the raster, the primary being free of
    it; 0 for none.
    """
    if _touch(mine.primary_hz, theirs):
        return 0
    width = 20
    while width < mine.width_mhz:
        if any(_touch(centre_hz(mine.band, n), theirs) for n in _segment_parts(mine, width)):
            return width
        width *= 2
    return 0


def _touch(part_hz: float, theirs: Channel) -> bool:
    return any(abs(part_hz - hz) < 10e6 + width_hz / 2 - 1e6 for hz, width_hz in theirs.segments)


def _shared_segment(mine: Channel, theirs: Channel) -> int:
    """Width of the innermost secondary segment of mine that theirs shares a 20 MHz part with; 0 for none."""
    width = 20
    while width < mine.width_mhz:
        if set(_segment_parts(mine, width)) & set(theirs.parts):
            return width
        width *= 2
    return 0


def _segment_parts(channel: Channel, width_mhz: int) -> tuple[int, ...]:
    """The parts that widening from width_mhz to twice that adds."""
    count, twice = width_mhz // 20, width_mhz // 10
    ordered = sorted(channel.parts)
    if channel.second_hz or channel.band == "2.4":
        return channel.parts[count:twice]
    # Channels halve at even places: the block of `twice` parts that holds the primary, less the one of `count`.
    at = ordered.index(channel.primary)
    outer = ordered[at // twice * twice : at // twice * twice + twice]
    inner = ordered[at // count * count : at // count * count + count]
    return tuple(n for n in outer if n not in inner)


def _inner(mine: Channel, width_mhz: int) -> tuple[float, float]:
    """Centre and width of the part of mine that holds the primary and is that wide."""
    if mine.second_hz and width_mhz == mine.segments[0][1] / 1e6:
        return mine.segments[0]
    ordered, count = sorted(mine.parts), width_mhz // 20
    at = ordered.index(mine.primary) // count * count
    middle_hz = (centre_hz(mine.band, ordered[at]) + centre_hz(mine.band, ordered[at + count - 1])) / 2
    return middle_hz, width_mhz * 1e6


def _coupling(segments: tuple[tuple[float, float], ...], theirs: Channel, dsss: bool) -> float:
    """Share of theirs (dB) in the passband of my segments."""
    total = 0.0
    for their_hz, width_hz in theirs.segments:
        for victim_hz, victim_width_hz in segments:
            offset_hz = victim_hz - their_hz
            if abs(offset_hz) - victim_width_hz / 2 > _REACH_HZ:
                continue
            kind, width_mhz = ("dsss", 20) if dsss else ("ofdm", round(width_hz / 1e6))
            total += _share(kind, width_mhz, round(victim_width_hz / 1e6), abs(offset_hz)) / len(
                theirs.segments
            )
    return max(10 * math.log10(total), NOTHING_DB) if total else NOTHING_DB


@lru_cache(maxsize=10_000)
def _share(kind: str, width_mhz: int, victim_width_mhz: int, offset_hz: float) -> float:
    return float(10 ** (received_db(kind, width_mhz, victim_width_mhz, offset_hz) / 10))
