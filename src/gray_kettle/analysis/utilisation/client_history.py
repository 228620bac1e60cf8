"""One client over time: how much it sent, how well, and with whom."""

from dataclasses import dataclass

import numpy as np

from gray_kettle.decode.dot11.mac_headers import address, address_number
from gray_kettle.model.records import FloatArray, IntArray, Traffic
from gray_kettle.phy.modes import table


@dataclass(frozen=True, eq=False)
class ClientHistory:
    """Equal intervals from start_s to end_s; NaN where it was not heard, shapes (bins,).

    airtime_share: of the interval, of its frames heard. mbps: mean rate of its frames by time on the air. bssids: that
    it sent most to, "" where it was not heard. moves: (time, BSSID before, BSSID after).
    """

    start_s: float
    end_s: float
    frames: FloatArray
    retry_share: FloatArray
    airtime_share: FloatArray
    mbps: FloatArray
    level_dbm: FloatArray
    bssids: tuple[str, ...]
    moves: tuple[tuple[float, str, str], ...]


def client_history(traffic: Traffic, mac: str, start_s: float, end_s: float, bins: int) -> ClientHistory:
    """traffic: rows of seconds; where only sums by the hour are left, all of an hour is in its first interval."""
    mine = traffic.rows((traffic.transmitter == address_number(mac)) & (traffic.bssid != 0))
    step_s = (end_s - start_s) / bins
    column = np.floor((mine.second - start_s) / step_s).astype(np.int64)
    inside = (column >= 0) & (column < bins)
    mine, column = mine.rows(inside), column[inside]

    def summed(values: FloatArray | IntArray) -> FloatArray:
        return np.bincount(column, values.astype(np.float64), bins).astype(np.float64)

    frames, levels, airtime_s = (summed(v) for v in (mine.frames, mine.levels, mine.airtime_s))
    rate = np.nan_to_num(table().rate_mbps[mine.mode])
    with np.errstate(divide="ignore", invalid="ignore"):
        return ClientHistory(
            start_s,
            end_s,
            np.where(frames > 0, frames, np.nan),
            summed(mine.retries) / np.where(frames > 0, frames, np.nan),
            np.where(frames > 0, np.minimum(airtime_s / step_s, 1.0), np.nan),
            summed(rate * mine.airtime_s) / np.where(airtime_s > 0, airtime_s, np.nan),
            10 * np.log10(summed(mine.level_mw) / np.where(levels > 0, levels, np.nan)),
            _bssids(mine, column, bins),
            _moves(mine),
        )


def _bssids(mine: Traffic, column: IntArray, bins: int) -> tuple[str, ...]:
    """The BSSID with most frames of each interval."""
    numbers, which = np.unique(mine.bssid, return_inverse=True)
    counts = np.zeros((bins, max(len(numbers), 1)))
    np.add.at(counts, (column, which), mine.frames)
    names = [address(n) for n in numbers.tolist()]
    return tuple(names[int(row.argmax())] if row.any() else "" for row in counts)


def _moves(mine: Traffic) -> tuple[tuple[float, str, str], ...]:
    order = np.argsort(mine.second, kind="stable")
    second, bssid = mine.second[order], mine.bssid[order]
    change = np.flatnonzero(bssid[1:] != bssid[:-1])
    return tuple(
        (float(second[k + 1]), address(int(bssid[k])), address(int(bssid[k + 1]))) for k in change.tolist()
    )
