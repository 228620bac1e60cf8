"""Scan answers of the Linux kernel, as a netlink socket gives them, to sightings.

Source: the public kernel headers netlink.h, genetlink.h and nl80211.h (message and attribute layout, numbers of the
command and of the attributes of a BSS). A message: length, type, flags, sequence, port; then command and version;
then attributes, each with length and type, filled up to four bytes.
"""

import math
import struct
from collections.abc import Generator, Iterator
from dataclasses import dataclass

import numpy as np

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_files.block import ByteReader
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.beacon import describe
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.dot11.mac_headers import address
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.model.records import Piece

LINK = 253
_COOKED_BYTES = 16  # before each message in a capture of an nlmon device
HEADER_BYTES, GENERIC_BYTES = 16, 4
_NEW_SCAN_RESULTS = 34
_LARGEST = 1 << 20
_FIRST_FAMILY = 16  # smaller types are netlink's own: done, error, nothing
_ATTRIBUTE_TYPE = 0x3FFF  # above it: nested, and byte order
_BSS = 47
_BSSID, _FREQUENCY, _INTERVAL, _CAPABILITY, _ELEMENTS, _SIGNAL_MBM, _SIGNAL_UNSPEC, _SEEN_MS, _BEACON_ELEMENTS = (
    1, 2, 4, 5, 6, 7, 8, 10, 11,
)  # fmt: skip


@dataclass(frozen=True)
class Order:
    """Byte order of the machine that wrote the messages."""

    sign: str

    def words(self, raw: bytes) -> int:
        return int.from_bytes(raw, "little" if self.sign == "<" else "big")


def order_of(head: bytes) -> str | None:
    """ "<" or ">" where the bytes begin with netlink messages that hold a scan answer; None for anything else."""
    for sign in "<>":
        at, seen = 0, 0
        while at + HEADER_BYTES <= len(head):
            length, kind = struct.unpack_from(sign + "IH", head, at)
            if not HEADER_BYTES <= length <= _LARGEST or (kind < _FIRST_FAMILY and kind > 4):
                break  # damage: what was seen before it counts
            if kind >= _FIRST_FAMILY and at + HEADER_BYTES < len(head):
                seen += head[at + HEADER_BYTES] == _NEW_SCAN_RESULTS
            at += length + -length % 4
        if seen:
            return sign
    return None


class ScanAnswers:
    """Gathers the answers of one input."""

    def __init__(self) -> None:
        self._rows = ScanRows()
        self._dump: tuple[int, float] | None = None  # sequence number and time of the scan being read

    def pieces(self, file: ByteReader, head: bytes, time_s: float) -> Generator[Piece]:
        """Messages one behind the other, all of them of one time. Raises: DecodeError at damage, after a last piece."""
        order = Order(order_of(head) or "<")
        data, offset = b"", 0
        while True:
            room = np.empty(1 << 20, np.uint8)
            count = file.readinto(room) or 0
            data += room[:count].tobytes()
            try:
                used = self._messages(data, order, time_s, offset, last=not count)
            except DecodeError:
                yield self._rows.piece()
                raise
            data, offset = data[used:], offset + used
            if not count or len(self._rows) >= BATCH:
                yield self._rows.piece()
            if not count:
                return

    def piece(self, block: PacketBlock) -> Piece:
        """The messages in packets of a capture."""
        for start, length, time_s in zip(block.starts, block.lengths, block.times_s, strict=True):
            raw = block.data[start + _COOKED_BYTES : start + length].tobytes()
            sign = order_of(raw)
            if sign is None or math.isnan(time_s):
                continue
            try:
                self._messages(raw, Order(sign), float(time_s), block.offset + int(start), last=False)
            except DecodeError:  # of this packet; the next one begins anew
                self._rows.skipped += 1
        return self._rows.piece()

    def answer(self, raw: bytes, order: Order, time_s: float) -> Piece:
        """A whole answer to one request, of one scan even where nobody was heard. Raises: DecodeError."""
        self._messages(raw, order, time_s, 0, last=True)
        self._rows.scans = 1
        return self._rows.piece()

    def _messages(self, data: bytes, order: Order, time_s: float, offset: int, *, last: bool) -> int:
        at = 0
        while at + HEADER_BYTES <= len(data):
            length, kind, _, sequence = struct.unpack_from(order.sign + "IHHI", data, at)
            if not HEADER_BYTES <= length <= _LARGEST:
                raise DecodeError(f"A message header states a length of {length:,} bytes", offset + at)
            if at + length > len(data):
                break
            body = data[at + HEADER_BYTES : at + length]
            if kind >= _FIRST_FAMILY and body[:1] == bytes([_NEW_SCAN_RESULTS]):
                if self._dump != (sequence, time_s):
                    self._dump = (sequence, time_s)
                    self._rows.scans += 1
                self._scan_result(body[GENERIC_BYTES:], order, time_s)
            at += length + -length % 4
        if last and at < len(data):
            raise DecodeError("The messages stop in the middle of one", offset + at)
        return min(at, len(data))

    def _scan_result(self, body: bytes, order: Order, time_s: float) -> None:
        bss = dict(attributes(dict(attributes(body, order)).get(_BSS, b""), order))
        bssid, mhz = bss.get(_BSSID, b""), order.words(bss.get(_FREQUENCY, b""))
        raw = max(bss.get(_ELEMENTS, b""), bss.get(_BEACON_ELEMENTS, b""), key=len)
        if len(bssid) != 6 or not mhz:
            self._rows.skipped += 1
            return
        found = Elements.read(raw)
        interval, capability = (order.words(bss.get(n, b"")) for n in (_INTERVAL, _CAPABILITY))
        number = int.from_bytes(bssid)
        announced = describe(address(number), interval, capability, found, mhz * 1e6, 0)
        if announced is None:
            self._rows.skipped += 1
            return
        signal = bss.get(_SIGNAL_MBM)
        level_dbm, estimated = math.nan, False
        if signal is not None and len(signal) == 4:
            level_dbm = struct.unpack(order.sign + "i", signal)[0] / 100
        elif bss.get(_SIGNAL_UNSPEC):  # a share of 100 of nothing in particular
            level_dbm, estimated = bss[_SIGNAL_UNSPEC][0] / 2 - 100, True
        seen_s = min(order.words(bss.get(_SEEN_MS, b"")), 60_000) / 1000
        load = found.get(el.BSS_LOAD, 3)
        self._rows.add(
            announced,
            time_s - seen_s,
            level_dbm if -150 <= level_dbm <= 30 else math.nan,
            estimated=estimated,
            busy=load[2] / 255 if load else math.nan,
            stations=float(int.from_bytes(load[:2], "little")) if load else math.nan,
        )


def attributes(raw: bytes, order: Order) -> Iterator[tuple[int, bytes]]:
    """(type, content); ends quietly where one is cut short."""
    at = 0
    while at + 4 <= len(raw):
        length, kind = struct.unpack_from(order.sign + "HH", raw, at)
        if length < 4 or at + length > len(raw):
            return
        yield kind & _ATTRIBUTE_TYPE, raw[at + 4 : at + length]
        at += length + -length % 4
