r"""Terse listings of `nmcli -t`: fields parted by colons, escaped with \ where they are content, without a header.

Which fields there are was chosen by who ran it (`-f`), so columns are recognised by what all lines have in them.
"""

import re
from collections.abc import Callable, Iterator, Sequence

from gray_kettle.decode.scan_text.short_listing import MAC
from gray_kettle.phy.channels import BANDS, numbers

_ESCAPED = re.compile(r"\\(.)")
_PARTS = re.compile(r"((?:[^:\\]|\\.)*)(?::|$)")
_LONGEST = 2000
_SECURITY = re.compile(r"(?:--|WEP|WPA[123]?|OWE(?:-TM)?|SAE|802\.1X|\s)*", re.IGNORECASE)
_FLAGS = re.compile(r"\(none\)|(?:(?:pair|group)_\w+|psk|802\.1X|sae|owe|owe_tm|eap\w*|\s)+", re.IGNORECASE)


def _is_channel(cell: str) -> bool:
    return cell.isdigit() and len(cell) <= 3 and any(int(cell) in numbers(band) for band in BANDS)


def _is_share(cell: str) -> bool:
    return cell.isdigit() and len(cell) <= 3 and int(cell) <= 100


def _like(pattern: str) -> Callable[[str], bool]:
    compiled = re.compile(pattern)
    return lambda cell: compiled.fullmatch(cell) is not None


# In this order: the more particular first. Names that begin with "_" are passed over. SSID is what is left.
_COLUMNS: tuple[tuple[str, Callable[[str], bool]], ...] = (
    ("BSSID", _like(MAC)),
    ("FREQ", _like(r"\d{4} MHz")),
    ("BANDWIDTH", _like(r"\d{2,3} MHz")),
    ("_RATE", _like(r"\d+ Mbit/s")),
    ("_BARS", _like(r"[▂▄▆█_*\s]+")),
    ("CHAN", _is_channel),
    ("SIGNAL", _is_share),
    ("SSID-HEX", _like(r"(?:[0-9A-Fa-f]{2}){1,32}")),
    ("_MODE", _like(r"Infra|Ad-Hoc|AP|Mesh|N/A|--")),
    ("_NAME", _like(r"AP\[\d+\]")),
    ("_ACTIVE", _like(r"yes|no")),
    ("_PATH", _like(r"/org/\S+")),
    ("WPA-FLAGS", lambda cell: _FLAGS.fullmatch(cell) is not None),
    ("RSN-FLAGS", lambda cell: _FLAGS.fullmatch(cell) is not None),
    ("SECURITY", lambda cell: _SECURITY.fullmatch(cell) is not None),
    ("_IN-USE", _like(r"[* ]")),
)
_MAY_BE_EMPTY = {"SECURITY", "_IN-USE", "_BARS", "_MODE", "SSID-HEX"}  # in some lines


def cells_of(line: str) -> list[str]:
    """The fields of a line, unescaped."""
    if len(line) > _LONGEST:
        return []
    parts = [_ESCAPED.sub(r"\1", p) for p in _PARTS.findall(line)]
    return parts[:-1] if len(parts) > 1 and not parts[-1] and not line.endswith(":") else parts


def fits(lines: Sequence[str]) -> bool:
    """Whether lines are such a listing: an escaped address, and a channel and a level beside it."""
    escaped = [line for line in lines if re.search(r"(?:[0-9A-Fa-f]{2}\\:){5}[0-9A-Fa-f]{2}", line)]
    roles = _roles([cells_of(line) for line in escaped])
    return "SIGNAL" in roles and bool({"CHAN", "FREQ"} & roles.keys())


def entries(lines: Sequence[str]) -> Iterator[dict[str, str]]:
    """Each line by the names of its columns; {} for a line that has another number of them than most."""
    table = [cells_of(line) for line in lines]
    if not table:
        return
    roles = _roles(table)
    width = _usual_width(table)
    for cells in table:
        yield {name: cells[k] for name, k in roles.items()} if len(cells) == width else {}


def _usual_width(table: Sequence[list[str]]) -> int:
    counts = [len(cells) for cells in table]
    return max(set(counts), key=lambda n: (counts.count(n), n), default=0)


def _roles(table: Sequence[list[str]]) -> dict[str, int]:
    """Column numbers by name: a name goes to the first column in which every line fits it."""
    width = _usual_width(table)
    columns = list(zip(*(cells for cells in table if len(cells) == width), strict=True))
    found: dict[str, int] = {}
    for name, fits_cell in _COLUMNS:
        for k, column in enumerate(columns):
            filled = [cell for cell in column if cell]
            is_whole = len(filled) == len(column) or name in _MAY_BE_EMPTY
            if k not in found.values() and is_whole and filled and all(fits_cell(cell) for cell in filled):
                found[name] = k
                break
    # A column that is empty throughout is the mark of the network in use, of which there is none.
    left = [k for k in range(len(columns)) if k not in found.values() and any(columns[k])]
    if left:
        found["SSID"] = left[0]
    return {name: k for name, k in found.items() if not name.startswith("_")}
