"""Which listing a text is, recognised by its beginning."""

import re
from collections.abc import Callable, Generator, Iterable
from typing import Protocol

from gray_kettle.decode.scan_text import (
    iw_counters,
    iw_link,
    iw_scan,
    iwlist,
    netsh,
    nmcli,
    scan_log,
    spreadsheet,
    system_profiler,
    wpa_cli,
)
from gray_kettle.model.records import Piece


class Reader(Protocol):
    """Reads one kind of listing. notes are complete once the pieces are through."""

    @property
    def notes(self) -> list[str]: ...

    def arrived(self, time_s: float) -> None:
        """When what follows came in: the time of what has no date of its own."""
        ...

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]: ...


# The order counts: the more particular first. A reader is made with the time of what is not dated.
_KINDS: tuple[tuple[str, Callable[[str], bool], Callable[[float], Reader]], ...] = (
    ("scan log", scan_log.fits, scan_log.LogReader),
    ("iw survey", iw_counters.fits_survey, iw_counters.SurveyReader),
    ("iw stations", iw_counters.fits_stations, iw_counters.StationReader),
    ("iw scan", iw_scan.fits, iw_scan.IwScanReader),
    ("iw link scan", iw_link.fits, iw_link.IwLinkReader),
    ("iwlist scan", iwlist.fits, iwlist.IwlistReader),
    ("scan table", spreadsheet.fits, spreadsheet.SpreadsheetReader),
    ("wpa_cli scan", wpa_cli.fits, wpa_cli.WpaCliReader),
    ("netsh scan", netsh.fits, netsh.NetshReader),
    ("system_profiler scan", system_profiler.fits, system_profiler.SystemProfilerReader),
    ("nmcli scan", nmcli.fits, nmcli.NmcliReader),
)

_SURVEY_ENTRY = "Survey data from "  # each entry stands by itself
_ADDRESS = re.compile(r"(?:[0-9A-Fa-f]{2}\\?[:-]){5}[0-9A-Fa-f]{2}")  # with colons that may be escaped
LINE_BY_LINE = ("scan log", "wpa_cli scan")  # each line of them is whole by itself


def entry_of(line: str) -> str:
    """What a line of a listing begins an entry of: the same again means that a listing begins anew. "" for others."""
    if line.startswith(_SURVEY_ENTRY):
        return line
    found = _ADDRESS.search(line)
    return found[0].lower() if found else ""


def kind_of(head: bytes) -> str | None:
    """The kind of a text by its first bytes; None when it is none that is known."""
    encoding = "utf-16" if head.startswith((b"\xff\xfe", b"\xfe\xff")) else "utf-8"
    text = head.decode(encoding, "replace").replace("\r\n", "\n")
    return next((kind for kind, fits, _ in _KINDS if fits(text)), None)


def reader_of(kind: str, fallback_s: float) -> Reader:
    return next(make for name, _, make in _KINDS if name == kind)(fallback_s)
