"""Rows of observations put together by BSSID: the basis of radios and networks."""

from dataclasses import dataclass, field, replace

import numpy as np

from gray_kettle.analysis.assessment import Link
from gray_kettle.analysis.observed.traffic_totals import TotalsByKey, TrafficTotals
from gray_kettle.decode.dot11.mac_headers import address_number
from gray_kettle.model.records import (
    Announcement,
    ClientCapability,
    FloatArray,
    IntArray,
    Observations,
    Sightings,
)
from gray_kettle.phy.channels import Channel
from gray_kettle.safe_text import is_hidden

TUNED_HZ = 1e6  # a receiver this near the primary's centre is on it
_FEW = 16


@dataclass(frozen=True, eq=False)
class BssidRows:
    """All rows of one BSSID. frames: those that name it; nameless: control frames and the like that it sent.

    hidden, named_by: see Network.
    """

    bssid: str
    latest: Announcement
    rows: IntArray
    beacon_bytes: int
    frames: TrafficTotals
    nameless: TrafficTotals
    hidden: bool
    named_by: str


@dataclass(frozen=True, eq=False)
class StationInfo:
    """What is known of stations, by address. names: of networks, by BSSID; given: that somebody gave to devices.

    asked_for: networks that they probed for.
    """

    capabilities: dict[str, ClientCapability]
    links: dict[str, Link]
    names: dict[str, bytes]
    given: dict[str, str] = field(default_factory=dict)
    asked_for: dict[str, tuple[bytes, ...]] = field(default_factory=dict)


class BssidIndex:
    """The observations of a window with what is computed once for all rows of sightings.

    levels_mw: mean level of each row, 0 where none was reported. channels: distinct ones, in order of their first
    announcement; channel_of: which of them each row announces. moment: of each row, its place in the order of time.
    """

    def __init__(self, observations: Observations, moment: IntArray) -> None:
        self.observations = observations
        self.moment = moment
        self.sightings = observations.sightings
        self.levels_mw = row_levels_mw(self.sightings)
        index: dict[Channel, int] = {}
        codes = [index.setdefault(a.channel, len(index)) for a in observations.announcements]
        self.channels = tuple(index)
        self.channel_of = np.array(codes, np.int64)[self.sightings.announcement]
        primary_hz = np.array([c.primary_hz for c in self.channels])
        self.away_hz = np.abs(self.sightings.receiver_hz - primary_hz[self.channel_of])
        self._codes = index
        self._rows_on: dict[tuple[int, int, int, int], IntArray] = {}
        self._level_on: dict[tuple[int, int, int, int], float | None] = {}

    def rows_on(self, channel: Channel, rows: IntArray) -> IntArray:
        """Rows that announce this channel; those received on it alone, where there are any. rows: in order."""
        key = self._key(channel, rows)  # asked for by a radio, its stay and its network
        if key not in self._rows_on:
            here = rows[self.channel_of[rows] == self._codes[channel]]
            tuned = self.away_hz[here] < TUNED_HZ
            self._rows_on[key] = here[tuned] if tuned.any() else here
        return self._rows_on[key]

    def level_on(self, channel: Channel, rows: IntArray) -> float | None:
        """Median level of those, dBm; None where none was reported."""
        key = self._key(channel, rows)
        if key not in self._level_on:
            self._level_on[key] = level_dbm(self.levels_mw[self.rows_on(channel, rows)])
        return self._level_on[key]

    def _key(self, channel: Channel, rows: IntArray) -> tuple[int, int, int, int]:
        """Rows of radios and of BSSIDs are sets that either hold one another or have nothing in common."""
        return self._codes[channel], len(rows), int(rows[0]), int(rows[-1])


def in_order_of_bssid(observations: Observations) -> tuple[Observations, IntArray]:
    """The same with rows of sightings of one BSSID side by side, each in order of time; and where each row was.

    What is asked of one BSSID then reads an interval of memory, not a row in sixty.
    """
    sightings = observations.sightings
    addresses = sorted({a.bssid for a in observations.announcements})
    code = {address: k for k, address in enumerate(addresses)}
    of_announcement = np.array([code[a.bssid] for a in observations.announcements], dtype=np.int32)
    if not len(sightings):
        return observations, np.zeros(0, np.int64)
    order = np.argsort(of_announcement[sightings.announcement], kind="stable")
    return replace(observations, sightings=sightings.rows(order)), order


def present(numbers: IntArray) -> IntArray:
    """Which small numbers occur, in order. Counting is faster than sorting."""
    if len(numbers) < _FEW:  # of a flood of BSSIDs each has few rows, and the numbers are large
        return np.array(sorted(set(numbers.tolist())), np.int64)
    return np.flatnonzero(np.bincount(numbers))


def fast_median(values: FloatArray) -> float:
    """The median of at least one value: as NumPy's, without its checks; shape (n,) to a number."""
    half = len(values) // 2
    if len(values) % 2:
        return float(np.partition(values, half)[half])
    low, high = np.partition(values, (half - 1, half))[half - 1 : half + 1]
    return float((low + high) / 2)


def level_dbm(levels_mw: FloatArray) -> float | None:
    """Median of levels given in milliwatts, in dBm to a hundredth; None of nothing."""
    known = levels_mw[levels_mw > 0]
    return round(float(10 * np.log10(fast_median(known))), 2) if len(known) else None


def row_levels_mw(sightings: Sightings) -> FloatArray:
    """Mean level of each row in milliwatts; 0 where none was reported."""
    return np.where(sightings.levels > 0, sightings.level_mw / np.maximum(sightings.levels, 1), 0.0)


def by_bssid(observations: Observations, sent: TrafficTotals, names: dict[str, bytes]) -> list[BssidRows]:
    """All that was heard, by BSSID. names: reported by clients, see stations.names_asked_for."""
    sightings = observations.sightings
    if not len(sightings):
        return []
    bssid_of = np.array([address_number(a.bssid) for a in observations.announcements], dtype=np.int64)
    numbers, code = np.unique(bssid_of, return_inverse=True)
    of_row = code[sightings.announcement].astype(np.int32)
    order = np.argsort(of_row, kind="stable")
    starts = np.searchsorted(of_row[order], np.arange(len(numbers)))
    nameless = sent.rows(sent.bssid == 0)
    named, unnamed = TotalsByKey(sent, sent.bssid), TotalsByKey(nameless, nameless.transmitter)
    out = []
    each = zip(np.split(order, starts[1:]), named.of_each(numbers), unnamed.of_each(numbers), strict=True)
    for rows, own_frames, nameless_frames in each:
        latest = observations.announcements[sightings.announcement[rows[-1]]]
        known = [observations.announcements[k] for k in present(sightings.announcement[rows])]
        beacons = [a for a in known if a.beacon_bytes]
        hidden = any(is_hidden(a.ssid) for a in (beacons or [latest]) if a.channel == latest.channel)
        latest, named_by = _with_name(latest, known, names)
        out.append(
            BssidRows(
                latest.bssid,
                latest,
                rows,
                max(a.beacon_bytes for a in known),
                own_frames,
                nameless_frames,
                hidden,
                named_by,
            )
        )
    return out


def _with_name(
    latest: Announcement, known: list[Announcement], names: dict[str, bytes]
) -> tuple[Announcement, str]:
    """The announcement with the name that the network has, and who reported it."""
    if not is_hidden(latest.ssid):
        return latest, "beacon"
    # A name that is hidden in beacons is reported in probe responses, and by clients that ask to join.
    answer = next((a for a in reversed(known) if not is_hidden(a.ssid) and a.channel == latest.channel), None)
    if answer is not None:
        return replace(latest, ssid=answer.ssid), "probe response"
    if latest.bssid in names:
        return replace(latest, ssid=names[latest.bssid]), "association request"
    return latest, ""
