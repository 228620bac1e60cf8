"""pcapng files: sections of either byte order, many interfaces, each with its own link and time.

Source: the IETF draft "PCAP Now Generic (pcapng) Capture File Format".
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files.block import (
    LARGEST_PACKET,
    MOST_PACKETS,
    SECTION,
    ByteReader,
    PacketBlock,
    Stretch,
    gathered,
)
from gray_kettle.decode.capture_files.record_walk import follow, windows
from gray_kettle.decode.errors import DecodeError
from gray_kettle.model.records import IntArray

_INTERFACE, _OLD_PACKET, _SIMPLE, _ENHANCED = 1, 2, 3, 6
_HEADER_BYTES = 12  # kind, length, and the length again behind the content
_PACKET_BYTES = 32


@dataclass(frozen=True)
class _Interface:
    link: int
    snap_bytes: int = 0
    tick_s: float = 1e-6
    offset_s: int = 0
    fcs_octets: int = 0


class _Blocks:
    """Blocks of one byte order in an interval. The chain stops before the next section: its order is its own."""

    header_bytes = _HEADER_BYTES

    def __init__(self, data: NDArray[np.uint8], order: str) -> None:
        self.data, self.end = data, len(data)
        self.order = order
        self.words = np.ndarray((max(len(data) - 3, 0),), order + "u4", buffer=data, strides=(1,))
        self.two = struct.Struct(order + "II")
        (self.section,) = struct.unpack(order + "I", SECTION)

    def lengths(self, places: IntArray) -> IntArray:
        kinds, lengths = self.words[places], self.words[places + 4].astype(np.int64)
        good = (lengths >= _HEADER_BYTES) & (lengths & 3 == 0) & (lengths <= LARGEST_PACKET)
        return np.where(good & (kinds != self.section), lengths, 0)

    def length(self, place: int) -> int:
        kind, length = self.two.unpack_from(self.data.data, place)
        good = _HEADER_BYTES <= length <= LARGEST_PACKET and not length & 3 and kind != self.section
        return int(length) if good else 0

    def candidates(self, starts: IntArray, count: int) -> IntArray:
        """By the kind of an enhanced packet block, at every fourth byte."""
        lowest = 0 if self.order == "<" else 3
        one, other = (windows(self.data, starts + at, count) for at in (lowest, 3 - lowest))
        found = np.flatnonzero((one[:, ::4] == _ENHANCED) & (other[:, ::4] == 0))
        row, column = np.divmod(found, count // 4)
        return np.asarray(starts[row] + 4 * column)

    def likely(self, places: IntArray) -> NDArray[np.bool_]:
        lengths = self.lengths(places)
        closing = np.clip(places + lengths, 4, self.end) - 4
        good: NDArray[np.bool_] = (self.words[places] == _ENHANCED) & (lengths >= _PACKET_BYTES)
        good &= self.words[closing] == lengths
        return good


def iter_pcapng(file: ByteReader) -> Iterator[PacketBlock]:
    """Blocks of a pcapng file. Raises: DecodeError at damage, after all that came before it was given."""
    stretch = Stretch(file)
    order = "<"
    interfaces: list[_Interface] = []
    while stretch.need(_HEADER_BYTES):
        in_section_header = stretch.starts_with(SECTION)
        if in_section_header:
            order, interfaces = _section_order(stretch), []
        else:
            blocks = _Blocks(stretch.data, order)
            starts, stopped = follow(stretch.at, blocks)
            for k in range(0, len(starts), MOST_PACKETS):
                yield from _packets(stretch, blocks, starts[k : k + MOST_PACKETS], interfaces)
            stretch.at = stopped
            if stretch.left < _HEADER_BYTES or stretch.starts_with(SECTION):
                continue
        (length,) = struct.unpack_from(order + "I", stretch.data.data, stretch.at + 4)
        if length < _HEADER_BYTES or length & 3 or length > LARGEST_PACKET:
            raise DecodeError(f"A block header states a length of {length:,} bytes", stretch.offset)
        if not stretch.need(length):
            raise DecodeError("The capture stops in the middle of a block", stretch.offset)
        if in_section_header:
            stretch.at += length
    if stretch.left:
        raise DecodeError("The capture stops within a block header", stretch.offset)


def _section_order(stretch: Stretch) -> str:
    orders = {b"\x4d\x3c\x2b\x1a": "<", b"\x1a\x2b\x3c\x4d": ">"}
    order = orders.get(stretch.data[stretch.at + 8 : stretch.at + 12].tobytes())
    if order is None:
        raise DecodeError("A section header has no byte-order mark", stretch.offset)
    return order


def _packets(
    stretch: Stretch, blocks: _Blocks, starts: IntArray, interfaces: list[_Interface]
) -> Iterator[PacketBlock]:
    """Packets among the blocks of an interval, one packet block a link type; new interfaces join the list."""
    kinds = blocks.words[starts].astype(np.int64)
    lengths = blocks.words[starts + 4].astype(np.int64)
    trouble = len(starts), ""  # the first block that cannot be what it says, and why
    closing = blocks.words[starts + lengths - 4]
    if len(wrong := np.flatnonzero(closing != lengths)):
        trouble = int(wrong[0]), "The two length fields of a block differ"
    known_before = np.full(len(starts), len(interfaces))
    for k in np.flatnonzero((kinds == _INTERFACE) & (lengths >= 20)):
        content = stretch.data[starts[k] + 8 : starts[k] + lengths[k] - 4].tobytes()
        interfaces.append(_interface(blocks.order, content))
        known_before[k:] += 1
    enhanced = (kinds == _ENHANCED) & (lengths >= _PACKET_BYTES)
    old = (kinds == _OLD_PACKET) & (lengths >= _PACKET_BYTES)
    simple = (kinds == _SIMPLE) & (lengths >= 16)
    rows = np.flatnonzero(enhanced | old | simple)
    words = gathered(stretch.data, starts[rows] + 8, 20).view(blocks.order + "u4")
    words = words.astype(np.int64)
    is_simple, is_old = simple[rows], old[rows]
    which = np.where(is_simple, 0, words[:, 0])
    # The obsolete packet block has a 16-bit interface number with a count of drops behind it.
    which[is_old] = which[is_old] & 0xFFFF if blocks.order == "<" else which[is_old] >> 16
    sent = np.where(is_simple, words[:, 0], words[:, 4])
    room = lengths[rows] - np.where(is_simple, 16, _PACKET_BYTES)
    snap = np.array([i.snap_bytes for i in interfaces] or [0])
    limit = np.minimum(room, snap[0]) if snap[0] else room
    captured = np.where(is_simple, np.minimum(sent, limit), words[:, 3])
    for bad, why in (
        (which >= known_before[rows], "A packet refers to an interface that was not described"),
        (captured > room, "A packet is longer than its block"),
    ):
        if len(wrong := np.flatnonzero(bad)) and rows[wrong[0]] < trouble[0]:
            trouble = int(rows[wrong[0]]), why
    kept = rows < trouble[0]
    rows, words, which, is_simple = rows[kept], words[kept], which[kept], is_simple[kept]
    if len(rows):
        tick_s, offset_s, links, fcs = (
            np.array([getattr(i, name) for i in interfaces])[which]
            for name in ("tick_s", "offset_s", "link", "fcs_octets")
        )
        ticks = words[:, 1].astype(np.float64) * 2.0**32 + words[:, 2]
        times_s = np.where(is_simple, np.nan, offset_s + ticks * tick_s)
        places = starts[rows] + np.where(is_simple, 12, 28)
        data = stretch.data
        columns = (places, captured[kept], np.maximum(sent[kept], captured[kept]))
        for link, octets in sorted(set(zip(links.tolist(), fcs.tolist(), strict=True))):
            of = np.flatnonzero((links == link) & (fcs == octets))
            a, b, c = [column[of] for column in columns]
            yield PacketBlock(data, a, b, c, times_s[of], link, stretch.base, octets)
    if trouble[1]:
        raise DecodeError(trouble[1], stretch.base + int(starts[trouble[0]]))


def _interface(order: str, content: bytes) -> _Interface:
    """content: of an interface description block, link type first."""
    link, _, snap_bytes = struct.unpack_from(order + "HHI", content)
    tick_s, offset_s, fcs_octets = 1e-6, 0, 0
    at = 8
    while at + 4 <= len(content):
        code, size = struct.unpack_from(order + "HH", content, at)
        value = content[at + 4 : at + 4 + size]
        if code == 0:
            break
        if code == 9 and len(value) == 1:  # time resolution
            exponent = value[0] & 0x7F
            tick_s = 2.0**-exponent if value[0] & 0x80 else 10.0**-exponent
        elif code == 13 and len(value) == 1:  # length of the checksum
            fcs_octets = min(value[0], 4)
        elif code == 14 and len(value) == 8:  # time offset
            (offset_s,) = struct.unpack(order + "q", value)
        at += 4 + size + (-size % 4)
    return _Interface(link, snap_bytes, tick_s, offset_s, fcs_octets)
