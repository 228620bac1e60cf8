"""Smaller things that an access point reports of itself: its name, its other radios, its help for roaming, its power.

Source: IEEE Std 802.11-2020 9.4.2.170 (reduced neighbour report), annex E (operating classes), 9.4.2.26 (extended
capabilities), 9.4.2.46 (mobility domain), 9.4.2.13, 9.4.2.16 (power), 9.4.2.18, 9.4.2.52 (channel switch),
802.11be-2024 9.4.2.312 (multi-link); the Wi-Fi Simple Configuration attributes; what makers put into vendor
elements is known from what is on the air.
"""

from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.dot11.mac_headers import address
from gray_kettle.safe_text import printable

SIMPLE_CONFIG = b"\x00\x50\xf2\x04"
_DEVICE_NAME = 0x1011
# Vendor elements that hold a name: prefix, and where behind it the text begins.
NAME_ELEMENTS: tuple[tuple[bytes, int], ...] = (
    (b"\x00\x0b\x86\x01\x03", 1),
    (b"\x00\x13\x92\x03", 0),
    (b"\x00\x19\x77\x21", 2),
    (b"\x00\x40\x96\x2c", 0),
)
_CCX_NAME = slice(10, 26)
_MOST_NEIGHBOURS = 16
_LONGEST_NAME = 64


def ap_name(found: Elements) -> str:
    """The name that a person gave the access point, made harmless; "" when it reports none."""
    ccx = found.get(el.AP_NAME_CCX, _CCX_NAME.stop)
    if ccx is not None and (name := _text(ccx[_CCX_NAME])):
        return name
    for prefix, at in NAME_ELEMENTS:
        content = found.of_vendor(prefix)
        if content is not None and (name := _text(content[at:])):
            return name
    attributes = found.of_vendor(SIMPLE_CONFIG) or b""
    at = 0
    while at + 4 <= len(attributes):
        kind, size = (int.from_bytes(attributes[k : k + 2]) for k in (at, at + 2))
        if kind == _DEVICE_NAME:
            return _text(attributes[at + 4 : at + 4 + size])
        at += 4 + size
    return ""


def _text(raw: bytes) -> str:
    return printable(raw.split(b"\0")[0])[:_LONGEST_NAME].strip()


def band_of_class(operating_class: int) -> str:
    """Band of a global operating class; "" for others. Source: table E-4."""
    if operating_class in (81, 82, 83, 84):
        return "2.4"
    if 115 <= operating_class <= 130:
        return "5"
    return "6" if 131 <= operating_class <= 137 else ""


def neighbours(found: Elements) -> tuple[tuple[str, str, int], ...]:
    """(BSSID, band, primary) of radios of the same device that the reduced neighbour report names."""
    content = found.get(el.REDUCED_NEIGHBOURS) or b""
    out: set[tuple[str, str, int]] = set()
    for _, start, size, operating_class, channel in _reports(content):
        entry = content[start : start + size]
        # With a BSSID (7 octets) come its parameters from 12 or 8 octets on; bit 6: the same device.
        parameters_at = {8: 7, 9: 7}.get(size, 11 if size >= 12 else None)
        if parameters_at is None or not entry[parameters_at] & 0x40:
            continue
        band = band_of_class(operating_class)
        if band:
            out.add((address(int.from_bytes(entry[1:7])), band, channel))
    return tuple(sorted(out)[:_MOST_NEIGHBOURS])


def neighbour_offsets(content: bytes) -> list[int]:
    """Places of the octets in a reduced neighbour report that change from beacon to beacon."""
    return [start for _, start, _, _, _ in _reports(content)]


def _reports(content: bytes) -> list[tuple[int, int, int, int, int]]:
    """(kind, start, size, operating class, channel) of every entry that is whole."""
    out = []
    at = 0
    while at + 4 <= len(content):
        header = int.from_bytes(content[at : at + 2], "little")
        count, size = (header >> 4 & 15) + 1, header >> 8
        operating_class, channel = content[at + 2], content[at + 3]
        at += 4
        for _ in range(count):
            if size == 0 or at + size > len(content):
                break
            out.append((header & 3, at, size, operating_class, channel))
            at += size
    return out


def roaming(found: Elements) -> tuple[str, ...]:
    """Letters of the amendments that help clients to move on: k (measurements), r (fast change), v (steering)."""
    letters = []
    radio = found.get(el.RADIO_CAPABILITIES, 1)
    if radio is not None and radio[0] & 0x02:  # neighbour report
        letters.append("k")
    if found.get(el.MOBILITY_DOMAIN, 3) is not None:
        letters.append("r")
    extended = found.get(el.EXTENDED_CAPABILITIES, 3)
    if extended is not None and extended[2] & 0x08:  # BSS transition
        letters.append("v")
    return tuple(letters)


def mobility_domain(found: Elements) -> str:
    content = found.get(el.MOBILITY_DOMAIN, 2)
    return content[:2].hex() if content else ""


def tx_power_dbm(found: Elements) -> int | None:
    content = found.get(el.TPC_REPORT, 1)
    return int.from_bytes(content[:1], signed=True) if content else None


def power_constraint_db(found: Elements) -> int | None:
    content = found.get(el.POWER_CONSTRAINT, 1)
    return content[0] if content else None


def switching_to(found: Elements) -> int:
    """Number of the channel that a switch is announced to; 0 when none is."""
    plain, extended = found.get(el.CHANNEL_SWITCH, 3), found.get(el.EXTENDED_CHANNEL_SWITCH, 4)
    return plain[1] if plain else extended[2] if extended else 0


def device(found: Elements) -> str:
    """Address of the multi-link device that an access point is part of; "" when it is none."""
    content = found.get(el.MULTI_LINK, 9)
    # Control (2 octets, kind 0: basic), then the length of the common information, then the address.
    if content is None or content[0] & 7:
        return ""
    return address(int.from_bytes(content[3:9]))
