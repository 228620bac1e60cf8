r"""The text of `wpa_cli scan_results`: one line a BSS, parted by tabs.

Columns: BSSID, frequency in MHz, level in dBm, flags, name. The name's octets outside printable ASCII are written
as escapes (\xNN, \n, \t, \e, \\, \").
"""

import math
import re
from collections.abc import Generator, Iterable

from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, label_from_words, plain
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Piece

_LINE = re.compile(rf"({MAC})\t(\d{{4}})\t(-?\d+)\t(\S*)(?:\t(.*))?")
_ESCAPE = re.compile(rb"\\(?:x([0-9a-fA-F]{2})|(.))")
_SHORT = {b"n": b"\n", b"r": b"\r", b"t": b"\t", b"e": b"\x1b"}


def fits(head: str) -> bool:
    return re.search(r"^bssid / frequency / signal level / flags / ssid", head, re.MULTILINE) is not None or (
        re.search(rf"^{_LINE.pattern}$", head, re.MULTILINE) is not None
    )


class WpaCliReader:
    """Reads listings, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        for line in lines:
            if line.startswith("bssid / "):
                rows.scans += 1
            elif (match := _LINE.fullmatch(line)) is not None:
                self._add(rows, match)
            elif not self._clock.takes(line) and re.match(MAC, line):
                rows.skipped += 1
            if len(rows) >= BATCH:
                yield rows.piece()
        if len(rows):
            rows.scans = max(rows.scans, 1)
            self.notes += self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, match: re.Match[str]) -> None:
        bssid, mhz, level, flags, name = match.groups()
        ssid = unescaped((name or "").encode("utf-8", "surrogateescape"))
        # Drivers that report no decibels report a share of 100 or nothing.
        level_dbm = float(level) if int(level) < 0 else math.nan
        try:
            found = plain(bssid, ssid, int(mhz) * 1e6, label_from_words(flags))
        except ValueError:
            rows.skipped += 1
            return
        rows.add(found, self._clock.now_s, level_dbm)


def unescaped(text: bytes) -> bytes:
    return _ESCAPE.sub(lambda m: bytes([int(m[1], 16)]) if m[1] else _SHORT.get(m[2], m[2]), text)
