"""Headers before the frames of a capture: the report of the receiver on each, in one of several headers."""

import numpy as np

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import ppi, prism, radiotap
from gray_kettle.decode.capture_headers.columns import NO_AGGREGATE, Reception

LINKS = {127: "radiotap", 105: "bare 802.11", 192: "PPI", 119: "Prism", 163: "AVS"}
_DECODERS = {127: radiotap.decode, 192: ppi.decode, 119: prism.decode, 163: prism.decode}

__all__ = ["LINKS", "NO_AGGREGATE", "Reception", "decode"]


def decode(block: PacketBlock) -> Reception:
    """Read the header before every frame of a block, whose link type is one of LINKS."""
    heard = _DECODERS.get(block.link_type, Reception.untold)(block)
    if block.fcs_octets and block.link_type != 127:  # radiotap reports it for each frame
        heard.cut(np.zeros(len(block.starts), np.int64), np.full(len(block.starts), block.fcs_octets))
    return heard
