"""How a radio behaves over the window: changes of channel, comings and goings, how steady its level is.

Source: docs/radio-model.md, "Channel changes and absences".
"""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from gray_kettle.analysis.assessment import Change, Radio
from gray_kettle.analysis.observed.bssid_index import BssidIndex, present
from gray_kettle.model.records import FloatArray, IntArray

_LEAST_LEVELS = 20
_DAY_S = 86400.0
_ANNOUNCED_S = 120.0  # a switch that was reported so long before a change is that change
_PART_S, _DROP_S, _DROP_DB, _DROP_READINGS = 300.0, 540.0, 12.0, 4
_GAP_SCANS = 3  # so many scans without it: it was away


def changes_of(rows: IntArray, ground: BssidIndex) -> tuple[Change, ...]:
    """From which channel to which, and when; a mere change of width is none. rows: of one radio, in order of time."""
    codes = ground.channel_of[rows]
    out = []
    for k in np.flatnonzero(codes[1:] != codes[:-1]):
        before, after = ground.channels[codes[k]], ground.channels[codes[k + 1]]
        if before.centre_hz == after.centre_hz and before.primary == after.primary:
            continue
        time_s = float(ground.sightings.time_s[rows[k + 1]])
        last_s = float(ground.sightings.time_s[rows[k]])
        out.append(
            Change(time_s, before, after, _was_announced(rows[: k + 1], after.primary, last_s, ground))
        )
    return tuple(out)


def _was_announced(earlier: IntArray, primary: int, last_s: float, ground: BssidIndex) -> bool:
    recent = earlier[ground.sightings.time_s[earlier] > last_s - _ANNOUNCED_S]
    announced = ground.observations.announcements
    return any(announced[n].switching_to == primary for n in present(ground.sightings.announcement[recent]))


def most_in_a_day(changes: Sequence[Change]) -> int:
    """The most changes in any 24 hours."""
    if not changes:
        return 0
    times = np.array([c.time_s for c in changes])
    return int(max((np.searchsorted(times, t + _DAY_S) - k for k, t in enumerate(times))))


def swing_db(rows: IntArray, ground: BssidIndex) -> float | None:
    """Spread of the level on one channel at one spot, from the lowest to the highest tenth; where most was heard."""
    if len(rows) < _LEAST_LEVELS:
        return None
    levels = ground.levels_mw[rows]
    known = rows[levels > 0]
    spots = ground.sightings.spot[known]
    if not len(known):
        return None
    most = known[spots == np.argmax(np.bincount(spots))]
    if len(most) < _LEAST_LEVELS:
        return None
    low, high = np.percentile(ground.levels_mw[most], [10, 90])
    return round(float(10 * np.log10(high / low)), 1)


def level_drop(rows: IntArray, ground: BssidIndex) -> tuple[float, float, float] | None:
    """(from, to, dB): the longest time in which the level at the main spot was far under its usual one.

    None where it never was. By parts of five minutes, those without a level left out; two in a row are the least.
    """
    levels = ground.levels_mw[rows]
    known = rows[levels > 0]
    if len(known) < _LEAST_LEVELS:
        return None
    spots = ground.sightings.spot[known]
    here = known[spots == np.argmax(np.bincount(spots))]
    level, time_s = 10 * np.log10(ground.levels_mw[here]), ground.sightings.time_s[here]
    part = np.floor(time_s / _PART_S).astype(np.int64)
    starts = np.flatnonzero(np.diff(part, prepend=-1))
    medians = np.array([np.median(some) for some in np.split(level, starts[1:])])
    usual = float(np.median(level))
    low = medians <= usual - _DROP_DB
    edges = np.flatnonzero(np.diff(np.concatenate([[False], low, [False]]).astype(np.int8)))
    found = []
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        begins, ends = time_s[starts[first]], time_s[starts[after] - 1] if after < len(starts) else time_s[-1]
        readings = (starts[after] if after < len(starts) else len(level)) - starts[first]
        if ends - begins >= _DROP_S and readings >= _DROP_READINGS:
            found.append(
                (float(begins), float(ends), round(usual - float(np.median(medians[first:after])), 1))
            )
    return max(found, key=lambda drop: drop[1] - drop[0], default=None)


def episodes_of(
    heard_s: FloatArray, scan_times_s: FloatArray, gap_s: float
) -> tuple[tuple[float, float], ...]:
    """When a radio was there. heard_s: moments it was heard, looks_s: moments its band was observed, both in order.

    It was away where it was not heard for longer than gap_s and for three scans or more in between.
    """
    if not len(heard_s):
        return ()
    long = heard_s[1:] - heard_s[:-1] > gap_s
    if not long.any():
        return ((float(heard_s[0]), float(heard_s[-1])),)
    detection_blocks = np.searchsorted(scan_times_s, heard_s)
    away = long & (np.diff(detection_blocks) > _GAP_SCANS)
    firsts = np.append(0, np.flatnonzero(away) + 1)
    lasts = np.append(np.flatnonzero(away), len(heard_s) - 1)
    return tuple((float(heard_s[a]), float(heard_s[b])) for a, b in zip(firsts, lasts, strict=True))


def with_siblings(radios: tuple[Radio, ...]) -> tuple[Radio, ...]:
    """Each radio with those of other bands that are of the same box, and what says so.

    A box that names its other radios is certain. Else the addresses agree but for their last two octets, the two
    announce a name in common or are kept separate by nobody, and they are nearest to one another of all of their bands.
    """
    by_bssid = {n.bssid: r for r in radios for n in r.networks}
    known: dict[str, set[str]] = {r.id: set() for r in radios}
    for radio in radios:
        for network in radio.networks:
            for bssid, _, _ in network.neighbours:
                other = by_bssid.get(bssid)
                if other is not None and other.band != radio.band:
                    known[radio.id].add(other.id)
                    known[other.id].add(radio.id)
    group_rows: dict[str, list[Radio]] = {}
    for radio in radios:
        group_rows.setdefault(radio.id[3:11], []).append(radio)
    for group in group_rows.values():
        for radio in group:
            for band in {r.band for r in group} - {radio.band}:
                other = min((r for r in group if r.band == band), key=_apart(radio))
                if radio is min((r for r in group if r.band == radio.band), key=_apart(other)):
                    known[radio.id].add(other.id)
    return tuple(replace(r, siblings=tuple(sorted(known[r.id]))) for r in radios)


def _apart(one: Radio) -> Callable[[Radio], tuple[bool, int, str]]:
    names = {n.ssid for n in one.networks}

    def distance(other: Radio) -> tuple[bool, int, str]:
        shares = bool(names & {n.ssid for n in other.networks})
        octets = zip(one.id.split(":")[4:], other.id.split(":")[4:], strict=True)
        return not shares, sum(abs(int(a, 16) - int(b, 16)) for a, b in octets), other.id

    return distance


def answers(mine: Radio, theirs: Radio, within_s: float) -> list[Change]:
    """Moves of mine that follow one of theirs within that time, and have to do with it.

    That is: mine goes where theirs went or came from, or leaves where theirs went.
    """
    out = []
    for change in mine.changes:
        for other in theirs.changes:
            if not 0 <= change.time_s - other.time_s <= within_s:
                continue
            went, came, left = set(other.after.parts), set(other.before.parts), set(change.before.parts)
            if set(change.after.parts) & (went | came) or left & went:
                out.append(change)
                break
    return out
