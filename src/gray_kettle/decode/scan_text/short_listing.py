"""An announcement from what a short listing reports: no elements, hardly a width.

Source: docs/formats.md, "Scan listings".
"""

import re
from hashlib import blake2b

from gray_kettle.decode.dot11 import security
from gray_kettle.model.records import Announcement
from gray_kettle.phy.channels import BANDS, centre_hz, number_at, numbers, wide

MAC = r"(?:[0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2}"
_GENERATIONS = ("be", "ax", "ac", "n", "g", "a", "b")
_OLD = ("g", "a", "b")  # they know 20 MHz and one stream alone


def plain(
    bssid: str,
    ssid: bytes,
    freq_hz: float,
    label: str,
    generation: str = "",
    width_mhz: int = 0,
    reported_centre_hz: float = 0.0,
    basic_rates_mbps: tuple[float, ...] = (),
) -> Announcement:
    """What is not reported stays unknown: generation "", width and streams 0.

    Raises: ValueError, for an address or a frequency that cannot be.
    """
    if re.fullmatch(MAC, bssid) is None:
        raise ValueError(f"{bssid!r} is not an address.")
    band, primary = number_at(freq_hz)
    only = wide(band, primary, 20)
    if not only or abs(only[0].primary_hz - freq_hz) > 2.5e6:
        raise ValueError(f"{freq_hz / 1e6:g} MHz is not a channel.")
    channel = only[0]
    # Where the listing reports a width and no centre there is one place in the fixed groups; in 2.4 GHz there are two.
    if width_mhz > 20:
        found = [c for c in wide(band, primary, width_mhz) if reported_centre_hz in (0.0, c.centre_hz)]
        width_advertised = len(found) == 1
        channel = found[0] if width_advertised else channel
    else:
        width_advertised = width_mhz == 20 or generation in _OLD
    return Announcement(
        bssid=bssid.lower().replace("-", ":"),
        ssid=ssid[:32],
        channel=channel,
        generation=generation if generation in _GENERATIONS else "",
        streams=1 if generation in _OLD else 0,
        security=label,
        beacon_interval_tu=100,  # what nearly all use; these listings do not report it
        basic_rates_mbps=basic_rates_mbps,
        country="",
        fingerprint="",
        beacon_bytes=0,
        width_advertised=width_advertised,
    )


def made_address(ssid: bytes, band: str, number: int) -> str:
    """A locally administered address that the same name on the same channel always gets: the listing gives none."""
    digest = blake2b(ssid + f"|{band}|{number}".encode(), digest_size=5).digest()
    return (b"\x02" + digest).hex(":")


def channel_hz(number: int, band: str = "") -> float:
    """Frequency of a channel number; without a band the first that has the number. Raises: ValueError."""
    return centre_hz(band or next((b for b in BANDS if number in numbers(b)), "5"), number)


def label_from_words(words: str) -> str:
    """Security from the words of a listing: WPA2-PSK, SAE, OWE, 802.1X, Personal, Enterprise, WEP …"""
    said = words.upper().replace("_", "-")
    keys: set[int] = set()
    if "SAE" in said or "WPA3-PERSONAL" in said or re.search(r"WPA3(?!-?ENT)", said):
        keys.add(8)
    if "OWE" in said:
        keys.add(18)
    if "SUITE-B-192" in said or "WPA3-ENTERPRISE" in said or "WPA3-ENT" in said:
        keys.add(12)
    enterprise = "802.1X" in said or "EAP" in said or "ENTERPRISE" in said
    rsn = "WPA2" in said or "RSN" in said
    if enterprise and 12 not in keys:
        keys.add(1)
    elif "PSK" in said or (rsn and (not keys or "WPA3" in said)):
        keys.add(2)
    old = {2} if re.search(r"WPA1|WPA(?![23])(-|\b)", said) and "NONE" not in said else None
    tkip = ("TKIP" in said and "CCMP" not in said and "AES" not in said) or (
        "TKIP" in said and old is not None
    )
    if old is not None and enterprise and not rsn and 8 not in keys:
        return security.label_of(None, {1}, tkip, True)
    if old is not None and not rsn and not keys & {8, 12, 18}:
        keys = set()  # what it says of keys it says of the old protection
    return security.label_of(keys or None, old, tkip, "WEP" in said)
