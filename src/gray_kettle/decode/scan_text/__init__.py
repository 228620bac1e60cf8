"""Listings that programs of operating systems print, and our own log: text to observations."""

from gray_kettle.decode.scan_text.kinds import Reader, kind_of, reader_of

__all__ = ["Reader", "kind_of", "reader_of"]
