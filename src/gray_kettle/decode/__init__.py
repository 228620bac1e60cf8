"""Bytes and text to records: containers, radiotap, 802.11 frames, scan listings."""
