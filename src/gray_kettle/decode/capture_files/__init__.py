"""Capture files to blocks of packets: what holds the frames, not what is in them."""

from gray_kettle.decode.capture_files.block import PacketBlock, capture_kind
from gray_kettle.decode.capture_files.pcap import iter_pcap
from gray_kettle.decode.capture_files.pcapng import iter_pcapng

__all__ = ["PacketBlock", "capture_kind", "iter_pcap", "iter_pcapng"]
