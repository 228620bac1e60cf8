"""PPI headers: a chain of fields before the frame, of which the common one and the two of 802.11n count here.

Source: the public definition of the Per-Packet Information header, version 1.0.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers.columns import Reception
from gray_kettle.model.records import IntArray
from gray_kettle.phy import modes

_BARE = 105
_COMMON, _MAC_N, _MAC_PHY_N = 2, 3, 4
_FCS_AT_END, _BAD_FCS, _BAD_CODING = 0x0001, 0x0004, 0x0008
_NO_LEVEL = -128
_MOST_FIELDS = 32


def decode(block: PacketBlock) -> Reception:
    """Read the header of every packet, all packets a field at a time."""
    out = Reception.untold(block)
    head = block.octets(block.starts, 8)
    length = head[:, 2:4].copy().view("<u2")[:, 0].astype(np.int64)
    link = head[:, 4:8].copy().view("<u4")[:, 0]
    good = (head[:, 0] == 0) & (length >= 8) & (length <= block.lengths) & (link == _BARE)
    aligned = head[:, 1] & 1 == 1
    at = np.full(len(length), 8, np.int64)
    fcs = np.zeros(len(length), np.int64)
    open_ = good & (at + 4 <= length)
    for _ in range(_MOST_FIELDS):
        rows = np.flatnonzero(open_)
        if not len(rows):
            break
        field = block.octets(block.starts[rows] + at[rows], 4).view("<u2").astype(np.int64)
        kind, size = field[:, 0], field[:, 1]
        inside = at[rows] + 4 + size <= length[rows]
        content = block.starts[rows] + at[rows] + 4
        for wanted, least in ((_COMMON, 20), (_MAC_N, 12), (_MAC_PHY_N, 48)):
            chosen = inside & (kind == wanted) & (size >= least)
            if chosen.any():
                _read(out, wanted, rows[chosen], block.octets(content[chosen], least), fcs)
        step = 4 + size
        step = np.where(aligned[rows], step + -step % 4, step)
        at[rows] += step
        open_[rows] = inside & (at[rows] + 4 <= length[rows])
    out.damaged = ~good
    out.cut(np.where(good, length, 0), fcs)
    return out


def _read(out: Reception, kind: int, rows: IntArray, raw: NDArray[np.uint8], fcs: IntArray) -> None:
    if kind == _COMMON:
        words = raw[:, 8:16].copy().view("<u2").astype(np.int64)  # flags, rate, frequency, channel flags
        fcs[rows] = np.where(words[:, 0] & _FCS_AT_END, 4, 0)
        out.bad_fcs[rows] = words[:, 0] & (_BAD_FCS | _BAD_CODING) != 0
        known = modes.legacy_mode(words[:, 1] / 2)
        out.mode[rows] = np.where(out.mode[rows] == modes.UNTOLD, known, out.mode[rows])
        out.channel_mhz[rows] = words[:, 2]
        levels = raw[:, 18:20].view(np.int8)
        out.signal_dbm[rows], out.noise_dbm[rows] = np.where(levels == _NO_LEVEL, 0, levels).T
        return
    flags = raw[:, :4].copy().view("<u4")[:, 0].astype(np.int64)
    out.aggregate[rows] = np.where(
        flags & 0x10, raw[:, 4:8].copy().view("<u4")[:, 0].astype(np.int64), out.aggregate[rows]
    )
    if kind == _MAC_PHY_N:
        scheme = raw[:, 9].astype(np.int64)
        guard = np.where(flags & 0x04, modes.SHORT_GUARD, modes.LONG_GUARD)
        found = modes.mode(modes.HT, scheme & 7, (scheme >> 3) + 1, (flags >> 1) & 1, guard)
        out.mode[rows] = np.where(scheme < 32, found, out.mode[rows])
