"""An interval of a capture in memory, and the packets found in it."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, IntArray

BLOCK_BYTES = (
    16 << 20
)  # read at once: large enough that work per block does not count, small enough for the caches
MOST_PACKETS = 200_000  # in a block: what is computed for each takes more memory than the shortest packets do
LARGEST_PACKET = 1 << 24  # more is a length that lies
SECTION = b"\x0a\x0d\x0d\x0a"
# Byte order, ticks a second, bytes of a packet header. The last two are of a variant whose headers are longer.
PCAP_MAGICS = {
    b"\xd4\xc3\xb2\xa1": ("<", 1_000_000, 16),
    b"\xa1\xb2\xc3\xd4": (">", 1_000_000, 16),
    b"\x4d\x3c\xb2\xa1": ("<", 1_000_000_000, 16),
    b"\xa1\xb2\x3c\x4d": (">", 1_000_000_000, 16),
    b"\x34\xcd\xb2\xa1": ("<", 1_000_000, 24),
    b"\xa1\xb2\xcd\x34": (">", 1_000_000, 24),
}


def capture_kind(head: bytes) -> str | None:
    """ "pcap" or "pcapng", recognised by the first four bytes; None for anything else."""
    if head[:4] in PCAP_MAGICS:
        return "pcap"
    return "pcapng" if head[:4] == SECTION else None


@dataclass(frozen=True, eq=False)
class PacketBlock:
    """Packets of one link type: packet k is data[starts[k] : starts[k] + lengths[k]].

    offset: place of data[0] in the file. fcs_octets: checksum at the end of each packet, as the container reports it.
    """

    data: NDArray[np.uint8]
    starts: IntArray
    lengths: IntArray  # as captured
    sent_lengths: IntArray  # as on the air: captures may keep only the beginning of a packet
    times_s: FloatArray
    link_type: int
    offset: int = 0
    fcs_octets: int = 0

    def octets(self, starts: IntArray, count: int) -> NDArray[np.uint8]:
        """count bytes from each start, shape (len(starts), count); zeros where the interval ends before."""
        return gathered(self.data, starts, count)


def gathered(data: NDArray[np.uint8], starts: IntArray, count: int) -> NDArray[np.uint8]:
    """count bytes from each start in one pass; zeros behind the end of data."""
    if len(data) < count:
        data = np.concatenate([data, np.zeros(count - len(data), np.uint8)])
    # Overlapping items of `count` bytes, one at every byte: choosing some copies each in one go.
    windows = np.ndarray((len(data) - count + 1,), f"V{count}", buffer=data, strides=(1,))
    last = len(windows) - 1
    beyond = np.flatnonzero(starts > last)
    out = windows[np.minimum(starts, last) if len(beyond) else starts].view(np.uint8).reshape(-1, count)
    for k in beyond:
        rest = data[starts[k] :]
        out[k] = 0
        out[k, : len(rest)] = rest
    return out


class ByteReader(Protocol):
    """What a capture is read from: a file, or a stream that is still being written."""

    def readinto(self, room: NDArray[np.uint8], /) -> int | None: ...


class Stretch:
    """The part of the file in memory, and where in the file it begins."""

    def __init__(self, file: ByteReader) -> None:
        self.file = file
        self.data = np.zeros(0, np.uint8)
        self.at = 0  # next byte to read, within data
        self.base = 0  # offset of data[0] in the file
        self.ended = False

    def need(self, count: int) -> bool:
        """Read on where fewer than count bytes are available from `at`; False when the file ends before."""
        if self.left >= count:
            return True
        left = self.left
        # A new one each time: blocks that were handed out keep the old one.
        data = np.empty(max(count, left + BLOCK_BYTES), np.uint8)
        data[:left] = self.data[self.at :]
        while left < count and not self.ended:
            more = self.file.readinto(data[left:]) or 0
            self.ended = not more
            left += more
        self.base += self.at
        self.data, self.at = data[:left], 0
        return left >= count

    def starts_with(self, expected: bytes) -> bool:
        return self.data[self.at : self.at + len(expected)].tobytes() == expected

    @property
    def offset(self) -> int:
        return self.base + self.at

    @property
    def left(self) -> int:
        return len(self.data) - self.at
