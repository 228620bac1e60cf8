r"""The text of `nmcli -f ALL dev wifi` in its three forms.

Table: a header, columns at fixed places. Terse (`-t`): parted by colons, escaped with \ where they are content, no
header; the columns are told by their shape. Multiline (`-m multiline`): one line a column, "NAME: value".
Levels are percentages; NetworkManager makes them from dBm by a straight line from -100 (0 %) to -40 (100 %).
"""

import math
import re
import unicodedata
from collections.abc import Generator, Iterable

from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, channel_hz, label_from_words, plain
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Piece

_COLUMNS = (
    "SSID-HEX",
    "SSID",
    "BSSID",
    "CHAN",
    "FREQ",
    "BANDWIDTH",
    "SIGNAL",
    "SECURITY",
    "WPA-FLAGS",
    "RSN-FLAGS",
)
_HEADER = re.compile(r"^(?=.*\bBSSID\b)(?=.*\bSIGNAL\b)(?=.*\bSSID\b)[A-Z -]+$")
_FIELD = re.compile(r"^([A-Z][A-Z-]*):\s*(.*)$")
_ESCAPED = re.compile(r"\\(.)")
_PARTS = re.compile(r"((?:[^:\\]|\\.)*)(?::|$)")


def fits(head: str) -> bool:
    lines = head.splitlines()[:40]
    return any(_HEADER.match(line) for line in lines) or any(
        _from_terse(line) is not None or re.match(r"^BSSID:\s+" + MAC, line) for line in lines
    )


class NmcliReader:
    """Reads listings in any of the forms, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        spans: dict[str, slice] | None = None
        entry: dict[str, str] = {}
        first_key = ""
        for line in lines:
            if self._clock.takes(line):
                rows.scans += 1
                spans = None
            elif _HEADER.match(line):
                spans = _spans(line)
            elif (field := _FIELD.match(line)) is not None and _from_terse(line) is None:
                first_key = first_key or field[1]
                if field[1] == first_key and entry:
                    self._add(rows, entry)
                    entry = {}
                entry[field[1]] = field[2].rstrip()
            elif spans is not None and line.strip():
                cells = _by_cells(line)
                found = {name: cells[place].replace("\0", "").strip() for name, place in spans.items()}
                self._add(rows, found)
            elif line.strip():
                self._add(rows, _from_terse(line) or {})
            if len(rows) >= BATCH:
                yield rows.piece()
        if entry:
            self._add(rows, entry)
        if len(rows) and not self._clock.dates:
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, entry: dict[str, str]) -> None:
        try:
            freq_hz = _freq_hz(entry)
            width = entry.get("BANDWIDTH", "").removesuffix("MHz").strip()
            name = entry.get("SSID", "")
            ssid = b"" if name == "--" else name.encode("utf-8", "surrogateescape")
            if re.fullmatch(r"(?:[0-9A-Fa-f]{2}){1,32}", entry.get("SSID-HEX", "")):
                ssid = bytes.fromhex(entry["SSID-HEX"])
            words = " ".join(entry.get(k, "") for k in ("SECURITY", "WPA-FLAGS", "RSN-FLAGS"))
            found = plain(
                entry["BSSID"],
                ssid,
                freq_hz,
                label_from_words(words),
                "",
                int(width) if width.isdigit() else 0,
            )
            share = float(entry["SIGNAL"]) / 100
        except (KeyError, ValueError):
            rows.skipped += 1
            return
        level_dbm = -100 + 60 * share if 0 <= share <= 1 else math.nan
        rows.add(found, self._clock.now_s, level_dbm, estimated=True)


def _freq_hz(entry: dict[str, str]) -> float:
    """Of the frequency; without that column (the short form of the table) of the channel number."""
    if "FREQ" in entry:
        return float(entry["FREQ"].removesuffix("MHz").strip()) * 1e6
    return channel_hz(int(entry["CHAN"]))


def _by_cells(line: str) -> str:
    """A line in which each character is at its column: behind one that is two columns wide there is a NUL."""
    out = []
    for char in line:
        if unicodedata.combining(char):
            continue
        out.append(char + "\0" if unicodedata.east_asian_width(char) in "WF" else char)
    return "".join(out)


def _spans(header: str) -> dict[str, slice]:
    """Where the columns lie under a header: each from its name to the next."""
    names = [(m[0], m.start()) for m in re.finditer(r"\S+", header)]
    ends = [start for _, start in names[1:]] + [None]
    return {
        name: slice(start, end) for (name, start), end in zip(names, ends, strict=True) if name in _COLUMNS
    }


def _from_terse(line: str) -> dict[str, str] | None:
    """The columns of a terse line by their shape; None when it is none. The first is a name, the second the SSID."""
    if "\\:" not in line or len(line) > 2000:
        return None
    parts = [_ESCAPED.sub(r"\1", p) for p in _PARTS.findall(line)]
    parts = parts[:-1] if parts and not parts[-1] else parts
    at = next((k for k, p in enumerate(parts) if re.fullmatch(MAC, p)), None)
    freq = next((k for k, p in enumerate(parts) if re.fullmatch(r"\d{4} MHz", p)), None)
    if at is None or freq is None:
        return None
    found = {"BSSID": parts[at], "FREQ": parts[freq]}
    rest = parts[freq + 1 :]
    for k, part in enumerate(rest):
        if re.fullmatch(r"\d+ MHz", part):
            found["BANDWIDTH"] = part
        elif re.fullmatch(r"\d{1,3}", part) and "SIGNAL" not in found:
            found["SIGNAL"] = part
            found["SECURITY"] = " ".join(rest[k + 1 : k + 5])  # bars, security and its flags follow
    before = parts[:at]
    if before and re.fullmatch(r"(?:[0-9A-Fa-f]{2}){1,32}", before[-1]) and len(before) > 1:
        found["SSID-HEX"] = before[-1]
        before = before[:-1]
    found["SSID"] = before[-1] if before else ""
    return found
