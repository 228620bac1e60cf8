"""The text of `nmcli dev wifi` in its three forms, whatever columns were asked for.

Table: a header, columns at fixed positions. Terse (`-t`): see nmcli_terse. Multiline (`-m`): one line a column,
"NAME: value". Levels are percentages; NetworkManager makes them from dBm by a straight line from -100 (0 %) to -40
(100 %). Where the BSSID was not asked for, addresses are made of name and channel.
"""

import math
import re
import unicodedata
from collections.abc import Generator, Iterable

from gray_kettle.decode.scan_text import nmcli_terse
from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import (
    MAC,
    channel_hz,
    label_from_words,
    made_address,
    plain,
)
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Piece
from gray_kettle.phy.channels import number_at

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
_SAY_SECURITY = {"SECURITY", "WPA-FLAGS", "RSN-FLAGS"}
_HEADER = re.compile(r"^(?=.*\bSIGNAL\b)(?=.*\bSSID\b)(?=.*\b(?:CHAN|FREQ)\b)[A-Z0-9* -]+$")
_FIELD = re.compile(r"^([A-Z][A-Z-]*):\s*(.*)$")
_ESCAPED = re.compile(r"\\(.)")
_MOST_TERSE = 5000  # lines whose columns are recognised together
_MADE_UP = "The listing has no BSSIDs: they were made of name and channel; access points that share both count as one."


def fits(head: str) -> bool:
    lines = head.splitlines()[:40]
    return (
        any(_HEADER.match(line) for line in lines)
        or any(re.match(r"^BSSID:\s*" + MAC, _ESCAPED.sub(r"\1", line)) for line in lines)
        or nmcli_terse.fits(lines)
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
        terse: list[str] = []
        first_key = ""
        for line in lines:
            if self._clock.takes(line):
                self._add_terse(rows, terse)
                rows.scans += 1
                spans = None
            elif _HEADER.match(line):
                spans = _spans(line)
            elif spans is not None and line.strip():
                cells = _by_cells(line)
                found = {name: cells[place].replace("\0", "").strip() for name, place in spans.items()}
                self._add(rows, found)
            elif not terse and (field := _FIELD.match(line)) is not None:
                first_key = first_key or field[1]
                if field[1] == first_key and entry:
                    self._add(rows, entry)
                    entry = {}
                value = field[2].rstrip()
                entry[field[1]] = _ESCAPED.sub(r"\1", value) if "\\:" in value else value
            elif line.strip():
                terse.append(line)
            if len(rows) >= BATCH or len(terse) >= _MOST_TERSE:
                self._add_terse(rows, terse)
                yield rows.piece()
        self._add_terse(rows, terse)
        if entry:
            self._add(rows, entry)
        if len(rows) and not self._clock.dates:
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece()

    def _add_terse(self, rows: ScanRows, lines: list[str]) -> None:
        """Take what was gathered; nothing is left."""
        for entry in nmcli_terse.entries(lines):
            self._add(rows, entry)
        lines.clear()

    def _add(self, rows: ScanRows, entry: dict[str, str]) -> None:
        try:
            freq_hz = _freq_hz(entry)
            width = entry.get("BANDWIDTH", "").removesuffix("MHz").strip()
            name = entry.get("SSID", "")
            ssid = b"" if name == "--" else name.encode("utf-8", "surrogateescape")
            if re.fullmatch(r"(?:[0-9A-Fa-f]{2}){1,32}", entry.get("SSID-HEX", "")):
                ssid = bytes.fromhex(entry["SSID-HEX"])
            words = " ".join(entry.get(k, "") for k in sorted(_SAY_SECURITY))
            bssid = entry.get("BSSID", "")
            if "BSSID" not in entry:
                bssid = made_address(ssid, *number_at(freq_hz))
                if _MADE_UP not in self.notes:
                    self.notes.append(_MADE_UP)
            found = plain(
                bssid,
                ssid,
                freq_hz,
                label_from_words(words) if _SAY_SECURITY & entry.keys() else "",
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
