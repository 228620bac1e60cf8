"""The text that `iw dev … scan` prints to sightings.

The listing does not say when it was made. A line before it that holds only Unix seconds or an ISO 8601 time
(as from `date +%s` or `date -Is` in a loop) dates it; without one the file's own time is taken. Layout of the
text: the public source of the iw program's printing; docs/formats.md, "Scan listings".
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from hashlib import blake2b
from typing import Any

import numpy as np

from gray_kettle.air.channels import number_at
from gray_kettle.decode import security
from gray_kettle.decode.placing import Placement, channel_of
from gray_kettle.records import LATEST_S, Announcement, Piece, Sightings

_BSS = re.compile(r"^BSS ((?:[0-9a-fA-F]{2}:){5}[0-9a-fA-F]{2})\b", re.MULTILINE)
_DATE = re.compile(r"^\s*(?:(\d{9,11}(?:\.\d+)?)|(\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d\S*))\s*$")
_VOLATILE = re.compile(
    r"^\t(?:TSF:|signal:|last seen:|Information elements from|\t \* (?:station count|channel utilisation):).*\n?",
    re.MULTILINE,
)
_ESCAPE = re.compile(rb"\\x([0-9a-fA-F]{2})")
_SUITE_NUMBERS = {
    "PSK": 2,
    "IEEE 802.1X": 1,
    "SAE": 8,
    "FT/SAE": 9,
    "OWE": 18,
    "IEEE 802.1X/SHA-256": 5,
    "PSK/SHA-256": 6,
    "FT/PSK": 4,
    "FT/IEEE 802.1X": 3,
    "IEEE 802.1X/SUITE-B-192": 12,
}


def is_listing(head: bytes) -> bool:
    """Whether the beginning of a file looks like such a listing."""
    return re.search(rb"^BSS (?:[0-9a-fA-F]{2}:){5}[0-9a-fA-F]{2}\(on \S+\)", head, re.MULTILINE) is not None


@dataclass
class IwScanReader:
    """Reads listings block by block; a description is parsed once for each distinct text of it."""

    fallback_s: float
    notes: list[str] = field(default_factory=list)
    skipped: int = 0
    _known: dict[str, Announcement | None] = field(default_factory=dict)

    def pieces(self, blocks: Iterator[tuple[str, int]]) -> Iterator[Piece]:
        """One piece for a batch of listings. blocks: text from one BSS line to the next, and bytes read so far."""
        index: dict[Announcement, int] = {}
        rows: list[tuple[float, ...]] = []
        time_s, scans, read, skipped = self.fallback_s, 0, 0, 0
        undated = True
        for text, read_so_far in blocks:
            read = read_so_far
            match = _BSS.match(text)
            if match is None:
                skipped += text.startswith("BSS ")
            else:
                row = self._row(match[1].lower(), text, time_s, index)
                if row is None:
                    skipped += 1
                else:
                    rows.append(row)
            for line in text.splitlines()[-3:]:  # a date stands before the next listing
                dated = _time_of(line)
                if dated is not None:
                    time_s, undated = dated, False
                    scans += 1
            if len(rows) >= 20_000:
                yield _piece(index, rows, scans, skipped, read)
                index, rows, scans, skipped = {}, [], 0, 0
        if undated and rows:
            scans = 1
            when = datetime.fromtimestamp(self.fallback_s, UTC).isoformat(timespec="seconds")
            self.notes.append(f"The listing is not dated; the file's own time was taken ({when}).")
        yield _piece(index, rows, scans, skipped, read)

    def _row(
        self, bssid: str, text: str, time_s: float, index: dict[Announcement, int]
    ) -> tuple[float, ...] | None:
        stable = _VOLATILE.sub("", text)
        if stable not in self._known:
            if len(self._known) > 20_000:
                self._known.clear()
            self._known[stable] = _describe(bssid, text)
        announcement = self._known[stable]
        level = _number(text, r"signal: (-?[\d.]+) dBm")
        if announcement is None:
            return None
        busy = _number(text, r"\* channel utilisation: (\d+)/255")
        stations = _number(text, r"\* station count: (\d+)")
        seen_ms = _number(text, r"last seen: (\d+) ms ago")
        return (
            index.setdefault(announcement, len(index)),
            time_s - (0.0 if np.isnan(seen_ms) else min(seen_ms, 60_000) / 1000),
            announcement.channel.primary_hz,
            0.0 if np.isnan(level) else 10 ** (level / 10),
            0 if np.isnan(level) else 1,
            np.nan,
            busy / 255,
            stations,
            1,
            0,
            0,
            0,
        )


def _piece(
    index: dict[Announcement, int], rows: list[tuple[float, ...]], scans: int, skipped: int, read: int
) -> Piece:
    table = np.array(rows, dtype=np.float64).reshape(len(rows), 12).T
    whole = {0, 4, 8, 9, 10, 11}
    columns: list[Any] = [c.astype(np.int64) if k in whole else c for k, c in enumerate(table)]
    bands = tuple(sorted({a.channel.band for a in index}))
    return Piece(
        tuple(index),
        Sightings(*columns),
        swept_bands=bands,
        records=scans,
        skipped=skipped,
        bytes_read=read,
    )


def _time_of(line: str) -> float | None:
    match = _DATE.match(line)
    if match is None:
        return None
    try:
        moment = (
            datetime.fromisoformat(match[2]) if match[2] else datetime.fromtimestamp(float(match[1]), UTC)
        )
        time_s = (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()
    except (ValueError, OverflowError):
        return None
    return time_s if 0 <= time_s < LATEST_S else None


def _number(text: str, pattern: str) -> float:
    match = re.search(pattern, text)
    return float(match[1]) if match else float("nan")


def _describe(bssid: str, text: str) -> Announcement | None:
    freq_mhz = _number(text, r"\bfreq: ([\d.]+)")
    try:
        band, heard_on = number_at(freq_mhz * 1e6)
        told = _number(text, r"DS Parameter set: channel (\d+)")
        primary = heard_on if np.isnan(told) or band != "2.4" else int(told)
        channel = channel_of(band, primary, _placement(text))
    except ValueError:
        return None
    sections = _sections(text)
    rates = " ".join(sections.get(name, "") for name in ("Supported rates", "Extended supported rates"))
    return Announcement(
        bssid=bssid,
        ssid=_ssid(text),
        channel=channel,
        generation=_generation(sections, band, rates),
        streams=_streams(text),
        security=_security(sections, text),
        beacon_interval_tu=int(np.nan_to_num(_number(text, r"beacon interval: (\d+)"))),
        basic_rates_mbps=tuple(sorted({float(r) for r in re.findall(r"([\d.]+)\*", rates)})),
        country=(re.search(r"Country: ([A-Z]{2})\b", text) or ["", ""])[1],
        fingerprint=_fingerprint(sections),
        beacon_bytes=0,
        # Such a listing does not print where a 6 GHz radio tells its width.
        width_told=band != "6",
    )


def _sections(text: str) -> dict[str, str]:
    """Text of each element by its heading (a line with one tab), first of each."""
    found: dict[str, list[str]] = {}
    current: list[str] = []
    for line in text.splitlines():
        if line.startswith("\t") and not line.startswith("\t\t"):
            name, _, rest = line.strip().partition(":")
            current = found.setdefault(name, []) if name not in found else []
            current.append(rest)
        elif line.startswith("\t\t"):
            current.append(line)
    return {name: "\n".join(lines) for name, lines in found.items()}


def _ssid(text: str) -> bytes:
    match = re.search(r"^\tSSID: ?(.*)$", text, re.MULTILINE)
    if match is None:
        return b""
    raw = match[1].encode("utf-8", "surrogateescape")
    return _ESCAPE.sub(lambda m: bytes([int(m[1], 16)]), raw)[:32]


def _placement(text: str) -> Placement:
    offset = re.search(r"\* secondary channel offset: (\w+)", text)
    secondary = {"above": 1, "below": 3}.get(offset[1], 0) if offset else 0
    vht = [_number(text, rf"VHT operation:[\s\S]*?\* {what}: (\d+)") for what in _VHT_LINES]
    told = tuple(int(v) for v in vht) if not np.isnan(vht).any() else None
    return Placement(secondary=secondary, vht=(told[0], told[1], told[2]) if told else None)


_VHT_LINES = ("channel width", "center freq segment 1", "center freq segment 2")


def _generation(sections: dict[str, str], band: str, rates: str) -> str:
    if any(name.startswith("EHT") for name in sections):
        return "be"
    if any(name.startswith("HE ") for name in sections):
        return "ax"
    if "VHT capabilities" in sections and band != "2.4":
        return "ac"
    if any(name.startswith("HT ") for name in sections):
        return "n"
    if band != "2.4":
        return "a"
    return "g" if re.search(r"\b(6|9|12|18|24|36|48|54)\.0", rates) else "b"


def _streams(text: str) -> int:
    counts = [int(n) for n in re.findall(r"(\d) streams: MCS", text)]
    ht = re.search(r"HT (?:TX/)?RX MCS rate indexes supported: \d+(?:-(\d+))?", text)
    if ht and ht[1]:
        counts.append((int(ht[1]) + 1) // 8)
    return max(counts, default=1) or 1


def _security(sections: dict[str, str], text: str) -> str:
    tkip = "TKIP" in sections.get("RSN", "") + sections.get("WPA", "")
    keys = [_key_suites(sections[name]) if name in sections else None for name in ("RSN", "WPA")]
    privacy = re.search(r"capability:.*\bPrivacy\b", text) is not None
    return security.label_of(keys[0], keys[1], tkip, privacy)


def _key_suites(section: str) -> set[int]:
    match = re.search(r"Authentication suites: (.*)", section)
    listed = match[1] if match else ""
    numbers = set()
    for name in sorted(_SUITE_NUMBERS, key=len, reverse=True):  # "FT/PSK" before "PSK"
        if name in listed:
            numbers.add(_SUITE_NUMBERS[name])
            listed = listed.replace(name, "")
    return numbers


def _fingerprint(sections: dict[str, str]) -> str:
    names = (
        "Supported rates",
        "Extended supported rates",
        "HT capabilities",
        "VHT capabilities",
        "HE capabilities",
    )
    return blake2b(repr([sections.get(n) for n in names]).encode(), digest_size=8).hexdigest()
