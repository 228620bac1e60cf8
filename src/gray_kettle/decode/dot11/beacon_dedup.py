"""Beacons and probe responses of a block to sightings.

A radio sends the same beacon ten times a second but for its clock, its traffic map and its load. Each distinct one
is parsed once; all others are recognised as the same by comparing the octets that matter, many frames at once.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import Reception
from gray_kettle.decode.dot11 import ap_info, multi_bssid, security
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.beacon import describe
from gray_kettle.decode.dot11.elements import Elements, iter_elements
from gray_kettle.decode.dot11.mac_headers import (
    BEACON,
    MANAGEMENT,
    MANAGEMENT_HEADER,
    PROBE_RESPONSE,
    Headers,
    address,
)
from gray_kettle.decode.dot11.sum_by_key import Groups
from gray_kettle.decode.dot11.traffic_counters import FCS_BYTES, hertz, milliwatts, told_or_nan
from gray_kettle.model.records import Announcement, FloatArray, IntArray, Sightings

FIXED_BYTES = 12  # timestamp, interval, capabilities
_REACH_HZ = 30e6  # a frame decodes at most this far from its own primary
_SIZES = (512, 2304)  # octets of bodies that are compared together
_MOST_KEPT = 16_384  # distinct bodies: a flood of made-up ones ends here
_MOST_COMPARED = 16  # forms of one radio and length that are compared
_SHORTEST_MAP = 4  # octets of a traffic map for no one
# Elements that are read, and how many of their first octets; what else they hold may change.
_READ: dict[int, int] = {
    el.SSID: 255,
    el.RATES: 255,
    el.DS: 1,
    el.COUNTRY: 255,
    el.POWER_CONSTRAINT: 1,
    el.TPC_REPORT: 1,
    el.CHANNEL_SWITCH: 2,
    el.HT_CAPABILITIES: 255,
    el.RSN: 255,
    el.MORE_RATES: 255,
    el.MOBILITY_DOMAIN: 255,
    el.EXTENDED_CHANNEL_SWITCH: 3,
    el.HT_OPERATION: 2,
    el.RADIO_CAPABILITIES: 255,
    el.MULTIPLE_BSSID: 255,
    el.EXTENDED_CAPABILITIES: 255,
    el.AP_NAME_CCX: 255,
    el.VHT_CAPABILITIES: 255,
    el.VHT_OPERATION: 3,
    el.REDUCED_NEIGHBOURS: 255,
    el.HE_CAPABILITIES: 255,
    el.HE_OPERATION: 255,
    el.EHT_OPERATION: 255,
    el.EHT_CAPABILITIES: 255,
    el.MULTI_LINK: 255,
}
_READ_OF_VENDORS = (
    security.VENDOR_WPA,
    ap_info.SIMPLE_CONFIG,
    *(prefix for prefix, _ in ap_info.NAME_ELEMENTS),
)


Found = tuple[IntArray, IntArray, FloatArray, FloatArray]  # rows, announcement, load, stations
Key = tuple[int, int, int, bool]  # BSSID, octets of the body, receiver's channel in MHz, whether a beacon


@dataclass(frozen=True, eq=False)
class _Form:
    """One distinct body: the octets that matter in it, what they announce, and where its load is."""

    octets: NDArray[np.uint8]
    matters: NDArray[np.uint8]
    announced: tuple[Announcement, ...]
    load_at: int


class _Shelf:
    """Forms up to one size, side by side, so that many bodies are compared with theirs at once."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.clear()

    def clear(self) -> None:
        self.octets = np.zeros((64, self.size // 8), np.uint64)
        self.matters = np.zeros((64, self.size // 8), np.uint64)
        self.load_at = np.zeros(64, np.int64)
        self.announced: list[tuple[Announcement, ...]] = []
        self.of_key: dict[Key, list[int]] = {}

    def add(self, key: Key, form: _Form) -> int:
        number = len(self.announced)
        if number == len(self.load_at):
            self.octets, self.matters, self.load_at = (
                np.concatenate([a, np.zeros_like(a)]) for a in (self.octets, self.matters, self.load_at)
            )
        for column, values in ((self.octets, form.octets), (self.matters, form.matters)):
            column[number].view(np.uint8)[: len(values)] = values
        self.load_at[number] = form.load_at
        self.announced.append(form.announced)
        self.of_key.setdefault(key, []).append(number)
        return number

    def forms_of(self, keys: list[Key], group: IntArray, bodies: NDArray[np.uint8]) -> IntArray:
        """Number of the form of each body; group: which of the keys it has. New forms join the shelf."""
        words = bodies.view(np.uint64)
        if len(self.announced) > _MOST_KEPT:
            self.clear()
        form = np.full(len(bodies), -1)
        left = np.arange(len(bodies))
        candidate = np.zeros(len(keys), np.int64)
        for attempt in range(_MOST_COMPARED):
            if not len(left):
                return form
            present, first = np.unique(group[left], return_index=True)
            for number, row in zip(present.tolist(), left[first].tolist(), strict=True):
                known = self.of_key.get(keys[number], ())
                candidate[number] = (
                    known[attempt] if attempt < len(known) else self._new(keys[number], bodies[row])
                )
            mine = candidate[group[left]]
            same = ~((words[left] ^ self.octets[mine]) & self.matters[mine]).any(axis=1)
            form[left[same]] = mine[same]
            left = left[~same]
        for row in left.tolist():  # none is like another: no use in comparing
            form[row] = self._new(keys[group[row]], bodies[row])
        return form

    def _new(self, key: Key, body: NDArray[np.uint8]) -> int:
        return self.add(key, _parsed(key, body[: key[1]].tobytes()))


class Announcer:
    """Reads the announcements of one capture, block by block."""

    def __init__(self) -> None:
        self._shelves = [_Shelf(size) for size in _SIZES]
        self.unplaced = 0  # announcements that report no channel

    def sightings(
        self, block: PacketBlock, heard: Reception, headers: Headers
    ) -> tuple[tuple[Announcement, ...], Sightings]:
        """Distinct announcements of a block, and one row for each, receiver channel and second."""
        is_beacon = headers.subtype == BEACON
        wanted = np.flatnonzero(
            (headers.kind == MANAGEMENT) & (is_beacon | (headers.subtype == PROBE_RESPONSE))
        )
        packets = headers.rows[wanted]
        end = heard.frame_starts[packets] + heard.frame_lengths[packets]
        body_bytes = np.minimum(end - headers.body_at[wanted], _SIZES[-1])
        index: dict[Announcement, int] = {}
        found: list[Found] = []
        least = FIXED_BYTES
        for shelf in self._shelves:
            chosen = np.flatnonzero((body_bytes >= least) & (body_bytes <= shelf.size))
            least = shelf.size + 1
            if len(chosen):
                columns = (
                    headers.bssid[wanted[chosen]],
                    body_bytes[chosen],
                    heard.channel_mhz[packets[chosen]],
                    is_beacon[wanted[chosen]],
                )
                bodies = block.octets(headers.body_at[wanted[chosen]], shelf.size)
                found += self._read(shelf, columns, bodies, wanted[chosen], index)
        return tuple(index), _tally(block, heard, headers, found, list(index))

    def _read(
        self,
        shelf: _Shelf,
        columns: tuple[IntArray, IntArray, IntArray, NDArray[np.bool_]],
        bodies: NDArray[np.uint8],
        rows: IntArray,
        index: dict[Announcement, int],
    ) -> list[Found]:
        groups = Groups(*columns)
        keys = list(zip(*(c[groups.first].tolist() for c in columns), strict=True))
        form = shelf.forms_of(keys, groups.group_of_row(), bodies)
        load_at = shelf.load_at[form]
        each = np.arange(len(form))
        low, high, busy = (bodies[each, load_at + k].astype(np.float64) for k in range(3))
        load, stations = (np.where(load_at > 0, c, np.nan) for c in (busy / 255, low + 256 * high))
        # Numbers of what the forms announce: one column for most, more where one beacon speaks for several.
        present = np.unique(form).tolist()
        deepest = max((len(shelf.announced[f]) for f in present), default=0)
        number = np.full((max(present) + 1, deepest), -1)
        for f in present:
            for place, announced in enumerate(shelf.announced[f]):
                number[f, place] = index.setdefault(announced, len(index))
        out = []
        for place in range(deepest):
            of_row = number[form, place]
            has = of_row >= 0
            out.append((rows[has], of_row[has], load[has], stations[has]))
        self.unplaced += sum(int((form == f).sum()) for f in present if not shelf.announced[f])
        return out


def _parsed(key: Key, body: bytes) -> _Form:
    bssid, _, channel_mhz, is_beacon = key
    matters = np.zeros(len(body), np.uint8)
    matters[8:10] = 255  # the interval
    matters[10] = 0x10  # of the capabilities whether there is privacy
    load_at, map_bytes = 0, _SHORTEST_MAP
    for number, start, end in iter_elements(body, FIXED_BYTES):
        header_at = start - (3 if number >= 0x100 else 2)
        matters[header_at:start] = 255
        if number == el.VENDOR:
            matters[start : min(start + 5, end)] = 255
            if body[start:end].startswith(_READ_OF_VENDORS):
                matters[start:end] = 255
        else:
            matters[start : min(start + _READ.get(number, 0), end)] = 255
        if number == el.REDUCED_NEIGHBOURS:
            matters[[start + at for at in ap_info.neighbour_offsets(body[start:end])]] = 0
        elif number == el.MULTIPLE_BSSID:
            _clear_dtim_counts(body, matters, start + 1, end)
        elif number == el.BSS_LOAD and end - start >= 3 and not load_at:
            load_at = start
        elif number == el.TIM:
            map_bytes = end - start
    found = Elements.read(body, FIXED_BYTES)
    interval_tu, capabilities = (int.from_bytes(body[at : at + 2], "little") for at in (8, 10))
    receiver_hz = channel_mhz * 1e6 if channel_mhz else float("nan")
    # The length as if no client slept: the map of those who do comes and goes.
    length = MANAGEMENT_HEADER + len(body) + FCS_BYTES - max(map_bytes - _SHORTEST_MAP, 0) if is_beacon else 0
    own = describe(address(bssid), interval_tu, capabilities, found, receiver_hz, length)
    announced = [own]
    for other, other_capabilities, inherited in multi_bssid.unfolded(bssid, found):
        announced.append(
            describe(
                address(other), interval_tu, other_capabilities, inherited, receiver_hz, 0, address(bssid)
            )
        )
    octets = np.frombuffer(body, np.uint8)
    return _Form(octets, matters, tuple(a for a in announced if a is not None), load_at)


def _clear_dtim_counts(body: bytes, matters: NDArray[np.uint8], at: int, end: int) -> None:
    """What counts down within the profiles of a multiple BSSID element does not matter."""
    for number, start, stop in iter_elements(body[:end], at):
        if number != 0:
            continue
        for inner, inner_start, inner_stop in iter_elements(body[:stop], start):
            if inner == el.MULTIPLE_BSSID_INDEX:
                matters[inner_start + 1 : inner_stop] = 0


def _tally(
    block: PacketBlock,
    heard: Reception,
    headers: Headers,
    found: list[Found],
    announced: list[Announcement],
) -> Sightings:
    """One row an announcement, receiver channel and second."""
    if not found:
        return Sightings.empty()
    rows, number, load, stations = (np.concatenate(column) for column in zip(*found, strict=True))
    packets = headers.rows[rows]
    second = np.floor(block.times_s[packets]).astype(np.int64)
    channel = heard.channel_mhz[packets]
    groups = Groups(number, second, channel)
    number = number[groups.first]
    receiver_hz = hertz(channel[groups.first])
    primary_hz = np.array([a.channel.primary_hz for a in announced])[number]
    # A frame does not carry this far beside its channel: then the frequency that the receiver reported is not its own.
    with np.errstate(invalid="ignore"):
        receiver_hz = np.where(np.abs(receiver_hz - primary_hz) <= _REACH_HZ, receiver_hz, np.nan)
    # Those that another one speaks for send no beacons themselves.
    own_beacon = np.array([not a.transmitted_by for a in announced])[number]
    reported = heard.signal_dbm[packets] != 0
    levels, beacons, retries = groups.count(reported, headers.subtype[rows] == BEACON, headers.retry[rows])
    n = len(groups)
    return Sightings(
        announcement=number,
        time_s=second[groups.first].astype(np.float64),
        receiver_hz=receiver_hz,
        level_mw=groups.total(milliwatts(heard, packets)),
        levels=levels,
        noise_dbm=groups.mean(told_or_nan(heard.noise_dbm[packets])),
        load_utilisation=groups.mean(load),
        load_stations=groups.mean(stations),
        frames=groups.counts(),
        beacons=np.where(own_beacon, beacons, 0),
        retries=retries,
        estimated=np.zeros(n, np.int64),
        spot=np.zeros(n, np.int64),
    )
