"""Receivers by chance with faults of their own, before the scenes of random_scenes: stepped, whole spans, and swept."""

from dataclasses import replace

import numpy as np

from gray_kettle.model.enums import Detector
from gray_kettle.simulator.spectra.random_scenes import ByChance, Ranges, by_chance
from gray_kettle.simulator.spectra.receiver_faults import Faults
from gray_kettle.simulator.spectra.scene import Scene

KINDS = ("stepped", "whole", "swept")
_PIECES_HZ = (20e6, 20e6, 10e6, 25e6)


def with_receiver(number: int, ranges: Ranges, kind: str, wifi: bool, emitters: bool) -> ByChance:
    """The scene of that number before a receiver of that kind, as receivers are."""
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
