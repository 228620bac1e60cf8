"""802.11 frames of a packet block to sightings, traffic and listening times.

Source: IEEE Std 802.11-2020 9.2 (frame format), 9.3; airtime by docs/radio-model.md, "Airtime".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.air.airtime import ht_airtime_s, legacy_airtime_s, vht_airtime_s
from gray_kettle.decode import radiotap
from gray_kettle.decode.beacon import FIXED_BYTES, Load, describe, load_of
from gray_kettle.decode.containers import LINK_BARE, LINK_RADIOTAP, PacketBlock
from gray_kettle.decode.elements import Elements
from gray_kettle.decode.radiotap import Reception
from gray_kettle.records import (
    LATEST_S,
    Announcement,
    FloatArray,
    IntArray,
    Listening,
    Piece,
    Sightings,
    Traffic,
)

MANAGEMENT, CONTROL, DATA = 0, 1, 2
BEACON, PROBE_RESPONSE = 8, 5
LINKS = {LINK_RADIOTAP: "radiotap", LINK_BARE: "bare 802.11"}
_HEADER_BYTES = 24
_FCS_BYTES = 4
_REACH_HZ = 30e6  # a frame decodes at most this far from its own primary
_MOST_ANNOUNCEMENTS = 50_000  # distinct ones kept in memory: a flood of made-up names ends here


def address(number: int) -> str:
    """A 48-bit number as an address: lower case, with colons."""
    return ":".join(f"{number >> shift & 0xFF:02x}" for shift in range(40, -1, -8))


def address_number(text: str) -> int:
    return int(text.replace(":", ""), 16)


@dataclass(frozen=True, eq=False)
class Headers:
    """MAC headers of the usable frames of a block; addresses are 48-bit numbers, 0 where there is none."""

    rows: IntArray  # which packets of the block
    kind: IntArray
    subtype: IntArray
    retry: NDArray[np.bool_]
    transmitter: IntArray
    bssid: IntArray


class CaptureReader:
    """Turns packet blocks into pieces; keeps what it has parsed, so that each distinct beacon is parsed once."""

    def __init__(self) -> None:
        self._by_body: dict[tuple[int, float, bytes], tuple[Announcement, Load | None] | None] = {}
        self.unknown_links: dict[int, int] = {}
        self.unplaced = 0  # beacons that tell no channel

    def piece(self, block: PacketBlock) -> Piece:
        """Decode one block. Indices in the piece's sightings point into the piece's own announcements."""
        if block.link_type not in LINKS:
            count = len(block.starts)
            self.unknown_links[block.link_type] = self.unknown_links.get(block.link_type, 0) + count
            return Piece(skipped=count, bytes_read=block.bytes_read)
        heard = radiotap.decode(block) if block.link_type == LINK_RADIOTAP else radiotap.bare(block)
        headers = _headers(block, heard)
        usable = len(headers.rows)
        announcements, sightings = self._sightings(block, heard, headers)
        return Piece(
            announcements=announcements,
            sightings=sightings,
            traffic=_traffic(block, heard, headers),
            listening=_listening(block, heard, headers),
            records=usable,
            skipped=len(block.starts) - usable,
            bytes_read=block.bytes_read,
        )

    def _sightings(
        self, block: PacketBlock, heard: Reception, headers: Headers
    ) -> tuple[tuple[Announcement, ...], Sightings]:
        wanted = (headers.kind == MANAGEMENT) & np.isin(headers.subtype, (BEACON, PROBE_RESPONSE))
        chosen = np.flatnonzero(wanted)
        index: dict[Announcement, int] = {}
        rows: list[tuple[int, int, float, float]] = []  # header row, announcement, load, stations
        view = block.data
        for k in chosen:
            row = headers.rows[k]
            start = int(heard.frame_starts[row]) + _HEADER_BYTES
            end = int(heard.frame_starts[row] + heard.frame_lengths[row])
            if end - start < FIXED_BYTES:
                continue
            body = view[start:end].tobytes()
            is_beacon = bool(headers.subtype[k] == BEACON)
            found = self._announcement(int(headers.bssid[k]), body, float(heard.channel_hz[row]), is_beacon)
            if found is None:
                self.unplaced += 1
                continue
            announcement, load = found
            number = index.setdefault(announcement, len(index))
            rows.append(
                (int(k), number, load.utilisation if load else np.nan, load.stations if load else np.nan)
            )
        primary_hz = np.array([a.channel.primary_hz for a in index])
        return tuple(index), _tally_sightings(block, heard, headers, rows, primary_hz)

    def _announcement(
        self, bssid: int, body: bytes, receiver_hz: float, is_beacon: bool
    ) -> tuple[Announcement, Load | None] | None:
        key = (bssid, receiver_hz, body[8:])  # all but the timestamp
        if key in self._by_body:
            return self._by_body[key]
        found = Elements.read(body, FIXED_BYTES)
        length = _HEADER_BYTES + len(body) + _FCS_BYTES if is_beacon else 0
        announcement = describe(address(bssid), body, found, receiver_hz, length)
        result = None if announcement is None else (announcement, load_of(found))
        if len(self._by_body) >= _MOST_ANNOUNCEMENTS:
            self._by_body.clear()
        self._by_body[key] = result
        return result


def _tally_sightings(
    block: PacketBlock,
    heard: Reception,
    headers: Headers,
    rows: list[tuple[int, int, float, float]],
    primary_hz: FloatArray,
) -> Sightings:
    """One row an announcement, receiver channel and second."""
    if not rows:
        return Sightings.empty()
    table = np.array(rows, dtype=np.float64)
    k = table[:, 0].astype(np.int64)
    packets = headers.rows[k]
    second = np.floor(block.times_s[packets])
    keys = np.column_stack([table[:, 1], second, _no_nan(heard.channel_hz[packets])])
    groups, which = np.unique(keys, axis=0, return_inverse=True)
    which, n = which.reshape(-1), len(groups)
    signal = heard.signal_dbm[packets]
    number = groups[:, 0].astype(np.int64)
    # A frame does not carry this far beside its channel: then the place that the receiver told is not its own.
    near = np.abs(groups[:, 2] - primary_hz[number]) <= _REACH_HZ
    return Sightings(
        announcement=number,
        time_s=groups[:, 1],
        receiver_hz=np.where(near, groups[:, 2], np.nan),
        level_mw=_sums(which, n, np.where(np.isnan(signal), 0.0, 10 ** (signal / 10))),
        levels=_sums(which, n, ~np.isnan(signal)).astype(np.int64),
        noise_dbm=_means(which, n, heard.noise_dbm[packets]),
        load_utilisation=_means(which, n, table[:, 2]),
        load_stations=_means(which, n, table[:, 3]),
        frames=_sums(which, n, np.ones(len(k))).astype(np.int64),
        beacons=_sums(which, n, headers.subtype[k] == BEACON).astype(np.int64),
        retries=_sums(which, n, headers.retry[k]).astype(np.int64),
        spot=np.zeros(n, np.int64),
    )


def _traffic(block: PacketBlock, heard: Reception, headers: Headers) -> Traffic:
    """All frames, tallied by second, receiver channel, BSSID and transmitter."""
    packets = headers.rows
    if not len(packets):
        return Traffic.empty()
    second = np.floor(block.times_s[packets]).astype(np.int64)
    channel = _no_nan(heard.channel_hz[packets]).astype(np.int64)
    keys = np.column_stack([second, channel, headers.bssid, headers.transmitter])
    groups, which = np.unique(keys, axis=0, return_inverse=True)
    which, n = which.reshape(-1), len(groups)
    signal = heard.signal_dbm[packets]
    airtime = _airtime_s(heard, packets)
    return Traffic(
        second=groups[:, 0],
        receiver_hz=np.where(groups[:, 1] > 0, groups[:, 1], np.nan).astype(np.float64),
        bssid=groups[:, 2],
        transmitter=groups[:, 3],
        frames=_sums(which, n, np.ones(len(packets))).astype(np.int64),
        retries=_sums(which, n, headers.retry).astype(np.int64),
        octets=_sums(which, n, heard.sent_lengths[packets]).astype(np.int64),
        airtime_s=_sums(which, n, np.nan_to_num(airtime)),
        level_mw=_sums(which, n, np.where(np.isnan(signal), 0.0, 10 ** (signal / 10))),
        levels=_sums(which, n, ~np.isnan(signal)).astype(np.int64),
        spot=np.zeros(n, np.int64),
    )


def _airtime_s(heard: Reception, packets: IntArray) -> FloatArray:
    """Duration of each frame; NaN where the receiver did not tell its rate."""
    length = heard.sent_lengths[packets] + _FCS_BYTES
    low_band = heard.channel_hz[packets] < 3e9
    duration = legacy_airtime_s(length, heard.rate_mbps[packets], low_band)
    for has, raw, read in (
        (heard.has_mcs, heard.mcs, _ht_scheme),
        (heard.has_vht, heard.vht, _vht_scheme),
    ):
        rows = np.flatnonzero(has[packets])
        if not len(rows):
            continue
        kinds, which = np.unique(raw[packets[rows]], axis=0, return_inverse=True)
        for number, kind in enumerate(kinds):
            same = rows[which.reshape(-1) == number]
            duration[same] = read(kind, length[same])
    return duration


def _ht_scheme(field: NDArray[np.uint8], length: IntArray) -> FloatArray:
    """Radiotap MCS field: known, flags, index (0 to 31 count streams and schemes together)."""
    known, flags, index = (int(x) for x in field)
    if not known & 0x02 or index > 31:
        return np.full(len(length), np.nan)
    width = 40 if known & 0x01 and flags & 3 == 1 else 20
    return ht_airtime_s(length, index % 8, width, index // 8 + 1, bool(known & 0x04 and flags & 0x04))


def _vht_scheme(field: NDArray[np.uint8], length: IntArray) -> FloatArray:
    """Radiotap VHT field, first user: bandwidth at byte 3, scheme and streams at byte 4."""
    scheme, streams = int(field[4]) >> 4, int(field[4]) & 15
    width_code = int(field[3]) & 31
    width = 20 if width_code == 0 else 40 if width_code <= 3 else 80 if width_code <= 10 else 160
    if streams == 0 or scheme > 9:
        return np.full(len(length), np.nan)
    return vht_airtime_s(length, scheme, width, streams, bool(field[2] & 0x04))


def _listening(block: PacketBlock, heard: Reception, headers: Headers) -> Listening:
    """Runs of frames on one channel, in order of time."""
    packets = headers.rows[~np.isnan(heard.channel_hz[headers.rows])]
    if not len(packets):
        return Listening.empty()
    order = np.argsort(block.times_s[packets], kind="stable")
    time_s, channel = block.times_s[packets][order], heard.channel_hz[packets][order]
    # A silence of seconds is a break in listening as much as a change of channel is.
    breaks = np.flatnonzero((np.diff(channel) != 0) | (np.diff(time_s) > 2.0)) + 1
    first, last = np.concatenate([[0], breaks]), np.concatenate([breaks, [len(channel)]]) - 1
    return Listening(time_s[first], time_s[last], channel[first], np.zeros(len(first), np.int64))


def _headers(block: PacketBlock, heard: Reception) -> Headers:
    in_time = (block.times_s >= 0) & (block.times_s < LATEST_S)
    rows = np.flatnonzero(heard.usable & in_time)
    start, length = heard.frame_starts[rows], heard.frame_lengths[rows]
    control = block.data[start].astype(np.int64)
    flags = block.data[start + 1].astype(np.int64)
    good = control & 3 == 0  # protocol version 0
    rows, start, length = rows[good], start[good], length[good]
    control, flags = control[good], flags[good]
    kind, subtype = control >> 2 & 3, control >> 4
    first, second, third = (_addresses(block.data, start, length, at) for at in (4, 10, 16))
    to_ds, from_ds = flags & 1 == 1, flags & 2 == 2
    bssid = np.where(kind == MANAGEMENT, third, 0)
    in_data = kind == DATA
    bssid = np.where(in_data & ~to_ds & ~from_ds, third, bssid)
    bssid = np.where(in_data & ~to_ds & from_ds, second, bssid)
    bssid = np.where(in_data & to_ds & ~from_ds, first, bssid)
    # CTS and ACK carry no sender.
    nameless = (kind == CONTROL) & np.isin(subtype, (12, 13))
    return Headers(rows, kind, subtype, flags & 8 == 8, np.where(nameless, 0, second), bssid)


def _addresses(data: NDArray[np.uint8], start: IntArray, length: IntArray, at: int) -> IntArray:
    there = length >= at + 6
    places = np.where(there, start, 0)[:, None] + at + np.arange(6)
    octets = data[np.minimum(places, len(data) - 1)].astype(np.int64)
    return np.where(there, octets @ (1 << np.arange(40, -1, -8)), 0)


def _no_nan(values: FloatArray) -> FloatArray:
    return np.where(np.isnan(values), 0.0, values)


def _sums(which: IntArray, n: int, values: NDArray[np.generic]) -> FloatArray:
    return np.asarray(np.bincount(which, weights=values.astype(np.float64), minlength=n), dtype=np.float64)


def _means(which: IntArray, n: int, values: FloatArray) -> FloatArray:
    there = ~np.isnan(values)
    counts = _sums(which, n, there)
    with np.errstate(invalid="ignore"):
        return _sums(which, n, np.where(there, values, 0.0)) / np.where(counts, counts, np.nan)
