"""Radiotap headers to columns, all frames with the same layout at once.

Source: the radiotap header definition (radiotap.org's field list as implemented by the Linux kernel).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.containers import PacketBlock
from gray_kettle.records import FloatArray, IntArray

# bit: (alignment, size)
_FIELDS = {
    0: (8, 8),  # TSFT
    1: (1, 1),  # flags
    2: (1, 1),  # rate
    3: (2, 4),  # channel
    4: (2, 2),
    5: (1, 1),  # antenna signal, dBm
    6: (1, 1),  # antenna noise, dBm
    7: (2, 2),
    8: (2, 2),
    9: (2, 2),
    10: (1, 1),
    11: (1, 1),  # antenna
    12: (1, 1),
    13: (1, 1),
    14: (2, 2),  # RX flags
    15: (2, 2),
    16: (1, 1),
    17: (1, 1),
    18: (4, 8),  # extended channel
    19: (1, 3),  # MCS
    20: (4, 8),  # A-MPDU status
    21: (2, 12),  # VHT
    22: (8, 12),
    23: (2, 12),  # HE
    24: (2, 12),
    25: (2, 6),
    26: (1, 1),
    27: (2, 4),
}
FLAGS, RATE, CHANNEL, SIGNAL, NOISE, ANTENNA, MCS, VHT = 1, 2, 3, 5, 6, 11, 19, 21
FLAG_FCS_AT_END, FLAG_BAD_FCS = 0x10, 0x40


@dataclass(frozen=True, eq=False)
class Reception:
    """What the receiver told of each packet of a block; NaN where it told nothing.

    usable: False where the header lies about its length. frame_starts, frame_lengths: the 802.11 frame without
    radiotap and without FCS; sent_lengths: the same as it was on the air.
    signal_dbm is the one over all antennas, or the first antenna's where only those are told; antenna: -1 when not
    told. mcs: columns known, flags, index; vht: the 12 bytes of the field.
    """

    usable: NDArray[np.bool_]
    frame_starts: IntArray
    frame_lengths: IntArray
    sent_lengths: IntArray
    channel_hz: FloatArray
    signal_dbm: FloatArray
    noise_dbm: FloatArray
    rate_mbps: FloatArray
    antenna: IntArray
    mcs: NDArray[np.uint8]
    has_mcs: NDArray[np.bool_]
    vht: NDArray[np.uint8]
    has_vht: NDArray[np.bool_]


def bare(block: PacketBlock) -> Reception:
    """Frames without any header before them: nothing is known of their reception."""
    n = len(block.starts)
    nothing = np.full(n, np.nan)
    return Reception(
        np.ones(n, bool),
        block.starts,
        block.lengths,
        block.sent_lengths,
        nothing,
        nothing,
        nothing,
        nothing,
        np.full(n, -1),
        np.zeros((n, 3), np.uint8),
        np.zeros(n, bool),
        np.zeros((n, 12), np.uint8),
        np.zeros(n, bool),
    )


def decode(block: PacketBlock) -> Reception:
    """Read the radiotap header of every packet of a block."""
    n = len(block.starts)
    words, lengths, fits = _headers(block)
    out = bare(block)
    channel, signal, noise, rate = (np.full(n, np.nan) for _ in range(4))
    flags = np.zeros(n, np.uint8)
    usable = fits.copy()
    keys = np.column_stack([words, lengths])
    layouts, which = np.unique(keys, axis=0, return_inverse=True)
    which = which.reshape(-1)
    for number, layout in enumerate(layouts):
        rows = np.flatnonzero((which == number) & fits)
        if not len(rows):
            continue
        first = int(block.starts[rows[0]])
        header = block.data[first : first + int(layout[-1])].tobytes()
        places = field_places(header)
        if places is None:
            usable[rows] = False
            continue
        starts = block.starts[rows]

        def octets(
            bit: int, size: int, starts: IntArray = starts, places: dict[int, int] = places
        ) -> NDArray[np.uint8]:
            return np.asarray(block.data[(starts + places[bit])[:, None] + np.arange(size)])

        if FLAGS in places:
            flags[rows] = octets(FLAGS, 1)[:, 0]
        if RATE in places:
            rate[rows] = octets(RATE, 1)[:, 0] * 0.5
        if CHANNEL in places:
            mhz = octets(CHANNEL, 2).astype(np.int64)
            channel[rows] = (mhz[:, 0] + 256 * mhz[:, 1]) * 1e6
        if SIGNAL in places:
            signal[rows] = octets(SIGNAL, 1)[:, 0].astype(np.int8)
        if NOISE in places:
            noise[rows] = octets(NOISE, 1)[:, 0].astype(np.int8)
        if ANTENNA in places:
            out.antenna[rows] = octets(ANTENNA, 1)[:, 0]
        if MCS in places:
            out.mcs[rows] = octets(MCS, 3)
            out.has_mcs[rows] = True
        if VHT in places:
            out.vht[rows] = octets(VHT, 12)
            out.has_vht[rows] = True
    usable &= (flags & FLAG_BAD_FCS) == 0
    fcs = np.where(flags & FLAG_FCS_AT_END, 4, 0)
    sent_lengths = block.sent_lengths - lengths - fcs
    # Where the end of the packet was not kept, its FCS was not either.
    frame_lengths = np.minimum(block.lengths - lengths, sent_lengths)
    usable &= frame_lengths >= 10
    channel[channel == 0] = np.nan
    signal[signal == 0] = np.nan  # 0 dBm is a driver that does not know
    noise[noise == 0] = np.nan
    return Reception(
        usable,
        block.starts + lengths,
        np.maximum(frame_lengths, 0),
        np.maximum(sent_lengths, 0),
        channel,
        signal,
        noise,
        rate,
        out.antenna,
        out.mcs,
        out.has_mcs,
        out.vht,
        out.has_vht,
    )


def _headers(block: PacketBlock) -> tuple[IntArray, IntArray, NDArray[np.bool_]]:
    """Up to three present words (0 where there are fewer), header lengths, and which headers fit their packet."""
    fits = block.lengths >= 8
    start = np.where(fits, block.starts, 0)
    top = len(block.data) - 1

    def word(offset: int) -> IntArray:
        octets = block.data[np.minimum(start[:, None] + offset + np.arange(4), top)].astype(np.int64)
        return np.asarray(octets @ (256 ** np.arange(4)))

    lengths = word(0) >> 16
    fits &= ((word(0) & 0xFF) == 0) & (lengths >= 8) & (lengths <= block.lengths)
    words = np.zeros((len(start), 3), np.int64)
    words[:, 0] = word(4)
    for k in (1, 2):
        more = (words[:, k - 1] >> 31 & 1 == 1) & (lengths >= 8 + 4 * k)
        words[more, k] = word(4 + 4 * k)[more]
    return words, np.where(fits, lengths, 0), fits


def field_places(header: bytes) -> dict[int, int] | None:
    """Offset of the first occurrence of each field in a radiotap header; None when the header lies.

    Fields behind one that we cannot size are left out.
    """
    words = []
    at = 4
    while True:
        if at + 4 > len(header):
            return None
        word = int.from_bytes(header[at : at + 4], "little")
        words.append(word)
        at += 4
        if not word >> 31:
            break
    places: dict[int, int] = {}
    in_radiotap = True
    for word in words:
        for bit in range(29 if in_radiotap else 0):  # a vendor's fields were stepped over with their length
            if not word >> bit & 1:
                continue
            if bit not in _FIELDS:
                return places
            align, size = _FIELDS[bit]
            at += -at % align
            if at + size > len(header):
                return places
            places.setdefault(bit, at)
            at += size
        if word >> 29 & 1:
            in_radiotap = True
        if word >> 30 & 1:  # a vendor's own fields: their length is told, skip them
            at += at % 2
            at += 6 + int.from_bytes(header[at + 4 : at + 6], "little")
            in_radiotap = False
    return places
