"""Scenes that chance draws seldom, and that are easily judged wrong: they are in the fit of the detector's weights.

Each has one difficulty, drawn at random within what receivers and rooms do: lines side by side, a line beside
802.15.4, channels side by side whose pauses the receiver hides, traffic as slow as the mains in rows that keep step
with them, a channel that the span cuts, and noise that follows no law of averaging. From number 240 on,
emitters among channels that hardly pause; from 360 on, carriers of base stations, which neither simulator draws.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from gray_kettle.model.enums import Detector
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.random_scenes import ByChance
from gray_kettle.simulator.spectra.scene import Instrument, Scene, Transmitter
from gray_kettle.spectrum.quantise import Codes, to_codes

EMITTERS_FROM, CARRIERS_FROM = 240, 360
_CARRIER_HZ = (4.5e6, 9e6, 13.5e6, 18e6)  # 25 to 100 resource blocks of 180 kHz (3GPP TS 36.104, 5.6)
_5_GHZ = tuple(5.18e9 + 20e6 * k for k in range(8))
_START_S = 1.79e9
_BINS_HZ = (1e5, 2.5e5, 3.3e5, 5e5)
_ROW_RATES = (4.3, 9.7, 17.0, 26.0)
_LOW_HZ, _HIGH_HZ = 2.4e9, 2.4835e9
_WIFI_HZ = tuple(2.412e9 + 5e6 * k for k in range(13))


def made(number: int) -> ByChance:
    """The scene of that number, of the difficulties in turn."""
    rng = np.random.default_rng([77, number])
    if number >= CARRIERS_FROM:
        return _cellular(rng, number)
    if number >= EMITTERS_FROM:
        return _among_busy_channels(rng, number)
    return _DIFFICULTIES[number % len(_DIFFICULTIES)](rng, number)


def noise_codes(number: int, scene: ByChance) -> "Codes | None":
    """Rows of a scene that has nothing but noise of any law; None for all others."""
    if number >= EMITTERS_FROM or _DIFFICULTIES[number % len(_DIFFICULTIES)] is not _noise_of_any_law:
        return None
    rng = np.random.default_rng([78, number])
    shape = (len(scene.time_s), scene.instrument.span.bins)
    level_dbm = rng.normal(rng.uniform(-115, -85), rng.uniform(0.8, 5.5), shape).astype(np.float32)
    return to_codes(level_dbm)


def _span(rng: np.random.Generator, **facts: object) -> Span:
    step_hz = float(rng.choice(_BINS_HZ))
    span = Span(_LOW_HZ + step_hz / 2, step_hz, int((_HIGH_HZ - _LOW_HZ) / step_hz))
    return replace(span, **facts)  # type: ignore[arg-type]


def _times(rng: np.random.Generator, number: int, rate: float, keeps_step: bool = False) -> FloatArray:
    rows = int(min(rng.uniform(250, 1500), 60 * rate))
    late_s = 0.0 if keeps_step else rng.uniform(0, 4e-3, rows)
    return np.asarray(_START_S + 1000.0 * number + np.arange(rows) / rate + late_s)


def _scene(
    rng: np.random.Generator, number: int, on_air: list[Transmitter], span: Span, spread_s: float = 0.0,
    rate: "float | None" = None,
) -> ByChance:  # fmt: skip
    named = tuple(replace(t, name=f"{k} {t.kind}") for k, t in enumerate(on_air))
    times = _times(rng, number, rate or float(rng.choice(_ROW_RATES)), rate is not None)
    return ByChance(Scene(named, number), Instrument(span, spread_s=spread_s), times, "2.4")


def _wifi(rng: np.random.Generator, most: int) -> list[Transmitter]:
    return [
        tx.wifi("", float(rng.choice(_WIFI_HZ)), 20, rng.uniform(-80, -45), rng.uniform(0.05, 0.6))
        for _ in range(rng.integers(0, most + 1))
    ]


def _lines(rng: np.random.Generator, number: int) -> ByChance:
    first, spacing = rng.uniform(2.405e9, 2.46e9), rng.uniform(0.9e6, 3.5e6)
    level = rng.uniform(-78, -48)
    lines: list[Transmitter] = [
        tx.narrow_fm("", level + rng.normal(0, 2), first + k * spacing, rng.uniform(1e5, 3e5))
        if rng.random() < 0.7
        else tx.carrier("", level + rng.normal(0, 2), first + k * spacing)
        for k in range(rng.integers(2, 7))
    ]
    return _scene(rng, number, lines + _wifi(rng, 2), _span(rng, sweep_s=float(rng.choice([0.0, 0.03]))))


def _line_beside_802154(rng: np.random.Generator, number: int) -> ByChance:
    channel = int(rng.integers(11, 27))
    centre_hz = (2405 + 5 * (channel - 11)) * 1e6
    on_air = [
        tx.low_rate("", channel, rng.uniform(-75, -45), rng.uniform(0.02, 0.2)),
        tx.carrier("", rng.uniform(-75, -50), centre_hz + rng.uniform(-1.5e6, 1.5e6)),
    ]
    return _scene(rng, number, on_air + _wifi(rng, 1), _span(rng))


def _side_by_side(rng: np.random.Generator, number: int) -> ByChance:
    averages = int(rng.choice([2, 4, 8]))
    channels = rng.choice(_WIFI_HZ, rng.integers(2, 5), replace=False)
    duty = rng.uniform(0.3, 0.85)
    on_air = [tx.wifi("", float(hz), 20, rng.uniform(-55, -42), duty) for hz in channels]
    detector = Detector.MAX if rng.random() < 0.6 else Detector.MEAN
    return _scene(
        rng, number, on_air, _span(rng, averages=averages, detector=detector), rng.uniform(0.005, 0.05)
    )


def _in_step(rng: np.random.Generator, number: int) -> ByChance:
    slow_hz = rng.uniform(0.02, 0.2)

    def duty(seconds: FloatArray) -> FloatArray:
        return np.asarray(0.3 + 0.28 * np.sin(2 * np.pi * slow_hz * seconds))

    channels = rng.choice(_WIFI_HZ, rng.integers(1, 4), replace=False)
    on_air = [tx.wifi("", float(hz), 20, rng.uniform(-60, -45), duty) for hz in channels]
    if rng.random() < 0.3:
        on_air.append(tx.oven("", rng.uniform(-60, -40), centre_hz=rng.uniform(2.455e9, 2.465e9)))
    return _scene(rng, number, on_air, _span(rng), rate=float(rng.choice([5.0, 10.0, 12.5, 20.0, 25.0])))


def _cut_by_the_span(rng: np.random.Generator, number: int) -> ByChance:
    span = replace(_span(rng), start_hz=5.645e9 + rng.uniform(-2e6, 2e6))
    wide = [
        tx.wifi("", 5.61e9, 80, rng.uniform(-60, -45), rng.uniform(0.1, 0.8))
        for _ in range(rng.integers(1, 3))
    ]
    return _scene(rng, number, wide, span)


def _noise_of_any_law(rng: np.random.Generator, number: int) -> ByChance:
    return _scene(rng, number, [], _span(rng, sweep_s=float(rng.choice([0.0, 0.05]))))


def _cellular(rng: np.random.Generator, number: int) -> ByChance:
    """A carrier that is shared in time among networks that pause as it does, or in every fourth scene none."""
    is_low, width_hz = bool(rng.random() < 0.4), float(rng.choice(_CARRIER_HZ))
    channels = _WIFI_HZ if is_low else _5_GHZ
    span = _span(rng, averages=int(rng.choice([1, 1, 2, 4])), sweep_s=float(rng.choice([0.0, 0.0, 0.03])))
    if not is_low:
        span = replace(span, start_hz=5.15e9 + span.step_hz / 2, bins=int(2e8 / span.step_hz))
    on_air: list[Transmitter] = [
        tx.wifi("", float(rng.choice(channels)), 20, rng.uniform(-80, -45), rng.uniform(0.05, 0.6))
        for _ in range(rng.integers(0, 5))
    ]
    if number % 4:
        edge_hz = width_hz / 2 + 2e6
        end_hz = span.start_hz + span.bins * span.step_hz
        centre_hz = rng.uniform(span.start_hz + edge_hz, end_hz - edge_hz)
        on_air.append(tx.cellular("", rng.uniform(-82, -45), centre_hz, width_hz, rng.uniform(0.35, 0.8)))
    return _scene(rng, number, on_air, span, spread_s=0.02 * (span.averages > 1))


def _among_busy_channels(rng: np.random.Generator, number: int) -> ByChance:
    """Emitters where Wi-Fi leaves little of the time: scenes as hard as those without any."""
    facts = {"averages": int(rng.choice([1, 1, 2, 4])), "sweep_s": float(rng.choice([0.0, 0.03, 0.06]))}
    if rng.random() < 0.4:
        facts["detector"] = Detector.MAX
    channels = rng.choice(_WIFI_HZ, rng.integers(2, 5), replace=False)
    on_air = [tx.wifi("", float(hz), 20, rng.uniform(-70, -42), rng.uniform(0.2, 0.8)) for hz in channels]
    for _ in range(rng.integers(1, 4)):
        on_air.append(_any_emitter(rng))
    spread_s = float(rng.uniform(0.005, 0.03)) if facts["averages"] > 1 and not facts["sweep_s"] else 0.0
    return _scene(rng, number, on_air, _span(rng, **facts), spread_s)


def _any_emitter(rng: np.random.Generator) -> Transmitter:
    level, centre_hz = float(rng.uniform(-80, -45)), float(rng.uniform(2.406e9, 2.478e9))
    kinds: tuple[Callable[[], Transmitter], ...] = (
        lambda: tx.link("", level, centre_hz, rng.uniform(5e6, 30e6)),
        lambda: tx.noise("", level + 8, centre_hz, rng.uniform(22e6, 60e6)),
        lambda: tx.camera("", level, centre_hz, width_hz=rng.uniform(6e6, 18e6)),
        lambda: tx.carrier("", level, centre_hz),
        lambda: tx.narrow_fm("", level, centre_hz, rng.uniform(3e4, 5e5)),
        lambda: tx.low_rate("", int(rng.integers(11, 27)), level, rng.uniform(0.01, 0.15)),
        lambda: tx.hopper("", level, rng.uniform(0.1, 0.8)),
        lambda: tx.oven("", level, centre_hz=rng.uniform(2.448e9, 2.465e9)),
        lambda: tx.advertiser("", level, rng.uniform(0.02, 0.09)),
    )
    return kinds[rng.integers(len(kinds))]()


_DIFFICULTIES: tuple[Callable[[np.random.Generator, int], ByChance], ...] = (
    _lines, _line_beside_802154, _side_by_side, _in_step, _cut_by_the_span, _noise_of_any_law,
)  # fmt: skip
