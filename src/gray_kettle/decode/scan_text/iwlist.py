"""The text of `iwlist … scan`: cells with what the kernel's wireless extensions report.

A cell begins "Cell 01 - Address: …"; under it Channel, Frequency, "Quality=60/70  Signal level=-50 dBm", ESSID, Bit
Rates, Mode, protections in words ("IE: IEEE 802.11i/WPA2 Version 1", "Authentication Suites (1) : PSK"), and other
elements in hexadecimal ("IE: Unknown: 3D16…"), from which generation, streams and width are read as from a beacon.
"""

import math
import re
from collections.abc import Generator, Iterable
from dataclasses import replace

from gray_kettle.decode.dot11 import beacon
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.short_listing import MAC, channel_hz, label_from_words, plain
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Announcement, Piece

_CELL = re.compile(rf"^\s+Cell \d+ - Address: ({MAC})\s*$")
_GIGAHERTZ = re.compile(r"\bFrequency:([\d.]+) GHz")
_NUMBER = re.compile(r"\bChannel[: ](\d{1,3})\b")
_LEVEL_DBM, _LEVEL_SHARE = re.compile(r"Signal level[=:](-\d+) dBm"), re.compile(r"Signal level[=:](\d+)/100")
_NOISE_DBM = re.compile(r"Noise level[=:](-\d+) dBm")
_NAME = re.compile(r'\bESSID:"(.*)"')
_AGE_MS = re.compile(r"Last beacon: (\d+)\s?ms ago")
_ELEMENT = re.compile(r"IE: Unknown: ((?:[0-9A-Fa-f]{2})+)")
_ESCAPE = re.compile(rb"\\x([0-9A-Fa-f]{2})")
_USUAL_INTERVAL_TU = 100  # not printed
_MOST_LINES = 500  # of a cell: more is not a listing


def fits(head: str) -> bool:
    return re.search(_CELL.pattern, head, re.MULTILINE) is not None


class IwlistReader:
    """Reads listings cell by cell; a date before one counts for it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        bssid, cell = "", list[str]()
        for line in lines:
            if (begun := _CELL.match(line)) is not None:
                self._add(rows, bssid, cell)
                bssid, cell = begun[1], []
                if len(rows) >= BATCH:
                    yield rows.piece()
            elif self._clock.takes(line):
                rows.scans += 1
            elif bssid and len(cell) < _MOST_LINES:
                cell.append(line)
        self._add(rows, bssid, cell)
        if len(rows) and not self._clock.dates:
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, bssid: str, cell: list[str]) -> None:
        if not bssid:
            return
        text = "\n".join(cell)
        try:
            found = _announcement(bssid, text)
        except ValueError:
            rows.skipped += 1
            return
        age_s = min(_value(_AGE_MS, text, 0.0), 60_000) / 1000
        level_dbm = _value(_LEVEL_DBM, text)
        share = _value(_LEVEL_SHARE, text) if math.isnan(level_dbm) else math.nan
        is_share = not math.isnan(share)  # a driver that reports no decibels
        rows.add(
            found,
            self._clock.now_s - age_s,
            share / 2 - 100 if is_share else level_dbm,
            estimated=is_share,
            noise_dbm=_value(_NOISE_DBM, text),
        )


def _value(pattern: re.Pattern[str], text: str, otherwise: float = math.nan) -> float:
    found = pattern.search(text)
    return float(found[1]) if found else otherwise


def _announcement(bssid: str, text: str) -> Announcement:
    """Raises: ValueError, for a cell without a channel."""
    gigahertz, number = _GIGAHERTZ.search(text), _NUMBER.search(text)
    if gigahertz:
        freq_hz = float(gigahertz[1]) * 1e9
    elif number:
        freq_hz = channel_hz(int(number[1]))
    else:
        raise ValueError("The cell has no channel.")
    name = _NAME.search(text)
    ssid = _ESCAPE.sub(
        lambda m: bytes([int(m[1], 16)]), (name[1] if name else "").encode("utf-8", "surrogateescape")
    )
    label = _security(text)
    plainly = plain(bssid, ssid.strip(b"\0"), freq_hz, label)
    body = b"".join(bytes.fromhex(found) for found in _ELEMENT.findall(text))
    # Elements are printed whole: what is not among them is not there, and the width is known.
    said = beacon.describe(bssid, _USUAL_INTERVAL_TU, 0, Elements.read(body), freq_hz, 0) if body else None
    return replace(said, bssid=plainly.bssid, ssid=plainly.ssid, security=label) if said else plainly


def _security(text: str) -> str:
    """From the protections, which are printed in words: one may be there twice, for old and new clients."""
    old = "WPA1" if re.search(r"IE: WPA Version 1", text) else ""
    new = "WPA2" if "IEEE 802.11i/WPA2" in text else ""
    if not old and not new:
        return label_from_words("WEP" if "Encryption key:on" in text else "")
    ciphers = " ".join(re.findall(r"Pairwise Ciphers \(\d+\) : (.+)", text))
    keys = " ".join(re.findall(r"Authentication Suites \(\d+\) : (.+)", text))
    return label_from_words(f"{old} {new} {ciphers} {keys}")
