"""Information elements of management frames.

Source: IEEE Std 802.11-2020, 9.4.2.1 (the format of elements), with 802.11ax-2021 and 802.11be-2024.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

SSID, RATES, DS, TIM, COUNTRY, BSS_LOAD = 0, 1, 3, 5, 7, 11
POWER_CONSTRAINT, POWER_CAPABILITY, TPC_REPORT, SUPPORTED_CHANNELS, CHANNEL_SWITCH = 32, 33, 35, 36, 37
QUIET, HT_CAPABILITIES, RSN, MORE_RATES, MOBILITY_DOMAIN, OPERATING_CLASSES = 40, 45, 48, 50, 54, 59
EXTENDED_CHANNEL_SWITCH, HT_OPERATION, RADIO_CAPABILITIES, MULTIPLE_BSSID = 60, 61, 70, 71
NONTRANSMITTED_CAPABILITY, MULTIPLE_BSSID_INDEX = 83, 85
EXTENDED_CAPABILITIES, AP_NAME_CCX, VHT_CAPABILITIES, VHT_OPERATION = 127, 133, 191, 192
REDUCED_NEIGHBOURS, VENDOR, EXTENSION = 201, 221, 255
HE_CAPABILITIES, HE_OPERATION, NON_INHERITANCE = 0x100 + 35, 0x100 + 36, 0x100 + 56
HE_6GHZ_CAPABILITIES, EHT_OPERATION, MULTI_LINK, EHT_CAPABILITIES = (
    0x100 + 59,
    0x100 + 106,
    0x100 + 107,
    0x100 + 108,
)


def iter_elements(body: bytes, at: int = 0) -> Iterator[tuple[int, int, int]]:
    """(number, start and end of the content) in order, repeats included; extension elements as 256 + their number.

    Ends quietly where an element is cut short: what came before it is good.
    """
    end = len(body)
    while at + 2 <= end:
        number, length = body[at], body[at + 1]
        if at + 2 + length > end:
            return
        if number == EXTENSION and length:
            yield 0x100 + body[at + 2], at + 3, at + 2 + length
        else:
            yield number, at + 2, at + 2 + length
        at += 2 + length


@dataclass
class Elements:
    """Elements by number (the first of each), and those that may occur more than once in order."""

    first: dict[int, bytes] = field(default_factory=dict)
    vendor: list[bytes] = field(default_factory=list)
    multiple_bssid: list[bytes] = field(default_factory=list)

    @classmethod
    def read(cls, body: bytes, at: int = 0) -> "Elements":
        found = cls()
        for number, start, end in iter_elements(body, at):
            content = body[start:end]
            if number == VENDOR:
                found.vendor.append(content)
            elif number == MULTIPLE_BSSID:
                found.multiple_bssid.append(content)
            else:
                found.first.setdefault(number, content)
        return found

    def get(self, number: int, least: int = 0) -> bytes | None:
        """Content of an element, None when it is absent or shorter than it must be."""
        content = self.first.get(number)
        return content if content is not None and len(content) >= least else None

    def of_vendor(self, prefix: bytes) -> bytes | None:
        """Content of the first vendor element that begins so, behind the prefix."""
        return next((v[len(prefix) :] for v in self.vendor if v.startswith(prefix)), None)
