"""Results that are known in closed form, and what the simulator says of the same case."""

import math
from collections.abc import Iterator

import numpy as np

from benchmarks.csma.air import Air, Station
from benchmarks.csma.run import AIFS_SLOTS, CW_MAX, CW_MIN, MPDU_US, OVERHEAD_US, SLOT_US, simulate

LOUD, UNHEARD = -40.0, -300.0
CLIENT_DBM = -40.0
WAIT = 512  # slots: a window much longer than the pause after a frame, as the closed form assumes


def checks(seconds: float = 20.0) -> Iterator[tuple[str, float, float]]:
    """(case, known, simulated): shares of time with payload that arrives, one radio's unless all are named."""
    for n in (1, 2, 5, 10, 20):
        found = simulate(_everyone_hears(n), seconds).payload.sum()
        yield f"{n} saturated, all hear all: all together (Bianchi)", saturated(n), float(found)
    for load in (0.1, 0.2, 0.3):
        found = simulate(_two_hidden(load), 4 * seconds, retries=False).arrived.mean()
        yield (
            f"two hidden, each {load:.0%} of time, no capture: data that arrives",
            hidden(load),
            float(found),
        )
    outer, middle = chain(_burst_slots())
    on = simulate(_chain(), 4 * seconds, window=(WAIT, WAIT)).airtime
    yield (
        "three in a row, the outer two hidden from each other: an outer one's air",
        outer,
        float(on[[0, 2]].mean()),
    )
    yield "the same: the air of the one in the middle", middle, float(on[1])


def _burst_slots() -> int:
    return round((2000 + OVERHEAD_US) / SLOT_US)


def saturated(n: int) -> float:
    """Bianchi's saturation throughput: share of time that carries payload, n stations that hear one another."""
    stages = round(math.log2(CW_MAX / CW_MIN))

    def attempt(p: float) -> float:
        if abs(p - 0.5) < 1e-9:
            p += 1e-7
        return 2 * (1 - 2 * p) / ((1 - 2 * p) * (CW_MIN + 1) + p * CW_MIN * (1 - (2 * p) ** stages))

    low, high = 0.0, 1.0
    for _ in range(60):
        p = (low + high) / 2
        low, high = (p, high) if 1 - (1 - attempt(p)) ** (n - 1) > p else (low, p)
    tau = attempt(low)
    some = 1 - (1 - tau) ** n
    one = n * tau * (1 - tau) ** (n - 1)
    busy = _burst_slots() + AIFS_SLOTS
    return one * 2000 / SLOT_US / ((1 - some) + some * busy)


def hidden(load: float) -> float:
    """Two that do not hear each other and send at random moments: share of the data that arrives.

    The other begins λ times a second while it is silent, for 1 − load of the time. A frame whose header meets the
    other is lost whole; one that is met later loses what overlaps and half a packet.
    """
    burst, data, header = _burst_slots() * SLOT_US, 2000.0, 45.0
    rate = load / burst
    free_at_start = 1 - load
    free_header = free_at_start * math.exp(-rate * header)
    # Mean time until the other begins, within the data.
    clean = (1 - math.exp(-rate * data)) / rate
    met = 1 - math.exp(-rate * data)
    return free_header * (clean - met * MPDU_US / 2) / data


def chain(burst_slots: int) -> tuple[float, float]:
    """Air of an outer and of the middle one of three in a row: stationary law of ideal carrier sense.

    Each state of stations that do not hear one another has the weight θ to the number that send, θ being the length
    of a burst over the mean wait before it. Here the wait is that of a window that does not grow.
    """
    theta = burst_slots / (AIFS_SLOTS + (WAIT - 1) / 2)
    total = 1 + 3 * theta + theta**2
    return (theta + theta**2) / total, theta / total


def _air(n: int, offered: float, heard: "np.ndarray", **what: object) -> Air:
    stations = tuple(Station(2437.0, offered=offered) for _ in range(n))
    level = np.where(heard, LOUD, UNHEARD)
    return Air(stations, level, np.full((n, n), CLIENT_DBM), 0.0, 0.0, capture=False, **what)  # type: ignore[arg-type]


def _everyone_hears(n: int) -> Air:
    return _air(n, 1.0, np.ones((n, n), bool))


def _two_hidden(load: float) -> Air:
    return _air(2, load, np.eye(2, dtype=bool))


def _chain() -> Air:
    heard = np.array([[1, 1, 0], [1, 1, 1], [0, 1, 1]], bool)
    return _air(3, 1.0, heard)
