"""Who receives whom, how strongly, in which width: the arrays that the simulation runs on."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

WIDTHS_MHZ = (20, 40, 80, 160)
OCCUPIED_MHZ = {20: 17.8, 40: 36.6, 80: 76.6, 160: 156.4}
NOTHING_DB = -300.0
# What reaches a receiver from a neighbouring channel, by the gap between the edges of the two (MHz, dB of its power):
# leakage of a transmitter and selectivity of a receiver together, as laboratories report them for common chips.
LEAK = ((0.0, -28.0), (2.0, -33.0), (7.0, -43.0), (22.0, -50.0), (42.0, -58.0), (80.0, -66.0))
DSSS_LEAK = ((0.0, -26.0), (3.0, -33.0), (7.0, -39.0), (22.0, -50.0), (42.0, -58.0), (80.0, -66.0))
# Least sensitivity in 20 MHz, dBm, for MCS 0 to 11, less thermal noise (−101) and what chips are allowed to be bad by.
NEEDED_DB = np.array([-82, -79, -77, -74, -70, -66, -65, -64, -59, -57, -54, -52]) + 101.0 - 15.0
_BITS = np.array([0.5, 1, 1.5, 2, 3, 4, 4.5, 5, 6, 20 / 3, 7.5, 25 / 3])
_TONES = {20: 234, 40: 468, 80: 980, 160: 1960}


@dataclass(frozen=True)
class Station:
    """A transmitter with one client.

    low_mhz, width_mhz, primary_mhz: of its channel; primary_mhz is the centre of its primary 20 MHz. offered: share
    of the air that it would use if it were alone; 1 or more: it always has something to send. listens: False for
    what is not Wi-Fi. dsss: sends 802.11b alone. burst_us: length of what it sends at once.
    """

    centre_mhz: float
    width_mhz: int = 20
    primary_mhz: float = 0.0
    offered: float = 1.0
    streams: int = 2
    burst_us: float = 2000.0
    listens: bool = True
    dsss: bool = False

    @property
    def primary(self) -> float:
        return self.primary_mhz or self.centre_mhz

    def block(self, width_mhz: int) -> tuple[float, float]:
        """(low, high) edge in MHz of the part of its channel that holds the primary and is that wide."""
        low = self.centre_mhz - self.width_mhz / 2
        if self.width_mhz <= 20:
            return self.centre_mhz - self.width_mhz / 2, self.centre_mhz + self.width_mhz / 2
        step = int((self.primary - low) // width_mhz)
        return low + step * width_mhz, low + (step + 1) * width_mhz


@dataclass(frozen=True, eq=False)
class Air:
    """Stations with levels in dBm. at_station[i, j]: of i at j. at_client[i, j]: of i at the client of j."""

    stations: tuple[Station, ...]
    at_station: Floats
    at_client: Floats
    fading_db: float = 4.0
    signal_fading_db: float = 2.0
    capture: bool = True
    noise_dbm: float = -94.0
    extra: dict[str, float] = field(default_factory=dict)


def leak_db(gap_mhz: float, dsss: bool) -> float:
    """Power that crosses a gap between the edges of two channels, dB."""
    points = DSSS_LEAK if dsss else LEAK
    return float(np.interp(gap_mhz, [g for g, _ in points], [d for _, d in points]))


def coupled_db(low: float, high: float, to_low: float, to_high: float, dsss: bool = False) -> float:
    """Share (dB) of what is sent evenly from low to high MHz that reaches a receiver of to_low to to_high MHz."""
    width = high - low
    shared = max(min(high, to_high) - max(low, to_low), 0.0)
    gap = max(to_low - high, low - to_high, 0.0)
    narrower = min((to_high - to_low) / width, 1.0)
    spilled = 10 ** (leak_db(gap, dsss) / 10) * narrower
    return 10 * float(np.log10(max(shared / width, spilled)))


def occupied(block: tuple[float, float], station: Station) -> tuple[float, float]:
    """Edges of what is really filled in a block of a channel."""
    width = block[1] - block[0]
    filled = 18.0 if station.dsss else OCCUPIED_MHZ.get(round(width), width)
    middle = (block[0] + block[1]) / 2
    return middle - filled / 2, middle + filled / 2


@dataclass(frozen=True, eq=False)
class Geometry:
    """Arrays by (sender, its width, receiver, …), widths as index into WIDTHS_MHZ.

    into: share that reaches the receiver set to a width, dB. decodes: the receiver's primary lies in what is sent.
    beyond: share that reaches the segment that a widening adds, dB; valid: whether that is a frame it can decode.
    """

    widths: NDArray[np.int64]
    into: Floats
    decodes: NDArray[np.bool_]
    beyond: Floats
    valid: NDArray[np.bool_]
    rate_mbps: Floats  # (station, width, MCS)


def geometry(stations: tuple[Station, ...]) -> Geometry:
    n, w = len(stations), len(WIDTHS_MHZ)
    widths = np.array([sum(x <= max(s.width_mhz, 20) for x in WIDTHS_MHZ) for s in stations])
    into, beyond = np.full((n, w, n, w), NOTHING_DB), np.full((n, w, n, w), NOTHING_DB)
    decodes, valid = np.zeros((n, w, n), bool), np.zeros((n, w, n, w), bool)
    rates = np.zeros((n, w, len(NEEDED_DB)))
    for i, sender in enumerate(stations):
        for a in range(widths[i]):
            sent = sender.block(WIDTHS_MHZ[a])
            if sender.width_mhz < 20:
                sent = sender.block(sender.width_mhz)
            low, high = occupied(sent, sender)
            rates[i, a] = _TONES[WIDTHS_MHZ[a]] * _BITS * sender.streams / 13.6
            for j, receiver in enumerate(stations):
                if i == j:
                    continue
                decodes[i, a, j] = (
                    sender.listens
                    and abs((receiver.primary - sent[0]) % 20 - 10) < 1
                    and sent[0] < receiver.primary < sent[1]
                )
                for b in range(widths[j]):
                    block = receiver.block(WIDTHS_MHZ[b])
                    into[i, a, j, b] = coupled_db(low, high, *occupied(block, receiver), sender.dsss)
                    if b + 1 < widths[j]:
                        outer = receiver.block(WIDTHS_MHZ[b + 1])
                        added = (block[1], outer[1]) if outer[0] == block[0] else (outer[0], block[0])
                        beyond[i, a, j, b] = coupled_db(low, high, added[0] + 1, added[1] - 1, sender.dsss)
                        on_raster = abs((added[0] - sent[0]) % 20) < 1
                        valid[i, a, j, b] = (
                            sender.listens and on_raster and sent[0] < added[1] and sent[1] > added[0]
                        )
    return Geometry(widths, into, decodes, beyond, valid, rates)
