"""Transmitters of the second simulator: events in time, and densities over frequency in decibels."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import FloatArray

Density = Callable[[FloatArray], FloatArray]  # offset in Hz to dB of the whole power, per Hz
Rng = np.random.Generator
GRID, NEARLY_ALL = 40_001, 0.999


@dataclass(frozen=True, eq=False)
class Events:
    """When it is on, where, and by how much over its level."""

    start_s: FloatArray
    end_s: FloatArray
    centre_hz: FloatArray
    level_db: FloatArray

    def at(self, time_s: FloatArray) -> tuple["np.ndarray", FloatArray, FloatArray]:
        """(whether it is on, centre, level) at these times, of any shape."""
        if not len(self.start_s):
            nothing = np.zeros(time_s.shape)
            return nothing > 0, nothing, nothing
        k = np.maximum(np.searchsorted(self.start_s, time_s, side="right") - 1, 0)
        is_on = (time_s >= self.start_s[k]) & (time_s < self.end_s[k])
        return is_on, self.centre_hz[k], self.level_db[k]


@dataclass(frozen=True, eq=False)
class Transmitter:
    kind: str
    name: str
    level_dbm: float
    events: Events
    density: Density | None  # None for a line

    @property
    def is_line(self) -> bool:
        return self.density is None

    def power(self, time_s: FloatArray, freq_hz: FloatArray, step_hz: float) -> FloatArray:
        """Mean power in bins, mW, shape (rows, bins). time_s: of each bin, or of all bins of a row, shape (rows, 1)."""
        is_on, centre_hz, level_db = self.events.at(time_s)
        out = np.zeros((len(time_s), len(freq_hz)))
        rows = np.flatnonzero(is_on.any(axis=1))
        away = freq_hz - centre_hz[rows]
        level = self.level_dbm + level_db[rows]
        if self.density is None:
            its = 10 ** (level / 10) * (np.abs(away) <= step_hz / 2)
        else:
            its = 10 ** (level / 10) * self._share(self.density, away, step_hz)
        out[rows] = np.where(is_on[rows], its, 0)
        return out

    @staticmethod
    def _share(density: Density, away_hz: FloatArray, step_hz: float) -> FloatArray:
        """Of its power in bins: of what may be narrower than a bin, all that lies between the bin's ends."""
        grid = np.linspace(-2e6, 2e6, GRID)
        share = np.append(0.0, np.cumsum(10 ** (density(grid) / 10))[:-1] * (grid[1] - grid[0]))
        if share[-1] < NEARLY_ALL:
            return np.asarray(10 ** (density(away_hz) / 10) * step_hz)
        return np.interp(away_hz + step_hz / 2, grid, share) - np.interp(away_hz - step_hz / 2, grid, share)

    def reach_hz(self, step_hz: float) -> tuple[float, float]:
        """Ends of what is within 10 dB of its top."""
        if self.density is None:
            return -step_hz / 2, step_hz / 2
        grid = np.linspace(-60e6, 60e6, 240_001)
        level = self.density(grid)
        inside = grid[level >= level.max() - 10]
        return float(inside[0]), float(inside[-1])


def events(start_s: object, length_s: object, centre_hz: object, level_db: object = 0.0) -> Events:
    """In order of time, none over another."""
    start = np.asarray(start_s, float)
    order = np.argsort(start, kind="stable")
    end, centre, level = (
        np.broadcast_to(np.asarray(v, float), start.shape)[order]
        for v in (start + np.asarray(length_s, float), centre_hz, level_db)
    )
    start = start[order]
    return Events(start, np.minimum(end, np.append(start[1:], np.inf)), centre, level)


def normalised(shape: Density, reach_hz: float) -> Density:
    """So that all of it is the whole power."""
    grid = np.linspace(-reach_hz, reach_hz, GRID)
    total_db = 10 * np.log10(np.sum(10 ** (shape(grid) / 10)) * (grid[1] - grid[0]))
    return lambda away: np.where(np.abs(away) < reach_hz, shape(away) - total_db, -300.0)


def _hump(width_hz: float, power: float, reach_hz: float = 60e6) -> Density:
    return normalised(lambda f: -3 * np.abs(2 * f / width_hz) ** power, reach_hz)


def _keyed(width_hz: float) -> Density:
    return normalised(
        lambda f: np.maximum(-20 * np.abs(f / (0.55 * width_hz)) ** 2.2, -38 - 6 * np.abs(f) / width_hz),
        8 * width_hz,
    )


def _channel(width_hz: float, is_old: bool, boxes: bool, rng: Rng) -> Density:
    reach_hz = 70e6 if width_hz < 50e6 else 160e6
    if is_old:
        return normalised(
            lambda f: 10 * np.log10(np.sinc(f / 11e6) ** 2 + 1e-5) - np.where(np.abs(f) > 11e6, 20.0, 0.0),
            reach_hz,
        )
    if boxes:
        return normalised(
            lambda f: np.select(
                [np.abs(f) < 0.45 * width_hz, np.abs(f) < 0.5 * width_hz, np.abs(f) < 0.75 * width_hz],
                [0.0, -20.0, -32.0],
                -80.0,
            ),
            reach_hz,
        )
    half_hz, shoulder_db, least_db = 0.45 * width_hz, rng.uniform(25, 40), rng.uniform(42, 55)
    ripple_db, period_hz, phase = rng.uniform(0, 3), rng.uniform(8e6, 40e6), rng.uniform(0, 2 * np.pi)

    def shape(f: FloatArray) -> FloatArray:
        away = np.abs(f)
        edge = np.where(away < half_hz, 0.0, -(away - half_hz) / (0.05 * width_hz) * 12)
        skirt = np.maximum(-shoulder_db - (away - 0.55 * width_hz) / width_hz * 20, -least_db)
        return np.maximum(edge, skirt) + ripple_db * np.cos(2 * np.pi * f / period_hz + phase)

    return normalised(shape, reach_hz)


def network(
    rng: Rng, band: str, seconds: float, name: str, level_dbm: float, boxes: bool
) -> list[Transmitter]:
    """An access point and its clients: beacons, frames by chance and answers to them."""
    width_hz = (
        20e6
        if band == "2.4" and rng.random() < 0.8
        else float(rng.choice([40e6] if band == "2.4" else [20e6, 40e6, 80e6]))
    )
    if band == "2.4":
        centre_hz = 2407e6 + 5e6 * float(rng.choice([1, 6, 11, 1, 6, 11, 1, 6, 11, 3, 9, 4, 13, 2]))
        if width_hz > 20e6:
            centre_hz = float(np.clip(centre_hz + 10e6 * rng.choice([-1, 1]), 2422e6, 2462e6))
    else:
        first = 5170e6 + 80e6 * rng.integers(0, 8) if band == "5" else 5945e6 + 80e6 * rng.integers(0, 3)
        centre_hz = float(first + width_hz / 2 + width_hz * rng.integers(0, 80e6 // width_hz))
    is_old = band == "2.4" and rng.random() < 0.12
    width_hz = 20e6 if is_old else width_hz
    beacon_s = np.arange(rng.uniform(0, 0.1), seconds, 0.1024)
    beacon_s = beacon_s + rng.exponential(3e-4, len(beacon_s))
    duty, mean_s = (
        float(rng.choice([0, 0.005, 0.03, 0.1, 0.3, 0.5])),
        float(rng.choice([0.15e-3, 0.5e-3, 1.5e-3, 4e-3])),
    )
    number = int(duty * seconds / mean_s)
    length = np.clip(rng.exponential(mean_s, number), 60e-6, 5.4e-3)
    asked = np.sort(
        seconds * rng.random(number) ** (1.0 if rng.random() < 0.5 else 0.6)
    )  # even, or less and less
    taken = np.cumsum(length + 200e-6)
    start = taken - length + np.maximum.accumulate(asked - np.append(0, taken[:-1])) if number else asked
    down = rng.random(number) < 0.7
    answer = start + length + 16e-6
    wavers_db = rng.uniform(0, 1.5)

    def of(when: FloatArray, lasts: FloatArray, who: str, dbm: float) -> Transmitter:
        level = wavers_db * rng.standard_normal(len(when))
        return Transmitter("wi-fi", f"{name} {who}", dbm, events(when, lasts, centre_hz, level),
                           _channel(width_hz, is_old, boxes, rng))  # fmt: skip

    short = np.full(number, 40e-6)
    made = [
        of(np.concatenate([beacon_s, start[down], answer[~down]]),
           np.concatenate([np.full(len(beacon_s), rng.choice([0.4e-3, 1.2e-3, 2.2e-3])), length[down], short[~down]]),
           "itself", level_dbm)
    ]  # fmt: skip
    if number:
        made.append(
            of(np.concatenate([start[~down], answer[down]]), np.concatenate([length[~down], short[down]]), "clients",
               float(np.clip(level_dbm + rng.normal(-6, 10), -92, -33)))
        )  # fmt: skip
    return made


def emitter(
    kind: str, rng: Rng, ends_hz: tuple[float, float], seconds: float, name: str, level_dbm: float
) -> Transmitter:
    """One that is not Wi-Fi."""
    made, density = _MAKERS[kind](rng, ends_hz, seconds)
    return Transmitter(kind, f"{kind} {name}", level_dbm, made, density)


Made = tuple[Events, Density | None]


def _oven(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    mains_hz, lit, parts = (
        float(rng.choice([50.0, 60.0])) * (1 + rng.normal(0, 2e-4)),
        rng.uniform(0.3, 0.5),
        12,
    )
    waves = np.arange(rng.uniform(0, 0.2) * seconds, rng.uniform(0.7, 1) * seconds, 1 / mains_hz)
    at = (np.arange(parts) + 0.5) / parts
    start = waves[:, None] + (at - 0.5 / parts) * lit / mains_hz
    centre = (
        rng.uniform(2.446e9, 2.464e9) + rng.uniform(2e6, 14e6) * (at - 0.5) + rng.normal(0, 6e5, start.shape)
    )
    level = -6 * (2 * at - 1) ** 4 + rng.normal(0, 1, start.shape)
    return events(start.ravel(), lit / mains_hz / parts, centre.ravel(), level.ravel()), _hump(
        rng.uniform(3e6, 14e6), 1.5
    )


def _bluetooth(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    slots = np.arange(0, seconds, 1.25e-3)
    share, length = float(rng.uniform(0.1, 0.4)), float(rng.choice([366e-6, 1.2e-3]))
    start = slots[rng.random(len(slots)) < share]
    used = np.arange(79)
    if rng.random() < 0.5:
        used = used[np.abs(used + 2 - rng.choice([11, 36, 61])) > 11]
    return events(
        start, length, 2402e6 + 1e6 * rng.choice(used, len(start)), rng.normal(0, 1, len(start))
    ), _keyed(1e6)


def _advertising(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    step_s = float(rng.choice([0.02, 0.03, 0.1, 0.15, 0.25]))
    when = np.cumsum(step_s + rng.uniform(0, 0.01, int(seconds / step_s)))
    length = float(rng.choice([144e-6, 376e-6]))
    start = when[:, None] + (length + float(rng.choice([150e-6, 400e-6, 1e-3]))) * np.arange(3)
    return events(start.ravel(), length, np.tile([2402e6, 2426e6, 2480e6], len(when))), _keyed(1.1e6)


def _hopper(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    raster_hz, first_hz = (
        float(rng.choice([0.6e6, 1e6, 1.5e6, 1.8e6, 2.0e6, 3e6])),
        float(rng.uniform(2401e6, 2440e6)),
    )
    places = max(int(min(rng.choice([10, 16, 20, 40, 75]), (2481e6 - first_hz) / raster_hz)), 4)
    start = np.arange(0, seconds, float(rng.choice([1.1e-3, 2.6e-3, 7.1e-3, 19e-3])))
    where = first_hz + raster_hz * rng.integers(0, places, len(start))
    return events(start, rng.uniform(0.2, 0.95) * start[1], where), _keyed(min(0.8 * raster_hz, 2.2e6))


def _low_rate(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    start = np.sort(rng.uniform(0, seconds, int(seconds / rng.choice([0.015, 0.05, 0.2, 0.5]))))
    place_hz = 2405e6 + 5e6 * float(rng.integers(0, 16))

    def shape(f: FloatArray) -> FloatArray:
        x = np.where(np.abs(np.abs(f / 5e5) - 1) < 2e-3, 1.002, f / 5e5)
        return np.asarray(20 * np.log10(np.abs(np.cos(np.pi * x / 2) / (1 - x**2)) + 3e-3))

    length = float(rng.choice([0.6e-3, 1.5e-3, 4.2e-3]))
    return events(start, length, place_hz, rng.choice([0.0, -4.0], len(start))), normalised(shape, 12e6)


def _picture(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    start = np.arange(0, seconds, 0.02)
    slow = rng.uniform(0, 1.2e6) * np.sin(2 * np.pi * rng.uniform(0.05, 0.7) * start)
    centre = float(rng.choice([2414e6, 2432e6, 2450e6, 2468e6])) + slow + rng.normal(0, 3e5, len(start))
    width_hz = rng.uniform(4e6, 9e6)
    shape = normalised(lambda f: -3 * np.abs(2 * f / width_hz) ** 1.8 + 2 * np.exp(-((f / 6e5) ** 2)), 30e6)
    return events(start, 0.021, centre), shape


def _always(centre_hz: float, seconds: float) -> Events:
    return events(np.zeros(1), seconds + 1, centre_hz)


def _narrow(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    centre_hz = float(rng.uniform(ends_hz[0] + 3e6, ends_hz[1] - 3e6))
    return _always(centre_hz, seconds), _hump(float(rng.uniform(3e4, 4e5)), 2.0, 2e6)


def _line(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    return _always(float(rng.uniform(ends_hz[0] + 3e6, ends_hz[1] - 3e6)), seconds), None


def _noise(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    width_hz = float(rng.uniform(22e6, 50e6))
    centre_hz = float(rng.uniform(ends_hz[0] + width_hz / 2, ends_hz[1] - width_hz / 2))
    return _always(centre_hz, seconds), _hump(width_hz, float(rng.uniform(2, 4)), 120e6)


def _link(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    width_hz = float(rng.choice([5e6, 7e6, 10e6, 14e6, 20e6, 28e6, 40e6]))
    inside = float(rng.uniform(ends_hz[0] + width_hz / 2, ends_hz[1] - width_hz / 2))
    off_raster_hz = 5e6 * round(inside / 5e6) + float(rng.uniform(1.3e6, 3.7e6))
    shape = normalised(
        lambda f: np.maximum(-np.maximum(np.abs(f) - 0.46 * width_hz, 0) / (0.04 * width_hz) * 10, -48.0),
        60e6,
    )
    return _always(off_raster_hz, seconds), shape


def _radar(rng: Rng, ends_hz: tuple[float, float], seconds: float) -> Made:
    turn_s, pulse_s = float(rng.uniform(1.5, 9)), float(rng.uniform(1e-6, 2e-5))
    beam = np.arange(0, float(rng.uniform(0.01, 0.06)) * turn_s, 1 / float(rng.uniform(300, 1500)))
    start = (np.arange(rng.uniform(0, turn_s), seconds, turn_s)[:, None] + beam).ravel()
    low_hz, high_hz = (5.27e9, 5.34e9) if ends_hz[0] < 5.4e9 else (5.48e9, 5.715e9)
    return events(start, pulse_s, float(rng.uniform(low_hz, high_hz))), _hump(
        max(1 / pulse_s, 1e6), 2.0, 20e6
    )


_MAKERS: dict[str, Callable[[Rng, tuple[float, float], float], Made]] = {
    "microwave-oven": _oven,
    "bluetooth": _bluetooth,
    "ble-advertising": _advertising,
    "frequency-hopper": _hopper,
    "802.15.4": _low_rate,
    "analogue-video": _picture,
    "narrowband-fm": _narrow,
    "continuous-carrier": _line,
    "broadband-noise": _noise,
    "point-to-point": _link,
    "radar": _radar,
}
