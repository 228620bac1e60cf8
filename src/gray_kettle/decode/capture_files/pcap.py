"""pcap files, both byte orders, micro- and nanoseconds.

Source: the IETF draft "PCAP Capture File Format".
"""

import struct
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files.block import (
    LARGEST_PACKET,
    MOST_PACKETS,
    PCAP_MAGICS,
    ByteReader,
    PacketBlock,
    Stretch,
    gathered,
)
from gray_kettle.decode.capture_files.record_walk import follow, windows
from gray_kettle.decode.errors import DecodeError
from gray_kettle.model.records import IntArray

_LEAST_HEADER_BYTES = 16
_USUAL_BYTES = 65_535  # a guess at a packet's beginning trusts no longer one
_NEAR_S = 7 * 86_400  # and no time further than this from the packets before


class _Packets:
    """Packet records in an interval: seconds, fraction, captured length, length on the air, four bytes each.

    header_bytes: of a record; what is beyond the sixteen of these four does not matter to us.
    """

    def __init__(self, data: NDArray[np.uint8], at: int, order: str, ticks: int, header_bytes: int) -> None:
        self.data, self.end, self.ticks, self.header_bytes = data, len(data), ticks, header_bytes
        self.upper_at = 2 if order == "<" else 0
        # One number at every byte: those of a record are read without gathering its bytes.
        self.words = np.ndarray((max(len(data) - 3, 0),), order + "u4", buffer=data, strides=(1,))
        self.one = struct.Struct(order + "I")
        (self.near_s,) = self.one.unpack_from(data.data, at)

    def lengths(self, places: IntArray) -> IntArray:
        captured = self.words[places + 8].astype(np.int64)
        return np.where(captured <= LARGEST_PACKET, captured + self.header_bytes, 0)

    def length(self, place: int) -> int:
        (captured,) = self.one.unpack_from(self.data.data, place + 8)
        return captured + self.header_bytes if captured <= LARGEST_PACKET else 0

    def candidates(self, starts: IntArray, count: int) -> IntArray:
        """By the upper half of the seconds, which stays the same for 18 hours."""
        upper = (self.near_s >> 16).to_bytes(2, "little" if self.upper_at else "big")
        one, other = (windows(self.data, starts + self.upper_at + k, count) == upper[k] for k in range(2))
        row, column = np.divmod(np.flatnonzero(one & other), count)
        return np.asarray(starts[row] + column)

    def likely(self, places: IntArray) -> NDArray[np.bool_]:
        near = np.abs(self.words[places].astype(np.int64) - self.near_s) <= _NEAR_S
        captured, sent = self.words[places + 8], self.words[places + 12]
        good: NDArray[np.bool_] = (
            near & (captured <= sent) & (captured <= _USUAL_BYTES) & (self.words[places + 4] < self.ticks)
        )
        return good


def iter_pcap(file: ByteReader) -> Iterator[PacketBlock]:
    """Blocks of a pcap file. Raises: DecodeError at damage, after all that came before it was given."""
    stretch = Stretch(file)
    if not stretch.need(24):
        raise DecodeError("The capture ends within its file header", len(stretch.data))
    order, ticks, header_bytes = PCAP_MAGICS[stretch.data[:4].tobytes()]
    (link,) = struct.unpack_from(order + "I", stretch.data.data, 20)
    fcs_octets = 2 * (link >> 28) if link & 0x0400_0000 else 0  # reported in units of 16 bits
    stretch.at = 24
    while True:
        if stretch.left >= header_bytes:
            packets = _Packets(stretch.data, stretch.at, order, ticks, header_bytes)
            starts, stretch.at = follow(stretch.at, packets)
            for k in range(0, len(starts), MOST_PACKETS):
                some = starts[k : k + MOST_PACKETS]
                yield _block(stretch, some, order, ticks, header_bytes, link & 0xFFFF, fcs_octets)
        wanted = header_bytes
        if stretch.left >= header_bytes:
            (claimed,) = packets.one.unpack_from(stretch.data.data, stretch.at + 8)
            if claimed > LARGEST_PACKET:
                raise DecodeError(f"A packet header states a length of {claimed:,} bytes", stretch.offset)
            wanted += claimed
        if not stretch.need(wanted):
            if not stretch.left:
                return
            where = "in the middle of a packet" if stretch.left >= header_bytes else "within a packet header"
            raise DecodeError(f"The capture stops {where}", stretch.offset)


def _block(
    stretch: Stretch,
    starts: IntArray,
    order: str,
    ticks: int,
    header_bytes: int,
    link: int,
    fcs_octets: int,
) -> PacketBlock:
    words = gathered(stretch.data, starts, _LEAST_HEADER_BYTES).view(order + "u4").astype(np.int64)
    lengths = words[:, 2]
    return PacketBlock(
        stretch.data,
        starts + header_bytes,
        lengths,
        np.maximum(words[:, 3], lengths),
        words[:, 0] + words[:, 1] / ticks,
        link,
        stretch.base,
        fcs_octets,
    )
