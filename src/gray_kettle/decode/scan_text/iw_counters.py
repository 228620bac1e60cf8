"""The running counters that `iw dev … survey dump` and `iw dev … station dump` print.

Layout of the texts: the public source of the iw program's printing; docs/formats.md, "Counters".
"""

import math
import re
from collections.abc import Generator, Iterable, Iterator

import numpy as np

from gray_kettle.decode.dot11.mac_headers import address_number
from gray_kettle.decode.scan_text.short_listing import MAC
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Links, Piece, Surveys

_SURVEY = re.compile(r"^Survey data from ")
_STATION = re.compile(rf"^Station ({MAC}) \(on ")
_VALUE = re.compile(r"^\s+([^:]+):\s*(-?[\d.]+)")
_IN_MS = {
    "channel active time": 0,
    "channel busy time": 1,
    "channel receive time": 2,
    "channel transmit time": 3,
}
_OF_STATION = {
    "signal": 0,
    "rx packets": 1,
    "tx packets": 2,
    "tx retries": 3,
    "tx failed": 4,
    "rx bitrate": 5,
    "tx bitrate": 6,
}


def fits_survey(head: str) -> bool:
    return re.search(_SURVEY.pattern, head, re.MULTILINE) is not None


def fits_stations(head: str) -> bool:
    return re.search(_STATION.pattern, head, re.MULTILINE) is not None


Entry = tuple[re.Match[str], float, dict[str, float]]


class _Entries:
    """Entries that begin with a line of one shape and hold lines of a name and a number."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self.clock = Clock(fallback_s)

    def of(
        self, lines: Iterable[str], begins: re.Pattern[str]
    ) -> Iterator[tuple[re.Match[str], float, dict[str, float]]]:
        """(first line, time, numbers by name) of each entry."""
        first: re.Match[str] | None = None
        values: dict[str, float] = {}
        entry_s = self.clock.now_s
        for line in lines:
            begun = begins.match(line)
            if begun is not None:
                if first is not None:
                    yield first, entry_s, values
                first, values, entry_s = begun, {}, self.clock.now_s
            elif not self.clock.takes(line) and (value := _VALUE.match(line)) is not None:
                with_dots = value[2].rstrip(".")
                values.setdefault(
                    value[1].strip(), float(with_dots) if with_dots.count(".") < 2 else math.nan
                )
        if first is not None:
            yield first, entry_s, values


class SurveyReader:
    """Reads survey dumps, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self._entries = _Entries(fallback_s)
        self.notes = self._entries.notes

    def arrived(self, time_s: float) -> None:
        self._entries.clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows: list[list[float]] = []
        skipped = 0
        for _, time_s, values in self._entries.of(lines, _SURVEY):
            mhz = values.get("frequency", math.nan)
            if not 2400 <= mhz <= 7200:
                skipped += 1
                continue
            times = [values.get(name, math.nan) / 1000 for name in _IN_MS]
            if not math.isnan(times[0]):  # channels that it never was on report nothing
                rows.append([time_s, mhz * 1e6, *times, values.get("noise", math.nan)])
        table = np.array(rows, np.float64).reshape(len(rows), 7).T
        if rows:
            self.notes += self._entries.clock.notes()
        surveys = Surveys(*(table[k] for k in range(7)), np.zeros(len(rows), np.int64))  # type: ignore[call-arg]
        yield Piece(surveys=surveys, records=len(rows), skipped=skipped)


class StationReader:
    """Reads station dumps, one behind the other; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self._entries = _Entries(fallback_s)
        self.notes = self._entries.notes

    def arrived(self, time_s: float) -> None:
        self._entries.clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        stations: list[int] = []
        rows: list[list[float]] = []
        for match, entry_s, values in self._entries.of(lines, _STATION):
            stations.append(address_number(match[1].replace("-", ":")))
            own_ms = values.get("current time", math.nan)  # newer ones report the time themselves
            time_s = own_ms / 1000 if own_ms > 1e12 and own_ms < 4.1e15 else entry_s
            rows.append([time_s, *(values.get(name, math.nan) for name in _OF_STATION)])
        table = np.array(rows, np.float64).reshape(len(rows), 8).T
        if rows and not (table[0] != self._entries.clock.fallback_s).any():
            self.notes += self._entries.clock.notes()
        links = Links(  # type: ignore[call-arg]
            table[0],
            np.array(stations, np.int64),
            *(table[k] for k in range(1, 8)),
            np.zeros(len(rows), np.int64),
        )
        yield Piece(links=links, records=len(rows))
