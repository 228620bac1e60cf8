"""One frame in words: what its sender said field by field, and what the receiver saw of it."""

from gray_kettle.decode.one_frame.names import kind_name
from gray_kettle.decode.one_frame.reading import Field, FrameReading, reading_of
from gray_kettle.decode.one_frame.reception import Received

__all__ = ["Field", "FrameReading", "Received", "kind_name", "reading_of"]
