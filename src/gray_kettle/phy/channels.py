"""Channels of the three bands: numbers, centres, widths and the 20 MHz parts of a wide channel.

Source: IEEE Std 802.11-2020 clauses 15 to 21 and annex E, 802.11ax-2021 27.3.23, 802.11be-2024;
put together in docs/radio-model.md, "Channels".
"""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cache

BANDS = ("2.4", "5", "6")
_WIDTHS_MHZ = {"2.4": (20, 40), "5": (20, 40, 80, 160), "6": (20, 40, 80, 160, 320)}
_NUMBERS: dict[str, tuple[int, ...]] = {
    "2.4": tuple(range(1, 15)),
    "5": (*range(36, 65, 4), *range(100, 145, 4), *range(149, 178, 4)),
    "6": (*range(1, 234, 4),),
}
# Centre numbers of the fixed groups, by band and width.
_CENTRES: dict[tuple[str, int], tuple[int, ...]] = {
    ("5", 40): (38, 46, 54, 62, 102, 110, 118, 126, 134, 142, 151, 159, 167, 175),
    ("5", 80): (42, 58, 106, 122, 138, 155, 171),
    ("5", 160): (50, 114, 163),
    ("6", 40): tuple(range(3, 228, 8)),
    ("6", 80): tuple(range(7, 216, 16)),
    ("6", 160): tuple(range(15, 208, 32)),
    ("6", 320): (31, 63, 95, 127, 159, 191),
}


@dataclass(frozen=True, order=True)
class Channel:
    """Where a radio transmits: band, number of the primary 20 MHz, width and centre.

    centre_hz is the middle of the whole channel, or of the primary segment of an 80+80 MHz
    channel, whose other segment is centred on second_hz (0 otherwise). is_width_known: False where
    only the primary was reported and 20 MHz are assumed; it is the same channel all the same.
    """

    band: str
    primary: int
    width_mhz: int
    centre_hz: float
    second_hz: float = 0.0
    is_width_known: bool = field(default=True, compare=False)

    @property
    def known_width_mhz(self) -> int | None:
        """The width; None where it was not reported."""
        return self.width_mhz if self.is_width_known else None

    @property
    def sided_label(self) -> str:
        """The same with the side of the second part where there are two: 6/40+ above, 6/40− below."""
        if self.band != "2.4" or self.width_mhz == 20:
            return self.label
        return self.label + ("+" if self.centre_hz > self.primary_hz else "−")

    @property
    def label(self) -> str:
        """Primary and width as people write them: "3/40"; the primary alone where the width was not reported."""
        if not self.is_width_known:
            return str(self.primary)
        width = "80+80" if self.second_hz else str(self.width_mhz)
        return f"{self.primary}/{width}"

    @property
    def primary_hz(self) -> float:
        return centre_hz(self.band, self.primary)

    @property
    def segments(self) -> tuple[tuple[float, float], ...]:
        """(centre_hz, width_hz) of each interval of spectrum that is filled."""
        if self.second_hz:
            return ((self.centre_hz, 80e6), (self.second_hz, 80e6))
        return ((self.centre_hz, self.width_mhz * 1e6),)

    @property
    def parts(self) -> tuple[int, ...]:
        """Numbers of the 20 MHz parts, the primary first."""
        return _parts(self)


def overlap(one: Channel, other: Channel) -> bool:
    """Whether two channels have a megahertz of spectrum or more in common."""
    return one.band == other.band and any(
        abs(a_hz - b_hz) <= (a_width_hz + b_width_hz) / 2 - 1e6
        for a_hz, a_width_hz in one.segments
        for b_hz, b_width_hz in other.segments
    )


@cache
def _parts(channel: Channel) -> tuple[int, ...]:
    numbers = []
    for centre, width_hz in channel.segments:
        count = round(width_hz / 20e6)
        for k in range(count):
            offset_hz = (k - (count - 1) / 2) * 20e6
            numbers.append(number_at(centre + offset_hz)[1])
    numbers.sort(key=lambda n: (n != channel.primary, n))
    return tuple(numbers)


def numbers(band: str) -> tuple[int, ...]:
    """Numbers of the 20 MHz channels of a band, in order."""
    return _NUMBERS[band]


def centre_hz(band: str, number: int) -> float:
    """Frequency that a channel or centre number of a band stands for.

    Raises: ValueError, for a band or number that does not exist.
    """
    if band == "2.4" and number == 14:
        return 2484e6
    if band == "6" and number == 2:
        return 5935e6
    start_mhz, last = {"2.4": (2407, 13), "5": (5000, 200), "6": (5950, 233)}.get(band, (0, 0))
    if not 1 <= number <= last:
        raise ValueError(f"There is no channel {number} in the {band} GHz band.")
    return (start_mhz + 5 * number) * 1e6


def number_at(freq_hz: float) -> tuple[str, int]:
    """Band and nearest channel number at a frequency. Raises: ValueError, outside the three bands."""
    mhz = freq_hz / 1e6
    if 2407 <= mhz < 2477:
        return "2.4", round((mhz - 2407) / 5)
    if 2477 <= mhz <= 2495:
        return "2.4", 14
    if 5150 <= mhz <= 5930:
        return "5", round((mhz - 5000) / 5)
    if 5930 < mhz <= 5937:
        return "6", 2
    if 5940 <= mhz <= 7125:
        return "6", round((mhz - 5950) / 5)
    raise ValueError(f"{mhz:g} MHz lies outside the 2.4, 5 and 6 GHz bands.")


def narrow(band: str, number: int) -> Channel:
    """The 20 MHz channel of a number. Raises: ValueError, when there is none."""
    return Channel(band, number, 20, centre_hz(band, number))


def wide(band: str, primary: int, width_mhz: int) -> tuple[Channel, ...]:
    """Every channel of that width with that primary: two where two exist, none where none does.

    2.4 GHz at 40 MHz has one above and one below; 6 GHz at 320 MHz has two rasters.
    """
    if width_mhz == 20:
        known = primary in _NUMBERS[band] or (band, primary) == ("6", 2)
        return (narrow(band, primary),) if known else ()
    if band == "2.4":
        centres = [(primary, side) for side in (primary + 2, primary - 2)]
        # The secondary is four numbers away and must exist too.
        return tuple(
            Channel("2.4", p, 40, centre_hz("2.4", c)) for p, c in centres if 1 <= 2 * c - p <= 13 and p <= 13
        )
    half = width_mhz // 10
    return tuple(
        Channel(band, primary, width_mhz, centre_hz(band, c))
        for c in _CENTRES.get((band, width_mhz), ())
        if abs(c - primary) < half and primary in _NUMBERS[band]
    )


@cache
def primaries(band: str) -> tuple[Channel, ...]:
    """Every channel of a band for a radio whose width is not known: its primary says where it is."""
    return tuple(replace(narrow(band, number), is_width_known=False) for number in _NUMBERS[band])


@cache
def all_channels(band: str) -> tuple[Channel, ...]:
    """Every channel of a band: all primaries, all widths."""
    return tuple(_every(band))


def _every(band: str) -> Iterator[Channel]:
    for width_mhz in _WIDTHS_MHZ[band]:
        for number in _NUMBERS[band]:
            yield from wide(band, number, width_mhz)
