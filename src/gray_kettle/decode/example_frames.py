"""A few frames of each BSSID and kind as they came, bytes and all: what a person looks at when a figure is in doubt.

Of data frames only the header is kept: what people sent is none of our business.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import Reception
from gray_kettle.decode.dot11.mac_headers import DATA, Headers, address
from gray_kettle.model.records import EXAMPLES_A_KIND, LONGEST_EXAMPLE, ExampleFrame, IntArray

_SLOTS_BITS = 16
_MOST_A_READER = 2000
_DATA_HEADER = 36  # a data header with four addresses, and what it is ciphered with begins
_LONGEST_RADIO_HEADER = 512
_FACTOR = np.uint64(0x9E3779B97F4A7C15)


class ExampleChooser:
    """Chooses the first frames of each BSSID, kind and receiver channel of one capture.

    Which were chosen already is kept in a table of hashes: where two kinds share one, the later goes without.
    """

    def __init__(self) -> None:
        self._held: NDArray[np.uint8] = np.zeros(1 << _SLOTS_BITS, np.uint8)
        self._count = 0

    def chosen(self, block: PacketBlock, heard: Reception, headers: Headers) -> tuple[ExampleFrame, ...]:
        if self._count >= _MOST_A_READER or not len(headers.rows):
            return ()
        slots = self._slots(heard, headers)
        candidates = np.flatnonzero(self._held[slots] < EXAMPLES_A_KIND)
        out = []
        for k in _first_of_each(slots[candidates], candidates):
            slot = slots[k]
            if self._held[slot] < EXAMPLES_A_KIND and self._count < _MOST_A_READER:
                self._held[slot] += 1
                self._count += 1
                out.append(_example(block, heard, headers, int(k)))
        return tuple(out)

    @staticmethod
    def _slots(heard: Reception, headers: Headers) -> IntArray:
        # 48 bits of BSSID, 6 of kind, 10 of frequency (channels lie 5 MHz apart), mixed by one multiplication.
        tuned = heard.channel_mhz[headers.rows] >> 2
        key = headers.bssid ^ (headers.kind << 52) ^ (headers.subtype << 48) ^ (tuned << 54)
        return (key.view(np.uint64) * _FACTOR >> np.uint64(64 - _SLOTS_BITS)).view(np.int64)


def _first_of_each(slots: IntArray, rows: IntArray) -> IntArray:
    """Rows in order: of each slot as many as a kind may have, from the front."""
    order = np.argsort(slots, kind="stable")
    ordered = slots[order]
    begins = np.ones(len(ordered), np.bool_)
    begins[1:] = ordered[1:] != ordered[:-1]
    start = np.maximum.accumulate(np.where(begins, np.arange(len(ordered)), 0))
    nth = np.arange(len(ordered)) - start
    return np.sort(rows[order[nth < EXAMPLES_A_KIND]])


def _example(block: PacketBlock, heard: Reception, headers: Headers, k: int) -> ExampleFrame:
    row = int(headers.rows[k])
    packet, frame = int(block.starts[row]), int(heard.frame_starts[row])
    length = min(int(heard.frame_lengths[row]), LONGEST_EXAMPLE)
    if headers.kind[k] == DATA:
        length = min(length, _DATA_HEADER)
    header = block.data[packet:frame].tobytes()
    bssid = int(headers.bssid[k])
    return ExampleFrame(
        time_s=float(block.times_s[row]),
        bssid=address(bssid) if bssid else "",
        kind=int(headers.kind[k]) << 4 | int(headers.subtype[k]),
        receiver_mhz=int(heard.channel_mhz[row]),
        link_type=block.link_type,
        radio_header=header if len(header) <= _LONGEST_RADIO_HEADER else b"",
        frame=block.data[frame : frame + length].tobytes(),
        frame_octets=int(heard.sent_lengths[row]),
    )
