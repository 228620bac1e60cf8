"""One beacon that speaks for several networks: the BSSIDs that a radio announces without beacons of their own.

Source: IEEE Std 802.11-2020 9.4.2.45 (Multiple BSSID element), 9.4.2.73 (nontransmitted BSSID capability),
9.4.2.240 (non-inheritance), 11.1.3.8.3 (derivation of the BSSIDs).
"""

from collections.abc import Iterator

from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11.elements import Elements, iter_elements

_PROFILE = 0


def unfolded(bssid: int, found: Elements) -> Iterator[tuple[int, int, Elements]]:
    """(BSSID, capabilities, its elements) of each nontransmitted BSSID; inherited elements are filled in.

    bssid: of the transmitter, as a 48-bit number.
    """
    for content in found.multiple_bssid:
        if not content or not 1 <= content[0] <= 8:
            continue
        size = 1 << content[0]
        base, place = bssid & ~(size - 1), bssid & (size - 1)
        for number, start, end in iter_elements(content, 1):
            if number != _PROFILE:
                continue
            profile = Elements.read(content[start:end])
            index = profile.get(el.MULTIPLE_BSSID_INDEX, 1)
            capability = profile.get(el.NONTRANSMITTED_CAPABILITY, 2)
            if index is None or capability is None or not 0 < index[0] < size:
                continue
            yield (
                base | (place + index[0]) % size,
                int.from_bytes(capability[:2], "little"),
                _inherited(profile, found),
            )


def _inherited(profile: Elements, transmitted: Elements) -> Elements:
    """Elements of a profile over those of its transmitter, without what the profile says it does not inherit."""
    left_out = {el.SSID, el.MULTIPLE_BSSID, el.BSS_LOAD}
    content = profile.get(el.NON_INHERITANCE, 1)
    if content is not None:
        count = content[0]
        left_out |= set(content[1 : 1 + count])
        left_out |= {0x100 + number for number in content[2 + count :]}
    first = {number: value for number, value in transmitted.first.items() if number not in left_out}
    kept_vendor = [v for v in transmitted.vendor if not any(v[:4] == own[:4] for own in profile.vendor)]
    vendor = [] if el.VENDOR in left_out else kept_vendor
    return Elements(first | profile.first, [*profile.vendor, *vendor])
