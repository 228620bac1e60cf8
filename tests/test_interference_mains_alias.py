"""Rows in step with the mains: snapshots show an oven's wave in slow motion."""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.model.records import DetectionBlock, Listening, Observations, Sightings, Traffic
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.spectra import transmitters as tx
from tests.sweeps import START_S, WIFI, seen

OVEN = tx.oven("oven", -52, mains_hz=49.98, width_hz=10e6, drift_hz=12e6, filled=0.4, centre_hz=2.455e9)
CAMERA = tx.camera("camera", -45, 2425e6, width_hz=8e6)


def busy_now_and_then(seconds):
    """A download that fills a channel for 20 s of every 50."""
    return np.where(seconds % 50 < 20, 0.99, 0.02)


def wandering(made, hz_per_s):
    """The same, but it goes on to one side all the time."""

    def make(seconds, rng):
        its = made.make(seconds, rng)
        return replace(its, centre_hz=its.centre_hz + hz_per_s * (its.start_s - START_S))

    return replace(made, make=make)


@pytest.mark.parametrize(
    ("facts", "beside"),
    [
        ({"rate": 5.0, "rows": 600}, WIFI),
        ({"rate": 12.5, "rows": 1500}, WIFI),
        ({"rate": 50.0, "rows": 2000}, WIFI),
        ({"rate": 5.0, "rows": 600}, (*WIFI, CAMERA)),
    ],
    ids=["5/s", "12.5/s", "50/s", "beside a stronger camera"],
)
@pytest.mark.slow
def test_an_oven_is_reported_by_its_way(facts, beside):
    (oven,) = [s for s in seen((*beside, OVEN), **facts) if s.kind == "microwave-oven"]
    assert oven.level_dbm == pytest.approx(-52, abs=2.5)
    assert 2438e6 < oven.low_hz < 2448e6
    assert 2465e6 < oven.high_hz < 2473e6
    told = {number: duty for _, number, duty in oven.channels}
    assert told[10] == pytest.approx(0.4, abs=0.06)
    assert 1 not in told
    assert any("in step with the mains" in words for words in oven.evidence)


@pytest.mark.parametrize(
    "only",
    [
        (tx.wifi("download", 2437e6, 20, -50, busy_now_and_then, 3e-3),),
        (
            tx.camera("before", -50, 2450e6, lambda s: (s % 60 < 20).astype(float)),
            tx.camera("and after", -50, 2454e6, lambda s: ((s % 60 >= 20) & (s % 60 < 40)).astype(float)),
        ),
        (tx.camera("camera", -50, 2455e6, lambda s: (s % 50 < 20).astype(float)),),
        (wandering(tx.camera("camera", -50, 2445e6), 1e5),),
    ],
    ids=["a busy channel", "a camera that is retuned", "a camera", "one that is never away"],
)
@pytest.mark.parametrize("rate", [5.0, 25.0])
@pytest.mark.slow
def test_what_comes_and_goes_as_slowly_is_no_oven(only, rate):
    found = seen((*WIFI, *only), rate=rate, rows=int(100 * rate))
    assert not [s for s in found if s.kind == "microwave-oven"]


def duty_of(*looks):
    nothing = (Sightings.empty(), Traffic.empty(), Listening.empty(), ("",), ())
    heard = Observations(START_S, looks[-1].end_s, (), *nothing, detection_blocks=looks)
    return find_emitters(heard, Setup(), ())[0].duty


def test_few_rows_on_the_rest_of_the_wave_tell_nothing():
    """The look after the one that saw it falls on the part of the wave in which it is off: its share stays."""
    (oven,) = [s for s in seen((*WIFI, OVEN), rate=12.5, rows=1500) if s.kind == "microwave-oven"]
    first = DetectionBlock(START_S, START_S + 120, 1500, 2.4e9, 2.485e9, "", (oven,))
    after = replace(first, start_s=START_S + 120.1, end_s=START_S + 140, rows=250, detections=())
    told = [
        duty_of(*looks)
        for looks in (
            (first,),
            (first, after),
            (first, replace(after, start_s=START_S + 400, end_s=START_S + 420)),
        )
    ]
    assert told[1] == pytest.approx(told[0], abs=1e-3)
    assert told[2] < 0.9 * told[0]
    # What reaches beyond a span is seen in it all the same.
    assert duty_of(replace(first, high_hz=oven.high_hz - 2e6)) == pytest.approx(told[0], abs=1e-3)
