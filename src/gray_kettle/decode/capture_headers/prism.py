"""Prism headers and the AVS header that shares their link type: fixed fields before the frame.

Source: the public Linux headers of the drivers that wrote them: a message of 144 bytes whose items are
(number, status, length, value), in the byte order of the machine that wrote it; AVS fields are big-endian.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers.columns import Reception
from gray_kettle.model.records import IntArray
from gray_kettle.phy import modes
from gray_kettle.phy.channels import centre_hz

_BYTES, _AVS_BYTES = 144, 64
_CODES = (0x00000044, 0x00000041)
_AVS = 0x80211
_ITEMS_AT, _ITEMS, _ITEM_BYTES = 24, 10, 12
# Items in order: host time, MAC time, channel, RSSI, SQ, signal, noise, rate, is-transmit, frame length.
_CHANNEL, _SIGNAL, _NOISE, _RATE = 2, 5, 6, 7


def decode(block: PacketBlock) -> Reception:
    """Read the header of every packet."""
    out = Reception.untold(block)
    little = _words(block, "<")
    big = _words(block, ">")
    fits = block.lengths >= _BYTES
    of_little, of_big = np.isin(little[:, 0], _CODES) & fits, np.isin(big[:, 0], _CODES) & fits
    of_avs = (big[:, 0] >> 12 == _AVS) & (big[:, 1] >= _AVS_BYTES) & (big[:, 1] <= block.lengths)
    for rows, words in ((np.flatnonzero(of_little), little), (np.flatnonzero(of_big), big)):
        items = words[rows, _ITEMS_AT // 4 :].reshape(len(rows), _ITEMS, _ITEM_BYTES // 4)
        # Status 0 means that the value was reported.
        known = np.where(items[:, :, 1] & (0xFFFF if words is little else 0xFFFF0000) == 0, items[:, :, 2], 0)
        _put(out, rows, known[:, _CHANNEL], known[:, _SIGNAL], known[:, _NOISE], known[:, _RATE] / 2)
    rows = np.flatnonzero(of_avs)
    avs = big[
        rows
    ]  # 6: frequency hopping and such, 7: channel, 8: rate in 100 kb/s, 11: RSSI type, 12, 13: levels
    in_dbm = avs[:, 11] == 2
    _put(
        out, rows, avs[:, 7], np.where(in_dbm, avs[:, 12], 0), np.where(in_dbm, avs[:, 13], 0), avs[:, 8] / 10
    )
    good = of_little | of_big | of_avs
    out.damaged = ~good
    out.cut(np.where(of_avs, big[:, 1], np.where(good, _BYTES, 0)), np.zeros(len(good), np.int64))
    return out


def _words(block: PacketBlock, order: str) -> IntArray:
    return block.octets(block.starts, _BYTES).view(order + "u4").astype(np.int64)


def _put(
    out: Reception,
    rows: IntArray,
    channel: IntArray,
    signal: IntArray,
    noise: IntArray,
    rate_mbps: NDArray[np.float64],
) -> None:
    out.channel_mhz[rows] = _MHZ[np.where(channel < len(_MHZ), channel, 0)]
    # Signed numbers in unsigned words; what is no level in dBm is skipped.
    for column, values in ((out.signal_dbm, signal), (out.noise_dbm, noise)):
        signed = np.where(values >= 1 << 31, values - (1 << 32), values)
        column[rows] = np.where((signed < 0) & (signed >= -127), signed, 0)
    out.mode[rows] = modes.legacy_mode(np.clip(rate_mbps, 0, 127))


def _centres_mhz() -> IntArray:
    mhz = np.zeros(200, np.int64)
    for number in range(1, 200):
        mhz[number] = round(centre_hz("2.4" if number <= 14 else "5", number) / 1e6)
    return mhz


_MHZ = _centres_mhz()
