"""What an element says, in a few words; "" for those whose octets are all there is to show."""

from collections.abc import Callable

from gray_kettle.decode.dot11 import ap_info, beacon, security
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.one_frame.names import VENDOR_TYPES
from gray_kettle.safe_text import network_name, printable

_TU_MS = 1.024


def words_of(number: int, content: bytes) -> str:
    """Never raises: an element that is too short says so."""
    found = Elements({number: content}, [content] if number == el.VENDOR else [])
    try:
        return _WORDS[number](content, found) if number in _WORDS else ""
    except IndexError:
        return "shorter than it must be"


def _rates(content: bytes, found: Elements) -> str:
    basic = [f"{(r & 0x7F) / 2:g}" for r in content if r & 0x80 and (r & 0x7F) < 120]
    others = [f"{(r & 0x7F) / 2:g}" for r in content if not r & 0x80]
    special = " · membership selectors" if any((r & 0x7F) >= 120 for r in content) else ""
    return f"basic {' '.join(basic) or 'none'} · others {' '.join(others) or 'none'} Mb/s{special}"


def _tim(content: bytes, found: Elements) -> str:
    due = f"in {content[0]} beacons" if content[0] else "with this beacon"
    return f"sleeping clients are served {due}, every {content[1]}"


def _country(content: bytes, found: Elements) -> str:
    count = max(len(content) - 3, 0) // 3
    return f"{printable(content[:2].decode('ascii', 'replace'))}, {count} sub-band{'' if count == 1 else 's'}"


def _load(content: bytes, found: Elements) -> str:
    return f"{content[0] + 256 * content[1]} stations, channel {100 * content[2] / 255:.0f} % busy"


def _switch(content: bytes, found: Elements) -> str:
    return f"to channel {ap_info.switching_to(found)} in {content[-1]} beacons"


def _ht(content: bytes, found: Elements) -> str:
    width = "20 and 40 MHz" if content[0] & 0x02 else "20 MHz"
    return f"{width}, {_streams(found)}"


def _streams(found: Elements) -> str:
    count = beacon.streams(found)
    return f"{count} stream{'s' if count > 1 else ''}"


def _ht_operation(content: bytes, found: Elements) -> str:
    side = {1: ", secondary above", 3: ", secondary below"}.get(content[1] & 3, ", 20 MHz")
    return f"primary {content[0]}{side}"


def _vht_operation(content: bytes, found: Elements) -> str:
    width = {0: "20 or 40 MHz", 1: "80 MHz or wider", 2: "160 MHz", 3: "80+80 MHz"}.get(
        content[0], "reserved"
    )
    return f"{width}, centres {content[1]} and {content[2]}"


def _he_operation(content: bytes, found: Elements) -> str:
    colour = f"BSS colour {content[3] & 0x3F}{' (off)' if content[3] & 0x80 else ''}"
    place = beacon.placement(found)
    at_6 = place.he6
    if at_6 is None:
        return colour
    return f"{colour}, 6 GHz width code {at_6[0]}, centres {at_6[1]} and {at_6[2]}"


def _rsn(content: bytes, found: Elements) -> str:
    return security.label(content, None, True)


def _extended(content: bytes, found: Elements) -> str:
    letters = ap_info.roaming(found)
    return "BSS transition (802.11v)" if "v" in letters else ""


def _neighbours(content: bytes, found: Elements) -> str:
    listed = ap_info.neighbours(found)
    return (
        ", ".join(f"{bssid} on {number} ({band} GHz)" for bssid, band, number in listed)
        or "no radio of this device"
    )


def _envelope(content: bytes, found: Elements) -> str:
    return f"at most {content[1] / 2:g} dBm in 20 MHz"


def _vendor(content: bytes, found: Elements) -> str:
    kind = VENDOR_TYPES.get(content[:4])
    if kind == "WPA (old security)":
        return f"{kind}: {security.label(None, content[4:], True)}"
    return kind or f"of {content[:3].hex('-')}, type {content[3]}"


_WORDS: dict[int, Callable[[bytes, Elements], str]] = {
    el.SSID: lambda content, found: network_name(content),
    el.RATES: _rates,
    el.MORE_RATES: _rates,
    el.DS: lambda content, found: f"channel {content[0]}",
    el.TIM: _tim,
    el.COUNTRY: _country,
    el.BSS_LOAD: _load,
    el.POWER_CONSTRAINT: lambda content, found: f"{content[0]} dB below the country's limit",
    el.TPC_REPORT: lambda content, found: f"{ap_info.tx_power_dbm(found)} dBm",
    el.CHANNEL_SWITCH: _switch,
    el.EXTENDED_CHANNEL_SWITCH: _switch,
    el.QUIET: lambda content, found: f"for {int.from_bytes(content[2:4], 'little') * _TU_MS:.0f} ms",
    el.HT_CAPABILITIES: _ht,
    el.HT_OPERATION: _ht_operation,
    el.RSN: _rsn,
    el.MOBILITY_DOMAIN: lambda content, found: ap_info.mobility_domain(found),
    el.RADIO_CAPABILITIES: lambda content, found: "neighbour report (802.11k)" if content[0] & 2 else "",
    el.EXTENDED_CAPABILITIES: _extended,
    el.VHT_CAPABILITIES: lambda content, found: _streams(found),
    el.VHT_OPERATION: _vht_operation,
    195: _envelope,
    el.REDUCED_NEIGHBOURS: _neighbours,
    el.VENDOR: _vendor,
    el.HE_CAPABILITIES: lambda content, found: _streams(found),
    el.HE_OPERATION: _he_operation,
    el.MULTI_LINK: lambda content, found: f"device {ap_info.device(found)}" if ap_info.device(found) else "",
}
