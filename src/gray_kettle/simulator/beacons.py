"""What a simulated radio announces: as beacon bytes, and as the text of a scan listing.

The bytes follow IEEE Std 802.11-2020 9.3.3.2 and 9.4.2; the decoder does not share this code.
"""

import struct
from functools import lru_cache

from gray_kettle.phy.channels import Channel, wide
from gray_kettle.simulator.site import SimClient, SimNetwork, SimRadio

_MARK = "\0"  # in the text of a listing: what differs from scan to scan
_RSN = b"\x00\x0f\xac"
_VENDOR = b"\x00\x50\xf2"
_SECURITY = {
    # kind: (privacy, RSN ciphers, RSN keys, vendor WPA)
    "open": (False, None, None, False),
    "wep": (True, None, None, False),
    "wpa-tkip": (True, None, None, True),
    "wpa2": (True, (4,), (2,), False),
    "wpa2-wpa3": (True, (4,), (2, 8), False),
    "wpa3": (True, (4,), (8,), False),
}
_RATES_2_4 = (1.0, 2.0, 5.5, 11.0, 6.0, 9.0, 12.0, 18.0, 24.0, 36.0, 48.0, 54.0)
_RATES = (6.0, 9.0, 12.0, 18.0, 24.0, 36.0, 48.0, 54.0)


def _rates(radio: SimRadio, band: str) -> tuple[float, ...]:
    if band != "2.4":
        return _RATES
    return _RATES_2_4 if min(radio.basic_rates_mbps) < 6 else _RATES


def _element(number: int, content: bytes) -> bytes:
    if number >= 0x100:
        return bytes([255, len(content) + 1, number - 0x100]) + content
    return bytes([number, len(content)]) + content


def _number(channel: Channel, hz: float) -> int:
    base = {"2.4": 2407, "5": 5000, "6": 5950}[channel.band]
    return round((hz / 1e6 - base) / 5)


def _segments(channel: Channel) -> tuple[int, int, int]:
    """VHT operation: width code, segment 0, segment 1."""
    centre = _number(channel, channel.centre_hz)
    if channel.width_mhz < 80:
        return 0, 0, 0
    if channel.width_mhz == 80:
        return 1, centre, 0
    primary_80 = centre - 8 if channel.primary < centre else centre + 8
    return 1, primary_80, centre


def _secondary(channel: Channel) -> int:
    """HT operation's offset: 1 above, 3 below, 0 none."""
    if channel.width_mhz < 40 or channel.band == "6":
        return 0
    pair_hz = channel.centre_hz if channel.band == "2.4" else wide("5", channel.primary, 40)[0].centre_hz
    return 1 if pair_hz > channel.primary_hz else 3


def beacon_body(
    radio: SimRadio, network: SimNetwork, channel: Channel, load: tuple[float, int] | None, tsf_us: int
) -> bytes:
    """Fixed part and elements of a beacon. load: busy share and stations."""
    privacy, ciphers, keys, vendor_wpa = _SECURITY[network.security]
    out = struct.pack("<QHH", tsf_us, 100, 0x0401 | (0x10 if privacy else 0))
    rates = bytes(
        int(r * 2) | (0x80 if r in radio.basic_rates_mbps else 0) for r in _rates(radio, channel.band)
    )
    out += _element(0, network.ssid) + _element(1, rates[:8])
    if channel.band == "2.4":
        out += _element(3, bytes([channel.primary]))
    out += _element(5, bytes([0, 1, 0, (tsf_us >> 17) & 1]))
    out += _element(7, b"GB " + bytes([1, 13, 20] if channel.band == "2.4" else [36, 8, 23]))
    if load is not None:
        out += _element(11, struct.pack("<HBH", load[1], round(load[0] * 255), 0))
    if len(rates) > 8:
        out += _element(50, rates[8:])
    if ciphers is not None and keys is not None:
        out += _rsn(ciphers, keys)
    newer = {"b": 0, "g": 0, "a": 0, "n": 1, "ac": 2, "ax": 3, "be": 4}[radio.generation]
    if newer >= 1 and channel.band != "6":
        streams = bytes([0xFF] * radio.streams) + bytes(16 - radio.streams)
        out += _element(45, b"\xef\x09\x17" + streams + bytes(7))
        out += _element(61, bytes([channel.primary, _secondary(channel) | 4]) + bytes(20))
    maps = sum((2 if s < radio.streams else 3) << 2 * s for s in range(8))
    if newer >= 2 and channel.band == "5":
        map_bytes = struct.pack("<H", maps)
        out += _element(191, b"\xb2\x01\x80\x33" + map_bytes + b"\0\0" + map_bytes + b"\0\0")
        out += _element(192, bytes(_segments(channel)) + b"\0\0")
    if newer >= 3:
        out += _element(0x100 + 35, bytes(17) + struct.pack("<HH", maps, maps))
        six = channel.band == "6"
        out += _element(
            0x100 + 36, bytes([0, 0, 2 if six else 0, 0]) + struct.pack("<H", maps) + _he6(channel)
        )
    if newer >= 4:
        code = {20: 0, 40: 1, 80: 2, 160: 3, 320: 4}[channel.width_mhz]
        centre = _number(channel, channel.centre_hz)
        out += _element(0x100 + 108, bytes(12))
        out += _element(0x100 + 106, bytes([1]) + bytes(4) + bytes([code, centre, 0]))
    if vendor_wpa:
        out += _element(
            221,
            _VENDOR
            + b"\x01\x01\x00"
            + (_VENDOR + b"\x02")
            + b"\x01\x00"
            + (_VENDOR + b"\x02")
            + b"\x01\x00"
            + (_VENDOR + b"\x02"),
        )
    return out


def _rsn(ciphers: tuple[int, ...], keys: tuple[int, ...]) -> bytes:
    suites = struct.pack("<H", len(keys)) + b"".join(_RSN + bytes([k]) for k in keys)
    cipher = _RSN + bytes([ciphers[0]])
    return _element(48, b"\x01\x00" + _RSN + bytes([4]) + b"\x01\x00" + cipher + suites + b"\0\0")


def request_body(network: SimNetwork, client: SimClient) -> bytes:
    """Fixed part and elements of a reassociation request: what the client can do."""
    in_5 = any(first > 14 for first, _ in client.channels)
    out = struct.pack("<HH", 0x0411, 10) + network.bssid + _element(0, network.ssid)
    out += _element(1, bytes(int(r * 2) for r in _RATES))
    out += _element(36, b"".join(bytes(pair) for pair in client.channels))
    _, ciphers, keys, _ = _SECURITY[network.security]
    if ciphers is not None and keys is not None:  # it chooses one: the newest that it knows
        out += _rsn(ciphers, (keys[-1] if client.generation == "ax" else keys[0],))
    streams = bytes([0xFF] * client.streams) + bytes(16 - client.streams)
    out += _element(45, (b"\xef\x09" if in_5 else b"\x2c\x01") + b"\x17" + streams + bytes(7))
    maps = struct.pack("<H", sum((2 if s < client.streams else 3) << 2 * s for s in range(8)))
    if in_5:
        out += _element(191, b"\xb2\x01\x80\x33" + maps + b"\0\0" + maps + b"\0\0")
    if client.generation == "ax":
        # MAC capabilities, then the widths: 40 MHz in 2.4 GHz, 80 MHz in 5 GHz.
        out += _element(0x100 + 35, bytes(6) + b"\x06" + bytes(10) + maps + maps)
    return out


def _he6(channel: Channel) -> bytes:
    if channel.band != "6":
        return b""
    code = {20: 0, 40: 1, 80: 2, 160: 3}.get(channel.width_mhz, 3)
    return bytes([channel.primary, code, _number(channel, channel.centre_hz), 0, 6])


def listing_text(
    radio: SimRadio, network: SimNetwork, channel: Channel, level_dbm: float, load: tuple[float, int] | None
) -> str:
    """The same as the lines of one BSS in a scan listing."""
    before, between, behind = _listing_parts(radio, network, channel, None if load is None else load[1])
    busy = "" if load is None else f"{round(load[0] * 255)}/255"
    return f"{before}{level_dbm:.2f} dBm{between}{busy}{behind}"


@lru_cache(maxsize=1 << 10)
def _listing_parts(
    radio: SimRadio, network: SimNetwork, channel: Channel, stations: int | None
) -> tuple[str, str, str]:
    """The text before the level, between level and busy share, and behind it: the same from scan to scan."""
    privacy, ciphers, keys, vendor_wpa = _SECURITY[network.security]
    rates = [f"{r:.1f}{'*' if r in radio.basic_rates_mbps else ''}" for r in _rates(radio, channel.band)]
    lines = [
        f"BSS {network.bssid.hex(':')}(on wlan0)",
        f"\tfreq: {channel.primary_hz / 1e6:.1f}",
        "\tbeacon interval: 100 TUs",
        f"\tcapability: ESS {'Privacy ' if privacy else ''}ShortSlotTime (0x{0x411 if privacy else 0x401:04x})",
        f"\tsignal: {_MARK}",
        "\tlast seen: 40 ms ago",
        f"\tSSID: {_escaped(network.ssid)}",
        f"\tSupported rates: {' '.join(rates[:8])} ",
    ]
    if channel.band == "2.4":
        lines.append(f"\tDS Parameter set: channel {channel.primary}")
    lines.append("\tCountry: GB\tEnvironment: Indoor/Outdoor")
    if stations is not None:
        lines += ["\tBSS Load:", f"\t\t * station count: {stations}", f"\t\t * channel utilisation: {_MARK}"]
    if len(rates) > 8:
        lines.append(f"\tExtended supported rates: {' '.join(rates[8:])} ")
    if ciphers is not None and keys is not None:
        names = " ".join({2: "PSK", 8: "SAE"}[k] for k in keys)
        lines += ["\tRSN:\t * Version: 1", "\t\t * Group cipher: CCMP", "\t\t * Pairwise ciphers: CCMP"]
        lines.append(f"\t\t * Authentication suites: {names}")
    if vendor_wpa:
        lines += ["\tWPA:\t * Version: 1", "\t\t * Group cipher: TKIP", "\t\t * Pairwise ciphers: TKIP"]
        lines.append("\t\t * Authentication suites: PSK")
    newer = {"b": 0, "g": 0, "a": 0, "n": 1, "ac": 2, "ax": 3, "be": 4}[radio.generation]
    if newer >= 1 and channel.band != "6":
        lines += ["\tHT capabilities:", "\t\tCapabilities: 0x9ef"]
        lines.append(f"\t\tHT RX MCS rate indexes supported: 0-{8 * radio.streams - 1}")
        offset = {0: "no secondary", 1: "above", 3: "below"}[_secondary(channel)]
        lines += ["\tHT operation:", f"\t\t * primary channel: {channel.primary}"]
        lines.append(f"\t\t * secondary channel offset: {offset}")
    if newer >= 2 and channel.band == "5":
        code, first, second = _segments(channel)
        width = {0: "20 or 40 MHz", 1: "80 MHz"}[code]
        lines += ["\tVHT capabilities:", "\t\tVHT RX MCS set:"]
        lines += [
            f"\t\t\t{s} streams: {'MCS 0-9' if s <= radio.streams else 'not supported'}" for s in range(1, 9)
        ]
        lines += ["\tVHT operation:", f"\t\t * channel width: {code} ({width})"]
        lines += [f"\t\t * center freq segment 1: {first}", f"\t\t * center freq segment 2: {second}"]
    if newer >= 3:
        lines += ["\tHE capabilities:", "\t\tHE RX MCS and NSS set <= 80 MHz"]
        lines += [f"\t\t\t{s} streams: MCS 0-11" for s in range(1, radio.streams + 1)]
    if newer >= 4:
        lines += ["\tEHT capabilities:"]
    before, between, *behind = ("\n".join(lines) + "\n").split(_MARK)
    return before, between, "".join(behind)


def _escaped(ssid: bytes) -> str:
    return "".join(chr(b) if (0x20 < b < 0x7F and b != 0x5C) or b == 0x20 else f"\\x{b:02x}" for b in ssid)
