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

# The mask is a limit. Transmitters that are linear enough for their fast rates stay below it outside
# the channel, and the victim's own filter helps: 15 dB together (docs/decisions/002-adjacent-channel-coupling.md).
SKIRT_BELOW_MASK_DB = 15.0
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
