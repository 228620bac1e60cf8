"""Radiotap headers to columns, all frames with the same layout at once.

Source: the radiotap header definition; places of the fields in decode.capture_headers.layout.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import field_layout, modulation
from gray_kettle.decode.capture_headers.columns import Reception
from gray_kettle.decode.capture_headers.field_layout import Layout, layout_of
from gray_kettle.model.records import IntArray
from gray_kettle.phy import modes

_SHORT_PREAMBLE, _FCS_AT_END, _BAD_FCS = 0x02, 0x10, 0x40
_MOST_LAYOUTS = 256  # in a block: a receiver has a handful, more is made up
Octets = NDArray[np.uint8]
# Modes by rate (in 500 kb/s) and, 256 further on, with the short preamble.
_LEGACY = np.concatenate([modes.legacy_mode(np.arange(256) / 2, short) for short in (False, True)])


def decode(block: PacketBlock) -> Reception:
    """Read the radiotap header of every packet of a block."""
    out = Reception.untold(block)
    n = len(block.starts)
    first = block.octets(block.starts, 8).view("<u8")[:, 0]
    header_bytes = (first >> np.uint64(16) & np.uint64(0xFFFF)).astype(np.int64)
    fits = (first & np.uint64(0xFF) == 0) & (header_bytes >= 8) & (header_bytes <= block.lengths)
    flags = np.zeros(n, np.uint8)
    read = np.zeros(n, bool)
    left = np.flatnonzero(fits)
    for _ in range(_MOST_LAYOUTS):
        if not len(left):
            break
        # All that begin with the same length and fields as the first one left; then those with the same guards.
        same = first[left] == first[left[0]]
        rows = left[same]
        raw = block.octets(block.starts[rows], int(header_bytes[rows[0]]))
        layout = layout_of(raw[0].tobytes())
        if layout is None:
            like_it = (raw == raw[0]).all(axis=1)
            left = np.concatenate([rows[~like_it], left[~same]])
            continue
        group_rows = np.ones(len(rows), bool)
        for at, expected in layout.guards:  # of these the first eight bytes are the same already
            group_rows &= _same(raw, at, expected)
        left = left[~same] if group_rows.all() else np.concatenate([rows[~group_rows], left[~same]])
        _read(out, flags, rows[group_rows], raw[group_rows] if not group_rows.all() else raw, layout)
        read[rows[group_rows]] = True
    out.damaged = ~read
    out.bad_fcs = flags & _BAD_FCS != 0
    out.cut(np.where(read, header_bytes, 0), np.where(flags & _FCS_AT_END, 4, 0))
    return out


def _same(raw: Octets, at: int, expected: bytes) -> NDArray[np.bool_]:
    """Whether the headers have those bytes at that place; compared by words, not by bytes."""
    out = np.ones(len(raw), bool)
    done = 0
    while done < len(expected):
        size = next(s for s in (8, 4, 2, 1) if done + s <= len(expected))
        if at + done >= 8:
            word = np.ascontiguousarray(raw[:, at + done : at + done + size]).view(f"u{size}")[:, 0]
            out &= word == np.frombuffer(expected, f"u{size}", 1, done)[0]
        done += size
    return out


def _read(out: Reception, flags: Octets, rows: IntArray, raw: Octets, layout: Layout) -> None:
    """All fields of headers of one layout. raw: the headers, shape (len(rows), header bytes)."""
    places = layout.places

    def octets(bit: int, size: int = 1) -> Octets:
        return raw[:, places[bit] : places[bit] + size]

    def number(bit: int, size: int, offset: int = 0) -> IntArray:
        at = places[bit] + offset
        return np.ascontiguousarray(raw[:, at : at + size]).view(f"<u{size}")[:, 0].astype(np.int64)

    if field_layout.FLAGS in places:
        flags[rows] = octets(field_layout.FLAGS)[:, 0]
    if field_layout.CHANNEL in places:
        out.channel_mhz[rows] = number(field_layout.CHANNEL, 2)
    elif field_layout.XCHANNEL in places:
        out.channel_mhz[rows] = number(field_layout.XCHANNEL, 2, 4)
    if field_layout.SIGNAL in places:
        out.signal_dbm[rows] = octets(field_layout.SIGNAL)[:, 0].view(np.int8)
        if layout.antennas and layout.antennas[0] == places[field_layout.SIGNAL]:
            # Only single antennas are reported. The strongest stands for all; 0 means that one does not know.
            single = raw[:, layout.antennas].view(np.int8)
            best = np.where(single == 0, np.int8(-128), single).max(axis=1)
            out.signal_dbm[rows] = np.where(best == -128, np.int8(0), best)
    if field_layout.NOISE in places:
        out.noise_dbm[rows] = octets(field_layout.NOISE)[:, 0].view(np.int8)
    if field_layout.AMPDU in places:
        out.aggregate[rows] = number(field_layout.AMPDU, 4)
    # The newest form that a header has reports the mode; a rate beside it is what the driver had to put there.
    if field_layout.RATE in places:
        code = octets(field_layout.RATE)[:, 0].astype(np.int64)
        if field_layout.FLAGS in places:
            code |= (octets(field_layout.FLAGS)[:, 0] & _SHORT_PREAMBLE).astype(np.int64) << 7
        out.mode[rows] = _LEGACY[code]
    for bit, size, read in (
        (field_layout.MCS, 3, modulation.ht),
        (field_layout.VHT, 12, modulation.vht),
        (field_layout.HE, 12, modulation.he),
    ):
        if bit in places:
            found = read(octets(bit, size))
            out.mode[rows] = np.where(found == modes.UNTOLD, out.mode[rows], found)
    if field_layout.EHT in places and layout.sizes[field_layout.EHT] >= modulation.LEAST_EHT:
        u_sig = octets(field_layout.U_SIG, 4) if layout.sizes.get(field_layout.U_SIG, 0) >= 4 else None
        out.mode[rows] = modulation.eht(octets(field_layout.EHT, layout.sizes[field_layout.EHT]), u_sig)
