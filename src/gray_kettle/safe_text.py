"""The one place where text that came over the air or from a file is made harmless.

A network name is up to 32 arbitrary bytes: terminal escapes, markup, formulas, right-to-left marks, bad UTF-8.
Everything that people see of such text went through here first. Markup is a matter of the place where it is
shown: screens show it with markup off, SVG and HTML escape it.
"""

import re
import unicodedata

REPLACEMENT = "\N{REPLACEMENT CHARACTER}"
HIDDEN_NAME = "(hidden)"
_BAD = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}
_MARKS = {"Mn", "Me", "Mc"}


def printable(raw: bytes | str) -> str:
    """Text for people: no character in it that a terminal would obey, nothing that reorders or stacks.

    Controls, formatting and bidirectional marks, lone surrogates and unassigned characters become U+FFFD, every
    kind of space a plain one, and of combining marks in a row only the first is kept.
    """
    text = raw.decode("utf-8", "replace") if isinstance(raw, bytes) else raw
    out: list[str] = []
    after_mark = False
    for char in unicodedata.normalize("NFC", text):
        category = unicodedata.category(char)
        is_mark = category in _MARKS
        if category in _BAD:
            out.append(REPLACEMENT)
        elif category == "Zs":
            out.append(" ")
        elif not is_mark or (out and not after_mark):
            out.append(char)
        after_mark = is_mark
    return "".join(out)


def network_name(ssid: bytes) -> str:
    """A network's name for people; "(hidden)" when it announces none."""
    return HIDDEN_NAME if is_hidden(ssid) else printable(ssid)


def dbm(level: float) -> str:
    """A level in a sentence, with a true minus sign: "−74 dBm"."""
    return f"{level:.0f} dBm".replace("-", "−")


def is_hidden(ssid: bytes) -> bool:
    return not ssid.strip(b"\0")


_FORMULA = re.compile(r"""(^|[;,\t|"'])(\s*)(?=[=+\-@])""")


def no_formula(text: str) -> str:
    """Text for a cell of a table: programs that open one must not take it for a formula, however they split it."""
    return _FORMULA.sub(r"\1\2'", printable(text))
