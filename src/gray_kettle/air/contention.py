"""What is left for payload when n stations contend: a saturation model with aggregation.

Source: Bianchi's model of the distributed coordination function (two equations, solved together),
with the timing of IEEE Std 802.11-2020 10.3 and 17.4.4; docs/radio-model.md, "Contention".
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]

SLOT_US = 9.0
SIFS_US = 16.0
AIFS_US = SIFS_US + 3 * SLOT_US  # best effort
WINDOW_MIN = 16
BACKOFF_STAGES = 6
PREAMBLE_US = 48.0
BLOCK_ACK_US = 32.0
BURST_US = 2000.0  # payload of one aggregate: what clients of mixed age reach; an assumption, told as one
FRAMING = 0.95  # delimiters, MAC headers and upper-layer acknowledgements within the aggregate


def attempt_probability(contenders: ArrayLike) -> FloatArray:
    """Chance that one saturated station sends in a slot, n of them contending (n ≥ 1, may be fractional)."""
    n = np.maximum(np.asarray(contenders, dtype=np.float64), 1.0)
    low, high = np.zeros_like(n), np.ones_like(n)
    for _ in range(50):  # bisection: the left side falls, the right side rises
        tau = (low + high) / 2
        p = 1 - (1 - tau) ** (n - 1)
        stages = sum((2 * p) ** k for k in range(BACKOFF_STAGES))
        too_low = tau < 2 / (WINDOW_MIN + 1 + p * WINDOW_MIN * stages)
        low, high = np.where(too_low, tau, low), np.where(too_low, high, tau)
    return (low + high) / 2


def mac_efficiency(contenders: ArrayLike) -> FloatArray:
    """Share of the medium's time that carries payload, all n stations together (0 to 1)."""
    n = np.maximum(np.asarray(contenders, dtype=np.float64), 1.0)
    tau = attempt_probability(n)
    busy = 1 - (1 - tau) ** n
    success = n * tau * (1 - tau) ** (n - 1) / busy
    exchange_us = PREAMBLE_US + BURST_US + SIFS_US + BLOCK_ACK_US + AIFS_US
    collision_us = PREAMBLE_US + BURST_US + AIFS_US
    mean_us = (1 - busy) * SLOT_US + busy * (success * exchange_us + (1 - success) * collision_us)
    return np.asarray(FRAMING * busy * success * BURST_US / mean_us)
