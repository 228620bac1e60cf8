"""The Wi-Fi of this computer, by the listing that its operating system has."""

import os
import re
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gray_kettle.collect.live import command
from gray_kettle.collect.live.kernel_scans import KernelScans
from gray_kettle.collect.live.listings import INTERVAL_S, LEAST_INTERVAL_S, Listing, RepeatedListings
from gray_kettle.collect.live.source import LiveSource, LostError
from gray_kettle.collect.live.uri import Uri, interface_of
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

_DEVICES = Path("/sys/class/net")
_REFUSAL = "The Wi-Fi of this computer cannot be read: {why}."
_CACHED = (
    "Shown is what the system heard by itself, which can be some seconds old; as root it scans each time."
)
_QUICK_S = 3.0


@dataclass(frozen=True)
class Way:
    """One way to list what a computer hears. program: that is needed for it."""

    title: str
    program: str
    listings: Callable[[str], tuple[Listing, ...]]


def interfaces() -> tuple[str, ...]:
    """Wi-Fi interfaces of this computer, where it runs Linux."""
    try:
        found = sorted(
            p.name for p in _DEVICES.iterdir() if (p / "phy80211").exists() or (p / "wireless").exists()
        )
    except OSError:
        return ()
    return tuple(found)


def by_iw(interface: str) -> tuple[Listing, ...]:
    """The listings of `iw`: a scan, and the counters of channels and of stations."""
    dev = ("iw", "dev", interface)
    dump = (*dev, "scan", "dump", "-u")
    return (
        Listing((*dev, "scan", "-u"), ((dump, _CACHED),)),
        Listing((*dev, "survey", "dump"), is_scan=False, is_needed=False),
        Listing((*dev, "station", "dump"), is_scan=False, is_needed=False),
    )


_NMCLI = ("nmcli", "-t", "-f", "ALL", "device", "wifi", "list")
_WAYS = {
    "linux": (
        Way("iw", "iw", by_iw),
        Way(
            "NetworkManager",
            "nmcli",
            lambda interface: (Listing((*_NMCLI, *(("ifname", interface) if interface else ()), "--rescan", "yes"),
                                       (((*_NMCLI, "--rescan", "no"), _CACHED),)),),
        ),
    ),
    "win32": (
        Way("netsh", "netsh", lambda _: (Listing(("netsh", "wlan", "show", "networks", "mode=bssid")),)),
    ),
    "darwin": (
        Way(
            "system_profiler",
            "system_profiler",
            lambda _: (Listing(("system_profiler", "SPAirPortDataType", "-json")),),
        ),
    ),
}  # fmt: skip


def way_of(platform: str = sys.platform) -> Way | None:
    """The best way that this computer has; None where a program is missing."""
    ways = _WAYS.get(platform, ())
    able = [way for way in ways if command.is_installed(way.program)]
    if platform == "linux" and len(able) > 1 and os.geteuid() != 0:
        return able[1]  # it scans without root
    return able[0] if able else None


def missing(platform: str = sys.platform) -> str:
    """What is missing for `wifi:` and how to get it; "" where nothing is."""
    if platform not in _WAYS:
        return "This system has no listing that is read; take a file, or an access point by ssh://."
    if platform != "linux" and way_of(platform) is None:
        return f"{_WAYS[platform][0].program} is not installed."
    if platform == "linux" and not interfaces():
        return "This computer has no Wi-Fi interface: plug one in, or use an access point (ssh://), a file or a pipe."
    return ""


def open_system_wifi(uri: Uri) -> LiveSource:
    """`wifi:` or `wifi:IFACE`, with ?interval=. Raises: KettleError, with what is missing."""
    uri.refuse_unknown("interval")
    lack = missing()
    if lack:
        raise KettleError(f"{uri.shown} cannot be used. {lack}")
    interface = interface_of(uri.rest, uri) if uri.rest else next(iter(interfaces()), "")
    way = way_of()
    if way is None:  # neither program is here: the kernel needs none
        return KernelScans(uri, interface)
    return RepeatedListings(
        f"this computer ({interface or way.title})",
        way.listings(interface),
        uri.seconds("interval", INTERVAL_S, LEAST_INTERVAL_S),
        _REFUSAL,
    )


_LINKS: dict[str, tuple[Callable[[str], tuple[str, ...]], re.Pattern[str]]] = {
    "iw": (lambda i: ("iw", "dev", i, "link"), re.compile(r"^\s*SSID: (.+)$", re.MULTILINE)),
    "nmcli": (
        lambda i: ("nmcli", "-t", "-f", "ACTIVE,SSID", "device", "wifi", "list", "--rescan", "no"),
        re.compile(r"^yes:(.+)$", re.MULTILINE),
    ),
    "netsh": (
        lambda i: ("netsh", "wlan", "show", "interfaces"),
        re.compile(r"^\s+SSID\s*: (.+)$", re.MULTILINE),
    ),
}


def connected_network() -> str:
    """The network that this computer is connected to: likely ours. "" where it is not known."""
    way = way_of()
    if way is None or way.program not in _LINKS or missing():
        return ""
    words, pattern = _LINKS[way.program]
    try:
        text = command.output_of(words(next(iter(interfaces()), "")), lambda: False, _QUICK_S)
    except LostError:
        return ""
    match = pattern.search(text.decode("utf-8", "replace"))
    return printable(match[1].strip()) if match else ""
