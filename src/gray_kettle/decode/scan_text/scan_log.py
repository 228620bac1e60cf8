"""Our own log of scans: JSON Lines, one sighting a line.

The names and their meaning: docs/formats.md, "Scan log"; the schema beside it is made from the model here.
"""

import math
from collections.abc import Generator, Iterable
from dataclasses import replace
from typing import TYPE_CHECKING

from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import plain
from gray_kettle.decode.scan_text.timestamps import time_of
from gray_kettle.model.records import Announcement, Piece

if TYPE_CHECKING:
    from gray_kettle.decode.scan_text.scan_log_schema import LogLine

_MOST_NOTES = 3


def fits(head: str) -> bool:
    first = next((line for line in head.splitlines() if line.strip()), "")
    return first.lstrip().startswith("{") and '"bssid"' in first


class LogReader:
    """Reads a log line by line; lines that are no sighting are skipped and said."""

    def __init__(self, fallback_s: float) -> None:
        self._notes: list[str] = []
        self._wrong = self._line = 0
        self._last_s = math.nan
        self._known: dict[tuple[object, ...], Announcement] = {}

    @property
    def notes(self) -> list[str]:
        """The first lines that could not be read, and how many more."""
        more = self._wrong - len(self._notes)
        return self._notes + ([f"{more:,} more lines could not be read."] if more else [])

    def arrived(self, time_s: float) -> None:
        """Each line has a time of its own."""

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        for line in lines:
            self._line += 1
            if not line.strip():
                continue
            try:
                time_s = self._add(rows, line)
            except ValueError as error:  # of JSON, of the model, and our own
                rows.skipped += 1
                self._say(self._line, error)
                continue
            rows.scans += time_s != self._last_s  # lines of one moment are one scan
            self._last_s = time_s
            if len(rows) >= BATCH:
                yield rows.piece()
        yield rows.piece()

    def _add(self, rows: ScanRows, line: str) -> float:
        from gray_kettle.decode.scan_text.scan_log_schema import read_line  # heavy, and seldom needed

        said = read_line(line)
        time_s = time_of(str(said.time))
        if time_s is None:
            raise ValueError(f"time: {said.time} is none")
        key = (said.bssid, *(getattr(said, name) for name in _OF_ANNOUNCEMENT))
        if key not in self._known:
            self._known[key] = _announcement(said)
        estimated = said.level_dbm is None and said.level_percent is not None
        level_dbm = -100 + 0.5 * (said.level_percent or 0) if estimated else said.level_dbm
        rows.add(
            self._known[key],
            time_s,
            math.nan if level_dbm is None else level_dbm,
            estimated=estimated,
            noise_dbm=math.nan if said.noise_dbm is None else said.noise_dbm,
            busy=math.nan if said.load_utilisation is None else said.load_utilisation,
            stations=math.nan if said.load_stations is None else said.load_stations,
        )
        return time_s

    def _say(self, number: int, error: ValueError) -> None:
        self._wrong += 1
        if self._wrong <= _MOST_NOTES:
            self._notes.append(f"Line {number:,} was skipped: {error}.")


_OF_ANNOUNCEMENT = (
    "frequency_mhz", "width_mhz", "centre_mhz", "ssid", "ssid_hex", "security", "generation", "streams",
    "beacon_interval_tu", "basic_rates_mbps", "country",
)  # fmt: skip


def _announcement(said: "LogLine") -> Announcement:
    ssid = bytes.fromhex(said.ssid_hex) if said.ssid_hex else said.ssid.encode("utf-8", "replace")
    found = plain(
        said.bssid,
        ssid,
        said.frequency_mhz * 1e6,
        said.security,
        said.generation,
        said.width_mhz,
        said.centre_mhz * 1e6,
        said.basic_rates_mbps,
    )
    return replace(
        found, streams=said.streams, beacon_interval_tu=said.beacon_interval_tu, country=said.country
    )
