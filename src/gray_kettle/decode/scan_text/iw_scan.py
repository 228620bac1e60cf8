"""The text that `iw dev … scan` prints (with `-u`, too) to sightings.

Layout of the text: the public source of the iw program's printing; docs/formats.md, "Scan listings".
"""

import math
import re
from collections.abc import Generator, Iterable
from hashlib import blake2b

import numpy as np

from gray_kettle.decode.dot11 import ap_info, security
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.beacon import placement
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.dot11.operating_channel import Placement, channel_of
from gray_kettle.decode.scan_text.scan_rows import BATCH, ScanRows
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Announcement, Piece
from gray_kettle.phy.channels import number_at
from gray_kettle.safe_text import printable

_BSS = re.compile(r"^BSS ((?:[0-9a-fA-F]{2}:){5}[0-9a-fA-F]{2})\b")
_VOLATILE = re.compile(
    r"^\t(?:TSF:|signal:|last seen:|Information elements from|\t \* (?:station count|channel utilisation):).*\n?",
    re.MULTILINE,
)
_LAST_SEEN = re.compile(r"last seen: (\d+) ms ago")
_SIGNAL_DBM, _SIGNAL_SHARE = re.compile(r"signal: (-?[\d.]+) dBm"), re.compile(r"signal: (\d+)/100")
_UTILISATION, _STATIONS = (
    re.compile(r"\* channel utilisation: (\d+)/255"),
    re.compile(r"\* station count: (\d+)"),
)
_ESCAPE = re.compile(rb"\\x([0-9a-fA-F]{2})")
_UNKNOWN = re.compile(r"^\t+Unknown (IE|Extension ID) \((\d+)\):((?: [0-9a-f]{2})*)", re.MULTILINE)
_MOST_LINES = 2000  # of one BSS: more is not a listing
_MOST_KNOWN = 20_000
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


def fits(head: str) -> bool:
    """Whether the beginning of a text is that of such a listing."""
    return re.search(r"^BSS (?:[0-9a-fA-F]{2}:){5}[0-9a-fA-F]{2} ?\(on \S+\)", head, re.MULTILINE) is not None


class IwScanReader:
    """Reads listings BSS by BSS; a description is parsed once for each distinct text of it."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)
        self._known: dict[str, Announcement | None] = {}

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        """Pieces of some thousand sightings. A date counts for the scan behind it."""
        rows = ScanRows()
        entry: list[str] = []
        entry_s = self._clock.now_s
        for line in lines:
            if line.startswith("BSS ") and not line.startswith("BSS Load"):
                self._add(rows, entry, entry_s)
                entry, entry_s = [line], self._clock.now_s
                if len(rows) >= BATCH:
                    yield rows.piece()
            elif self._clock.takes(line):
                rows.scans += 1
            elif entry and len(entry) < _MOST_LINES:
                entry.append(line)
        self._add(rows, entry, entry_s)
        if not self._clock.dates and len(rows):
            rows.scans = 1
            self.notes += self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, entry: list[str], time_s: float) -> None:
        if not entry:
            return
        match = _BSS.match(entry[0])
        text = "\n".join(entry) + "\n"
        announcement = self._announcement(match[1].lower(), text) if match else None
        if announcement is None:
            rows.skipped += 1
            return
        seen_ms, level_dbm = _number(text, _LAST_SEEN), _number(text, _SIGNAL_DBM)
        share = _number(text, _SIGNAL_SHARE) if math.isnan(level_dbm) else math.nan
        estimated = not math.isnan(share)  # a driver that reports no decibels
        rows.add(
            announcement,
            time_s - (0.0 if math.isnan(seen_ms) else min(seen_ms, 60_000) / 1000),
            share / 2 - 100 if estimated else level_dbm,
            estimated=estimated,
            busy=_number(text, _UTILISATION) / 255,
            stations=_number(text, _STATIONS),
        )

    def _announcement(self, bssid: str, text: str) -> Announcement | None:
        stable = _VOLATILE.sub("", text)
        if stable not in self._known:
            if len(self._known) >= _MOST_KNOWN:
                self._known.clear()
            self._known[stable] = _describe(bssid, text)
        return self._known[stable]


def _number(text: str, pattern: str | re.Pattern[str]) -> float:
    match = re.search(pattern, text)
    return float(match[1]) if match else float("nan")


def _describe(bssid: str, text: str) -> Announcement | None:
    freq_mhz = _number(text, r"\bfreq: ([\d.]+)")
    unknown = _unknown(text)
    try:
        band, heard_on = number_at(freq_mhz * 1e6)
        on = _number(text, r"DS Parameter set: channel (\d+)")
        primary = heard_on if np.isnan(on) or band != "2.4" else int(on)
        place = _placement(text, unknown)
        channel = channel_of(band, primary, place)
    except ValueError:
        return None
    sections = _sections(text)
    rates = " ".join(sections.get(name, "") for name in ("Supported rates", "Extended supported rates"))
    tx_power_dbm = _number(text, r"TPC report: TX power: (-?\d+) dBm")
    constraint_db = _number(text, r"Power constraint: (\d+) dB")
    return Announcement(
        bssid=bssid,
        ssid=_ssid(text),
        channel=channel,
        generation=_generation(sections, unknown, band, rates),
        streams=_streams(text),
        security=_security(sections, text),
        beacon_interval_tu=int(np.nan_to_num(_number(text, r"beacon interval: (\d+)"))),
        basic_rates_mbps=tuple(sorted({float(r) for r in re.findall(r"([\d.]+)\*", rates)})),
        country=(re.search(r"Country: ([A-Z]{2})\b", text) or ["", ""])[1],
        fingerprint=_fingerprint(sections),
        beacon_bytes=0,
        # At 6 GHz only the elements report a width that the program prints as unknown, when it is asked to.
        width_advertised=band != "6" or place.he6 is not None or place.eht is not None,
        ap_name=ap_info.ap_name(unknown) or _device_name(text),
        tx_power_dbm=None if np.isnan(tx_power_dbm) else int(tx_power_dbm),
        power_constraint_db=None if np.isnan(constraint_db) else int(constraint_db),
        mobility_domain=ap_info.mobility_domain(unknown),
        roaming=_roaming(text, unknown),
        device=ap_info.device(unknown),
        neighbours=ap_info.neighbours(unknown),
    )


def _unknown(text: str) -> Elements:
    """Elements that the program does not print in words, but octet by octet."""
    found = Elements()
    for kind, number, octets in _UNKNOWN.findall(text):
        content = bytes.fromhex(octets)
        found.first.setdefault(int(number) + (0x100 if kind == "Extension ID" else 0), content)
    return found


def _roaming(text: str, unknown: Elements) -> tuple[str, ...]:
    letters = set(ap_info.roaming(unknown))
    letters |= {"k"} if "Neighbor Report" in text else set()
    letters |= {"v"} if "* BSS Transition" in text else set()
    letters |= {"r"} if re.search(r"Authentication suites:.*FT/", text) else set()
    return tuple(sorted(letters))


def _device_name(text: str) -> str:
    match = re.search(r"^\t+ \* Device name: (.*)$", text, re.MULTILINE)
    return printable(match[1])[:64].strip() if match else ""


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


def _placement(text: str, unknown: Elements) -> Placement:
    offset = re.search(r"\* secondary channel offset: (\w+)", text)
    secondary = {"above": 1, "below": 3}.get(offset[1], 0) if offset else 0
    vht = [_number(text, rf"VHT operation:[\s\S]*?\* {what}: (\d+)") for what in _VHT_LINES]
    said = tuple(int(v) for v in vht) if not np.isnan(vht).any() else None
    later = placement(unknown)
    in_vht = (said[0], said[1], said[2]) if said else later.vht
    return Placement(secondary=secondary, vht=in_vht, he6=later.he6, eht=later.eht)


_VHT_LINES = ("channel width", "center freq segment 1", "center freq segment 2")


def _generation(sections: dict[str, str], unknown: Elements, band: str, rates: str) -> str:
    if any(name.startswith("EHT") for name in sections) or el.EHT_CAPABILITIES in unknown.first:
        return "be"
    if any(name.startswith("HE ") for name in sections) or el.HE_CAPABILITIES in unknown.first:
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
    rsn = security.with_protection(keys[0], "MFP-required" in sections.get("RSN", ""))
    return security.label_of(rsn, keys[1], tkip, privacy)


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
