"""Tern Quay before an analyser: its access points as bursts, and what is not Wi-Fi, by the hours of the day."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from gray_kettle.model.records import FloatArray, Span
from gray_kettle.simulator import tern_quay
from gray_kettle.simulator.site import Point, SimRadio, Site, level_dbm, path_loss_db
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.bursts import Bursts, Floats
from gray_kettle.simulator.spectra.scene import Scene
from gray_kettle.simulator.spectra.transmitters import Transmitter

LOW = Span(2399.25e6, 0.5e6, 176, instrument="bench analyser")
HIGH = Span(5165.5e6, 1e6, 690, sweep_s=0.4, instrument="dongle")
_OVEN_AT, _CAMERA_AT, _CAR_PARK = (29.0, 8.0), (64.0, -10.0), (-30.0, 18.0)
_QUIETEST_DBM = -97.0
_STEP_S = 120.0
_OVEN_FILLED = 0.33  # of the wave: an old tube that needs more of the half-wave to start
_FIRST_BOUT, _LAST_BOUT = 11.75, 13.5  # hours of the oven
DENSE_HOURS = (3.1, 8.2, 10.0, 11.78, 12.7, 15.6, 18.8)  # hours with dense sweeps
_UNEVEN_S = 0.05  # no instrument sweeps by the clock
_DENSE_S, _DENSE_EVERY_S, _SPARSE_EVERY_S = 180.0, 0.2, 20.0


def oven_on(time_s: Floats) -> Floats:
    """Bouts of one to three minutes at lunch."""
    return np.array([_oven_on(int(t) // 15) for t in np.atleast_1d(time_s)])


@lru_cache(maxsize=1 << 16)
def _oven_on(quarter_minute: int) -> float:
    hour = tern_quay.hour_of(quarter_minute * 15)
    if not _FIRST_BOUT <= hour < _LAST_BOUT:
        return 0.0
    rng = np.random.default_rng([tern_quay.SEED, quarter_minute * 15 // 300])
    first, length = rng.uniform(0, 120), rng.uniform(60, 180)  # one bout in every five minutes
    return float(first <= quarter_minute * 15 % 300 < first + length)


def _step_by_step(of_time: Callable[[float], float]) -> Callable[[Floats], Floats]:
    """A slow function, asked every two minutes."""
    known: dict[int, float] = {}

    def values(time_s: Floats) -> Floats:
        steps, at = np.unique((time_s // _STEP_S).astype(np.int64), return_inverse=True)
        for step in steps.tolist():
            if step not in known:
                known[step] = of_time(step * _STEP_S)
        return np.asarray(np.array([known[s] for s in steps.tolist()])[at], np.float64)

    return values


def scene(
    site: Site,
    spot: str,
    band: str,
    seed: int,
    days: tuple[float, float] = (tern_quay.START_S, tern_quay.END_S),
    camera_until_s: float = np.inf,
) -> Scene:
    """All that an instrument at a spot observes in a band. days: from when to when it may be asked."""
    at = site.spots[spot]
    radios = [r for r in site.radios if r.channel_at(days[0]).band == band]
    met = [_radio(r, at, days) for r in radios if level_dbm(r, at, days[0]) > _QUIETEST_DBM]
    return Scene((*met, *(_others_low(at, camera_until_s) if band == "2.4" else _others_high())), seed)


def _radio(radio: SimRadio, at: Point, days: tuple[float, float]) -> Transmitter:
    """An access point with its clients; it sends on the channel that it has at the time."""
    channel = radio.channel_at(days[0])
    level = level_dbm(radio, at, days[0])
    duty = _step_by_step(lambda t: radio.activity_at(t) if radio.present_at(t) else 0.0)
    if radio.generation == "b":
        return tx.dsss(radio.name, channel.centre_hz, level, duty)
    made = tx.wifi(radio.name, channel.centre_hz, channel.width_mhz, level, duty)
    if all(radio.channel_at(t) == channel for t in np.arange(*days, 600.0)):
        return made
    centre_of = _step_by_step(lambda t: radio.channel_at(t).centre_hz)

    def moving(seconds: "np.ndarray", rng: np.random.Generator) -> Bursts:
        found = made.make(seconds, rng)
        return Bursts(found.start_s, found.end_s, centre_of(found.start_s), found.level_db, found.drift_hz)

    return Transmitter(made.kind, made.name, made.level_dbm, moving, made.shape)


def _heard(power_dbm: float, source: Point, at: Point, freq_hz: float) -> float:
    return power_dbm - path_loss_db(float(np.hypot(source[0] - at[0], source[1] - at[1])), freq_hz)


def _others_low(at: Point, camera_until_s: float) -> tuple[Transmitter, ...]:
    boat = _step_by_step(lambda t: float(tern_quay.boat_in(t) and t < camera_until_s))
    crew = _step_by_step(lambda t: 0.16 if 7 <= tern_quay.hour_of(t) < 20 else 0.0)
    return (
        tx.oven("tea bar oven", _heard(26, _OVEN_AT, at, 2.46e9), oven_on, filled=_OVEN_FILLED),
        tx.camera("gangway camera", _heard(22, _CAMERA_AT, at, 2.42e9), 2.4205e9, boat),
        tx.hopper("crew headsets", _heard(4, (9.0, 4.0), at, 2.44e9), crew),
        tx.advertiser("luggage tags", _heard(0, (4.0, -5.0), at, 2.44e9), 0.035),
        tx.low_rate("car park lighting", 25, _heard(4, _CAR_PARK, at, 2.475e9)),
    )


def _others_high() -> tuple[Transmitter, ...]:
    def now_and_then(time_s: Floats) -> Floats:
        return np.array([tern_quay.radar_on(t) for t in np.atleast_1d(time_s).tolist()], np.float64)

    return (tx.radar("rain radar", -58.0, 5.604e9, is_on=now_and_then),)


def low_times(
    start_s: float = tern_quay.START_S,
    end_s: float = tern_quay.END_S,
    dense_hours: tuple[float, ...] = DENSE_HOURS,
) -> FloatArray:
    """Both days: sparse all the time, dense at telling hours."""
    sparse = np.arange(start_s, end_s, _SPARSE_EVERY_S)
    dense = [
        day_s + hour * 3600 + np.arange(0, _DENSE_S, _DENSE_EVERY_S)
        for day_s in _days(start_s, end_s)
        for hour in dense_hours
        if day_s + hour * 3600 >= start_s
    ]
    looked_closely = np.concatenate(dense)
    apart = np.abs(sparse[:, None] - np.array([[d[0], d[-1]] for d in dense]).mean(axis=1)) > _DENSE_S / 2
    times = np.sort(np.concatenate([sparse[apart.all(axis=1)], looked_closely]))
    return times + np.random.default_rng(tern_quay.SEED).uniform(0, _UNEVEN_S, len(times))


def _days(start_s: float, end_s: float) -> FloatArray:
    """Where each day begins."""
    return np.arange(start_s // 86400 * 86400, end_s, 86400.0)


def high_times(start_s: float = tern_quay.START_S, end_s: float = tern_quay.END_S) -> FloatArray:
    """A row a minute, and a while of close looking on the second day."""
    slow = np.arange(start_s + 7, end_s, 60.0)
    close = _days(start_s, end_s)[1] + 10.2 * 3600 + np.arange(0, 240, 0.5)
    return np.sort(np.concatenate([slow[(slow < close[0]) | (slow > close[-1])], close]))
