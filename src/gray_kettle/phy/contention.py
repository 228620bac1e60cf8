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
BURST_US = 2000.0  # payload of one aggregate with clients of mixed age: an assumption
FRAMING = 0.95  # delimiters, MAC headers and upper-layer acknowledgements within the aggregate


def attempt_probability(contenders: ArrayLike) -> FloatArray:
    """Chance that one saturated station sends in a slot: 0 to 1, shape of contenders (≥ 1, may be fractional)."""
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


def collision_probability(contenders: ArrayLike) -> FloatArray:
    """Probability (0 to 1) that a frame collides, with so many saturated stations contending; shape of contenders."""
    n = np.maximum(np.asarray(contenders, dtype=np.float64), 1.0)
    return np.asarray(1 - (1 - attempt_probability(n)) ** (n - 1))


def payload_shares(bursts_us: ArrayLike) -> FloatArray:
    """Share of the medium's time in which each station's payload is on the air, all of them saturated.

    bursts_us: payload time of one turn of each station, shape (n,). Stations get equally many turns: those that send
    equal bytes at unequal rates have unequal bursts, and the slow one takes the time of the fast one; with an equal
    limit on the time of a turn the bursts are equal. Framing is not taken off. Source: as mac_efficiency; the length
    of a collision is that of the longest burst in it.
    """
    bursts = np.asarray(bursts_us, dtype=np.float64)
    n = len(bursts)
    tau = float(attempt_probability(n))
    ordered = np.sort(bursts)[::-1]
    rank = np.arange(n)
    is_longest = tau * (1 - tau) ** rank  # of those that send in a slot it is the one that lasts
    lasts_us = PREAMBLE_US + ordered + AIFS_US
    alone = tau * (1 - tau) ** (n - 1)
    mean_us = (1 - tau) ** n * SLOT_US + float(is_longest @ lasts_us) + n * alone * (SIFS_US + BLOCK_ACK_US)
    return np.asarray(alone * bursts / mean_us)


def share_after_backoff(failed: ArrayLike) -> FloatArray:
    """Share of the medium's time that is left when so large a share (0 to 1) of our frames is lost whole.

    After each such frame the contention window doubles, and the wait for the next grows. Source: the mean wait of the
    same model at a given probability of loss.
    """
    p = np.asarray(failed, dtype=np.float64)
    stage = np.arange(BACKOFF_STAGES)
    waits = WINDOW_MIN / 2 * 2.0**stage
    mean = (1 - p) * (p[..., None] ** stage * waits).sum(axis=-1) + p**BACKOFF_STAGES * waits[-1] * 2
    exchange_us = PREAMBLE_US + BURST_US + SIFS_US + BLOCK_ACK_US + AIFS_US
    return np.asarray((exchange_us + waits[0] * SLOT_US) / (exchange_us + mean * SLOT_US))
