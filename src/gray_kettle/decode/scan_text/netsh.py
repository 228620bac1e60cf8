"""The text of `netsh wlan show networks mode=bssid`, in any language of the system.

Labels are translated, so what a line means is reported by its shape and its place: "SSID 3 : name" begins a network and
"BSSID 1 : address" one of its access points; the three lines behind a network's name are its kind, its protection
and its cipher; of an access point a percentage is its level, "802.11…" its kind, a single number its channel, numbers
in a row its rates. Levels are percentages; Windows makes them from dBm by a straight line from -100 to -50.
"""

import math
import re
from collections.abc import Generator, Iterable

from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, channel_hz, label_from_words, plain
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Piece

_SSID = re.compile(r"^\S{0,4}SSID\s+\d+\s*: ?(.*)$", re.IGNORECASE)
_BSSID = re.compile(rf"^\s+BSSID\s*\d+\s*:\s*({MAC})\s*$", re.IGNORECASE)
_LINE = re.compile(r"^\s+(.*?)\s*: ?(.*)$")


def fits(head: str) -> bool:
    lines = head.replace("\0", "").splitlines()
    return any(_BSSID.match(line) for line in lines) and any(_SSID.match(line) for line in lines)


class NetshReader:
    """Reads listings, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)
        self._ssid = b""
        self._of_network: list[str] = []
        self._of_bssid: list[tuple[str, str]] | None = None
        self._bssid = ""

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        for raw in lines:
            line = raw.removeprefix("\ufeff")
            if self._clock.takes(line):
                self._close(rows)
                rows.scans += 1
            elif (bssid := _BSSID.match(line)) is not None:
                self._close(rows)
                self._bssid, self._of_bssid = bssid[1], []
            elif (ssid := _SSID.match(line)) is not None:
                self._close(rows)
                self._ssid, self._of_network = ssid[1].encode("utf-8", "surrogateescape"), []
            elif (pair := _LINE.match(line)) is not None:
                if self._of_bssid is not None:
                    self._of_bssid.append((pair[1], pair[2].strip()))
                else:
                    self._of_network.append(pair[2].strip())
            if len(rows) >= BATCH:
                yield rows.piece()
        self._close(rows)
        if len(rows) and not self._clock.dates:
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece()

    def _close(self, rows: ScanRows) -> None:
        """The access point that was being read is complete."""
        known, self._of_bssid = self._of_bssid, None
        if known is None:
            return
        values = [value for _, value in known]
        share = next((int(v[:-1]) for v in values if re.fullmatch(r"\d{1,3}%", v)), None)
        kind = next((v[6:] for v in values if v.startswith("802.11")), "")
        band = next((m[1] for v in values if (m := re.fullmatch(r"([256](?:[.,]4)?) GHz", v))), "").replace(
            ",", "."
        )
        at_kind = next((k for k, v in enumerate(values) if v.startswith("802.11")), 0)
        number = next((int(v) for v in values[at_kind:] if re.fullmatch(r"\d{1,3}", v)), None)
        rates = [v for v in values if re.fullmatch(r"\d+(?:[.,]\d+)?(?: \d+(?:[.,]\d+)?)+", v)]
        basic = tuple(float(r.replace(",", ".")) for r in rates[0].split()) if len(rates) > 1 else ()
        busy = next((m for v in values if (m := re.fullmatch(r"(\d{1,3}) \(\d{1,3} ?%\)", v))), None)
        stations = math.nan
        if busy is not None:  # of the load, the line before the share reports how many are connected
            at = values.index(busy[0])
            if at and values[at - 1].isdigit():
                stations = float(values[at - 1])
        try:
            if number is None or share is None:
                raise ValueError("The entry has no channel or no level.")
            label = label_from_words(" ".join(self._of_network[1:3]))
            found = plain(self._bssid, self._ssid, channel_hz(number, band), label, kind, 0, 0.0, basic)
        except ValueError:
            rows.skipped += 1
            return
        rows.add(
            found,
            self._clock.now_s,
            share / 2 - 100,
            estimated=True,
            busy=int(busy[1]) / 255 if busy else math.nan,
            stations=stations,
        )
