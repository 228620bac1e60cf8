"""The simulation: carrier sense, backoff, frames on the air, and what arrives of them, slot by slot."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numba import njit

from benchmarks.csma.air import NEEDED_DB, Air, Floats, geometry

SLOT_US = 9.0
AIFS_SLOTS = 5
OVERHEAD_US = 92.0  # preamble before, SIFS and block acknowledgement after the data
HEADER_SLOTS = 5
CW_MIN, CW_MAX = 16, 1024
PREAMBLE_DBM, ENERGY_DBM, SECONDARY_DBM = -82.0, -62.0, -72.0
HEADER_DB, DETECTED_DB = 4.0, 0.0
MPDU_US = 200.0
USEFUL = 0.95  # of the data: the rest is headers
QUEUE = 50


@dataclass(frozen=True, eq=False)
class Result:
    """By station: data that arrived (Mb/s), share of time on the air, and with data that arrives; share of data sent
    that arrived.
    """

    mbps: Floats
    airtime: Floats
    payload: Floats
    arrived: Floats


def simulate(
    air: Air,
    seconds: float = 3.0,
    seed: int = 1,
    window: tuple[int, int] = (CW_MIN, CW_MAX),
    retries: bool = True,
) -> Result:
    """window: least and largest contention window. retries: what did not arrive is sent again."""
    g = geometry(air.stations)
    n = len(air.stations)
    burst = np.array([max(round((s.burst_us + OVERHEAD_US * s.listens) / SLOT_US), 1) for s in air.stations])
    data_us = np.array([s.burst_us for s in air.stations])
    offered = np.array([s.offered for s in air.stations])
    listens = np.array([s.listens for s in air.stations])
    got, sent, on, useful_us = _run(
        n, int(seconds * 1e6 / SLOT_US), seed, *window, retries, burst, data_us, offered, listens,
        air.at_station, air.at_client, air.fading_db, air.signal_fading_db, air.capture, air.noise_dbm,
        g.widths, g.into, g.decodes, g.beyond, g.valid, g.rate_mbps,
    )  # fmt: skip
    return Result(
        mbps=got / seconds * USEFUL / 1e6,
        airtime=on / (seconds * 1e6 / SLOT_US),
        payload=useful_us / (seconds * 1e6),
        arrived=useful_us / np.maximum(sent, 1.0),
    )


def simulate_all(airs: list[Air], seconds: float = 3.0, seeds: list[int] | None = None) -> list[Result]:
    """Several at once, on all cores."""
    if airs:
        simulate(airs[0], 0.01)  # compiles
    with ThreadPoolExecutor() as pool:
        return list(
            pool.map(lambda k: simulate(airs[k], seconds, seeds[k] if seeds else k), range(len(airs)))
        )


@njit(cache=True, nogil=True)
def _chance(sinr_db, needed_db):
    """Chance that a packet arrives."""
    return 1 / (1 + np.exp(-(sinr_db - needed_db + 1.3) / 0.6))


@njit(cache=True, nogil=True)
def _run(  # noqa: PLR0912, PLR0915 - one loop: a function call in each slot would cost more than it
    n, slots, seed, cw_min, cw_max, retries, burst, data_us, offered, listens, at_station, at_client, fading,
    signal_fading, capture, noise_dbm, widths, into, decodes, beyond, valid, rates,
):  # fmt: skip
    np.random.seed(seed)
    mcs_count = NEEDED_DB.shape[0]
    active = np.zeros(n, np.bool_)
    start, end = np.zeros(n, np.int64), np.zeros(n, np.int64)
    width, mcs = np.zeros(n, np.int64), np.zeros(n, np.int64)
    signal = np.zeros(n)
    begins = np.zeros(n, np.bool_)
    good, counted = (
        np.zeros(n),
        np.zeros(n, np.int64),
    )  # µs of data that arrived; slot up to which it is counted
    chance, header = np.zeros(n), np.zeros(n, np.bool_)
    nav, quiet = np.zeros(n, np.int64), np.zeros(n, np.int64)
    cw, backoff = np.full(n, cw_min, np.int64), np.zeros(n, np.int64)
    queue, arrival = np.zeros(n, np.int64), np.zeros(n, np.int64)
    fade_station, fade_client = np.zeros((n, n)), np.zeros((n, n))
    success = np.ones((n, 4, mcs_count))
    got, sent, on, useful_us = np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n)
    energy_mw, p_energy = np.zeros(n), 10 ** (ENERGY_DBM / 10)
    for i in range(n):
        backoff[i] = np.random.randint(0, cw_min)
        arrival[i] = _gap(offered[i], burst[i]) if listens[i] else _pause(offered[i], burst[i])
        for a in range(widths[i]):
            snr = at_client[i, i] - noise_dbm - 10 * np.log10(2.0**a)
            for m in range(mcs_count):
                success[i, a, m] = _chance(snr - 1.0, NEEDED_DB[m])
    t = 0
    while t < slots:
        # 1. What ends, ends; its sender learns what arrived.
        changed = False
        for i in range(n):
            if active[i] and end[i] <= t:
                _count(i, t, counted, good, chance, start, data_us)
                active[i] = False
                changed = True
                if not listens[i]:
                    arrival[i] = t + _pause(offered[i], burst[i])
                    continue
                share = min(max(good[i], 0.0) / data_us[i], 1.0) if header[i] else 0.0
                rate = rates[i, width[i], mcs[i]]
                got[i] += share * data_us[i] * rate
                sent[i] += data_us[i]
                useful_us[i] += share * data_us[i]
                success[i, width[i], mcs[i]] += 0.05 * (share - success[i, width[i], mcs[i]])
                if (share > 0 or not retries) and offered[i] < 1:
                    queue[i] -= 1
                if share > 0 or not retries:
                    cw[i] = cw_min
                else:
                    cw[i] = min(2 * cw[i], cw_max)
                backoff[i] = np.random.randint(0, cw[i])
        if changed:
            _energy(n, active, at_station, fade_station, into, width, energy_mw)
        # 2. What arrives to be sent.
        for i in range(n):
            if offered[i] < 1 and listens[i]:
                while arrival[i] <= t:
                    queue[i] = min(queue[i] + 1, QUEUE)
                    arrival[i] += _gap(offered[i], burst[i])
        # 3. Who may count down, and who begins.
        counting = False
        for i in range(n):
            begins[i] = False
            if active[i]:
                continue
            if not listens[i]:
                begins[i] = arrival[i] <= t
                continue
            if nav[i] > t or energy_mw[i] >= p_energy:
                quiet[i] = 0
                continue
            quiet[i] += 1
            waiting = offered[i] >= 1 or queue[i] > 0
            counting |= waiting or backoff[i] > 0
            if quiet[i] > AIFS_SLOTS:
                if backoff[i] > 0:
                    backoff[i] -= 1
                else:
                    begins[i] = waiting
        for i in range(n):  # widths by what is heard before anybody of this slot begins
            if begins[i]:
                width[i] = _free_width(i, n, widths, active, width, at_station, fade_station, beyond, valid)
        for i in range(n):
            if begins[i]:
                active[i] = True
                changed = True
                start[i], end[i] = t, t + burst[i]
                quiet[i] = 0
                good[i], counted[i], header[i], chance[i] = 0.0, t, True, 1.0
                on[i] += min(end[i], slots) - t
                signal[i] = at_client[i, i] + signal_fading * np.random.randn()
                width[i], mcs[i] = _chosen_rate(success[i], rates[i], width[i], mcs_count)
                for j in range(n):
                    fade_station[i, j] = fading * np.random.randn()
                    fade_client[i, j] = fading * np.random.randn()
                nav[i] = max(nav[i], end[i])
        if changed:
            # 4. Levels have changed: carrier sense, headers, and the chance of what is being sent.
            _energy(n, active, at_station, fade_station, into, width, energy_mw)
            for i in range(n):
                if active[i] and start[i] == t and listens[i]:
                    for j in range(n):
                        if j != i and not active[j] and decodes[i, width[i], j]:
                            level = at_station[i, j] + fade_station[i, j] - 10 * np.log10(2.0 ** width[i])
                            rest = energy_mw[j] - 10 ** (
                                (at_station[i, j] + fade_station[i, j] + into[i, width[i], j, 0]) / 10
                            )
                            noise = 10 ** (noise_dbm / 10) + max(rest, 0.0)
                            if level >= PREAMBLE_DBM and level - 10 * np.log10(noise) >= DETECTED_DB:
                                nav[j] = max(nav[j], end[i])
            for i in range(n):
                if active[i] and listens[i]:
                    _count(i, t, counted, good, chance, start, data_us)
                    noise = 10 ** (noise_dbm / 10) * 2.0 ** width[i]
                    for k in range(n):
                        if active[k] and k != i:
                            noise += 10 ** (
                                (at_client[k, i] + fade_client[k, i] + into[k, width[k], i, width[i]]) / 10
                            )
                    sinr = signal[i] - 10 * np.log10(noise)
                    now = _chance(sinr, NEEDED_DB[mcs[i]])
                    if not capture and noise > 1.5 * 10 ** (noise_dbm / 10) * 2.0 ** width[i]:
                        now = 0.0
                    if t > start[i]:  # of the packet that is under way the half is lost too
                        good[i] -= abs(now - chance[i]) * MPDU_US / 2
                    chance[i] = now
                    if t - start[i] < HEADER_SLOTS:
                        header[i] = header[i] and sinr >= HEADER_DB and (capture or now > 0)
        t += 1
        if not counting:  # nobody counts: on to the next end or arrival
            upto = slots
            for i in range(n):
                if active[i]:
                    upto = min(upto, end[i])
                elif offered[i] < 1 or not listens[i]:
                    upto = min(upto, arrival[i])
                if listens[i] and not active[i] and (offered[i] >= 1 or queue[i] > 0):
                    if nav[i] > t:
                        upto = min(upto, nav[i])
                    elif energy_mw[i] < p_energy:
                        upto = t
            if upto > t:
                for i in range(n):
                    if nav[i] <= t and energy_mw[i] < p_energy:
                        quiet[i] += upto - t
                t = upto
    return got, sent, on, useful_us


@njit(cache=True, nogil=True)
def _count(i, t, counted, good, chance, start, data_us):
    """Add what arrived since the last change."""
    first = start[i] + HEADER_SLOTS
    last = first + int(data_us[i] / SLOT_US)
    low, high = max(counted[i], first), min(t, last)
    if high > low:
        good[i] += (high - low) * SLOT_US * chance[i]
    counted[i] = max(counted[i], t)


@njit(cache=True, nogil=True)
def _gap(offered, burst):
    """Slots to the next arrival, so that it would be on the air for its share of time."""
    if offered >= 1:
        return 0
    if offered <= 0:
        return 1 << 60
    return int(max(np.random.exponential(burst / offered), 1.0))


@njit(cache=True, nogil=True)
def _pause(offered, burst):
    """Slots between two bursts of what is not Wi-Fi."""
    if offered >= 1:
        return 0
    if offered <= 0:
        return 1 << 60
    return int(max(np.random.exponential(burst * (1 - offered) / offered), 1.0))


@njit(cache=True, nogil=True)
def _energy(n, active, at_station, fade_station, into, width, energy_mw):
    """Energy in the primary 20 MHz of each station, mW."""
    for j in range(n):
        energy_mw[j] = 0.0
        for i in range(n):
            if active[i] and i != j:
                energy_mw[j] += 10 ** ((at_station[i, j] + fade_station[i, j] + into[i, width[i], j, 0]) / 10)


@njit(cache=True, nogil=True)
def _free_width(i, n, widths, active, width, at_station, fade_station, beyond, valid):
    """Index of the widest block that is free."""
    for a in range(widths[i] - 1):
        energy = 0.0
        for k in range(n):
            if active[k] and k != i:
                level = at_station[k, i] + fade_station[k, i] + beyond[k, width[k], i, a]
                if valid[k, width[k], i, a] and level >= SECONDARY_DBM:
                    return a
                energy += 10 ** (level / 10)
        if energy >= 10 ** (ENERGY_DBM / 10):
            return a
    return widths[i] - 1


@njit(cache=True, nogil=True)
def _chosen_rate(success, rates, widest, count):
    """Width and rate that brought most; now and then one beside them, to learn."""
    width, best, value = 0, 0, -1.0
    for w in range(widest + 1):
        for m in range(count):
            if rates[w, m] * success[w, m] > value:
                width, best, value = w, m, rates[w, m] * success[w, m]
    if np.random.random() < 0.1:
        draw = np.random.random()
        if draw < 0.35 and width > 0:
            width -= 1
        elif draw > 0.65 and width < widest:
            width += 1
        else:
            best = min(max(best + (1 if draw < 0.5 else -1), 0), count - 1)
    return width, best
