"""How much time an emitter takes, and what belongs to it: in simulated sweeps of which the truth is known."""

import math
from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches.magnetron_phase import Tube, fitted
from gray_kettle.interference.searches.partial_hits import part_of_frames
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.random_scenes import REFLECTED, by_chance
from gray_kettle.simulator.spectra.scene import Scene
from gray_kettle.spectrum.quantise import MW_OF_CODE, to_codes
from tests.sweeps import START_S, WIFI, rows_of, seen, span_at

HOPPER = tx.hopper("", -50, 0.5)
LOW_RATE = tx.low_rate("", 17, -50, 0.1)
OVEN = tx.oven("", -50, 1.0, 2.457e9, filled=0.35)
TUNED_S = 0.06
HELD = {"detector": "max", "sweep_s": TUNED_S}
INSTRUMENTS = {  # (span, how it looks)
    "one frame": (span_at(), {}),
    "four frames, some of which meet it": (span_at(averages=4), {"spread_s": 2e-4}),
    "tuned": (span_at(sweep_s=TUNED_S), {}),
    "tuned, with a peak detector": (span_at(**HELD), {"hold_s": TUNED_S / 340}),
}


@pytest.mark.parametrize("made", [HOPPER, LOW_RATE], ids=lambda t: t.kind)
@pytest.mark.parametrize("name", INSTRUMENTS)
@pytest.mark.slow
def test_a_share_of_time_is_that_of_the_air_whatever_part_an_instrument_has_observed(name, made):
    span, how = INSTRUMENTS[name]
    found = seen((made,), span, rows=1500, **how)
    (truth,) = Scene((made,), 1).truth(span, START_S, START_S + 150)
    assert [s.kind for s in found] == [made.kind]
    told = {(band, number): duty for band, number, duty in found[0].channels}
    for band, number, duty in truth.channels:
        assert told[band, number] == pytest.approx(duty, abs=0.03, rel=0.12)


BUSY = (
    tx.wifi("one", 2412e6, 20, -50, 0.5),
    tx.wifi("six", 2437e6, 20, -57, 0.4),
    tx.wifi("far", 2437e6, 20, -66, 0.3),
)
SHORT = tx.hopper("", -55, 0.7, "frequency-hopper", 1e-3, 0.6, 2.4025e9, 3e6, 26, width_hz=1.5e6)
HEADSET = tx.hopper("", -55, 0.8)


@pytest.mark.parametrize(
    ("made", "others", "span", "how"),
    [
        (SHORT, (), span_at(sweep_s=0.09), {}),
        (HEADSET, BUSY, span_at(sweep_s=0.03), {"seed": 3}),
        (HEADSET, BUSY, span_at(**{**HELD, "sweep_s": 0.05}), {"hold_s": 0.05 / 340, "seed": 1}),
    ],
    ids=["hops shorter than it takes to pass them", "among channels of its level", "the same, held"],
)
@pytest.mark.slow
def test_hops_put_into_the_same_rows_tell_share_and_level_before_a_sweep(made, others, span, how):
    (told,) = (s for s in seen((made, *others), span, rows=1200, rate=8.3, **how) if s.kind == made.kind)
    (truth,) = Scene((made,), 1).truth(span, START_S, START_S + 100)
    assert told.duty == pytest.approx(truth.duty, rel=0.2)
    assert told.level_dbm == pytest.approx(-55, abs=1.2)


def test_a_peak_detector_meets_every_hop_that_a_bin_is_held_through():
    hold_s, bins = 1.25e-3, 84
    span = span_at(2400e6, 1e6, bins, detector="max", sweep_s=hold_s * bins)
    hopper = tx.hopper("", -40, 1.0, slot_s=625e-6, filled=0.5, width_hz=1e5)
    _, codes = rows_of(Scene((hopper,), 1), span, hold_s=hold_s)
    met = (MW_OF_CODE[codes[:, 2:81]] > 1e-6).mean()  # few hops fall 20 dB, noise never rises so high
    assert met == pytest.approx(
        (1.25 + 0.3125) / 0.625 / 79, rel=0.1
    )  # those that begin or end meanwhile, too


@pytest.mark.parametrize("seed", range(4))
def test_a_magnetron_is_reported_where_channels_cover_it_and_no_block_falls(seed):
    rng = np.random.default_rng(seed)
    wave, cells = 128, 84
    its = Tube(-27, 54, 50.0, 14.0, 0.0, 6.0)
    there = np.zeros((wave, cells), bool)
    for k, low, high in zip(its.at(wave), *its.ends(), strict=True):
        there[k, round(low) : round(high)] = True
    detection_blocks = rng.poisson(4.0, (wave, 1)) * np.ones(cells)
    detection_blocks[:12] = detection_blocks[20:32] = detection_blocks[100:106] = 0
    off = np.where((np.arange(cells) > 44) & (np.arange(cells) < 52), 0.97, 0.1)
    met = rng.binomial(detection_blocks.astype(int), np.where(there, off + (1 - off) * 0.95, off))
    roughly = there & (np.arange(cells) < 45)
    told = fitted(detection_blocks, met, off, 0.95, roughly)
    assert told.parts == pytest.approx(its.parts, abs=5)
    for end, true_end in zip(told.ends(), its.ends(), strict=True):
        assert (end[0], end[-1]) == pytest.approx((true_end[0], true_end[-1]), abs=2)


@pytest.mark.parametrize("seed", [0, 1])
@pytest.mark.parametrize(
    ("other", "level_dbm", "span"),
    [
        (tx.link("", -42, 2459e6, 10e6), -52, span_at()),
        (tx.carrier("", -48, 2453.5e6), -72, span_at(step_hz=0.95e6, bins=90, sweep_s=0.011)),
        (tx.wifi("", 2462e6, 20, -49, 0.3), -74, span_at(step_hz=0.45e6, bins=190, sweep_s=0.03)),
    ],
    ids=lambda v: getattr(v, "kind", None),
)
@pytest.mark.slow
def test_an_oven_reaches_as_far_whatever_is_on_it(other, level_dbm, span, seed):
    oven = tx.oven("", level_dbm, 1.0, 2453e6)
    (told,) = (s for s in seen((oven, other), span, seed, rows=1200, rate=17.3) if s.kind == oven.kind)
    (truth,) = Scene((oven,), seed).truth(span, START_S, START_S + 1200 / 17.3)
    assert told.low_hz == pytest.approx(truth.low_hz, abs=6e6)
    assert told.high_hz == pytest.approx(truth.high_hz, abs=6e6)
    shares = {number: duty for _, number, duty in told.channels}
    assert all(shares.get(number, 0.0) == pytest.approx(duty, abs=0.1) for _, number, duty in truth.channels)


@pytest.mark.parametrize("sweep_s", [0.03, 0.06])
@pytest.mark.slow
def test_hops_that_hide_one_another_from_a_sweep_count(sweep_s):
    made = tx.hopper("", -50, 0.9, "frequency-hopper", 5e-3, 0.95, 2.404e9, 1.5e6, 50)
    (told,) = seen((made,), span_at(sweep_s=sweep_s), rows=1200, rate=8.3)
    assert told.duty == pytest.approx(0.9 * 0.95, rel=0.15)


@pytest.mark.parametrize("seed", [0, 2, 4, 7])
def test_what_a_headset_leaves_out_has_none_of_its_time_however_few_rows_there_are(seed):
    made = tx.hopper("", -50, 0.5, first_hz=2.424e9, places=57)
    on_one_of_the_others = tx.advertiser("", -52, 0.04)
    found = seen((made, on_one_of_the_others), seed=seed, rows=220)
    (told,) = (s for s in found if s.kind == made.kind)
    shares = {number: duty for _, number, duty in told.channels}
    assert shares.get(1, 0.0) < 0.03
    assert shares[13] == pytest.approx(0.3 * 18 / 57, abs=0.035)


@pytest.mark.parametrize("seed", range(3))
def test_a_frequency_that_has_far_more_than_those_next_to_it_is_no_hop(seed):
    made = tx.hopper("", -50, 0.7), tx.low_rate("", 14, -50, 0.08), tx.wifi("", 2417e6, 20, -40, 0.3)
    assert {s.kind for s in seen(made, seed=seed, rows=1500)} == {"bluetooth", "802.15.4"}


def test_wide_bins_show_hops_that_fill_three_of_them():
    made = tx.hopper("", -50, 0.6, "frequency-hopper", 1e-2, 0.9, 2.402e9, 3e6, 26, width_hz=1.6e6)
    (told,) = seen((made,), span_at(step_hz=1e6, bins=85), rows=1000)
    assert told.kind == made.kind
    assert told.duty == pytest.approx(0.6 * 0.9, abs=0.06)


def test_a_peak_detector_does_not_make_an_oven_longer():
    bins = 100
    span = span_at(2.4e9, 0.9e6, bins, detector="max", sweep_s=0.15)
    (oven,) = (s for s in seen((OVEN,), span, rows=900, rate=6.1, hold_s=0.15 / bins) if s.kind == OVEN.kind)
    assert oven.duty == pytest.approx(0.35, abs=0.03)  # and not 0.35 + 1.5 ms of 20


@pytest.mark.parametrize("name", INSTRUMENTS)
@pytest.mark.parametrize(
    "is_on", [lambda s: s - START_S < 40, lambda s: s % 20 < 8], ids=["for a while", "half power"]
)
@pytest.mark.slow
def test_an_oven_takes_no_time_while_it_pauses(name, is_on):
    span, how = INSTRUMENTS[name]
    oven = tx.oven("", -50, lambda s: is_on(s).astype(float), 2.457e9)
    (told,) = (s for s in seen((oven, *WIFI), span, rows=970, **how) if s.kind == oven.kind)
    (truth,) = Scene((oven,), 1).truth(span, START_S, START_S + 100)
    assert truth.duty < 0.18  # and it is on for 0.42 of the wave
    assert told.duty == pytest.approx(truth.duty, abs=0.05)


@pytest.mark.parametrize(("frames", "length"), [(2, 1.9), (4, 1.9), (4, 30.0), (1, 1.9)])
def test_levels_tell_what_part_of_the_frames_bursts_fill(frames, length):
    rng = np.random.default_rng(5)
    start = rng.uniform(-length, 1, 4000)
    at = np.linspace(0, 1, frames) if frames > 1 else np.array([0.5])
    filled = ((at >= start[:, None]) & (at < start[:, None] + length)).mean(axis=1)
    met = filled[filled > 0]
    level_dbm = -60 + 10 * np.log10(met) + rng.normal(0, 1.5, len(met))
    assert part_of_frames(level_dbm, frames) == pytest.approx(met.mean(), abs=0.06)


def turn_by_turn(made, below_db):
    """Every second slot of a hopper so much weaker: a headset and its partner."""

    def make(seconds, rng):
        its = made.make(seconds, rng)
        odd = np.round(its.start_s / 625e-6).astype(int) % 2
        return replace(its, level_db=its.level_db - below_db * odd)

    return replace(made, make=make)


def test_two_that_take_turns_are_one_link_and_two_that_do_not_are_two():
    one = [s for s in seen((turn_by_turn(HOPPER, 14), *WIFI), rows=1500) if s.kind == "bluetooth"]
    assert len(one) == 1
    assert one[0].duty == pytest.approx(0.5 * 0.6, rel=0.15)
    assert any("alternates with" in words for words in one[0].evidence)
    apart = (tx.hopper("a", -50, 0.4), tx.hopper("b", -64, 0.4))
    assert len([s for s in seen((*apart, *WIFI), rows=1500) if s.kind == "bluetooth"]) == 2


def test_colour_sound_and_carrier_belong_to_their_picture():
    picture = tx.camera("", -50, 2.44e9, width_hz=12e6)
    its = [tx.narrow_fm("", -62, 2.44e9 + k * 6e6, 200e3) for k in (-1, 1)]
    (told,) = seen((picture, *its, tx.carrier("", -58, 2.44e9)))
    assert told.kind == "analogue-video"
    assert {words for words in told.evidence if "line" in words} == {
        "its carrier as a line in the middle",
        "its colour or sound as lines 6.0 MHz beside the middle",
    }
    beyond = tx.narrow_fm("", -70, 2.45e9, 200e3)
    assert {s.kind for s in seen((picture, beyond))} == {"analogue-video", "narrowband-fm"}


@pytest.mark.parametrize("phase", [0.0, 1.5, 4.5])  # with 3.0 a notch in the very middle leaves two humps
def test_a_link_over_two_paths_is_one_link(phase):
    link = tx.link("", -50, 5.79e9, 33e6)
    (told,) = seen((tx.reflected(link, 0.55, 6e-8, phase),), span_at(5.75e9, 0.25e6, 340))
    assert told.kind == "point-to-point"
    assert told.high_hz - told.low_hz == pytest.approx(np.ptp(link.reach_hz()), rel=0.1)


@pytest.mark.parametrize("number", [20012, 20164, 20176, 20219])
def test_humps_that_reflections_make_of_channels_are_no_hops(number):
    made = by_chance(number, REFLECTED, wifi_only=True)
    codes = np.concatenate([to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)])
    assert detect(made.instrument.span, made.time_s, codes) == ()


@pytest.mark.parametrize(
    ("made", "width_hz"),
    [(tx.noise("", -50, 2.44e9, 24e6), 24e6 * math.sqrt(math.log2(10))), (tx.link("", -50, 2.44e9, 11e6), 11.8e6)],
)  # fmt: skip
def test_a_transmitter_reaches_to_ten_decibels_below_its_top(made, width_hz):
    below_hz, above_hz = made.reach_hz()
    assert above_hz == -below_hz
    assert above_hz - below_hz == pytest.approx(width_hz, rel=0.01)
