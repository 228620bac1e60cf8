"""What a receiver reported of each packet of a block, in columns."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.model.records import IntArray

NO_AGGREGATE = -1
LEAST_FRAME = 10  # an acknowledgement without its checksum


@dataclass(eq=False)
class Reception:
    """Filled in by the decoder of the header before the frames; 0 is "not reported", but for aggregate.

    damaged: the header lies about itself; bad_fcs: the receiver says that the frame is broken. frame_starts,
    frame_lengths: the 802.11 frame without header and without FCS; sent_lengths: the same as it was on the air.
    channel_mhz: where the receiver was tuned. signal_dbm: over all antennas, or of the strongest where only single
    ones are reported. mode: see phy.modes. aggregate: reference number of the A-MPDU the frame came in.
    """

    frame_starts: IntArray
    frame_lengths: IntArray
    sent_lengths: IntArray
    damaged: NDArray[np.bool_]
    bad_fcs: NDArray[np.bool_]
    channel_mhz: IntArray
    signal_dbm: NDArray[np.int8]
    noise_dbm: NDArray[np.int8]
    mode: IntArray
    aggregate: IntArray

    @classmethod
    def untold(cls, block: PacketBlock) -> "Reception":
        """Nothing reported; every packet is taken as a frame from its first byte to its last."""
        n = len(block.starts)
        return cls(
            block.starts,
            block.lengths,
            block.sent_lengths,
            np.zeros(n, bool),
            np.zeros(n, bool),
            np.zeros(n, np.int64),
            np.zeros(n, np.int8),
            np.zeros(n, np.int8),
            np.zeros(n, np.int64),
            np.full(n, NO_AGGREGATE),
        )

    def cut(self, header_bytes: IntArray, fcs_octets: IntArray) -> None:
        """Take away a header from the beginning and a checksum from the end."""
        self.frame_starts = self.frame_starts + header_bytes
        self.sent_lengths = np.maximum(self.sent_lengths - header_bytes - fcs_octets, 0)
        # Where the end of the packet was not kept, its checksum was not either.
        self.frame_lengths = np.clip(self.frame_lengths - header_bytes, 0, self.sent_lengths)

    def without_impossible_levels(self) -> int:
        """Take away levels over 0 dBm, which no receiver measures; how many those were."""
        impossible = self.signal_dbm > 0
        self.signal_dbm[impossible] = 0
        self.noise_dbm[self.noise_dbm > 0] = 0
        return int(impossible.sum())

    @property
    def whole(self) -> NDArray[np.bool_]:
        """Frames that can be read."""
        return ~(self.damaged | self.bad_fcs) & (self.frame_lengths >= LEAST_FRAME)
