"""Traffic of a window summed up over its time: a million rows of single seconds become some hundreds of senders."""

from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any

import numpy as np

from gray_kettle.groupby import group_rows
from gray_kettle.model.records import Columns, FloatArray, IntArray, Traffic

_SUMS = ("frames", "retries", "retriable", "octets", "airtime_s", "level_mw", "levels")
_HOUR_S = 3600


@dataclass(frozen=True, eq=False)
class TrafficTotals(Columns):
    """Frames of one transmitter within one BSSID, receiver channel, way of sending, spot and hour of the day (UTC).

    first_s, last_s: the hours in which the first and the last of them came: of a long time only sums by the hour are
    kept.
    """

    hour: IntArray
    receiver_hz: FloatArray
    bssid: IntArray
    transmitter: IntArray
    mode: IntArray
    spot: IntArray
    frames: IntArray
    retries: IntArray
    retriable: IntArray
    octets: IntArray
    airtime_s: FloatArray
    level_mw: FloatArray
    levels: IntArray
    first_s: IntArray
    last_s: IntArray


def traffic_totals(traffic: Traffic) -> TrafficTotals:
    """The window's traffic by sender and hour of the day."""
    if not len(traffic):
        return TrafficTotals.empty()
    hour = traffic.second // _HOUR_S % 24
    keys = (hour, traffic.receiver_hz, traffic.bssid, traffic.transmitter, traffic.mode, traffic.spot)
    order, starts = group_rows(*keys)
    first = order[starts]
    sums: dict[str, Any] = {name: np.add.reduceat(getattr(traffic, name)[order], starts) for name in _SUMS}
    second = (traffic.second // _HOUR_S * _HOUR_S)[order]
    sums |= {"first_s": np.minimum.reduceat(second, starts), "last_s": np.maximum.reduceat(second, starts)}
    rows = TrafficTotals(*(key[first] for key in keys), **sums)  # type: ignore[arg-type]
    return rows.rows(
        np.lexsort((rows.spot, rows.mode, rows.transmitter, rows.bssid, rows.receiver_hz, rows.hour))
    )


class TotalsByKey:
    """Rows of traffic by a key, so that those of one are found without looking at all."""

    def __init__(self, sent: TrafficTotals, key: IntArray) -> None:
        order = np.argsort(key, kind="stable")
        self._keys = key[order]
        self._columns = [getattr(sent, f.name)[order] for f in fields(sent)]
        self._none = TrafficTotals.empty()

    def of_each(self, numbers: IntArray) -> Iterator[TrafficTotals]:
        """The rows of each of the numbers, in their order."""
        lows = np.searchsorted(self._keys, numbers)
        highs = np.searchsorted(self._keys, numbers, side="right")
        for low, high in zip(lows.tolist(), highs.tolist(), strict=True):
            yield TrafficTotals(*(c[low:high] for c in self._columns)) if high > low else self._none
