"""Rows that belong together, put together: the same observations in any order and any split give the same tables."""

from dataclasses import replace
from typing import TypeVar

import numpy as np

from gray_kettle.groupby import group_rows_by_time
from gray_kettle.model.records import (
    LONGEST_AGGREGATE_S,
    Edges,
    FloatArray,
    IntArray,
    Listening,
    Sightings,
    Traffic,
)
from gray_kettle.phy.modes import airtime_s
from gray_kettle.store.dwell import dwell_of

Summed = TypeVar("Summed", FloatArray, IntArray)

_LOW_BAND_HZ = 3e9


def merged_sightings(rows: Sightings) -> Sightings:
    """One row an announcement, moment, receiver channel and spot, in time order."""
    if not len(rows):
        return rows
    order, starts = group_rows_by_time(
        rows.level_mw, rows.time_s, rows.announcement, rows.receiver_hz, rows.spot
    )
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
    keys = (rows.second, rows.spot, rows.receiver_hz, rows.bssid, rows.transmitter, rows.mode)
    order, starts = group_rows_by_time(rows.level_mw, *keys)
    first = order[starts]
    sums = {name: np.add.reduceat(getattr(rows, name)[order], starts) for name in _TRAFFIC_SUMS}
    kept = {name: getattr(rows, name)[first] for name in _TRAFFIC_KEYS}
    return Traffic(
        **kept,
        **sums,
        lowest_dbm=np.fmin.reduceat(rows.lowest_dbm[order], starts),
        highest_dbm=np.fmax.reduceat(rows.highest_dbm[order], starts),
    )


def by_the_hour(rows: Traffic) -> Traffic:
    """The same, one row an hour: each has the first second of its hour."""
    return merged_traffic(replace(rows, second=rows.second // HOUR_S * HOUR_S))


HOUR_S = 3600
_TRAFFIC_KEYS = ("second", "receiver_hz", "bssid", "transmitter", "mode", "spot")
_TRAFFIC_SUMS = (
    "frames", "retries", "retriable", "protected", "asleep", "octets", "airtime_s", "level_mw", "levels",
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
        retriable=nothing,
    )


def merged_listening(rows: Listening, low_s: float, high_s: float) -> Listening:
    """Where the receiver dwelt (store.dwell), spot by spot, cut to the window."""
    if not len(rows):
        return rows
    found = []
    for spot in np.unique(rows.spot):
        of_spot = rows.rows(np.flatnonzero(rows.spot == spot))
        of_spot = of_spot.rows(np.lexsort((of_spot.end_s, of_spot.receiver_hz, of_spot.start_s)))
        found.append(dwell_of(of_spot))
    table = Listening.stacked(found)
    start_s, end_s = np.maximum(table.start_s, low_s), np.minimum(table.end_s, high_s)
    kept = end_s >= start_s
    most_s = np.maximum(np.minimum(table.most_s, high_s - low_s), end_s - start_s)
    return Listening(start_s[kept], end_s[kept], table.receiver_hz[kept], table.spot[kept], most_s[kept])
