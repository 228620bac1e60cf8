"""The text of `iw dev … link`: the access point that this machine uses, with the rates of the link.

"Connected to ADDRESS (on …)", then SSID, freq, signal, and "rx bitrate: 585.0 MBit/s VHT-MCS 7 80MHz VHT-NSS 2" for
each direction. Of the rates the width is taken where it is more than 20 MHz: 20 MHz frames are sent in wide channels
too. Their generation and streams are those of this machine as much as of the access point: they are not taken.
"""

import math
import re
from collections.abc import Generator, Iterable

from gray_kettle.decode.scan_text.scan_rows import ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, plain
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Announcement, Piece

_CONNECTED = re.compile(rf"^Connected to ({MAC}) \(on \S+\)")
_LINE = re.compile(r"^\s+(SSID|freq|signal|rx bitrate|tx bitrate): ?(.*)$")
_WIDTH = re.compile(r"\b(\d{2,3})MHz")


def fits(head: str) -> bool:
    return re.search(_CONNECTED.pattern, head, re.MULTILINE) is not None


class IwLinkReader:
    """Reads answers, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        bssid, said = "", dict[str, str]()
        for line in lines:
            if (connected := _CONNECTED.match(line)) is not None:
                self._add(rows, bssid, said)
                bssid, said = connected[1], {}
            elif (found := _LINE.match(line)) is not None:
                said[found[1]] = found[2]
            elif self._clock.takes(line):
                self._add(rows, bssid, said)
                bssid = ""
        self._add(rows, bssid, said)
        if len(rows):
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece(is_scan=False)

    def _add(self, rows: ScanRows, bssid: str, said: dict[str, str]) -> None:
        if not bssid:
            return
        try:
            found = _announcement(bssid, said)
        except (KeyError, ValueError):
            rows.skipped += 1
            return
        level = re.match(r"(-\d+) dBm", said.get("signal", ""))
        rows.add(found, self._clock.now_s, float(level[1]) if level else math.nan)


def _announcement(bssid: str, said: dict[str, str]) -> Announcement:
    """Raises: KeyError, ValueError, for an answer without a channel."""
    rates = f"{said.get('rx bitrate', '')} | {said.get('tx bitrate', '')}"
    width = max((int(w) for w in _WIDTH.findall(rates)), default=0)
    return plain(
        bssid,
        said.get("SSID", "").encode("utf-8", "surrogateescape"),
        float(said["freq"]) * 1e6,
        "",
        width_mhz=width if width > 20 else 0,
    )
