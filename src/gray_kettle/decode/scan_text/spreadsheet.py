"""A table with a header that has a BSSID, a channel or frequency, and a level, in any order: as other programs save it.

Parted by commas, semicolons or tabs. The columns are recognised by the words of the header; others are passed over.
"""

import csv
import math
import re
from collections.abc import Generator, Iterable
from itertools import islice

from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, channel_hz, label_from_words, plain
from gray_kettle.decode.scan_text.timestamps import Clock, time_of
from gray_kettle.model.records import Announcement, Piece

# What a column is, by words of its head in lower case; the first that fits counts, and the first column of each.
_HEADS: tuple[tuple[str, str], ...] = (
    ("bssid", r"b?ssid.?mac|bssid|(?:ap )?mac(?: address)?|(?:hardware |ap )?address"),
    ("ssid", r"e?ssid|(?:network )?name|network"),
    ("noise", r"noise(?: level| floor)?"),
    ("level", r"(?:avg\.? |mean |last )?(?:rssi|signal|level)(?: strength| level| quality)?|power|dbm"),
    ("width", r"(?:channel )?width|bandwidth"),
    ("frequency", r"(?:cent(?:er|re) |primary )?freq(?:uency|\.)?"),
    ("channel", r"(?:primary )?ch(?:an(?:nel)?|\.)?(?: number| no\.?)?"),
    ("band", r"band"),
    ("security", r"security(?: type| mode)?|encryption|auth(?:entication)?(?: mode)?|privacy|capabilities"),
    (
        "generation",
        r"(?:phy|radio|802\.11)(?: ?(?:mode|type|standard))?|mode|standard|protocols?|generation|type",
    ),
    ("time", r"(?:last[ _])?(?:seen|time)|time ?stamp|date(?: ?/? ?time)?|utc"),
)
_UNIT = re.compile(r"[\s_]*[(\[]\s*(?P<unit>[^)\]]*)[)\]]\s*$|[\s_]+(?P<bare>dbm|mhz|ghz|%)$")
_GENERATIONS = (
    ("be", r"be|7\b"),
    ("ax", r"ax|6e?\b"),
    ("ac", r"ac|5\b"),
    ("n", r"n|4\b"),
    ("g", r"g"),
    ("a", r"a"),
)
_MOST_CELLS, _LONGEST = 200, 20_000


def fits(head: str) -> bool:
    lines = head.lstrip("\ufeff").splitlines()[:5]
    return any(_columns(line) is not None for line in lines)


def _delimiter(line: str) -> str:
    return max(",;\t", key=line.count)


def _columns(header: str) -> dict[str, tuple[int, str]] | None:
    """(number, unit in lower case) of each column that is known; None for a line that is no such header."""
    if len(header) > _LONGEST or not any(mark in header for mark in ",;\t"):
        return None
    cells = next(csv.reader([header], delimiter=_delimiter(header)), [])
    found: dict[str, tuple[int, str]] = {}
    for k, cell in enumerate(cells[:_MOST_CELLS]):
        text = cell.strip().strip("\ufeff").lower()
        said = _UNIT.search(text)
        unit = (said["unit"] or said["bare"] or "").strip() if said else ""
        name = re.sub(r"[\s_-]+", " ", text[: said.start()] if said else text).strip()
        what = next((what for what, words in _HEADS if re.fullmatch(words, name)), None)
        if what is not None and what not in found:
            found[what] = (k, unit)
    has_place = "channel" in found or "frequency" in found
    return found if has_place and {"bssid", "level"} <= found.keys() else None


class SpreadsheetReader:
    """Reads one table. A row that has no BSSID, channel or level is counted as skipped."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)
        self._is_dated = False
        self._has_shares = False

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        stream = iter(lines)
        columns, header = None, ""
        for header in islice(stream, 5):
            columns = _columns(header.lstrip("\ufeff"))
            if columns is not None:
                break
        if columns is None:
            yield rows.piece()
            return
        short = (line for line in stream if len(line) <= _LONGEST)
        table = csv.reader(short, delimiter=_delimiter(header))
        while True:
            try:
                cells = next(table)
            except StopIteration:
                break
            except csv.Error:
                rows.skipped += 1
                continue
            if any(cell.strip() for cell in cells):
                said = {what: cells[k].strip() for what, (k, _) in columns.items() if k < len(cells)}
                self._add(rows, said, {what: unit for what, (_, unit) in columns.items()})
            if len(rows) >= BATCH:
                yield rows.piece()
        if len(rows):
            rows.scans = 1
            self.notes += [] if self._is_dated else self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, said: dict[str, str], units: dict[str, str]) -> None:
        try:
            found = _announcement(said, units)
            level = _number(said["level"])
        except (KeyError, ValueError):
            rows.skipped += 1
            return
        is_share = level > 0 or units["level"] == "%" or said["level"].endswith("%")
        noise = said.get("noise", "")
        time_s = time_of(said.get("time", ""))
        self._is_dated = self._is_dated or time_s is not None
        rows.add(
            found,
            self._clock.now_s if time_s is None else time_s,
            level / 2 - 100 if is_share else level,
            estimated=is_share,
            noise_dbm=_number(noise) if re.match(r"-\d", noise) else math.nan,
        )


def _number(text: str) -> float:
    """The number that a cell begins with. Raises: ValueError."""
    found = re.match(r"[-+−]?\d+(?:[.,]\d+)?", text)
    if found is None:
        raise ValueError(f"{text!r} is no number.")
    return float(found[0].replace(",", ".").replace("−", "-"))


def _announcement(said: dict[str, str], units: dict[str, str]) -> Announcement:
    """Raises: KeyError, ValueError, for a row without an address or a channel."""
    if re.fullmatch(MAC, said["bssid"]) is None:
        raise ValueError("The row has no address.")
    channel = said.get("channel", "")
    width = re.search(r"\d+", said.get("width", "")) or re.search(
        r"(?<=[/@(])\s*(\d{2,3})(?=\s*(?:MHz|\)|$))", channel
    )
    return plain(
        said["bssid"],
        said.get("ssid", "").encode("utf-8", "surrogateescape"),
        _freq_hz(said, units),
        label_from_words(said["security"]) if "security" in said else "",
        _generation(said.get("generation", "")),
        int(width[0]) if width and int(width[0]) in (20, 40, 80, 160, 320) else 0,
    )


def _freq_hz(said: dict[str, str], units: dict[str, str]) -> float:
    """Of the channel and the band where both are there; a frequency may be that of the middle of a wide channel."""
    band = next(
        (b for b, mark in (("2.4", "2"), ("5", "5"), ("6", "6")) if said.get("band", "").startswith(mark)), ""
    )
    frequency = said.get("frequency", "")
    if said.get("channel"):
        number = int(_number(said["channel"]))
        if not band and frequency:
            band = "6" if _hertz(frequency, units["frequency"]) > 5.935e9 else ""
        return channel_hz(number, band)
    return _hertz(frequency, units["frequency"])


def _hertz(text: str, unit: str) -> float:
    value = _number(text)
    return value * (1e9 if unit == "ghz" or value < 10 else 1e6)


def _generation(text: str) -> str:
    """The newest of what a cell lists: "802.11n/ac", "Wi-Fi 6", "b/g/n", "ax"."""
    words = re.sub(r"802\.11|wi-?fi", " ", text.lower())
    parts = [word for word in re.split(r"[^a-z0-9]+", words) if word]
    if parts and all(re.fullmatch(r"[abgn]+", word) for word in parts):
        parts = list("".join(parts))  # "bgn"
    return next(
        (g for g, pattern in _GENERATIONS if any(re.fullmatch(pattern, p) for p in parts)),
        "b" if "b" in parts else "",
    )
