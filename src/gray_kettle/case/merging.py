"""Rows that belong together, put together: the same observations in any order and any split give the same tables."""

from typing import TypeVar

import numpy as np

from gray_kettle.air.modes import airtime_s
from gray_kettle.decode.tallies import LONGEST_AGGREGATE_S, LONGEST_SILENCE_S
from gray_kettle.records import Edges, FloatArray, IntArray, Listening, Sightings, Traffic

Summed = TypeVar("Summed", FloatArray, IntArray)

_LOW_BAND_HZ = 3e9


def _groups(tie: FloatArray, *keys: FloatArray | IntArray) -> tuple[IntArray, IntArray]:
    """(order of the rows by their keys, the first key foremost; start of each group of equal keys in that order).

    Rows with equal keys stand in the order of the tie, so that a sum does not hang on the order of import.
    """
    order = np.lexsort((tie, *keys[::-1]))
    changed = np.zeros(len(order), bool)
    for key in keys:
        ordered = np.nan_to_num(key[order], nan=-1.0)
        changed[1:] |= ordered[1:] != ordered[:-1]
    if len(changed):
        changed[0] = True
    return order, np.flatnonzero(changed)


def merged_sightings(rows: Sightings) -> Sightings:
    """One row an announcement, moment, receiver channel and spot, in time order."""
    if not len(rows):
        return rows
    order, starts = _groups(rows.level_mw, rows.time_s, rows.announcement, rows.receiver_hz, rows.spot)
    first = order[starts]

    def total(values: Summed) -> Summed:
        return np.add.reduceat(values[order], starts)

    def mean(values: FloatArray) -> FloatArray:
        """Weighed by frames: a second that was cut in two gives what the whole one gives."""
        weight = np.where(np.isnan(values), 0, rows.frames)
        count = np.add.reduceat(weight[order], starts)
        summed = np.add.reduceat((np.nan_to_num(values) * weight)[order], starts)
        return np.asarray(summed / np.where(count > 0, count, np.nan))

    return Sightings(
        rows.announcement[first],
        rows.time_s[first],
        rows.receiver_hz[first],
        total(rows.level_mw),
        total(rows.levels),
        mean(rows.noise_dbm),
        mean(rows.load_utilisation),
        mean(rows.load_stations),
        total(rows.frames),
        total(rows.beacons),
        total(rows.retries),
        rows.estimated[first],
        rows.spot[first],
    )


def merged_traffic(rows: Traffic) -> Traffic:
    """One row a second, receiver channel, BSSID, transmitter and spot, in time order."""
    if not len(rows):
        return rows
    keys = (rows.second, rows.receiver_hz, rows.bssid, rows.transmitter, rows.mode, rows.spot)
    order, starts = _groups(rows.level_mw, *keys)
    first = order[starts]
    sums = {name: np.add.reduceat(getattr(rows, name)[order], starts) for name in _TRAFFIC_SUMS}
    kept = {name: getattr(rows, name)[first] for name in _TRAFFIC_KEYS}
    return Traffic(
        **kept,
        **sums,
        lowest_dbm=np.fmin.reduceat(rows.lowest_dbm[order], starts),
        highest_dbm=np.fmax.reduceat(rows.highest_dbm[order], starts),
    )


_TRAFFIC_KEYS = ("second", "receiver_hz", "bssid", "transmitter", "mode", "spot")
_TRAFFIC_SUMS = (
    "frames", "retries", "protected", "asleep", "octets", "airtime_s", "level_mw", "levels",
)  # fmt: skip


def joined_aggregates(edges: Edges) -> Traffic:
    """What is to be added to the traffic for aggregates that were cut between two captures.

    Each part was counted with a preamble of its own and filled up to a whole symbol; their sum is one aggregate.
    The rows hold no frames, only the (negative) airtime.
    """
    key_names = ("receiver_hz", "transmitter", "mode", "reference", "spot")
    keys = list(zip(*(getattr(edges, name).tolist() for name in key_names), strict=True))
    ends: dict[tuple[float, ...], list[int]] = {}
    for k in np.flatnonzero(edges.is_end):
        ends.setdefault(keys[k], []).append(int(k))
    found: list[tuple[int, float]] = []
    for k in np.flatnonzero(edges.is_end == 0):
        for e in ends.get(keys[k], ()):
            gap_s = edges.time_s[k] - edges.time_s[e]
            if 0 <= gap_s < LONGEST_AGGREGATE_S and edges.take[e] != edges.take[k]:
                parts = edges.octets[np.array([e, int(k)])]
                lengths = np.append(parts, parts.sum())
                one, other, both = airtime_s(
                    edges.mode[[k] * 3], lengths, edges.receiver_hz[k] < _LOW_BAND_HZ
                )
                found.append((int(k), float(both - one - other)))
    rows = np.array([k for k, _ in found], np.int64)
    nothing, empty = np.zeros(len(rows), np.int64), np.full(len(rows), np.nan)
    return Traffic(
        second=np.floor(edges.time_s[rows]).astype(np.int64),
        receiver_hz=edges.receiver_hz[rows],
        bssid=edges.bssid[rows],
        transmitter=edges.transmitter[rows],
        mode=edges.mode[rows],
        frames=nothing,
        retries=nothing,
        protected=nothing,
        asleep=nothing,
        octets=nothing,
        airtime_s=np.array([delta_s for _, delta_s in found]),
        level_mw=np.zeros(len(rows)),
        levels=nothing,
        lowest_dbm=empty,
        highest_dbm=empty,
        spot=edges.spot[rows],
    )


def merged_listening(rows: Listening, low_s: float, high_s: float) -> Listening:
    """Runs of one channel joined where only a short silence parts them, and cut to the window.

    The time between two runs on different channels is shared out evenly between them, as far as it is short.
    """
    if not len(rows):
        return rows
    out: list[tuple[float, float, float, int]] = []
    for spot in np.unique(rows.spot):
        of_spot = rows.rows(np.flatnonzero(rows.spot == spot))
        order = np.lexsort((of_spot.end_s, of_spot.receiver_hz, of_spot.start_s))
        last: list[float] | None = None
        for k in order:
            start, end, hz = (float(x[k]) for x in (of_spot.start_s, of_spot.end_s, of_spot.receiver_hz))
            if last is not None and start - last[1] <= LONGEST_SILENCE_S:
                if hz == last[2]:
                    last[1] = max(last[1], end)
                    continue
                middle = (last[1] + start) / 2
                if middle > last[1]:
                    last[1] = start = middle
            if last is not None:
                out.append((last[0], last[1], last[2], int(spot)))
            last = [start, end, hz]
        if last is not None:
            out.append((last[0], last[1], last[2], int(spot)))
    table = np.array(out)
    cut_start, cut_end = np.maximum(table[:, 0], low_s), np.minimum(table[:, 1], high_s)
    kept = cut_end >= cut_start
    return Listening(cut_start[kept], cut_end[kept], table[kept, 2], table[kept, 3].astype(np.int64))
