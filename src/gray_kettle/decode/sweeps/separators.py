"""How the fields of a row of text are separated, and rows with commas between them whatever it was."""

import re

_FEW = 4  # fields that a row has at least
_COMMA, _BLANKS = b",", b" "


def separator_of(line: bytes) -> bytes:
    """What stands between the fields of a row: ";", tab, "," or blanks. With another than "," it is a decimal mark."""
    for mark in (b";", b"\t"):
        if line.count(mark) >= _FEW - 1:
            return mark
    # "2400,5 2401,5": commas without a blank behind them, and blanks enough.
    by_blanks = len(line.split()) >= _FEW and not re.search(rb",\s", line.strip())
    return _BLANKS if by_blanks else _COMMA


def with_commas(line: bytes, separator: bytes) -> bytes:
    """A row with "," between its fields and "." as its decimal mark."""
    if separator == _COMMA:
        return line
    fields = line.split() if separator == _BLANKS else line.split(separator)
    return b",".join(field.strip().replace(b",", b".") for field in fields).rstrip(b",")
