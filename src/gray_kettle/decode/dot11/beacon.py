"""A beacon or probe response to an Announcement.

Source: IEEE Std 802.11-2020 9.3.3.2 (beacon), 9.4.2 (elements), with 802.11ax-2021 and 802.11be-2024.
"""

import math
from hashlib import blake2b

from gray_kettle.decode.dot11 import ap_info, security
from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.elements import Elements
from gray_kettle.decode.dot11.operating_channel import Placement, channel_of
from gray_kettle.model.records import Announcement
from gray_kettle.phy.channels import number_at

_PRIVACY = 0x0010


def describe(
    bssid: str,
    interval_tu: int,
    capabilities: int,
    found: Elements,
    receiver_hz: float,
    beacon_bytes: int,
    transmitted_by: str = "",
) -> Announcement | None:
    """What was announced; None when neither the frame nor the receiver reports a channel that exists.

    receiver_hz: NaN when not known. transmitted_by: the BSSID that speaks for this one.
    """
    channel = None
    band, primary = _band_and_primary(found, receiver_hz)
    if primary:
        try:
            channel = channel_of(band, primary, placement(found))
        except ValueError:
            channel = None
    if channel is None:
        return None
    wpa = found.of_vendor(security.VENDOR_WPA)
    rates = (found.get(el.RATES) or b"") + (found.get(el.MORE_RATES) or b"")
    return Announcement(
        bssid=bssid,
        ssid=(found.get(el.SSID) or b"")[:32],
        channel=channel,
        generation=generation(found, band, rates),
        streams=streams(found),
        security=security.label(found.get(el.RSN), wpa, bool(capabilities & _PRIVACY)),
        beacon_interval_tu=interval_tu,
        basic_rates_mbps=tuple(sorted({(r & 0x7F) * 0.5 for r in rates if r & 0x80 and (r & 0x7F) < 120})),
        country=_country(found),
        fingerprint=_fingerprint(found),
        beacon_bytes=beacon_bytes,
        transmitted_by=transmitted_by,
        ap_name=ap_info.ap_name(found),
        tx_power_dbm=ap_info.tx_power_dbm(found),
        power_constraint_db=ap_info.power_constraint_db(found),
        mobility_domain=ap_info.mobility_domain(found),
        roaming=ap_info.roaming(found),
        device=ap_info.device(found),
        neighbours=ap_info.neighbours(found),
        switching_to=ap_info.switching_to(found),
        quiet=el.QUIET in found.first,
    )


def _band_and_primary(found: Elements, receiver_hz: float) -> tuple[str, int]:
    """Band and primary number; the receiver's frequency only where the frame reports none."""
    heard = ("", 0)
    if not math.isnan(receiver_hz):
        try:
            heard = number_at(receiver_hz)
        except ValueError:
            heard = ("", 0)
    he6 = _he6(found)
    if he6 is not None and found.get(el.DS, 1) is None and heard[0] in ("", "6"):
        return "6", he6[0]
    known = found.get(el.DS, 1) or found.get(el.HT_OPERATION, 1)
    if known is None:
        return heard
    band = heard[0] or ("2.4" if known[0] <= 14 else "5")
    # A number above 14 contradicts a 2.4 GHz receiver and the other way round: believe the frame.
    if band != "6":
        band = "2.4" if known[0] <= 14 else "5"
    return band, known[0]


def placement(found: Elements) -> Placement:
    """What the operation elements say of the channel."""
    ht = found.get(el.HT_OPERATION, 2)
    vht = found.get(el.VHT_OPERATION, 3)
    he6 = _he6(found)
    return Placement(
        secondary=ht[1] & 3 if ht else 0,
        vht=(vht[0], vht[1], vht[2]) if vht else _vht_in_he(found),
        he6=he6[1:] if he6 else None,
        eht=_eht(found),
    )


def _he6(found: Elements) -> tuple[int, int, int, int] | None:
    """Primary, width code and segments of the 6 GHz operation information."""
    content = found.get(el.HE_OPERATION, 6)
    if content is None or not content[2] & 0x02:
        return None
    at = 6 + (3 if content[1] & 0x40 else 0) + (1 if content[1] & 0x80 else 0)
    info = content[at : at + 5]
    return (info[0], info[1] & 3, info[2], info[3]) if len(info) == 5 else None


def _vht_in_he(found: Elements) -> tuple[int, int, int] | None:
    content = found.get(el.HE_OPERATION, 9)
    return (content[6], content[7], content[8]) if content and content[1] & 0x40 else None


def _eht(found: Elements) -> tuple[int, int, int] | None:
    content = found.get(el.EHT_OPERATION, 8)
    return (content[5] & 7, content[6], content[7]) if content and content[0] & 1 else None


def generation(found: Elements, band: str, rates: bytes) -> str:
    """The newest generation that the elements of a station speak of. rates: of both elements of them."""
    if el.EHT_CAPABILITIES in found.first or el.EHT_OPERATION in found.first:
        return "be"
    if el.HE_CAPABILITIES in found.first or el.HE_OPERATION in found.first:
        return "ax"
    if el.VHT_CAPABILITIES in found.first and band != "2.4":
        return "ac"
    if el.HT_CAPABILITIES in found.first or el.HT_OPERATION in found.first:
        return "n"
    if band != "2.4":
        return "a"
    return "g" if any((r & 0x7F) in (12, 18, 24, 36, 48, 72, 96, 108) for r in rates) else "b"


def streams(found: Elements) -> int:
    """The most streams that any capability element offers to receive; 1 when none reports."""
    counts = [1]
    if (ht := found.get(el.HT_CAPABILITIES, 7)) is not None:
        counts.append(sum(1 for octet in ht[3:7] if octet))
    if (vht := found.get(el.VHT_CAPABILITIES, 6)) is not None:
        counts.append(_map_streams(vht[4:6]))
    if (he := found.get(el.HE_CAPABILITIES, 19)) is not None:
        counts.append(_map_streams(he[17:19]))
    return max(counts)


def _map_streams(two_bits_each: bytes) -> int:
    """Streams of a VHT or HE map: two bits a stream, 3 means "not this one"."""
    value = int.from_bytes(two_bits_each, "little")
    return max((k + 1 for k in range(8) if (value >> 2 * k) & 3 != 3), default=1)


def _country(found: Elements) -> str:
    content = found.get(el.COUNTRY, 2)
    return content[:2].decode("ascii") if content and content[:2].isalpha() and content[:2].isascii() else ""


def _fingerprint(found: Elements) -> str:
    """Digest of what belongs to the radio: rates and capabilities, not names, keys or counters."""
    numbers = (el.RATES, el.MORE_RATES, el.HT_CAPABILITIES, el.VHT_CAPABILITIES, el.HE_CAPABILITIES)
    digest = blake2b(digest_size=8)
    for number in numbers:
        digest.update(repr((number, found.get(number))).encode())
    return digest.hexdigest()
