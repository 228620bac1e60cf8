"""Hardware addresses in texts. Source: IEEE Std 802-2014, 8.1 (hexadecimal representation)."""

import re

ADDRESS = re.compile(
    r"(?<![0-9A-Fa-f:.-])(?:[0-9A-Fa-f]{2}([:-])(?:[0-9A-Fa-f]{2}\1){4}[0-9A-Fa-f]{2}"
    r"|[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4}|[0-9A-Fa-f]{12})(?![0-9A-Fa-f]|[:-][0-9A-Fa-f])"
)


def with_colons(address: str) -> str:
    """An address of any notation in lower case with colons."""
    digits = re.sub(r"[^0-9A-Fa-f]", "", address).lower()
    return ":".join(digits[k : k + 2] for k in range(0, 12, 2))
