"""MAC headers of the frames of a block, in columns.

Source: IEEE Std 802.11-2020 9.2.4 (frame fields), 9.3.1 (control), 9.3.2 (data), 9.3.3 (management).
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import LATEST_S, IntArray

if TYPE_CHECKING:  # the analysis uses the addresses here, and no captures
    from gray_kettle.decode.capture_files import PacketBlock
    from gray_kettle.decode.capture_headers import Reception

MANAGEMENT, CONTROL, DATA = 0, 1, 2
BEACON, PROBE_RESPONSE, PROBE_REQUEST, ASSOCIATION_REQUEST, REASSOCIATION_REQUEST = 8, 5, 4, 0, 2
MANAGEMENT_HEADER, HT_CONTROL_BYTES = 24, 4
_WRAPPER, _BLOCK_ACK, _PS_POLL, _CTS, _ACK, _CF_END, _CF_END_ACK = 7, 9, 10, 12, 13, 14, 15
_TO_DS, _FROM_DS, _RETRY, _ASLEEP, _PROTECTED, _ORDER = 0x01, 0x02, 0x08, 0x10, 0x40, 0x80
_ADDRESS = 0xFFFF_FFFF_FFFF
_GROUP_BIT = 1 << 40
_GATHERED = 32


@dataclass(frozen=True, eq=False)
class Headers:
    """Frames that can be read; addresses are 48-bit numbers, 0 where there is none.

    rows: which packets of the block. body_at: place of what follows the header, of management frames. retriable: data
    and management frames to one receiver, which are sent again unless they are acknowledged.
    """

    rows: IntArray
    kind: IntArray
    subtype: IntArray
    retry: NDArray[np.bool_]
    asleep: NDArray[np.bool_]
    protected: NDArray[np.bool_]
    transmitter: IntArray
    bssid: IntArray
    body_at: IntArray
    retriable: NDArray[np.bool_]

    @property
    def is_answer(self) -> NDArray[np.bool_]:
        """Frames sent a short interframe space behind another: acknowledgements and clear-to-send."""
        answers: NDArray[np.bool_] = (self.kind == CONTROL) & np.isin(self.subtype, (_BLOCK_ACK, _CTS, _ACK))
        return answers


def address(number: int) -> str:
    """A 48-bit number as an address: lower case, with colons."""
    return ":".join(f"{number >> shift & 0xFF:02x}" for shift in range(40, -1, -8))


def address_number(text: str) -> int:
    return int(text.replace(":", ""), 16)


def headers_of(block: "PacketBlock", heard: "Reception") -> Headers:
    """Headers of the frames that were received whole and at a possible time."""
    with np.errstate(invalid="ignore"):
        in_time = (block.times_s >= 0) & (block.times_s < LATEST_S)
    rows = np.flatnonzero(heard.whole & in_time)
    raw = block.octets(heard.frame_starts[rows], _GATHERED)
    known = raw[:, 0] & 3 == 0  # protocol version 0
    if not known.all():
        rows, raw = rows[known], raw[known]
    control, flags = raw[:, 0], raw[:, 1]
    kind, subtype = (control >> 2 & 3).astype(np.int64), (control >> 4).astype(np.int64)
    length = heard.frame_lengths[rows]
    words = raw.view(">u8").astype(np.int64)  # the addresses lie across them: 4 to 9, 10 to 15, 16 to 21
    first = (words[:, 0] & 0xFFFF_FFFF) << 16 | words[:, 1] >> 48 & 0xFFFF
    second = np.where(length >= 16, words[:, 1] & _ADDRESS, 0)
    third = np.where(length >= 22, words[:, 2] >> 16 & _ADDRESS, 0)
    to_ds, from_ds = flags & _TO_DS != 0, flags & _FROM_DS != 0
    in_data, in_control = kind == DATA, kind == CONTROL
    # Data between access points (both bits) names no BSSID; its sender may be one, which is seen by its address.
    bssid = np.where(
        in_data,
        np.where(to_ds, np.where(from_ds, 0, first), np.where(from_ds, second, third)),
        np.where(kind == MANAGEMENT, third, 0),
    )
    if in_control.any():
        bssid = np.where(in_control & (subtype == _PS_POLL), first, bssid)
        bssid = np.where(in_control & ((subtype == _CF_END) | (subtype == _CF_END_ACK)), second, bssid)
        # A sender that reports its width sets the group bit of its own address; some answers name no sender.
        nameless = in_control & ((subtype == _ACK) | (subtype == _CTS) | (subtype == _WRAPPER))
        second = np.where(in_control, np.where(nameless, 0, second & ~_GROUP_BIT), second)
    return Headers(
        rows,
        kind,
        subtype,
        flags & _RETRY != 0,
        flags & _ASLEEP != 0,
        flags & _PROTECTED != 0,
        second,
        bssid,
        heard.frame_starts[rows] + MANAGEMENT_HEADER + np.where(flags & _ORDER, HT_CONTROL_BYTES, 0),
        (in_data | (kind == MANAGEMENT)) & (first & _GROUP_BIT == 0),
    )
