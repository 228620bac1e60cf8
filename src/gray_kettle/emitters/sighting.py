"""What one block of sweep rows shows of one emitter. Values only.

Source: docs/radio-model.md, "Signatures of what is not Wi-Fi".
"""

from dataclasses import dataclass, field

KINDS = (
    "microwave-oven",
    "bluetooth",
    "ble-advertising",
    "frequency-hopper",
    "802.15.4",
    "analogue-video",
    "narrowband-fm",
    "continuous-carrier",
    "broadband-noise",
    "radar",
    "point-to-point",
    "unknown",
)


@dataclass(frozen=True)
class Sighting:
    """One emitter in one block.

    likely: (kind, probability), the likeliest first; together with what is left for "unknown" they make 1.
    low_hz, high_hz: all that it touches; burst_hz: width of one burst of it. duty: share of the block's time in which
    it is on the air. channels: (band, number, share of time) of the 20 MHz places that it touches.
    evidence: what speaks for the likeliest kind. slices: share of the block's slices of time in which it shows.
    """

    likely: tuple[tuple[str, float], ...]
    low_hz: float
    high_hz: float
    burst_hz: float
    level_dbm: float
    duty: float
    first_s: float
    last_s: float
    rows: int
    channels: tuple[tuple[str, int, float], ...] = ()
    evidence: tuple[str, ...] = ()
    bursts_per_s: float = 0.0
    hours: tuple[tuple[int, float], ...] = field(default=())

    @property
    def kind(self) -> str:
        return self.likely[0][0]

    @property
    def confidence(self) -> float:
        return self.likely[0][1]

    @property
    def centre_hz(self) -> float:
        return (self.low_hz + self.high_hz) / 2

    @property
    def bandwidth_hz(self) -> float:
        return self.high_hz - self.low_hz
