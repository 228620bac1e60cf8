"""Instruments and habits of the air that no one thing is made for: rows in step with something, frames that lie apart,
spans in pieces, ends that cut, noise of another law.
"""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches.partial_hits import part_by_company
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.bursts import bursts, every
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import to_codes
from tests.sweeps import START_S, seen, span_at

LOW = {"low_hz": 2400e6, "step_hz": 312.5e3, "bins": 267}


def met(transmitters, span, rate, rows, spread_s=0.0, hold_s=0.0):
    """(times, codes) of rows at exactly even distances."""
    times = START_S + np.arange(rows) / rate
    made = Scene(transmitters, 1).rows(Instrument(span, spread_s=spread_s, hold_s=hold_s), times)
    return times, np.concatenate([to_codes(r.levels_dbm) for r in made])


def beaconing(length_s, phase_s):
    """An access point that only sends beacons."""

    def make(seconds, rng):
        start = every(seconds, 0.1024, phase_s)
        return bursts(start, np.full(len(start), length_s), 2.457e9)

    return replace(tx.wifi("", 2.457e9, 20, -50, 0.1), make=make)


def in_pieces(transmitters, rows=500, pieces=4):
    """(span, times, codes) of an instrument that measures 20 MHz at a time."""
    parts = [span_at(2400e6 + k * 20e6, 250e3, 80) for k in range(pieces)]
    times = START_S + np.arange(rows) / 9.7
    scene = Scene(transmitters, 1)
    codes = []
    for k, part in enumerate(parts):
        met = scene.rows(Instrument(part), times + 0.02 * k)
        codes.append(np.concatenate([to_codes(r.levels_dbm) for r in met]))
    span = span_at(2400e6, 250e3, 80 * pieces, pieces=tuple(range(0, 80 * pieces, 80)))
    return span, times, np.concatenate(codes, axis=1)


DRIFTING = tuple(
    tx.wifi("", hz, 20, -50, lambda s: 0.3 + 0.28 * np.sin(2 * np.pi * 0.05 * s)) for hz in (2.452e9, 2.462e9)
)
BUSY = (tx.wifi("", 2412e6, 20, -44, 0.4, 4e-4), tx.wifi("", 2457e6, 20, -50, 0.3, 4e-4))
SIDE_BY_SIDE = tuple(tx.wifi("", hz, 20, -45, 0.6) for hz in (2437e6, 2447e6, 2462e6))
NO_EMITTERS = {  # span, what is on the air, rows a second, seconds over which the frames of a row lie
    "traffic as slow as the mains in rows in step": (span_at(**LOW), DRIFTING, 20.0, 0.0),
    "beacons that rows meet as the mains": (
        span_at(**LOW), (beaconing(5e-3, 0.0), beaconing(5e-3, 0.004)), 60.0 - 1 / 0.1024, 0.0
    ),
    "a channel that the span cuts": (span_at(5645e6, 100e3, 900), (tx.wifi("", 5610e6, 80, -50, 0.3),), 9.7, 0.0),
    "frames apart in wide bins": (span_at(2400.5e6, 1e6, 83, averages=8), BUSY, 20.0, 0.045),
    "the highest of channels side by side": (
        span_at(**LOW, detector="max", averages=8), SIDE_BY_SIDE, 20.0, 0.045
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", NO_EMITTERS)
def test_wifi_stays_wifi_whatever_instruments_make_of_it(name):
    span, made, rate, spread_s = NO_EMITTERS[name]
    assert [s.kind for s in detect(span, *met(made, span, rate, 1200, spread_s))] == []


def test_a_span_in_pieces_shows_whole_hops_and_its_seams_are_none():
    hopping = tx.hopper("", -60, 0.8, "frequency-hopper", 4e-3, 0.9, 2.407e9, 1.5e6, 12)
    (found,) = detect(*in_pieces((hopping,)))
    assert found.kind == "frequency-hopper"
    assert (found.low_hz, found.high_hz) == pytest.approx((2.4065e9, 2.424e9), abs=1e6)
    assert detect(*in_pieces((tx.wifi("", 2.4225e9, 40, -48, 0.4), tx.wifi("", 2.462e9, 20, -60, 0.2)))) == ()


@pytest.mark.parametrize("width_hz", [1.2e6, 2e6, 2.7e6])
def test_hops_may_be_as_wide_as_their_spacing(width_hz):
    made = tx.hopper("", -55, 0.5, "frequency-hopper", 2e-3, 0.9, 2.411e9, 3e6, 8, width_hz=width_hz)
    found = detect(span_at(**LOW), *met((made, tx.wifi("", 2412e6, 20, -62, 0.25)), span_at(**LOW), 9.7, 900))
    assert [s.kind for s in found] == ["frequency-hopper"]


@pytest.mark.parametrize(("share", "averages"), [(0.3, 8), (0.3, 4)])
def test_of_frames_that_lie_apart_a_hop_fills_one(share, averages):
    made = tx.hopper("", -55, share)
    span = span_at(**LOW, averages=averages)
    found = detect(span, *met((made,), span, 9.7, 900, spread_s=0.09))
    assert [s.kind for s in found] == ["bluetooth"]
    truth = Scene((made,), 1).truth(span, START_S, START_S + 90)[0]
    assert found[0].duty == pytest.approx(truth.duty, abs=0.05)


@pytest.mark.parametrize("frames", [1, 2, 8, 100])
def test_company_shows_how_many_frequencies_a_row_may_show(frames):
    """Of so many frames each shows a place or none, by chance: one place fills one of them."""
    number = np.random.default_rng(frames).binomial(frames, 0.3, 20_000)
    row = np.repeat(np.arange(len(number)), number)
    assert part_by_company(row, len(number)) == pytest.approx(1 / frames, abs=0.03)


def test_what_a_strong_one_spills_is_not_another():
    spilled = tx.link("", -73, 2.4378e9, 60e6)
    assert [s.kind for s in seen((tx.link("", -37, 2.4178e9, 5e6), spilled))] == ["point-to-point"]
    assert [s.kind for s in seen((spilled,))] == ["broadband-noise"]


@pytest.mark.parametrize("spread_db", [1.0, 2.5, 4.5])
def test_noise_of_any_law_is_nothing(spread_db):
    noise = np.random.default_rng(1).normal(-100, spread_db, (1200, 267)).astype(np.float32)
    for facts in ({}, {"sweep_s": 0.05}):
        span = span_at(**LOW, **facts)
        assert detect(span, START_S + np.arange(1200) / 20, to_codes(noise)) == ()
