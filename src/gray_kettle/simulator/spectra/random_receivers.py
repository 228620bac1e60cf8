"""Receivers by chance with faults of their own, before the scenes of random_scenes: stepped, whole spans, and swept.

Their faults are in the power of each frame, or (as samples) come out of the receiver's samples.
"""

from dataclasses import replace

import numpy as np

from gray_kettle.model.enums import Detector
from gray_kettle.simulator.spectra.iq_frames import FrontEnd
from gray_kettle.simulator.spectra.random_scenes import ByChance, Ranges, by_chance
from gray_kettle.simulator.spectra.receiver_faults import Faults
from gray_kettle.simulator.spectra.scene import Scene

KINDS = ("stepped", "whole", "swept")
SAMPLED = ("sampled-stepped", "sampled-whole")
_MOST_SAMPLES, _FEWEST_ROWS = 8_000_000, 200
_PIECES_HZ = (20e6, 20e6, 10e6, 25e6)


def with_receiver(number: int, ranges: Ranges, kind: str, wifi: bool, emitters: bool) -> ByChance:
    """The scene of that number before a receiver of that kind, as receivers are."""
    if kind in SAMPLED:
        return _sampled(number, ranges, kind.removeprefix("sampled-"), wifi, emitters)
    made = by_chance(number, ranges, wifi_only=not emitters)
    rng = np.random.default_rng([ranges.seeds, number, 5])
    span = made.instrument.span
    step_s = 0.0
    whole = replace(span, sweep_s=0.0, detector=Detector.SAMPLE if kind != "swept" else span.detector)
    rate = 1 / float(np.median(np.diff(made.time_s)))
    if kind == "stepped":
        bins = max(round(float(rng.choice(_PIECES_HZ)) / span.step_hz), 8)
        span = replace(whole, pieces=tuple(range(0, span.bins - bins // 2, bins)))
        step_s = float(rng.uniform(0.5, 0.95)) / rate
    elif kind == "whole":
        span = whole
    elif not span.sweep_s:
        span = replace(whole, sweep_s=round(float(rng.uniform(0.3, 0.95)) / rate, 4), averages=1)
    spurs = tuple(
        (float(rng.uniform(span.start_hz, span.end_hz)), float(rng.uniform(4, 25)))
        for _ in range(rng.integers(0, 5))
    )
    faults = Faults(
        spike_db=float(rng.uniform(3, 35)) if rng.random() < 0.8 else np.nan,
        spurs=spurs,
        image_db=float(rng.uniform(25, 50)) if rng.random() < 0.6 else np.nan,
        ripple_db=float(rng.uniform(0, 3)),
        gain_step_db=float(rng.uniform(2, 8)) if rng.random() < 0.4 else 0.0,
        full_scale_dbm=float(rng.uniform(-45, -20)) if rng.random() < 0.3 else np.inf,
        seed=number,
    )
    instrument = replace(
        made.instrument,
        span=span,
        step_s=step_s,
        faults=faults,
        hold_s=made.instrument.hold_s if kind == "swept" else 0.0,
    )
    scene = made.scene if wifi or emitters else Scene((), made.scene.seed)
    return replace(made, scene=scene, instrument=instrument)


def _sampled(number: int, ranges: Ranges, kind: str, wifi: bool, emitters: bool) -> ByChance:
    """The scene of that number before a receiver whose frames are computed from samples."""
    made = with_receiver(number, ranges, kind, wifi, emitters)
    rng = np.random.default_rng([ranges.seeds, number, 6])
    span = replace(made.instrument.span, averages=int(rng.choice([1, 1, 2, 4, 8])))
    instrument = replace(made.instrument, span=span, filter_bins=1.0, faults=None)
    floor_dbm = float(10 * np.log10(instrument.floor_mw))

    def over_floor(low: float, high: float) -> float:
        return floor_dbm + float(rng.uniform(low, high))

    bits = int(rng.choice([8, 12, 14]))
    bins = span.pieces[1] if len(span.pieces) > 1 else span.bins
    # At full gain the noise of a piece fills a step or two: nobody gives that away.
    most_dbm = floor_dbm + 10 * np.log10(bins) + 6.02 * (bits - 1) - 3
    front_end = FrontEnd(
        offset_dbm=over_floor(3, 35) if rng.random() < 0.85 else np.nan,
        offset_wander=float(rng.uniform(0.02, 0.5)),
        spurs=tuple(
            (float(rng.uniform(span.start_hz, span.end_hz)), over_floor(4, 25))
            for _ in range(rng.integers(0, 4))
        ),
        gain_error_db=float(rng.uniform(-0.6, 0.6)),
        phase_error_deg=float(rng.uniform(-4, 4)),
        bits=bits,
        full_scale_dbm=min(float(rng.uniform(-40, -5)), most_dbm),
        follows_level=bool(rng.random() < 0.6),
        step_error_db=float(rng.uniform(0, 1.5)),
    )
    rows = max(min(len(made.time_s), _MOST_SAMPLES // (span.bins * span.averages)), _FEWEST_ROWS)
    return replace(made, instrument=replace(instrument, front_end=front_end), time_s=made.time_s[:rows])
