"""Where the fields of a radiotap header lie.

Source: the radiotap header definition (the field list as implemented by the Linux kernel), its rules for
alignment, further present words, vendor namespaces and type-length-value fields.
"""

from dataclasses import dataclass, field

# bit: (alignment, size)
FIELDS = {
    0: (8, 8),  # TSFT
    1: (1, 1),  # flags
    2: (1, 1),  # rate
    3: (2, 4),  # channel
    4: (2, 2),  # hop set and pattern
    5: (1, 1),  # antenna signal, dBm
    6: (1, 1),  # antenna noise, dBm
    7: (2, 2),  # lock quality
    8: (2, 2),  # transmit attenuation
    9: (2, 2),
    10: (1, 1),  # transmit power, dBm
    11: (1, 1),  # antenna
    12: (1, 1),  # antenna signal, dB
    13: (1, 1),  # antenna noise, dB
    14: (2, 2),  # RX flags
    15: (2, 2),  # TX flags
    16: (1, 1),
    17: (1, 1),
    18: (4, 8),  # extended channel
    19: (1, 3),  # MCS
    20: (4, 8),  # A-MPDU status
    21: (2, 12),  # VHT
    22: (8, 12),  # timestamp
    23: (2, 12),  # HE
    24: (2, 12),  # HE-MU
    25: (2, 6),  # HE-MU, other user
    26: (1, 1),  # PSDU of no length
    27: (2, 4),  # L-SIG
}
TSFT, FLAGS, RATE, CHANNEL, SIGNAL, NOISE, ANTENNA, XCHANNEL, MCS, AMPDU, VHT, TIMESTAMP, HE = (
    0, 1, 2, 3, 5, 6, 11, 18, 19, 20, 21, 22, 23,
)  # fmt: skip
TLV, RADIOTAP_AGAIN, VENDOR, MORE = 28, 29, 30, 31
U_SIG, EHT = 33, 34
_MOST_WORDS = 64


@dataclass(frozen=True)
class Layout:
    """Offsets into a header that all headers share which have the same bytes at the same guarded places.

    places: first occurrence of each field. antennas: offset of the signal of each single antenna. sizes: of the
    type-length-value fields. guards: (offset, bytes) on which all of this rests.
    """

    header_bytes: int
    places: dict[int, int] = field(default_factory=dict)
    antennas: tuple[int, ...] = ()
    sizes: dict[int, int] = field(default_factory=dict)
    guards: tuple[tuple[int, bytes], ...] = ()


def layout_of(header: bytes) -> Layout | None:
    """The layout of one header (all of it, as long as it claims to be); None when its first fields do not fit in it.

    Fields behind one that we cannot size are skipped, and so are further present words that do not fit: newer and
    older drivers number fields there that we do not know, and the header's own length leads over them.
    """
    words: list[int] = []
    at = 4
    while not words or words[-1] >> MORE:
        if at + 4 > len(header) or len(words) == _MOST_WORDS:
            return None
        words.append(int.from_bytes(header[at : at + 4], "little"))
        at += 4
    fields = _Fields(header, at)
    of_radiotap = True
    for number, word in enumerate(words):
        if of_radiotap and not fields.take(word, single_antenna=number > 0):
            if number == 0:
                return None
            break
        of_radiotap = of_radiotap or bool(word >> RADIOTAP_AGAIN & 1)
        if word >> VENDOR & 1:
            of_radiotap = False
            if not fields.step_over_vendor():
                return None
    sizes = fields.take_typed() if words[0] >> TLV & 1 else {}
    return Layout(len(header), fields.places, tuple(fields.antennas), sizes, tuple(fields.guards))


class _Fields:
    """Walks along the fields of one header. Its steps report whether the header was long enough for them."""

    def __init__(self, header: bytes, at: int) -> None:
        self.header, self.at = header, at
        self.places: dict[int, int] = {}
        self.antennas: list[int] = []
        self.guards = [(0, header[:at])]

    def take(self, word: int, single_antenna: bool) -> bool:
        """The fields of one present word of radiotap's own."""
        signal_at = None
        for bit in range(TLV):
            if not word >> bit & 1:
                continue
            align, size = FIELDS[bit]
            self.at += -self.at % align
            if self.at + size > len(self.header):
                return False
            self.places.setdefault(bit, self.at)
            if bit == SIGNAL:
                signal_at = self.at
            self.at += size
        # A signal together with an antenna's number, in a word of its own, is that antenna's alone.
        if signal_at is not None and single_antenna and word >> ANTENNA & 1:
            self.antennas.append(signal_at)
        return True

    def step_over_vendor(self) -> bool:
        """Fields of a vendor: their length is reported."""
        self.at += self.at % 2
        if self.at + 6 > len(self.header):
            return False
        known = self.header[self.at + 4 : self.at + 6]
        self.guards.append((self.at + 4, known))
        self.at += 6 + int.from_bytes(known, "little")
        return self.at <= len(self.header)

    def take_typed(self) -> dict[int, int]:
        """Fields that report their own type and length, up to the end of the header; sizes by type."""
        sizes: dict[int, int] = {}
        self.at += -self.at % 4
        while self.at + 4 <= len(self.header):
            kind, size = (int.from_bytes(self.header[k : k + 2], "little") for k in (self.at, self.at + 2))
            self.guards.append((self.at, self.header[self.at : self.at + 4]))
            content_at = self.at + 4
            if content_at + size > len(self.header):
                break
            if kind not in self.places:
                self.places[kind], sizes[kind] = content_at, size
            self.at = content_at + size + -size % 4
        return sizes
