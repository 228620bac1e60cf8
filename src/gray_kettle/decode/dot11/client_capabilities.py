"""What clients say they can do when they ask: association, reassociation and probe requests.

Source: IEEE Std 802.11-2020 9.3.3.5 to 9.3.3.9 (requests), 9.4.2.17 (supported channels), 9.4.2.53 (operating
classes), 9.4.2.55, 9.4.2.157 (HT and VHT capabilities), 802.11ax-2021 9.4.2.248 (HE capabilities).
"""

import numpy as np

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import Reception
from gray_kettle.decode.dot11 import ap_info, security
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.beacon import generation, streams
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.dot11.mac_headers import (
    ASSOCIATION_REQUEST,
    MANAGEMENT,
    PROBE_REQUEST,
    REASSOCIATION_REQUEST,
    Headers,
    address,
)
from gray_kettle.model.records import ClientCapability
from gray_kettle.phy.channels import number_at, numbers

# Octets before the elements: capabilities and listen interval, and the present access point in a reassociation.
_FIXED = {ASSOCIATION_REQUEST: 4, REASSOCIATION_REQUEST: 10, PROBE_REQUEST: 0}
_MOST_KEPT = 20_000
_GROUP_BIT = 1 << 40


class ClientRequests:
    """Reads the requests of one capture; each distinct one once."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int, int, int, bytes], ClientCapability | None] = {}

    def capabilities(
        self, block: PacketBlock, heard: Reception, headers: Headers
    ) -> tuple[ClientCapability, ...]:
        """What the clients of a block can do, those not known before."""
        request = (headers.kind == MANAGEMENT) & np.isin(headers.subtype, list(_FIXED))
        new: list[ClientCapability] = []
        for k in np.flatnonzero(request):
            packet = headers.rows[k]
            end = heard.frame_starts[packet] + heard.frame_lengths[packet]
            body = block.data[headers.body_at[k] : max(end, headers.body_at[k])].tobytes()
            subtype, mac, bssid = (int(c[k]) for c in (headers.subtype, headers.transmitter, headers.bssid))
            key = (subtype, mac, bssid, int(heard.channel_mhz[packet]), body)
            if key in self._known:
                continue
            if len(self._known) >= _MOST_KEPT:
                self._known.clear()
            found = self._known[key] = _ability(*key)
            if found is not None and found not in new:
                new.append(found)
        return tuple(new)


def _ability(subtype: int, mac: int, bssid: int, channel_mhz: int, body: bytes) -> ClientCapability | None:
    """None where the request reports nothing: cut short, or from a group address."""
    found = Elements.read(body, _FIXED[subtype])
    if not mac or mac & _GROUP_BIT or el.RATES not in found.first:
        return None
    try:
        band = number_at(channel_mhz * 1e6)[0]
    except ValueError:
        band = "5" if el.VHT_CAPABILITIES in found.first else "2.4"
    joins = subtype != PROBE_REQUEST and not bssid & _GROUP_BIT
    rates = (found.get(el.RATES) or b"") + (found.get(el.MORE_RATES) or b"")
    return ClientCapability(
        mac=address(mac),
        bssid=address(bssid) if joins else "",
        ssid=(found.get(el.SSID) or b"")[:32],
        band=band,
        generation=generation(found, band, rates),
        streams=streams(found),
        width_mhz=_width_mhz(found, band),
        channels=_channels(found),
        roaming=ap_info.roaming(found),
        security=_security(found) if joins else "",
    )


def _security(found: Elements) -> str:
    """By the suites that it chose; "" where it names none: its network is open, or it joins by push button."""
    rsn, wpa = found.get(el.RSN), found.of_vendor(security.VENDOR_WPA)
    return security.label(rsn, wpa, False) if rsn is not None or wpa is not None else ""


def _width_mhz(found: Elements, band: str) -> int:
    """The widest channel it can use in the band in which it asked."""
    widths = [20]
    ht, vht, he = (
        found.get(*x) for x in ((el.HT_CAPABILITIES, 2), (el.VHT_CAPABILITIES, 1), (el.HE_CAPABILITIES, 7))
    )
    if ht is not None and ht[0] & 0x02:
        widths.append(40)
    if vht is not None and band != "2.4":
        widths.append({0: 80, 1: 160, 2: 160}.get(vht[0] >> 2 & 3, 80))
    if he is not None:
        said = he[6] >> 1  # first octet of the PHY capabilities, bits 1 on: the widths
        if band == "2.4":
            widths.append(40 if said & 0x01 else 20)
        else:
            widths += [80] * bool(said & 0x02) + [160] * bool(said & 0x0C)
    if (eht := found.get(el.EHT_CAPABILITIES, 3)) is not None and band == "6" and eht[2] & 0x02:
        widths.append(320)
    return max(widths)


def _channels(found: Elements) -> tuple[tuple[str, int], ...]:
    """Channels that it names as usable, and whole bands of the operating classes that it names besides."""
    out: set[tuple[str, int]] = set()
    pairs = found.get(el.SUPPORTED_CHANNELS) or b""
    for first, count in zip(pairs[::2], pairs[1::2], strict=False):
        if first <= 14:
            out |= {("2.4", n) for n in range(first, min(first + count, 15))}
        else:
            out |= {("5", n) for n in range(first, first + 4 * count, 4) if n in numbers("5")}
    named = {band for band, _ in out}
    for operating_class in (found.get(el.OPERATING_CLASSES) or b"")[1:]:
        band = ap_info.band_of_class(operating_class)
        if band and band not in named:
            out |= {(band, n) for n in _of_class(band, operating_class)}
    return tuple(sorted(out))


def _of_class(band: str, operating_class: int) -> tuple[int, ...]:
    """20 MHz channels that a global operating class reaches. Source: IEEE Std 802.11-2020 table E-4."""
    if band == "2.4":
        return {81: tuple(range(1, 14)), 82: (14,)}.get(operating_class, tuple(range(1, 14)))
    if band == "6":
        return numbers("6")
    spans = {115: (36, 48), 116: (36, 48), 117: (36, 48), 118: (52, 64), 119: (52, 64), 120: (52, 64)}
    spans |= {121: (100, 144), 122: (100, 144), 123: (100, 144), 124: (149, 161), 125: (149, 177)}
    spans |= {126: (149, 177), 127: (149, 177)}
    low, high = spans.get(operating_class, (36, 177))
    return tuple(n for n in numbers("5") if low <= n <= high)
