"""How long a frame occupies the air.

Source: IEEE Std 802.11-2020 15.2, 16.2 (DSSS), 17.4.3 (OFDM), 19.4.3 (HT), 21.4.3 (VHT);
docs/radio-model.md, "Airtime".
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gray_kettle.air.rates import mcs_rate_mbps

FloatArray = NDArray[np.float64]

TIME_UNIT_S = 1024e-6
DSSS_MBPS = (1.0, 2.0, 5.5, 11.0)


def legacy_airtime_s(
    length_bytes: ArrayLike, rate_mbps: ArrayLike, in_2_4_ghz: ArrayLike = False
) -> FloatArray:
    """Duration of DSSS (1, 2, 5.5, 11 Mb/s, long preamble) and OFDM frames; NaN where the rate is NaN or 0.

    Shapes broadcast. In 2.4 GHz an OFDM frame carries 6 µs of signal extension.
    """
    length = np.asarray(length_bytes, dtype=np.float64)
    rate = np.asarray(rate_mbps, dtype=np.float64)
    rate = np.where(rate > 0, rate, np.nan)
    dsss_us = 192 + 8 * length / rate
    symbols = np.ceil((16 + 8 * length + 6) / (4 * rate))
    ofdm_us = 20 + 4 * symbols + np.where(in_2_4_ghz, 6.0, 0.0)
    return np.where(np.isin(rate, DSSS_MBPS), dsss_us, ofdm_us) * 1e-6


def ht_airtime_s(
    length_bytes: ArrayLike, mcs: int, width_mhz: int, streams: int, short_gi: bool
) -> FloatArray:
    """Duration of an HT mixed-format frame (mcs counted within a stream, 0 to 7)."""
    return _mimo_airtime_s("n", length_bytes, mcs, width_mhz, streams, short_gi)


def vht_airtime_s(
    length_bytes: ArrayLike, mcs: int, width_mhz: int, streams: int, short_gi: bool
) -> FloatArray:
    """Duration of a VHT frame."""
    return _mimo_airtime_s("ac", length_bytes, mcs, width_mhz, streams, short_gi)


def _mimo_airtime_s(
    generation: str, length_bytes: ArrayLike, mcs: int, width_mhz: int, streams: int, short_gi: bool
) -> FloatArray:
    training = {1: 1, 2: 2, 3: 4, 4: 4}.get(streams, 8)
    preamble_us = 20 + 8 + 4 + 4 * training + (4 if generation == "ac" else 0)
    symbol_us = 3.6 if short_gi else 4.0
    bits_per_symbol = (
        mcs_rate_mbps(generation, mcs, width_mhz, streams) * 4.0
    )  # rate is given at 4 µs symbols
    symbols = np.ceil((16 + 8 * np.asarray(length_bytes, dtype=np.float64) + 6) / bits_per_symbol)
    return np.asarray((preamble_us + symbols * symbol_us) * 1e-6)


def beacon_share(length_bytes: float, rate_mbps: float, interval_tu: float, in_2_4_ghz: bool) -> float:
    """Share of air that one BSSID's beacons take; 0 when the interval is not known."""
    if interval_tu <= 0:
        return 0.0
    return float(legacy_airtime_s(length_bytes, rate_mbps, in_2_4_ghz) / (interval_tu * TIME_UNIT_S))
