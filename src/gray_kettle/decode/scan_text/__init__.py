"""Listings that programs of operating systems print, and our own log: text to observations."""

from gray_kettle.decode.scan_text.kinds import LINE_BY_LINE, Reader, entry_of, kind_of, reader_of

__all__ = ["LINE_BY_LINE", "Reader", "entry_of", "kind_of", "reader_of"]
