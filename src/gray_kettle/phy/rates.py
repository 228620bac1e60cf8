"""Data rates: modulation and coding schemes, what they need, what they carry.

Source: IEEE Std 802.11-2020 19.5, 21.5 (rate tables), 17.3.10.2 and its successors (minimum
sensitivity), 802.11ax-2021 27.5, 802.11be-2024 36.5; docs/radio-model.md, "Rates".
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]

GENERATIONS = ("b", "a", "g", "n", "ac", "ax", "be")

# Signal over noise that each scheme needs: minimum sensitivity less thermal floor, 10 dB noise figure, 5 dB margin.
MCS_SINR_DB = np.array([4, 7, 9, 12, 16, 20, 21, 22, 27, 29, 32, 34, 37, 40], dtype=np.float64)
BITS = np.array([1, 2, 2, 4, 4, 6, 6, 6, 8, 8, 10, 10, 12, 12], dtype=np.float64)
CODING = np.array(
    [1 / 2, 1 / 2, 3 / 4, 1 / 2, 3 / 4, 2 / 3, 3 / 4, 5 / 6, 3 / 4, 5 / 6, 3 / 4, 5 / 6, 3 / 4, 5 / 6]
)
TOP_MCS = {"n": 7, "ac": 9, "ax": 11, "be": 13}
_DATA_TONES = {
    "n": {20: 52, 40: 108},
    "ac": {20: 52, 40: 108, 80: 234, 160: 468},
    "ax": {20: 234, 40: 468, 80: 980, 160: 1960},
    "be": {20: 234, 40: 468, 80: 980, 160: 1960, 320: 3920},
}
_SYMBOL_US = {"n": 3.2, "ac": 3.2, "ax": 12.8, "be": 12.8}
# Before aggregation: the rates themselves and what they need (the 802.11n figures where the scheme is the same).
_LEGACY_MBPS = {
    "b": np.array([1.0, 2.0, 5.5, 11.0]),
    "g": np.array([6.0, 9, 12, 18, 24, 36, 48, 54]),
    "a": np.array([6.0, 9, 12, 18, 24, 36, 48, 54]),
}
_LEGACY_SINR_DB = {
    "b": np.array([1.0, 3, 5, 7]),
    "g": np.array([4.0, 5, 7, 9, 12, 16, 20, 21]),
    "a": np.array([4.0, 5, 7, 9, 12, 16, 20, 21]),
}


def widest_mhz(generation: str) -> int:
    """The widest channel that a generation can fill."""
    return max(_DATA_TONES[generation]) if generation in _DATA_TONES else 20


def mcs_rate_mbps(generation: str, mcs: int, width_mhz: int, streams: int, guard_us: float = 0.8) -> float:
    """Data rate of one scheme: N_SD · N_BPSCS · R · N_SS / (T_SYM + T_GI), in Mb/s."""
    tones = _DATA_TONES[generation][width_mhz]
    return float(tones * BITS[mcs] * CODING[mcs] * streams / (_SYMBOL_US[generation] + guard_us))


def schemes(generation: str, width_mhz: int, streams: int) -> tuple[FloatArray, FloatArray]:
    """(needed SINR in dB, rate in Mb/s) of every scheme of a generation, slow to fast."""
    if generation in _LEGACY_MBPS:
        return _LEGACY_SINR_DB[generation], _LEGACY_MBPS[generation]
    width_mhz = min(width_mhz, widest_mhz(generation))
    count = TOP_MCS[generation] + 1
    if generation == "ac" and width_mhz == 20 and streams not in (3, 6):
        count = 9  # MCS 9 is not defined at 20 MHz for one, two or four streams (21.5)
    rates = [mcs_rate_mbps(generation, m, width_mhz, streams) for m in range(count)]
    return MCS_SINR_DB[:count], np.array(rates)


def rate_at_mbps(generation: str, width_mhz: int, streams: int, sinr_db: ArrayLike) -> FloatArray:
    """The fastest rate that a signal over noise and interference carries; 0 where none does."""
    needed, rates = schemes(generation, width_mhz, streams)
    steps = np.searchsorted(needed, np.asarray(sinr_db, dtype=np.float64), side="right")
    return np.concatenate([[0.0], rates])[steps]
