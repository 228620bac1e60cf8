"""Information elements of management frames.

Source: IEEE Std 802.11-2020, 9.4.2.1 (the format of elements).
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

SSID, RATES, DS, TIM, COUNTRY, BSS_LOAD = 0, 1, 3, 5, 7, 11
HT_CAPABILITIES, RSN, MORE_RATES, HT_OPERATION = 45, 48, 50, 61
EXTENDED_CAPABILITIES, VHT_CAPABILITIES, VHT_OPERATION, VENDOR, EXTENSION = 127, 191, 192, 221, 255
HE_CAPABILITIES, HE_OPERATION, EHT_OPERATION, EHT_CAPABILITIES = (
    0x100 + 35,
    0x100 + 36,
    0x100 + 106,
    0x100 + 108,
)


def iter_elements(body: bytes, at: int = 0) -> Iterator[tuple[int, bytes]]:
    """(number, content) in order, repeats included; extension elements as 256 + their number.

    Ends quietly where an element is cut short: what came before it is good.
    """
    end = len(body)
    while at + 2 <= end:
        number, length = body[at], body[at + 1]
        if at + 2 + length > end:
            return
        if number == EXTENSION and length:
            yield 0x100 + body[at + 2], body[at + 3 : at + 2 + length]
        else:
            yield number, body[at + 2 : at + 2 + length]
        at += 2 + length


@dataclass
class Elements:
    """Elements by number (the first of each), and the vendors' own in order."""

    first: dict[int, bytes] = field(default_factory=dict)
    vendor: list[bytes] = field(default_factory=list)

    @classmethod
    def read(cls, body: bytes, at: int = 0) -> "Elements":
        found = cls()
        for number, content in iter_elements(body, at):
            if number == VENDOR:
                found.vendor.append(content)
            else:
                found.first.setdefault(number, content)
        return found

    def get(self, number: int, least: int = 0) -> bytes | None:
        """Content of an element, None when it is absent or shorter than it must be."""
        content = self.first.get(number)
        return content if content is not None and len(content) >= least else None
