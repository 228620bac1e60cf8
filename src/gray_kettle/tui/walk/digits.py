"""Numbers large enough to be read at arm's length: seven lines high, drawn in cells."""

HEIGHT = 7
_ROWS = {
    "0": "01110 10001 10001 10001 10001 10001 01110",
    "1": "00100 01100 00100 00100 00100 00100 01110",
    "2": "01110 10001 00001 00110 01000 10000 11111",
    "3": "11110 00001 00001 01110 00001 00001 11110",
    "4": "00010 00110 01010 10010 11111 00010 00010",
    "5": "11111 10000 11110 00001 00001 10001 01110",
    "6": "00110 01000 10000 11110 10001 10001 01110",
    "7": "11111 00001 00010 00100 01000 01000 01000",
    "8": "01110 10001 10001 01110 10001 10001 01110",
    "9": "01110 10001 10001 01111 00001 00010 01100",
    "−": "00000 00000 00000 11111 00000 00000 00000",
    " ": "00000 00000 00000 00000 00000 00000 00000",
}
_CELL = 2  # columns of a dot: a cell of a terminal is twice as high as wide


def large(text: str) -> tuple[str, ...]:
    """The lines of a number such as "−67"; signs that have no form are left out."""
    known = [_ROWS[sign].split() for sign in text if sign in _ROWS]
    gap = " " * _CELL
    return tuple(
        gap.join("".join(("█" if dot == "1" else " ") * _CELL for dot in form[line]) for form in known)
        for line in range(HEIGHT)
    )
