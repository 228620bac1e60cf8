"""How long a frame occupies the air.

Source: docs/radio-model.md, "Airtime"; the ways of sending and their clauses stand in phy.modes.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gray_kettle.phy import modes

FloatArray = NDArray[np.float64]

TIME_UNIT_S = 1024e-6


def legacy_airtime_s(
    length_bytes: ArrayLike, rate_mbps: ArrayLike, in_2_4_ghz: ArrayLike = False
) -> FloatArray:
    """Duration of DSSS (1, 2, 5.5, 11 Mb/s, long preamble) and OFDM frames; NaN where the rate is NaN or 0.

    Shapes broadcast. In 2.4 GHz an OFDM frame carries 6 µs of signal extension.
    """
    rate = np.nan_to_num(np.asarray(rate_mbps, dtype=np.float64))
    return modes.airtime_s(modes.legacy_mode(rate), length_bytes, in_2_4_ghz)


@lru_cache(maxsize=4096)
def beacon_share(length_bytes: float, rate_mbps: float, interval_tu: float, in_2_4_ghz: bool) -> float:
    """Share of air that one BSSID's beacons take; 0 when the interval is not known."""
    if interval_tu <= 0:
        return 0.0
    return float(legacy_airtime_s(length_bytes, rate_mbps, in_2_4_ghz) / (interval_tu * TIME_UNIT_S))
