"""Capture files to blocks of packets: pcap and pcapng, both byte orders, micro- and nanoseconds.

Source: the IETF drafts "PCAP Capture File Format" and "PCAP Now Generic (pcapng)". A packet's bytes are not
copied one by one: a block holds one stretch of the file, and offsets into it.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.errors import DecodeError
from gray_kettle.records import FloatArray, IntArray

BLOCK_PACKETS = 20_000
READ_BYTES = 4 << 20
LARGEST_PACKET = 1 << 24  # more is a length that lies
LINK_RADIOTAP, LINK_BARE = 127, 105
_PCAP_MAGICS = {
    b"\xd4\xc3\xb2\xa1": ("<", 1e-6),
    b"\xa1\xb2\xc3\xd4": (">", 1e-6),
    b"\x4d\x3c\xb2\xa1": ("<", 1e-9),
    b"\xa1\xb2\x3c\x4d": (">", 1e-9),
}
_SECTION = b"\x0a\x0d\x0d\x0a"


@dataclass(frozen=True, eq=False)
class PacketBlock:
    """Packets of one link type: packet k is data[starts[k] : starts[k] + lengths[k]]."""

    data: NDArray[np.uint8]
    starts: IntArray
    lengths: IntArray  # as captured
    sent_lengths: IntArray  # as on the air: captures may keep only the beginning of a packet
    times_s: FloatArray
    link_type: int
    bytes_read: int  # of the file, up to and including this block


def is_capture(head: bytes) -> str | None:
    """ "pcap" or "pcapng", told by the first four bytes; None for anything else."""
    if head[:4] in _PCAP_MAGICS:
        return "pcap"
    return "pcapng" if head[:4] == _SECTION else None


class _Stretch:
    """The part of the file in memory, and where in the file it begins."""

    def __init__(self, file: BinaryIO) -> None:
        self.file = file
        self.data = b""
        self.at = 0  # next byte to read, within data
        self.base = 0  # offset of data[0] in the file

    def need(self, count: int) -> bool:
        """Make count bytes available from `at`; False when the file ends before."""
        while len(self.data) - self.at < count:
            more = self.file.read(max(READ_BYTES, count - (len(self.data) - self.at)))
            if not more:
                return False
            self.base += self.at
            self.data = self.data[self.at :] + more
            self.at = 0
        return True

    @property
    def offset(self) -> int:
        return self.base + self.at


class _Gathering:
    """Packets on their way into a block. Starts count within the current stretch."""

    def __init__(self) -> None:
        self.starts: list[int] = []
        self.lengths: list[int] = []
        self.sent: list[int] = []
        self.times: list[float] = []
        self.links: list[int] = []

    def add(self, start: int, length: int, sent: int, time_s: float, link: int) -> None:
        self.starts.append(start)
        self.lengths.append(length)
        self.sent.append(max(sent, length))
        self.times.append(time_s)
        self.links.append(link)

    def blocks(self, stretch: _Stretch) -> Iterator[PacketBlock]:
        """What was gathered, one block a link type, and begin anew."""
        if not self.starts:
            return
        data = np.frombuffer(stretch.data, dtype=np.uint8)
        links = np.array(self.links)
        columns = (np.array(self.starts), np.array(self.lengths), np.array(self.sent), np.array(self.times))
        for link in np.unique(links):
            chosen = links == link
            kept = [column[chosen] for column in columns]
            yield PacketBlock(data, kept[0], kept[1], kept[2], kept[3], int(link), stretch.offset)
        self.__init__()  # type: ignore[misc]


def iter_pcap(file: BinaryIO) -> Iterator[PacketBlock]:
    """Blocks of a pcap file. Raises: DecodeError at damage, after all that came before it was given."""
    stretch, found = _Stretch(file), _Gathering()
    if not stretch.need(24):
        raise DecodeError("The capture ends within its file header", len(stretch.data))
    order, tick_s = _PCAP_MAGICS[stretch.data[:4]]
    (link,) = struct.unpack_from(order + "I", stretch.data, 20)
    link &= 0x0FFF_FFFF  # the upper bits tell of the FCS
    stretch.at = 24
    header = struct.Struct(order + "IIII")
    while True:
        at = stretch.at
        if len(found.starts) >= BLOCK_PACKETS or len(stretch.data) - at < 16:
            yield from found.blocks(stretch)
            if not stretch.need(1):
                return
            if not stretch.need(16):
                raise DecodeError("The capture stops within a packet header", stretch.offset)
            at = stretch.at
        seconds, fraction, length, sent = header.unpack_from(stretch.data, at)
        if length > LARGEST_PACKET:
            yield from found.blocks(stretch)
            raise DecodeError(f"A packet claims {length:,} bytes", stretch.offset)
        if len(stretch.data) - at - 16 < length:
            yield from found.blocks(stretch)
            if not stretch.need(16 + length):
                raise DecodeError("The capture stops in the middle of a packet", stretch.offset)
            at = stretch.at
        found.add(at + 16, length, sent, seconds + fraction * tick_s, link)
        stretch.at = at + 16 + length


@dataclass
class _Interface:
    link: int
    tick_s: float = 1e-6
    offset_s: int = 0


def iter_pcapng(file: BinaryIO) -> Iterator[PacketBlock]:
    """Blocks of a pcapng file. Raises: DecodeError at damage, after all that came before it was given."""
    stretch, found = _Stretch(file), _Gathering()
    order = "<"
    interfaces: list[_Interface] = []
    while True:
        if len(found.starts) >= BLOCK_PACKETS or len(stretch.data) - stretch.at < 12:
            yield from found.blocks(stretch)
            if not stretch.need(1):
                return
            if not stretch.need(12):
                raise DecodeError("The capture stops within a block header", stretch.offset)
        kind = stretch.data[stretch.at : stretch.at + 4]
        if kind == _SECTION:
            mark = stretch.data[stretch.at + 8 : stretch.at + 12]
            if mark not in (b"\x4d\x3c\x2b\x1a", b"\x1a\x2b\x3c\x4d"):
                yield from found.blocks(stretch)
                raise DecodeError("A section header has no byte-order mark", stretch.offset)
            order = "<" if mark == b"\x4d\x3c\x2b\x1a" else ">"
            interfaces = []
        (length,) = struct.unpack_from(order + "I", stretch.data, stretch.at + 4)
        if length < 12 or length % 4 or length > LARGEST_PACKET:
            yield from found.blocks(stretch)
            raise DecodeError(f"A block claims a length of {length:,} bytes", stretch.offset)
        if len(stretch.data) - stretch.at < length:
            yield from found.blocks(stretch)
            if not stretch.need(length):
                raise DecodeError("The capture stops in the middle of a block", stretch.offset)
        try:
            _read_block(order, kind, length, stretch, interfaces, found)
        except DecodeError:
            yield from found.blocks(stretch)
            raise
        stretch.at += length


def _read_block(
    order: str, kind: bytes, length: int, stretch: _Stretch, interfaces: list[_Interface], found: _Gathering
) -> None:
    data, at = stretch.data, stretch.at
    (number,) = struct.unpack(order + "I", kind)
    if number == 1 and length >= 20:
        (link,) = struct.unpack_from(order + "H", data, at + 8)
        interfaces.append(_interface(order, link, data[at + 16 : at + length - 4]))
    elif number == 6 and length >= 32:
        which, high, low, captured, sent = struct.unpack_from(order + "IIIII", data, at + 8)
        if which >= len(interfaces):
            raise DecodeError(f"A packet names interface {which}, which was not described", stretch.offset)
        if captured > length - 32:
            raise DecodeError("A packet is longer than its block", stretch.offset)
        interface = interfaces[which]
        time_s = interface.offset_s + ((high << 32) | low) * interface.tick_s
        found.add(at + 28, captured, sent, time_s, interface.link)
    elif number == 3 and length >= 16 and interfaces:
        (original,) = struct.unpack_from(order + "I", data, at + 8)
        found.add(at + 12, min(original, length - 16), original, float("nan"), interfaces[0].link)


def _interface(order: str, link: int, options: bytes) -> _Interface:
    interface = _Interface(link)
    at = 0
    while at + 4 <= len(options):
        code, size = struct.unpack_from(order + "HH", options, at)
        value = options[at + 4 : at + 4 + size]
        if code == 0:
            break
        if code == 9 and len(value) == 1:  # if_tsresol
            exponent = value[0] & 0x7F
            interface.tick_s = 2.0**-exponent if value[0] & 0x80 else 10.0**-exponent
        elif code == 14 and len(value) == 8:  # if_tsoffset
            (interface.offset_s,) = struct.unpack(order + "q", value)
        at += 4 + size + (-size % 4)
    return interface
