"""Noise floors, and the levels at which a station takes the medium for busy.

Source: IEEE Std 802.11-2020 17.3.10.6, 19.3.19.5, 21.3.18.5 (clear channel assessment);
docs/radio-model.md, "Hearing".
"""

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]

NOISE_FIGURE_DB = 7.0
PREAMBLE_DBM = -82.0  # a preamble decoded on the primary 20 MHz
ENERGY_DBM = -62.0  # energy that cannot be decoded, in 20 MHz
# A valid frame on a secondary part, by the width of that part.
SECONDARY_DBM = {20: -72.0, 40: -72.0, 80: -69.0, 160: -69.0}
FADING_DB = 4.0  # levels move by this from one moment to the next (standard deviation)
UNHEARD_DBM = -95.0  # below this a radio changes nothing

# The normal distribution function as a table: NumPy has none, and SciPy costs a second to import.
_SIGMAS = np.linspace(-8.0, 8.0, 6401)
_SHARES = np.array([0.5 * math.erfc(-x / math.sqrt(2)) for x in _SIGMAS])


def noise_floor_dbm(width_hz: ArrayLike, noise_figure_db: float = NOISE_FIGURE_DB) -> FloatArray:
    """Thermal noise in a width, plus the receiver's noise figure: -94 dBm for 20 MHz."""
    return np.asarray(-174.0 + 10 * np.log10(np.asarray(width_hz, dtype=np.float64)) + noise_figure_db)


def normal_share(sigmas: ArrayLike) -> FloatArray:
    """The normal distribution function: share (0 to 1) below so many deviations, to 1e-6."""
    return np.asarray(np.interp(np.asarray(sigmas, dtype=np.float64), _SIGMAS, _SHARES, left=0.0, right=1.0))


def heard_share(level_dbm: ArrayLike, threshold_dbm: ArrayLike) -> FloatArray:
    """Share of moments in which a level that fades is at or above a threshold."""
    return normal_share((np.asarray(level_dbm) - np.asarray(threshold_dbm)) / FADING_DB)


def sum_dbm(*levels_dbm: ArrayLike) -> FloatArray:
    """Powers added in milliwatts."""
    total = sum(10 ** (np.asarray(level, dtype=np.float64) / 10) for level in levels_dbm)
    return 10 * np.log10(np.maximum(total, 1e-30))
