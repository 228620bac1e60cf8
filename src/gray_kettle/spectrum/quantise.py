"""Levels as bytes of half a decibel: what a row is kept as.

Code 0 is −147 dBm, 254 is −20 dBm; 255 stands for "nothing measured". A receiver's own noise in 1 kHz lies over
the first, and few receivers still measure right at the second.
"""

import numpy as np
from numpy.typing import NDArray

Codes = NDArray[np.uint8]
FloatDb = NDArray[np.float32]

LOWEST_DBM = -147.0
HIGHEST_DBM = -20.0
MISSING = 255
_STEPS_A_DB = 2
DBM_OF_CODE: FloatDb = np.append(LOWEST_DBM + np.arange(255) / _STEPS_A_DB, np.nan).astype(np.float32)
MW_OF_CODE: FloatDb = np.append(10 ** (DBM_OF_CODE[:255].astype(np.float64) / 10), 0.0).astype(np.float32)


def to_codes(levels_dbm: FloatDb) -> Codes:
    """Bytes for levels, rounded; levels beyond the scale are put at its ends, NaN becomes MISSING."""
    scaled = (levels_dbm - np.float32(LOWEST_DBM - 0.5 / _STEPS_A_DB)) * np.float32(_STEPS_A_DB)
    np.clip(scaled, 0, 254.5, out=scaled)
    missing = np.isnan(scaled)
    if missing.any():
        scaled[missing] = MISSING
    return scaled.astype(np.uint8)


def to_dbm(codes: Codes) -> FloatDb:
    """Levels for bytes, NaN for MISSING."""
    return DBM_OF_CODE[codes]


def dbm_of_mw(power_mw: NDArray[np.floating]) -> FloatDb:
    """Levels in dBm for powers in milliwatts; NaN for none."""
    with np.errstate(divide="ignore", invalid="ignore"):
        out = 10 * np.log10(power_mw)
    return np.where(np.isfinite(out), out, np.nan).astype(np.float32)
