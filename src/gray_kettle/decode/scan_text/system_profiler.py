"""What macOS says of the Wi-Fi around it: `system_profiler SPAirPortDataType`, its text and its JSON.

JSON: spairport_airport_other_local_wireless_networks and spairport_current_network_information of each interface, each
network with _name, spairport_network_channel ("36 (5GHz, 80MHz)"), spairport_network_phymode, security mode, and
spairport_signal_noise ("-58 dBm / -92 dBm"). The text says the same indented: a name that ends in a colon, under it
"PHY Mode: …", "Channel: …", "Security: …", "Signal / Noise: …". Addresses are not given any more: one is made of name
and channel, so that the same network is the same one in every listing; access points of one name on one channel count
as one then.
"""

import json
import math
import re
from collections.abc import Generator, Iterable, Iterator
from typing import Any

from gray_kettle.decode.scan_text.scan_rows import ScanRows
from gray_kettle.decode.scan_text.short_listing import (
    MAC,
    channel_hz,
    label_from_words,
    made_address,
    plain,
)
from gray_kettle.decode.scan_text.timestamps import Clock
from gray_kettle.model.records import Piece

_MARK = '"SPAirPortDataType"'
_MOST_CHARACTERS = 8 << 20
_MOST_NETWORKS = 5000
_CHANNEL = re.compile(r"(\d{1,3}) \((2|5|6)GHz, (\d{2,3})MHz\)")
_CHANNEL_LINE = re.compile(rf"^ +Channel: {_CHANNEL.pattern}\s*$", re.MULTILINE)
_LEVELS = re.compile(r"(-?\d+) dBm(?: / (-?\d+) dBm)?")
_BANDS = {"2": "2.4", "5": "5", "6": "6"}
_MADE_UP = "macOS gives no addresses: they were made of name and channel; access points that share both count as one."
_TEXT_KEYS = {
    "PHY Mode": "spairport_network_phymode",
    "BSSID": "spairport_network_bssid",
    "Channel": "spairport_network_channel",
    "Security": "spairport_security_mode",
    "Signal / Noise": "spairport_signal_noise",
}


def fits(head: str) -> bool:
    if head.lstrip().startswith("{"):
        return _MARK in head[:2000]
    return "PHY Mode: 802.11" in head and _CHANNEL_LINE.search(head) is not None


class SystemProfilerReader:
    """Reads one listing."""

    def __init__(self, fallback_s: float) -> None:
        self.notes: list[str] = []
        self._clock = Clock(fallback_s)

    def arrived(self, time_s: float) -> None:
        self._clock.arrived(time_s)

    def pieces(self, lines: Iterable[str]) -> Generator[Piece]:
        rows = ScanRows()
        text = "\n".join(lines)[:_MOST_CHARACTERS]
        if text.lstrip().startswith("{"):
            try:
                entries = _networks(json.loads(text))
            except (ValueError, RecursionError):
                self.notes.append("The listing is cut off or damaged: it is no whole JSON document.")
                return
        else:
            entries = _networks_of_text(text.splitlines())
        for count, entry in enumerate(entries):
            if count < _MOST_NETWORKS:
                self._add(rows, entry)
        rows.scans = 1
        self.notes += self._clock.notes()
        yield rows.piece()

    def _add(self, rows: ScanRows, entry: dict[str, Any]) -> None:
        words = {name: value for name, value in entry.items() if isinstance(value, str)}
        channel = _CHANNEL.fullmatch(words.get("spairport_network_channel", ""))
        if channel is None:
            rows.skipped += 1
            return
        number, band, width = int(channel[1]), _BANDS[channel[2]], int(channel[3])
        ssid = words.get("_name", "").encode("utf-8", "replace")[:32]
        bssid = words.get("spairport_network_bssid", "").lower()
        if not re.fullmatch(MAC, bssid):
            bssid = made_address(ssid, band, number)
            if _MADE_UP not in self.notes:
                self.notes.append(_MADE_UP)
        security = words.get("spairport_security_mode", "").removeprefix("spairport_security_mode_")
        kinds = words.get("spairport_network_phymode", "").removeprefix("802.11").split("/")
        try:
            found = plain(
                bssid,
                ssid,
                channel_hz(number, band),
                label_from_words(security.replace("_", " ").upper()),
                kinds[-1].strip(),
                width,
            )
        except ValueError:
            rows.skipped += 1
            return
        levels = _LEVELS.match(words.get("spairport_signal_noise", ""))
        noise_dbm = float(levels[2]) if levels and levels[2] else math.nan
        rows.add(found, self._clock.now_s, float(levels[1]) if levels else math.nan, noise_dbm=noise_dbm)


def _networks(document: Any) -> Iterator[dict[str, Any]]:
    """Each network of each interface; what has another shape is passed over."""
    reports = document.get("SPAirPortDataType", ()) if isinstance(document, dict) else ()
    for report in _objects(reports):
        for interface in _objects(report.get("spairport_airport_interfaces")):
            current = interface.get("spairport_current_network_information")
            others = interface.get("spairport_airport_other_local_wireless_networks")
            yield from (*_objects([current]), *_objects(others))


def _objects(found: Any) -> list[dict[str, Any]]:
    return [item for item in found if isinstance(item, dict)] if isinstance(found, list) else []


def _networks_of_text(lines: Iterable[str]) -> Iterator[dict[str, Any]]:
    """A network is a heading whose indented lines have a channel with a band; interfaces have none."""
    heading, entry, inner = "", dict[str, Any](), -1
    for line in lines:
        indent, text = len(line) - len(line.lstrip(" ")), line.strip()
        name, colon, value = text.partition(": ")
        if text.endswith(":") and (not colon or name not in _TEXT_KEYS):
            if "spairport_network_channel" in entry:
                yield entry
            heading, entry, inner = text[:-1], {}, indent
        elif colon and indent > inner and name in _TEXT_KEYS:
            entry.setdefault("_name", heading)
            entry[_TEXT_KEYS[name]] = value.strip()
    if "spairport_network_channel" in entry:
        yield entry
