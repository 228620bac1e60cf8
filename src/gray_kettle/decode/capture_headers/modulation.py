"""The radiotap fields that report how a frame was sent, to mode numbers (phy.modes). One row a frame.

Source: the radiotap field definitions MCS, VHT, HE, U-SIG and EHT, as in the Linux kernel's public header.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import IntArray
from gray_kettle.phy import modes

Octets = NDArray[np.uint8]
LEAST_EHT = 44  # known bits, nine words of data, and one user
_DEFAULT_TRAINING = 1  # 2×, what is sent most often; taken where none is reported
# Bandwidth numbers of VHT, as width codes: a whole channel, then the parts of it that a frame may fill alone:
# 20; 40, twice 20; 80, twice 40, four times 20; 160, twice 80, four times 40, eight times 20.
_VHT_PARTS = [0, 1, 0, 0, 2, 1, 1, 0, 0, 0, 0, 3, 2, 2, 1, 1, 1, 1, *[0] * 8]
_VHT_WIDTHS = np.array(_VHT_PARTS + [3] * (32 - len(_VHT_PARTS)), np.int64)
# Of HE: 20, 40, 80, 160 MHz, then units of 26, 52, 106, 242, 484, 996 and twice 996 tones.
_HE_WIDTHS = np.array([0, 1, 2, 3, 5, 6, 7, 8, 9, 10, 11] + [15] * 5, np.int64)
_U_SIG_WIDTHS = np.array([0, 1, 2, 3, 4, 4, 15, 15], np.int64)


def ht(field: Octets) -> IntArray:
    """MCS: known, flags, index, in which streams and scheme are counted together."""
    known, flags, index = (field[:, k].astype(np.int64) for k in range(3))
    width = np.where((known & 0x01 != 0) & (flags & 3 == 1), 1, 0)
    short = (known & 0x04 != 0) & (flags & 0x04 != 0)
    greenfield = (known & 0x08 != 0) & (flags & 0x08 != 0)
    guard = np.where(short, modes.SHORT_GUARD, modes.LONG_GUARD)
    found = modes.mode(modes.HT, index & 7, (index >> 3) + 1, width, guard, 0, greenfield)
    return np.where((known & 0x02 != 0) & (index < 32), found, modes.UNTOLD)


def vht(field: Octets) -> IntArray:
    """VHT: known (2 bytes), flags, bandwidth, then scheme and streams of four users, of whom the first counts."""
    flags, width = field[:, 2], field[:, 3] & 31
    scheme, streams = (field[:, 4] >> 4).astype(np.int64), (field[:, 4] & 15).astype(np.int64)
    guard = np.where(flags & 0x04, modes.SHORT_GUARD, modes.LONG_GUARD)
    return modes.mode(modes.VHT, scheme, streams, _VHT_WIDTHS[width], guard)


def he(field: Octets) -> IntArray:
    """HE: six words of data. A part of a channel (resource unit) is reported where the bandwidth stands."""
    data = np.ascontiguousarray(field).view("<u2").astype(np.int64)
    knows_scheme, knows_width = data[:, 0] & 0x0020 != 0, data[:, 0] & 0x4000 != 0
    scheme, dual = data[:, 2] >> 8 & 15, (data[:, 0] & 0x0040 != 0) & (data[:, 2] & 0x1000 != 0)
    width = np.where(knows_width, _HE_WIDTHS[data[:, 4] & 15], 0)
    guard = np.where(data[:, 1] & 0x0002, data[:, 4] >> 4 & 3, 0)
    size = data[:, 4] >> 6 & 3
    training = np.where(size > 0, size - 1, _DEFAULT_TRAINING)
    streams = np.maximum(data[:, 5] & 15, 1)
    found = modes.mode(modes.HE, scheme, streams, width, guard, training, dual)
    return np.where(knows_scheme, found, modes.UNTOLD)


def eht(field: Octets, u_sig: Octets | None) -> IntArray:
    """EHT: known, nine words of data, then a word for each user, of whom the first counts; width from U-SIG."""
    words = np.ascontiguousarray(field[:, :LEAST_EHT]).view("<u4").astype(np.int64)
    known, data, user = words[:, 0], words[:, 1:10], words[:, 10]
    scheme = np.where(user & 0x02, user >> 20 & 15, 16)
    streams = np.where(user & 0x10, (user >> 24 & 15) + 1, 1)
    guard = np.where(known & 0x04, data[:, 0] >> 7 & 3, 0)
    width = np.zeros(len(words), np.int64)
    if u_sig is not None:
        common = np.ascontiguousarray(u_sig).view("<u4")[:, 0].astype(np.int64)
        width = np.where(common & 0x02, _U_SIG_WIDTHS[common >> 15 & 7], 0)
    return modes.mode(modes.EHT, scheme, streams, width, guard, _DEFAULT_TRAINING)
