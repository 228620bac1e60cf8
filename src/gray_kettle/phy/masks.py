"""Spectral masks of transmitters, and how much of one lands in another's passband.

Source: IEEE Std 802.11-2020, the transmit spectral masks of clauses 15 to 21, 802.11ax-2021 27.3.19
and 802.11be-2024 for 320 MHz; docs/radio-model.md, "Masks and coupling".
"""

from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]

# (offset in MHz, dB relative to the in-band density); a repeated offset is a step.
_POINTS: dict[tuple[str, int], tuple[tuple[float, float], ...]] = {
    ("dsss", 20): ((11, 0), (11, -30), (22, -30), (22, -50)),
    ("ofdm", 20): ((9, 0), (11, -20), (20, -28), (30, -40)),
    ("ofdm", 40): ((19, 0), (21, -20), (40, -28), (60, -40)),
    ("ofdm", 80): ((39, 0), (41, -20), (80, -28), (120, -40)),
    ("ofdm", 160): ((79, 0), (81, -20), (160, -28), (240, -40)),
    ("ofdm", 320): ((159, 0), (161, -20), (320, -28), (480, -40)),
}
# Passband of a receiver, MHz to each side of its centre.
HALF_PASSBAND_MHZ = {20: 9.0, 40: 19.0, 80: 39.0, 160: 79.0, 320: 159.0}

# The mask is a limit. Transmitters that are linear enough for their fast rates stay below it outside the channel;
# those of DSSS need not be linear and use most of it (docs/decisions/002-adjacent-channel-coupling.md).
SKIRT_BELOW_MASK_DB = {"ofdm": 15.0, "dsss": 5.0}
# What a receiver's filter lets through of a signal beside its passband, by the gap between the two edges. The standard
# asks for 20 dB at 2 MHz (adjacent channel rejection and SINR of the slowest scheme, 17.3.10.3); common receivers do
# 14 dB better, and a few megahertz further out the filter is over its edge.
_FILTER_GAP_HZ, _FILTER_DB = np.array([0.0, 2e6, 7e6, 22e6]), np.array([-30.0, -34.0, -55.0, -70.0])
NOTHING_DB = -200.0


@cache
def mask_points(kind: str, width_mhz: int, below_mask_db: float = 0.0) -> tuple[FloatArray, FloatArray]:
    """Corner offsets (Hz, from 0 outwards) and levels (dBr) of a mask, its floor to four times its reach.

    kind: "dsss" (20 MHz only) or "ofdm". below_mask_db lowers all that is outside the channel.
    """
    corners = _POINTS[kind, width_mhz]
    floor_db = corners[-1][1]
    points = [(0.0, 0.0), *corners, (4 * corners[-1][0], floor_db)]
    offsets = np.array([p[0] for p in points]) * 1e6
    levels = np.array([p[1] - (below_mask_db if p[1] < 0 else 0.0) for p in points], dtype=np.float64)
    return offsets, levels


def mask_db(kind: str, width_mhz: int, offset_hz: ArrayLike, below_mask_db: float = 0.0) -> FloatArray:
    """Density at an offset from the centre, relative to the density within (dBr, ≤ 0)."""
    offsets, levels = mask_points(kind, width_mhz, below_mask_db)
    return np.interp(np.abs(np.asarray(offset_hz, dtype=np.float64)), offsets, levels)


def _power_to(kind: str, width_mhz: int, below_mask_db: float, offset_hz: FloatArray) -> FloatArray:
    """Integral of the mask from the centre to an offset (signed, odd), exact for lines in dB."""
    offsets, levels = mask_points(kind, width_mhz, below_mask_db)
    slope = np.diff(levels) / np.maximum(np.diff(offsets), 1e-9) * np.log(10) / 10  # nepers of power per Hz
    start = 10 ** (levels[:-1] / 10)
    span = np.abs(offset_hz)[..., None] - offsets[:-1]
    span = np.clip(span, 0.0, np.diff(offsets))
    flat = np.abs(slope) < 1e-12
    safe = np.where(flat, -1.0, slope)
    areas = np.where(flat, start * span, start * np.expm1(safe * span) / safe)
    return np.asarray(np.sign(offset_hz) * areas.sum(axis=-1))


def coupling_db(
    kind: str,
    width_mhz: int,
    victim_width_mhz: int,
    offset_hz: ArrayLike,
    below_mask_db: float = 0.0,
) -> FloatArray:
    """Share of a transmitter's power that falls into a victim's passband, in dB (≤ 0).

    offset_hz: distance of the two centres, any shape; the result has that shape. -200 dB where nothing falls in.
    """
    offset = np.asarray(offset_hz, dtype=np.float64)
    half_hz = HALF_PASSBAND_MHZ[victim_width_mhz] * 1e6
    distance = np.abs(offset)  # the mask is symmetric: compute one side, so that both agree to the bit
    inside = _power_to(kind, width_mhz, below_mask_db, distance + half_hz) - _power_to(
        kind, width_mhz, below_mask_db, distance - half_hz
    )
    total = 2 * _power_to(kind, width_mhz, below_mask_db, np.array(np.inf))
    with np.errstate(divide="ignore"):
        return np.asarray(np.clip(10 * np.log10(np.maximum(inside, 0.0) / total), NOTHING_DB, 0.0))


def through_filter_db(gap_hz: ArrayLike) -> FloatArray:
    """Share (dB) of a transmitter's power that a receiver's filter lets through, by the gap between the edges."""
    return np.asarray(np.interp(np.asarray(gap_hz, dtype=np.float64), _FILTER_GAP_HZ, _FILTER_DB))


def received_db(kind: str, width_mhz: int, victim_width_mhz: int, offset_hz: float) -> float:
    """Share (dB, ≤ 0) of a transmitter that a receiver takes up: what falls in, and what its filter lets through."""
    falls_in = coupling_db(kind, width_mhz, victim_width_mhz, offset_hz, SKIRT_BELOW_MASK_DB[kind])
    edges_hz = (HALF_PASSBAND_MHZ[width_mhz] + HALF_PASSBAND_MHZ[victim_width_mhz]) * 1e6
    gap_hz = abs(offset_hz) - edges_hz
    if gap_hz < 0:
        return float(falls_in)
    passes = through_filter_db(gap_hz) + min(10 * np.log10(victim_width_mhz / width_mhz), 0.0)
    return float(min(10 * np.log10(10 ** (falls_in / 10) + 10 ** (passes / 10)), 0.0))
