"""Emitters and instruments of a second simulator that shares nothing with the first.

`python -m benchmarks.independent` measures scenes of two makings. In one, noise and signals fade as power does and
transmitters have skirts; in the other everything wavers in decibels by a normal law, spectra are boxes, and rows keep
time exactly. Instruments show frames one by one, their mean (also of decibels) or their highest over the whole of a
row's time, cross the span bin by bin, or measure it in pieces. Beacons last up to 2 ms, frames are answered.

Source: docs/radio-model.md, "Signatures of non-Wi-Fi emitters"; docs/emitters.md says what is made of it.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from benchmarks.emitters import EmitterResult, Result, note_of, paired, report, tell
from benchmarks.independent_air import Transmitter, emitter, network
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.simulator.spectra.scene import Truth
from gray_kettle.spectrum.channel_power import channels_in_span, passband_hz
from gray_kettle.spectrum.quantise import Codes, to_codes

PAGE = Path(__file__).parent.parent / "docs" / "emitters-elsewhere.md"
START_S = 1.7e9
LOW = ("microwave-oven", "bluetooth", "ble-advertising", "frequency-hopper", "802.15.4", "analogue-video")
STANDING = ("narrowband-fm", "continuous-carrier", "broadband-noise", "point-to-point")
SPANS = {
    "2.4": ((2.4e9, 2.4835e9),),
    "5": ((5.15e9, 5.35e9), (5.47e9, 5.73e9), (5.645e9, 5.9e9)),
    "6": ((5.945e9, 6.145e9),),
}
STYLES = ("frame", "mean", "highest", "mean of decibels", "swept", "swept, highest", "pieces")
STYLE_SHARES = (0.22, 0.12, 0.10, 0.08, 0.26, 0.12, 0.10)
LOOKS = 20_000
_MOST_CELLS, _ENOUGH = 5e6, 60


@dataclass(frozen=True)
class Making:
    """One version of the simulated air. boxes: spectra have no skirts. exact: rows are exactly periodic.

    spreads_db: standard deviations of levels, 0 where power fades.
    """

    seeds: int
    boxes: bool
    exact: bool
    spreads_db: tuple[float, ...]


MAKINGS = {
    "fading power, spectral skirts": Making(2_000, False, False, (0.0,)),
    "normally distributed decibels, box spectra, exact rows": Making(3_000, True, True, (1.0, 2.0, 3.0, 4.5)),
}


def measure(number: int, making: Making, wifi_only: bool) -> Result:
    rng = np.random.default_rng([making.seeds, number, wifi_only])
    band = str(rng.choice(list(SPANS), p=[0.7, 0.22, 0.08]))
    low_hz, high_hz = SPANS[band][rng.integers(len(SPANS[band]))]
    step_hz = float(rng.choice([50e3, 100e3, 156.25e3, 312.5e3, 500e3, 1e6]))
    bins = int((high_hz - low_hz) / step_hz)
    rate = float(rng.choice([5.0, 10.0, 20.0, 50.0])) * (
        1.0 if making.exact else float(rng.uniform(0.85, 1.15))
    )
    rows = int(min(rate * rng.choice([40, 80, 150, 300]), 3000, _MOST_CELLS / bins))
    style = str(rng.choice(STYLES, p=STYLE_SHARES))
    seconds = rows / rate + 1
    span, frames, offset_s = _instrument(style, (low_hz, step_hz, bins), rate, rng)
    made: list[Transmitter] = []
    for k in range(int(rng.integers(1, 9)) if wifi_only else int(rng.integers(0, 8))):
        made += network(rng, band, seconds, f"network {k}", float(rng.uniform(-90, -38)), making.boxes)
    if not wifi_only:
        kinds = [
            *STANDING,
            *(LOW if band == "2.4" else ()),
            *(("radar",) if low_hz in (5.15e9, 5.47e9) else ()),
        ]
        for k in range(int(rng.integers(0, 5))):
            made.append(
                emitter(
                    str(rng.choice(kinds)),
                    rng,
                    (low_hz, high_hz),
                    seconds,
                    f"{k}",
                    float(rng.uniform(-88, -36)),
                )
            )
    jitter = 0.0 if making.exact else 0.03
    time_s = np.arange(rows) / rate + rng.uniform(0, jitter / rate + 1e-12, rows)
    floor_mw = 10 ** ((-174 + 10 * np.log10(step_hz) + rng.uniform(5, 12)) / 10)
    spread_db = float(rng.choice(making.spreads_db))
    codes, each = _rows(span, style, frames, (time_s, offset_s), made, floor_mw, spread_db, rng)
    truth = [t for m in made if (t := _truth(m, span, seconds - 1, rng)) is not None]
    standing = _assessment(each, floor_mw)
    claims = note_of(span, START_S + time_s, codes)
    emitters = [t for t in truth if t.kind != "wi-fi"]
    pairs = paired(emitters, claims)
    by_name = dict(zip((m.name for m in made), standing, strict=True))
    met = tuple(
        EmitterResult(t, by_name[t.name], claims[pairs[k]] if k in pairs else None)
        for k, t in enumerate(emitters)
    )
    false = tuple(c for k, c in enumerate(claims) if k not in pairs.values())
    return Result(number, span.is_tuned, step_hz, rows, rate, met, false, 0.0)


def _instrument(
    style: str, bins_of: tuple[float, float, int], rate: float, rng: np.random.Generator
) -> tuple[Span, int, FloatArray]:
    """(span, frames a row, time of each bin behind the start of a row)."""
    low_hz, step_hz, bins = bins_of
    frames = int(rng.choice([4, 8, 16])) if style in ("mean", "highest", "mean of decibels") else 1
    detector = {"mean": "mean", "mean of decibels": "mean"}.get(
        style, "max" if "highest" in style else "sample"
    )
    sweep_s = float(rng.uniform(0.3, 0.95)) / rate if style.startswith("swept") else 0.0
    pieces = tuple(range(0, bins, int(20e6 / step_hz))) if style == "pieces" else (0,)
    told = frames if style == "mean" else 1  # not every file tells how many there are
    span = Span(low_hz + step_hz / 2, step_hz, bins, pieces, detector, told, sweep_s)
    if style == "pieces":
        piece = np.searchsorted(pieces, np.arange(bins), side="right") - 1
        return span, frames, np.asarray(piece * 0.9 / rate / len(pieces))
    return span, frames, np.asarray(sweep_s * np.arange(bins) / bins)


def _rows(
    span: Span, style: str, frames: int, when: tuple[FloatArray, FloatArray], made: list[Transmitter],
    floor_mw: float, spread_db: float, rng: np.random.Generator,
) -> tuple[Codes, list["np.ndarray"]]:  # fmt: skip
    """(rows, mean power of each transmitter in them, shape (rows, bins))."""
    time_s, offset_s = when
    rate = (len(time_s) - 1) / float(time_s[-1] - time_s[0])
    freq_hz = span.start_hz + span.step_hz * np.arange(span.bins)
    each = [np.zeros((len(time_s), span.bins), np.float32) for _ in made]
    looks = 4 if style == "swept, highest" else 1  # while it stays on a bin
    kept = np.zeros((len(time_s), span.bins))
    for frame in range(frames):
        at = time_s[:, None] + 0.95 / rate * frame / frames
        if offset_s.any():
            at = at + offset_s[None, :]
        fading, steady = np.full(kept.shape, floor_mw), np.zeros(kept.shape)
        for k, m in enumerate(made):
            dwells = [at + span.sweep_s / span.bins * n / looks for n in range(looks)]
            power = np.maximum.reduce([m.power(t, freq_hz, span.step_hz) for t in dwells])
            if m.is_line:
                steady += power
            else:
                fading += power
            each[k] = np.maximum(each[k], power) if span.detector == "max" else each[k] + power / frames
        if spread_db:
            met = fading * 10 ** (rng.normal(0, spread_db, kept.shape) / 10) + steady
        else:
            met = fading * np.max(rng.exponential(1, (looks, *kept.shape)), axis=0) + steady
        if style == "mean of decibels":
            kept += np.log(met) / frames
        else:
            kept = np.maximum(kept, met) if span.detector == "max" else kept + met / frames
    level_db = kept * 10 / np.log(10) if style == "mean of decibels" else 10 * np.log10(kept)
    rounded = float(rng.choice([0.5, 1.0]))
    return to_codes((np.round(level_db / rounded) * rounded).astype(np.float32)), each


def _assessment(each: list["np.ndarray"], floor_mw: float) -> list[float]:
    """Share of rows in which each is 10 dB over the floor and 3 dB over all else in most bins that it fills."""
    total = sum(each) if each else np.zeros(1)
    out = []
    for power in each:
        top = power.max(axis=1, keepdims=True)
        core = (power >= top / 2) & (power > 0)
        stands = (power >= 2 * (total - power)) & (power >= 10 * floor_mw)
        out.append(
            float(((core & stands).sum(axis=1) * 2 >= core.sum(axis=1))[top[:, 0] > 0].sum() / len(power))
        )
    return out


def _truth(m: Transmitter, span: Span, seconds: float, rng: np.random.Generator) -> Truth | None:
    """Activity of an emitter by sampling; rare pulses are counted one by one."""
    is_on, centre_hz, _ = m.events.at(rng.uniform(0, seconds, LOOKS))
    weight = 1 / LOOKS
    if is_on.sum() < 20:
        is_on, centre_hz = m.events.start_s < seconds, m.events.centre_hz
        weight = float((m.events.end_s - m.events.start_s).mean()) / seconds if len(is_on) else 0.0
    if not is_on.any():
        return None
    below_hz, above_hz = m.reach_hz(span.step_hz)
    low, high = centre_hz[is_on] + below_hz, centre_hz[is_on] + above_hz
    channels = []
    for place in channels_in_span(span):
        first, last = passband_hz(place)
        duty = float(((high > first) & (low < last)).sum() * weight)
        if place.width_mhz == 20 and duty:
            channels.append((place.band, place.primary, round(duty, 4)))
    return Truth(
        m.kind, m.name, float(low.min()), float(high.max()), m.level_dbm, 0.0, seconds, float(is_on.sum() * weight),
        tuple(channels),
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=_ENOUGH)
    parser.add_argument("--verbose", action="store_true", help="each miss and each false claim")
    asked = parser.parse_args()
    scenes = asked.scenes
    text = (
        "# Emitters in an independent simulator\n\n"
        "Made by `python -m benchmarks.independent`; [how to read the figures](emitters.md).\n"
    )
    with ProcessPoolExecutor() as pool:
        for name, making in MAKINGS.items():
            results = list(pool.map(measure, range(scenes), [making] * scenes, [False] * scenes))
            alone = list(pool.map(measure, range(scenes), [making] * scenes, [True] * scenes))
            if asked.verbose:
                tell(results + alone)
            text += f"\n## {name[0].upper()}{name[1:]}\n\n{report(results, alone)}\n"
    print(text)
    if scenes >= _ENOUGH:
        PAGE.write_text(text)


if __name__ == "__main__":
    main()
