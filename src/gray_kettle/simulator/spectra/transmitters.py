"""Kinds of transmitters, each with the timing and the shape that its physics gives it.

Source: docs/radio-model.md, "Signatures of non-Wi-Fi emitters".
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from gray_kettle.simulator.spectra import shapes
from gray_kettle.simulator.spectra.bursts import (
    Bursts,
    Floats,
    Ints,
    bursts,
    every,
    in_each_second,
    random_traffic,
)
from gray_kettle.simulator.spectra.shapes import Shape

WIFI = "wi-fi"
_FAR_BELOW_HZ = 2.4e9  # phases are counted from here
_HALF_FRAME_S = 5e-3  # of LTE and 5G: a downlink part, a gap, an uplink part
Making = Callable[[Ints, np.random.Generator], Bursts]


@dataclass(frozen=True)
class Transmitter:
    """One transmitter as the instrument observes it. kind: WIFI, or a kind of what is not. level_dbm: power while it
    sends. make: its bursts in given whole seconds. shape: None for a line of one bin. is_steady: without the flicker
    of noise.
    """

    kind: str
    name: str
    level_dbm: float
    make: Making
    shape: Shape | None = field(repr=False, default=None)
    is_steady: bool = False

    def share_in(self, offset_hz: Floats, step_hz: float) -> Floats:
        """Share of its power in a bin at this distance from its centre."""
        if self.shape is None:
            return (np.abs(offset_hz) <= step_hz / 2).astype(float)
        return self.shape.within(offset_hz, step_hz)

    def reach_hz(self) -> tuple[float, float]:
        """What it fills at one moment, below and above its centre: to where it has fallen 10 dB below its top, the
        outermost of them where it has humps (the x-dB bandwidth of ITU-R SM.443).
        """
        if self.shape is None:
            return 0.0, 0.0
        away_hz = np.append(0.0, np.geomspace(1e2, 2e8, 5000))
        below, above = self.shape.per_hz(-away_hz), self.shape.per_hz(away_hz)
        least = max(float(below.max()), float(above.max())) / 10
        return float(-away_hz[below >= least].max()), float(away_hz[above >= least].max())


def reflected(made: Transmitter, strength: float, delay_s: float, phase: float) -> Transmitter:
    """The same received over a second path: wide spectra get ripples, hop channels get different levels."""

    def gain(freq_hz: Floats) -> Floats:
        return np.asarray(np.abs(1 + strength * np.exp(1j * (2 * np.pi * freq_hz * delay_s + phase))) ** 2)

    if made.shape is None:
        return made

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        its = made.make(seconds, rng)
        return replace(its, level_db=its.level_db + 10 * np.log10(gain(its.centre_hz - _FAR_BELOW_HZ)))

    shape = made.shape
    if made.kind in ("bluetooth", "frequency-hopper", "ble-advertising"):
        return replace(made, make=make)
    return replace(made, shape=shape.times(gain))


def _share(duty: float | Callable[[Floats], Floats], seconds: Ints) -> Floats:
    return np.asarray(duty(seconds.astype(float)) if callable(duty) else np.full(len(seconds), duty))


def wifi(
    name: str, centre_hz: float, width_mhz: int, level_dbm: float, duty: float | Callable[[Floats], Floats],
    mean_burst_s: float = 1.2e-3,
) -> Transmitter:  # fmt: skip
    """An access point and its clients: OFDM bursts by chance, and beacons every 102.4 ms."""
    phase_s = 0.1024 * ((centre_hz / 1e6 + 0.37 * level_dbm) % 1)

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        share = _share(duty, seconds)
        alive = seconds[share > 0]
        start, length = random_traffic(alive, np.maximum(share[share > 0] - 0.003, 1e-4), mean_burst_s, rng)
        beacons = every(alive, 0.1024, phase_s)
        start = np.concatenate([start, beacons])
        length = np.concatenate([length, np.full(len(beacons), 0.3e-3)])
        return bursts(start, length, centre_hz, rng.normal(0, 1.0, len(start)))

    return Transmitter(WIFI, name, level_dbm, make, shapes.ofdm(width_mhz))


def dsss(
    name: str, centre_hz: float, level_dbm: float, duty: float | Callable[[Floats], Floats]
) -> Transmitter:
    """An old access point: DSSS bursts."""
    made = wifi(name, centre_hz, 20, level_dbm, duty, 2e-3)
    return replace(made, shape=shapes.dsss())


def oven(
    name: str, level_dbm: float, is_on: float | Callable[[Floats], Floats] = 1.0, centre_hz: float = 2.462e9,
    mains_hz: float = 50.0, width_hz: float = 9e6, drift_hz: float = 17e6, filled: float = 0.42,
) -> Transmitter:  # fmt: skip
    """A magnetron: on in one half-wave of the mains, drifting while it is. width_hz: of it at one moment."""

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        lit = seconds[_share(is_on, seconds) > 0]
        start = every(lit, 1 / mains_hz, 0.003)
        start = start + rng.normal(0, 2e-4, len(start))
        level = rng.normal(0, 1.5, len(start))
        made = bursts(start, np.full(len(start), filled / mains_hz), centre_hz, level)
        begin = rng.normal(-drift_hz / 2, 1e6, len(start))
        return replace(made, centre_hz=made.centre_hz + begin, drift_hz=np.full(len(start), drift_hz))

    return Transmitter("microwave-oven", name, level_dbm, make, shapes.bell(width_hz))


def hopper(
    name: str, level_dbm: float, share: float | Callable[[Floats], Floats], kind: str = "bluetooth",
    slot_s: float = 625e-6, filled: float = 0.6, first_hz: float = 2.402e9, raster_hz: float = 1e6, places: int = 79,
    left_out: tuple[tuple[float, float], ...] = (), width_hz: float = 0.0,
) -> Transmitter:  # fmt: skip
    """A hopper: one place of a raster a slot, by chance, places that it avoids left out. share: of slots used.

    width_hz: of one hop, 0 for what fills its raster.
    """
    width_hz = width_hz or 0.9 * raster_hz
    raster = first_hz + raster_hz * np.arange(places)
    allowed = raster[[not any(low <= f <= high for low, high in left_out) for f in raster]]

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        slots = every(seconds, slot_s, 0.0)
        per_slot = np.interp(slots, seconds, _share(share, seconds)) if callable(share) else share
        start = slots[rng.random(len(slots)) < per_slot]
        length = np.full(len(start), slot_s * filled)
        return bursts(start, length, rng.choice(allowed, len(start)), rng.normal(0, 1, len(start)))

    return Transmitter(kind, name, level_dbm, make, shapes.bell(width_hz))


def advertiser(name: str, level_dbm: float, every_s: float = 0.1) -> Transmitter:
    """Short bursts on the three advertising places, one after the other."""

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        events = every(seconds, every_s, 0.0)
        events = events + rng.uniform(0, 0.01, len(events))
        start = (events[:, None] + np.array([0.0, 0.5e-3, 1.0e-3])).ravel()
        places = np.tile([2.402e9, 2.426e9, 2.480e9], len(events))
        return bursts(start, np.full(len(start), 0.36e-3), places)

    return Transmitter("ble-advertising", name, level_dbm, make, shapes.bell(1.4e6))


def low_rate(name: str, number: int, level_dbm: float, duty: float = 0.01) -> Transmitter:
    """802.15.4 on a channel 11 to 26: bursts of up to 4.3 ms, seldom."""

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        start, length = random_traffic(seconds, _share(duty, seconds), 2.2e-3, rng)
        return bursts(start, np.minimum(length, 4.3e-3), (2405 + 5 * (number - 11)) * 1e6)

    return Transmitter("802.15.4", name, level_dbm, make, shapes.bell(1.6e6))


def _continuous(seconds: Ints, is_on: Floats, centre_hz: float, level_db: Floats, parts: int = 50) -> Bursts:
    """Without a pause, in short parts whose level may differ."""
    on = np.repeat(is_on > 0, parts)
    start = in_each_second(seconds, np.arange(parts) / parts)[on]
    return bursts(start, np.full(len(start), 1.0 / parts), centre_hz, level_db[on])


def camera(
    name: str, level_dbm: float, centre_hz: float, is_on: float | Callable[[Floats], Floats] = 1.0,
    width_hz: float = 10e6, shape: Shape | None = None, flicker_db: float = 0.6,
) -> Transmitter:  # fmt: skip
    """An analogue picture by frequency modulation: a hump that flickers with the picture."""

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        flicker = flicker_db * np.sin(2 * np.pi * np.arange(len(seconds) * 50) / 7) + rng.normal(
            0, 0.3, len(seconds) * 50
        )
        return _continuous(seconds, _share(is_on, seconds), centre_hz, flicker)

    made_of = shape or shapes.bell(0.6 * width_hz)
    return Transmitter("analogue-video", name, level_dbm, make, made_of)


def carrier(
    name: str, level_dbm: float, centre_hz: float, is_on: float | Callable[[Floats], Floats] = 1.0
) -> Transmitter:
    """A single line without a pause."""

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        return _continuous(seconds, _share(is_on, seconds), centre_hz, np.zeros(len(seconds) * 50))

    return Transmitter("continuous-carrier", name, level_dbm, make, None, is_steady=True)


def narrow_fm(name: str, level_dbm: float, centre_hz: float, width_hz: float = 200e3) -> Transmitter:
    """A continuous narrow transmission."""
    made = carrier(name, level_dbm, centre_hz)
    return replace(made, kind="narrowband-fm", shape=shapes.bell(width_hz), is_steady=False)


def link(name: str, level_dbm: float, centre_hz: float, width_hz: float) -> Transmitter:
    """A point-to-point link: flat, continuous, where its owner put it."""
    made = carrier(name, level_dbm, centre_hz)
    return replace(made, kind="point-to-point", shape=shapes.flat(width_hz), is_steady=False)


def cellular(
    name: str, level_dbm: float, centre_hz: float, width_hz: float = 9e6, on_share: float = 0.6,
    is_on: float | Callable[[Floats], Floats] = 1.0,
) -> Transmitter:  # fmt: skip
    """A base station that shares its carrier in time: on for the same part of each half of a frame of 10 ms (3GPP TS
    36.211, 4.2), flat over its resource blocks.
    """

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        start = every(seconds[_share(is_on, seconds) > 0], _HALF_FRAME_S, 0.3 * _HALF_FRAME_S)
        return bursts(start, np.full(len(start), on_share * _HALF_FRAME_S), centre_hz)

    return Transmitter("cellular-carrier", name, level_dbm, make, shapes.flat(width_hz))


def noise(name: str, level_dbm: float, centre_hz: float, width_hz: float) -> Transmitter:
    """A raised floor."""
    made = link(name, level_dbm, centre_hz, width_hz)
    return replace(made, kind="broadband-noise", shape=shapes.bell(width_hz))


def radar(
    name: str, level_dbm: float, centre_hz: float, turn_s: float = 10.0,
    is_on: float | Callable[[Floats], Floats] = 1.0, width_hz: float = 2e6, pulses: int = 40, every_s: float = 1.4e-3,
) -> Transmitter:  # fmt: skip
    """Trains of short pulses, once for each turn of the antenna."""
    number = np.arange(pulses)
    beam_db = -3 * ((number - pulses / 2) / (0.3 * pulses)) ** 2

    def make(seconds: Ints, rng: np.random.Generator) -> Bursts:
        # The beam passes at multiples of the turn.
        passing = every(seconds[_share(is_on, seconds) > 0], turn_s, 0.37 * turn_s)
        start = (passing[:, None] + number[None, :] * every_s).ravel()
        return bursts(start, np.full(len(start), 2e-6), centre_hz, np.tile(beam_db, len(passing)))

    return Transmitter("radar", name, level_dbm, make, shapes.bell(width_hz))
