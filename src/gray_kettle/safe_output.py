"""The gate to the terminal: all that a command prints passes here, and only printable text leaves.

What people see of data is made printable where it is put together (safe_text); this holds where that was forgotten.
"""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, TextIO

from gray_kettle.safe_text import printable


class PrintableStream:
    """A text stream that lets only printable characters and ends of lines through. raw: what it writes to."""

    def __init__(self, raw: TextIO) -> None:
        self.raw = raw

    def write(self, text: str) -> int:
        if not (text.isascii() and text.isprintable()):
            text = "\n".join(_line(line) for line in text.split("\n"))
        self.raw.write(text)
        return len(text)

    def writelines(self, lines: list[str]) -> None:
        for line in lines:
            self.write(line)

    def __getattr__(self, name: str) -> Any:
        return getattr(self.raw, name)


def _line(line: str) -> str:
    return line if line.isascii() and line.isprintable() else printable(line.replace("\t", " "))


@contextmanager
def printable_output() -> Iterator[None]:
    """Standard output and standard error behind the gate."""
    before = sys.stdout, sys.stderr
    for stream in before:
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")  # a pipe may be ASCII
    sys.stdout, sys.stderr = (PrintableStream(stream) for stream in before)
    try:
        yield
    finally:
        sys.stdout, sys.stderr = before


def terminal_stream() -> TextIO:
    """Standard error itself, for what draws on a terminal (progress bars): its words must be printable already."""
    stream = sys.stderr
    return stream.raw if isinstance(stream, PrintableStream) else stream
