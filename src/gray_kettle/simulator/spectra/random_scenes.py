"""Scenes by chance: emitters among access points, before an instrument of one kind or another.

Four sets of ranges with seeds of their own, three to develop on (the third about as hard as the last) and one to
measure with; a fifth has what the others leave out: reflections, and filters wider than a bin. Widths, rates, rasters,
slots and rhythms differ (but for bins of 1 MHz); levels, how busy Wi-Fi is, and the transmitters' code are the same in
all.
"""

from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.model.enums import Detector
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.phy.channels import Channel, all_channels
from gray_kettle.simulator.spectra import shapes
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.bursts import Bursts, Ints
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.simulator.spectra.transmitters import Transmitter

Chance = np.random.Generator
_START_S = 1_763_000_000.0
_MOST_BINS = 40_000_000  # of a scene, so that it is made in seconds
_LOW_HZ, _HIGH_HZ = 2.400e9, 2.4835e9
_SPANS = {
    "2.4": ((2.400e9, 2.4845e9), (2.395e9, 2.490e9)),
    "5": ((5.150e9, 5.350e9), (5.470e9, 5.730e9), (5.645e9, 5.900e9)),
    "6": ((5.945e9, 6.145e9), (6.265e9, 6.465e9)),
}
_BANDS, _BAND_SHARES = ("2.4", "5", "6"), (0.66, 0.24, 0.10)


@dataclass(frozen=True)
class Ranges:
    """Values that a scene may take; those with two ends are drawn evenly between them."""

    seeds: int
    bins_hz: tuple[float, ...]
    rows_per_s: tuple[float, ...]
    levels_dbm: tuple[float, float]
    mean_burst_s: tuple[float, ...]
    mains_hz: tuple[float, ...]
    oven_hz: tuple[float, ...]
    oven_width_hz: tuple[float, ...]
    oven_drift_hz: tuple[float, ...]
    rasters_hz: tuple[float, ...]
    slots_s: tuple[float, ...]
    video_width_hz: tuple[float, ...]
    narrow_width_hz: tuple[float, ...]
    link_width_hz: tuple[float, ...]
    noise_width_hz: tuple[float, ...]
    advertising_s: tuple[float, ...]
    turn_s: tuple[float, ...]
    lasts_s: tuple[float, float] = (30.0, 120.0)
    second_path: tuple[float, float] = (0.0, 0.0)  # its strength against the first
    filters_bins: tuple[float, ...] = (1.0,)


DEVELOPMENT = Ranges(
    seeds=10_000,
    bins_hz=(62.5e3, 125e3, 250e3, 333e3, 500e3, 1e6),
    rows_per_s=(6.0, 9.7, 16.0, 24.0, 43.0),
    levels_dbm=(-90.0, -35.0),
    mean_burst_s=(0.5e-3, 1.2e-3, 2.5e-3),
    mains_hz=(50.0, 60.0),
    oven_hz=(2.451e9, 2.457e9, 2.463e9),
    oven_width_hz=(6e6, 12e6, 20e6),
    oven_drift_hz=(4e6, 10e6, 18e6),
    rasters_hz=(0.8e6, 1.5e6, 2.2e6, 3.0e6),
    slots_s=(2e-3, 5e-3, 12e-3),
    video_width_hz=(7e6, 10e6, 14e6, 17e6),
    narrow_width_hz=(15e3, 60e3, 200e3, 600e3),
    link_width_hz=(6e6, 11e6, 24e6, 33e6),
    noise_width_hz=(24e6, 34e6, 50e6),
    advertising_s=(0.02, 0.045, 0.09),
    turn_s=(2.1, 4.3, 9.0),
)
SECOND = Ranges(
    seeds=90_000,
    bins_hz=(75e3, 150e3, 300e3, 600e3, 900e3),
    rows_per_s=(5.5, 7.3, 11.0, 20.0, 36.0),
    levels_dbm=(-90.0, -35.0),
    mean_burst_s=(0.6e-3, 1.5e-3, 2.9e-3),
    mains_hz=(49.97, 60.03),
    oven_hz=(2.450e9, 2.456e9, 2.460e9),
    oven_width_hz=(7e6, 14e6, 22e6),
    oven_drift_hz=(5e6, 12e6, 20e6),
    rasters_hz=(0.7e6, 1.2e6, 1.8e6, 2.4e6, 3.2e6),
    slots_s=(1e-3, 3e-3, 7e-3, 10e-3),
    video_width_hz=(6e6, 9e6, 13e6, 18e6),
    narrow_width_hz=(20e3, 100e3, 300e3),
    link_width_hz=(7e6, 12e6, 18e6, 26e6, 30e6),
    noise_width_hz=(23e6, 28e6, 38e6, 46e6),
    advertising_s=(0.022, 0.05, 0.1),
    turn_s=(1.8, 3.5, 6.0, 11.0),
)
THIRD = Ranges(
    seeds=170_000,
    bins_hz=(55e3, 110e3, 220e3, 450e3, 750e3, 950e3),
    rows_per_s=(5.3, 8.8, 13.3, 28.0, 47.0),
    levels_dbm=(-90.0, -35.0),
    mean_burst_s=(0.65e-3, 1.6e-3, 3.0e-3),
    mains_hz=(49.96, 60.04),
    oven_hz=(2.4505e9, 2.4535e9, 2.4625e9),
    oven_width_hz=(9e6, 16e6, 23e6),
    oven_drift_hz=(5e6, 11e6, 21e6),
    rasters_hz=(0.85e6, 1.6e6, 1.9e6, 2.5e6),
    slots_s=(1.4e-3, 3.5e-3, 8e-3),
    video_width_hz=(6.2e6, 8e6, 11e6, 15e6),
    narrow_width_hz=(18e3, 50e3, 180e3, 500e3),
    link_width_hz=(9e6, 13e6, 21e6, 27e6),
    noise_width_hz=(23e6, 32e6, 44e6),
    advertising_s=(0.028, 0.055, 0.085),
    turn_s=(2.9, 4.7, 7.0),
)
HELD_OUT = Ranges(
    seeds=50_000,
    bins_hz=(50e3, 100e3, 200e3, 400e3, 800e3, 1.0e6),
    rows_per_s=(5.0, 8.3, 12.5, 31.0, 50.0),
    levels_dbm=(-90.0, -35.0),
    mean_burst_s=(0.7e-3, 1.7e-3, 3.2e-3),
    mains_hz=(49.98, 60.02),
    oven_hz=(2.449e9, 2.455e9, 2.461e9),
    oven_width_hz=(8e6, 15e6, 24e6),
    oven_drift_hz=(6e6, 13e6, 22e6),
    rasters_hz=(0.9e6, 1.728e6, 2.0e6, 2.6e6),
    slots_s=(1.25e-3, 4e-3, 9e-3),
    video_width_hz=(6.5e6, 8.5e6, 12e6, 16e6),
    narrow_width_hz=(12e3, 40e3, 150e3, 450e3),
    link_width_hz=(8e6, 14e6, 22e6, 28e6),
    noise_width_hz=(22e6, 30e6, 42e6),
    advertising_s=(0.025, 0.06, 0.08),
    turn_s=(2.7, 5.0, 7.5),
)
REFLECTED = replace(SECOND, seeds=130_000, second_path=(0.15, 0.6), filters_bins=(1.0, 1.4, 2.0))


@dataclass(frozen=True)
class ByChance:
    """A scene, its instrument, and the times of its rows."""

    scene: Scene
    instrument: Instrument
    time_s: FloatArray
    band: str


def by_chance(number: int, ranges: Ranges, wifi_only: bool = False) -> ByChance:
    """The scene of that number; the same for the same number and ranges."""
    rng = np.random.default_rng([ranges.seeds, number])
    band = str(rng.choice(_BANDS, p=_BAND_SHARES))
    low_hz, high_hz = _SPANS[band][rng.integers(len(_SPANS[band]))]
    step_hz = float(rng.choice(ranges.bins_hz))
    rate = float(rng.choice(ranges.rows_per_s))
    bins = int((high_hz - low_hz) / step_hz)
    rows = min(int(rate * rng.uniform(*ranges.lasts_s)), _MOST_BINS // bins)
    tuned = rng.random() < 0.4
    averages = 1 if tuned else int(rng.choice([1, 1, 1, 2, 4]))
    sweep_s = round(float(rng.uniform(0.3, 0.95)) / rate, 4) if tuned else 0.0
    hold_s = sweep_s / bins if tuned and rng.random() < 0.5 else 0.0
    if band == "5" and not tuned and rng.random() < 0.5:
        hold_s = 2e-3  # a peak detector: single frames of microseconds hardly ever contain a pulse
    detector = Detector.MAX if hold_s else Detector.SAMPLE
    span = Span(low_hz + step_hz / 2, step_hz, bins, detector=detector, averages=averages, sweep_s=sweep_s)
    instrument = Instrument(span, float(rng.uniform(6, 14)), 2e-4 if averages > 1 else 0.0, hold_s)
    # By chance of their own: a scene is the same however long it lasts.
    late_s = np.random.default_rng([ranges.seeds, number, 2]).uniform(0, 2e-3, rows)
    time_s = _START_S + 1000.0 * number + np.arange(rows) / rate + late_s
    met = [
        _wifi(k, band, low_hz, high_hz, ranges, rng) for k in range(rng.integers(1 if wifi_only else 0, 13))
    ]
    if not wifi_only:
        makers = _MAKERS[band]
        for k in range(rng.integers(0, 5)):
            name = makers[rng.integers(len(makers))]
            made = _emitter(name, (low_hz, high_hz), float(rng.uniform(*ranges.levels_dbm)), ranges, rng)
            met.append(replace(made, name=f"{k} {made.kind}"))
    if ranges.second_path[1]:
        more = np.random.default_rng([ranges.seeds, number, 1])
        instrument = replace(instrument, filter_bins=float(more.choice(ranges.filters_bins)))
        met = [
            tx.reflected(m, float(more.uniform(*ranges.second_path)), float(more.uniform(15e-9, 80e-9)),
                         float(more.uniform(0, 2 * np.pi)))
            for m in met
        ]  # fmt: skip
    return ByChance(Scene(tuple(met), ranges.seeds + number), instrument, time_s, band)


def _wifi(k: int, band: str, low_hz: float, high_hz: float, ranges: Ranges, rng: Chance) -> Transmitter:
    """An access point with clients that are heard at other levels than itself."""
    widths = (20, 20, 20, 40) if band == "2.4" else (20, 40, 80, 80)
    width = int(rng.choice(widths))
    fits = [
        c for c in _channels(band) if c.width_mhz == width and low_hz < c.centre_hz < high_hz
    ]  # fmt: skip
    if band == "2.4" and rng.random() < 0.7:
        fits = [c for c in fits if c.primary in (1, 6, 11)] or fits
    channel = fits[rng.integers(len(fits))]
    level, duty = float(rng.uniform(*ranges.levels_dbm)), float(rng.choice([0.004, 0.03, 0.1, 0.3, 0.6]))
    if band == "2.4" and rng.random() < 0.1:
        made = tx.dsss(f"ap{k}", channel.centre_hz, level, duty)
    else:
        burst_s = float(rng.choice(ranges.mean_burst_s))
        made = tx.wifi(f"ap{k}", channel.centre_hz, channel.width_mhz, level, duty, burst_s)
    client_db = rng.uniform(-18, 6, 2)

    def make(seconds: Ints, chance: Chance) -> Bursts:
        found = made.make(seconds, chance)
        who = chance.integers(0, 4, len(found.start_s))  # half of the bursts are the access point's
        return replace(found, level_db=found.level_db + np.array([0.0, 0.0, *client_db])[who])

    return replace(made, make=make)


def _channels(band: str) -> tuple[Channel, ...]:
    found = {(c.width_mhz, c.centre_hz): c for c in all_channels(band) if c.primary != 14}
    return tuple(found.values())


_STANDING = ("video", "narrow", "carrier", "link", "noise")
_LOW_MAKERS = ("oven", "bluetooth", "advertiser", "hopper", "low rate", *_STANDING)
_MAKERS = {
    "2.4": _LOW_MAKERS,
    "5": ("video", "narrow", "carrier", "link", "noise", "radar", "radar"),
    "6": ("narrow", "carrier", "link", "noise"),
}


def _emitter(  # noqa: PLR0911 (one for each kind)
    what: str, edges_hz: tuple[float, float], level: float, ranges: Ranges, rng: Chance
) -> Transmitter:
    def one_of(values: tuple[float, ...]) -> float:
        return float(rng.choice(values))

    low_hz, high_hz = edges_hz
    match what:
        case "oven":
            width, drift = one_of(ranges.oven_width_hz), one_of(ranges.oven_drift_hz)
            filled = float(rng.uniform(0.3, 0.5))
            return tx.oven(
                "", level, 1.0, one_of(ranges.oven_hz), one_of(ranges.mains_hz), width, drift, filled
            )
        case "bluetooth":
            left_out = ((2.402e9, 2.423e9),) if rng.random() < 0.3 else ()
            filled, share = (0.6, rng.uniform(0.15, 1)) if rng.random() < 0.6 else (0.96, rng.uniform(0.3, 1))
            return tx.hopper("", level, float(share), filled=filled, left_out=left_out)
        case "advertiser":
            return tx.advertiser("", level, one_of(ranges.advertising_s))
        case "hopper":
            raster = one_of(ranges.rasters_hz)
            places = min(int(rng.integers(15, 80)), int(80.5e6 / raster))
            first = float(rng.uniform(_LOW_HZ + 1e6, _HIGH_HZ - places * raster))
            slot, width = one_of(ranges.slots_s), min(raster, 2e6) * float(rng.uniform(0.6, 0.9))
            return tx.hopper("", level, float(rng.uniform(0.3, 1)), "frequency-hopper", slot,
                             float(rng.uniform(0.5, 0.95)), first, raster, places, width_hz=width)  # fmt: skip
        case "low rate":
            return tx.low_rate("", int(rng.integers(11, 27)), level, float(rng.uniform(0.01, 0.1)))
        case "video" if high_hz > 5.4e9 or high_hz < 3e9:
            width = one_of(ranges.video_width_hz)
            first, last = (max(low_hz, 5.655e9), min(high_hz, 5.945e9)) if low_hz > 5e9 else (low_hz, high_hz)
            centre = float(rng.uniform(first + width, last - width))
            made = shapes.two_bells(0.7 * width, 0.2 * width, 0.4) if rng.random() < 0.5 else None
            return tx.camera("", level, centre, 1.0, width, made, float(rng.uniform(0.3, 1.5)))
        case "narrow":
            width = one_of(ranges.narrow_width_hz)
            return tx.narrow_fm("", level, float(rng.uniform(low_hz + 1e6, high_hz - 1e6)), width)
        case "carrier" | "video":
            return tx.carrier("", level, float(rng.uniform(low_hz + 1e6, high_hz - 1e6)))
        case "link":
            width = one_of(ranges.link_width_hz)
            return tx.link("", level, float(rng.uniform(low_hz + 0.6 * width, high_hz - 0.6 * width)), width)
        case "noise":
            width = one_of(ranges.noise_width_hz)
            return tx.noise("", level, float(rng.uniform(low_hz + 0.7 * width, high_hz - 0.7 * width)), width)
        case "radar":
            first, last = (5.25e9, 5.35e9) if high_hz < 5.4e9 else (5.47e9, 5.725e9)
            first, last = max(first, low_hz) + 3e6, min(last, high_hz) - 3e6
            return tx.radar("", level, float(rng.uniform(first, last)), one_of(ranges.turn_s), 1.0,
                            float(rng.uniform(1.5e6, 5e6)), int(rng.integers(20, 80)), 1e-3)  # fmt: skip
    raise ValueError(what)
