"""Our own log of scans: JSON Lines, one sighting a line.

The names and their meaning: docs/formats.md, "Scan log"; the schema beside it is made from the model here.
"""

import json
import math
from collections.abc import Generator, Iterable
from dataclasses import replace
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from gray_kettle.decode.listings.dating import time_of
from gray_kettle.decode.listings.plain import MAC, plain
from gray_kettle.decode.listings.rows import BATCH, ScanRows
from gray_kettle.records import Announcement, Piece

_MOST_NOTES = 3
Share = Annotated[float, Field(ge=0, le=1)]


class LogLine(BaseModel):
    """One access point seen in one scan. Names that are not known here are passed over."""

    model_config = ConfigDict(extra="ignore", title="Gray Kettle scan log, one line")

    time: float | str = Field(description="Unix seconds, or ISO 8601 (UTC where it tells no zone)")
    bssid: str = Field(pattern=rf"^{MAC}$")
    frequency_mhz: float = Field(ge=2400, le=7200, description="Centre of the primary 20 MHz")
    width_mhz: int = Field(default=0, ge=0, le=320, description="0: not told")
    centre_mhz: float = Field(
        default=0.0, ge=0, le=7200, description="Centre of the whole channel; 0: not told"
    )
    ssid: str = Field(default="", description="The network's name; empty for a hidden one")
    ssid_hex: str = Field(
        default="", pattern=r"^(?:[0-9a-fA-F]{2}){0,32}$", description="The same, octet by octet"
    )
    level_dbm: float | None = Field(default=None, ge=-150, le=30)
    level_percent: float | None = Field(
        default=None, ge=0, le=100, description="Where only a share is told: an estimate"
    )
    noise_dbm: float | None = Field(default=None, ge=-150, le=30)
    security: str = Field(
        default="open", max_length=40, description="As in the answer `heard`, for example WPA2-PSK"
    )
    generation: str = Field(default="", pattern=r"^(b|g|a|n|ac|ax|be)?$")
    streams: int = Field(default=1, ge=1, le=8)
    beacon_interval_tu: int = Field(default=100, ge=0, le=65535)
    basic_rates_mbps: tuple[float, ...] = Field(default=(), max_length=16)
    country: str = Field(default="", pattern=r"^([A-Z]{2})?$")
    load_utilisation: Share | None = None
    load_stations: int | None = Field(default=None, ge=0, le=65535)


def fits(head: str) -> bool:
    first = next((line for line in head.splitlines() if line.strip()), "")
    return first.lstrip().startswith("{") and '"bssid"' in first


class LogReader:
    """Reads a log line by line; lines that are no sighting are skipped and said."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._wrong = 0
        self._known: dict[tuple[object, ...], Announcement] = {}

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        last_s = math.nan
        for number, line in enumerate(lines, start=1):
            if not line.strip():
                continue
            try:
                time_s = self._add(rows, line)
            except ValueError as error:  # of JSON, of the model, and our own
                rows.skipped += 1
                self._say(number, error)
                continue
            rows.scans += time_s != last_s  # lines of one moment are one scan
            last_s = time_s
            if len(rows) >= BATCH:
                yield rows.piece()
        if self._wrong > _MOST_NOTES:
            self.notes.append(f"{self._wrong - _MOST_NOTES:,} more lines could not be read.")
        yield rows.piece()

    def _add(self, rows: ScanRows, line: str) -> float:
        said = LogLine.model_validate(json.loads(line.encode("utf-8", "replace")))
        time_s = time_of(str(said.time))
        if time_s is None:
            raise ValueError("time is none")
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
        if self._wrong > _MOST_NOTES:
            return
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"]) or "the line"
            self.notes.append(f"Line {number:,}: {where}: {first['msg']}.")
        else:
            self.notes.append(f"Line {number:,} is no entry of a scan log: {error}.")


_OF_ANNOUNCEMENT = (
    "frequency_mhz", "width_mhz", "centre_mhz", "ssid", "ssid_hex", "security", "generation", "streams",
    "beacon_interval_tu", "basic_rates_mbps", "country",
)  # fmt: skip


def _announcement(said: LogLine) -> Announcement:
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
