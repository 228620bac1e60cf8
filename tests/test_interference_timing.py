"""What is told by when it comes: antennas that turn, and the mains as a sweep sees them within its rows."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches import antenna_rotation, kinds
from gray_kettle.interference.searches.advertising import find_advertising
from gray_kettle.interference.searches.block import block_of
from gray_kettle.interference.searches.bursts import find_narrow, surroundings_of
from gray_kettle.interference.searches.continuous import _is_steady, find_continuous_background
from gray_kettle.interference.searches.mains import MainsSynced
from gray_kettle.interference.searches.mains_in_row import wave_in_rows
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import to_codes
from tests.sweeps import START_S, WIFI, rows_of, seen, span_at


def in_step(rows, rate):
    """Times of rows that keep time to a tenth of a millisecond."""
    return START_S + np.arange(rows) / rate + np.random.default_rng(3).uniform(0, 1e-4, rows)


def swept(transmitters, rate, rows, sweep_s, **facts):
    span = span_at(sweep_s=sweep_s, **facts)
    times = in_step(rows, rate)
    made = Scene(transmitters, 1).rows(Instrument(span), times)
    return span, times, np.concatenate([to_codes(r.levels_dbm) for r in made])


@pytest.mark.parametrize(("turn_s", "others"), [(1.37, 0), (2.7, 6), (4.0, 6)])
def test_a_rhythm_is_found_though_passes_are_missed_and_others_come_between(turn_s, others):
    rng = np.random.default_rng(7)
    passes = 11.3 + turn_s * np.flatnonzero(rng.random(int(100 / turn_s)) < 0.7)
    when_s = np.sort(
        np.concatenate([passes + rng.uniform(-0.03, 0.03, len(passes)), rng.uniform(11, 111, others)])
    )
    rhythm = antenna_rotation.rhythm_of(when_s, 100.0)
    assert rhythm.period_s == pytest.approx(turn_s, rel=0.01)
    assert rhythm.strength > 6
    assert rhythm.on_it.sum() >= len(passes)


def test_chance_keeps_time_no_better_than_is_said():
    rng = np.random.default_rng(4)
    strengths = []
    for number, row_s in itertools.product((6, 15, 40), (0.0, 0.2)):
        for _ in range(60):
            when_s = np.sort(rng.uniform(0, 80, number))
            if row_s:  # each in a row, and rows at even distances
                when_s = np.unique(np.rint(when_s / row_s)) * row_s
            rhythm = antenna_rotation.rhythm_of(when_s, 80.0, row_s)
            strengths.append(-np.inf if rhythm is None else rhythm.strength)
    for least in (0.0, 1.0, 2.0):
        assert np.mean(np.array(strengths) > least) <= np.exp(-least)
    assert max(strengths) < 6


@pytest.mark.parametrize(("width_hz", "step_hz"), [(1.5e6, 0.25e6), (5e6, 0.25e6), (5e6, 1e6)])
@pytest.mark.slow
def test_radar_is_reported_by_its_turn_however_wide_its_pulses_are(width_hz, step_hz):
    span = span_at(low_hz=5470e6, step_hz=step_hz, bins=int(255e6 / step_hz), detector="max")
    radar = tx.radar("", -60, 5600e6, 3.3, 1.0, width_hz, 40, 1e-3)
    network = tx.wifi("", 5530e6, 80, -55, 0.3)
    told = seen((radar, network), span, rows=1500, rate=17.3, hold_s=2e-3)
    assert [s.likely[0][0] for s in told] == ["radar"]
    assert abs((told[0].low_hz + told[0].high_hz) / 2 - 5600e6) < 1.5e6
    assert any("every 3.3 s" in words for words in told[0].evidence)
    assert seen((network,), span, rows=1500, rate=17.3, hold_s=2e-3) == ()


@pytest.mark.slow
def test_beacons_that_a_sweep_meets_every_few_seconds_are_no_radar(monkeypatch):
    networks = tuple(tx.wifi(str(k), hz, 20, -45, 0.03) for k, hz in enumerate((5500e6, 5580e6)))
    taken = swept(networks, 20.0, 1800, 0.03, low_hz=5470e6, step_hz=0.3e6, bins=660)
    assert detect(*taken) == ()
    monkeypatch.setattr(antenna_rotation, "keep_time_with_beacons", lambda _: False)
    assert "radar" in {s.likely[0][0] for s in detect(*taken)}


@pytest.mark.parametrize(("rate", "sweep_s"), [(5.0, 0.1), (5.0, 0.17), (12.5, 0.07)])
@pytest.mark.slow
def test_an_oven_in_step_with_a_sweep_is_reported_and_its_stripes_are_nothing_else(rate, sweep_s):
    oven = tx.oven("", -50, 1.0, 2.455e9, 49.98, 12e6, 12e6, 0.42)
    told = detect(*swept((oven, *WIFI), rate, int(90 * rate), sweep_s))
    assert [s.likely[0][0] for s in told] == ["microwave-oven"]
    assert told[0].low_hz < 2450e6
    assert told[0].high_hz > 2460e6


@pytest.mark.parametrize("drift_hz", [0.0, 0.02])
def test_what_slowly_comes_and_goes_is_no_wave_but_what_moves_through_the_rows_is(drift_hz):
    rows, cells, rate = 500, 80, 5.0
    span = span_at(step_hz=1e6, bins=cells, sweep_s=0.1)
    block = block_of(span, in_step(rows, rate), np.full((rows, cells), 60, np.uint8))
    start_s = block.time_s - block.time_s[0]
    if drift_hz:  # stripes, each row a little farther on
        turns = (50 - drift_hz) * (start_s[:, None] + block.offset_s[None, :])
        is_there = turns % 1 < 0.42
    else:  # the same places, for 21 s of every 50
        is_there = (start_s[:, None] * 0.02 % 1 < 0.42) & (np.arange(cells)[None, :] % 10 < 5)
    told = wave_in_rows(block, slice(0, cells), is_there, start_s)
    assert (told is not None) == bool(drift_hz)
    if told is not None:
        assert told[0].line_hz == pytest.approx(49.98, abs=0.004)
        assert (
            np.abs(np.exp(2j * np.pi * (told[0].turns % 1)) - 1)[is_there[:, 0]].max() < 1.45
        )  # its own part


def test_rows_that_pause_for_minutes_are_no_wave():
    rng = np.random.default_rng(6)
    start_s = np.concatenate([np.arange(250) / 5, 400 + np.arange(250) / 5])
    block = block_of(
        span_at(step_hz=1e6, bins=80, sweep_s=0.1), START_S + start_s, np.full((500, 80), 60, np.uint8)
    )
    assert wave_in_rows(block, slice(0, 80), rng.random((500, 80)) < 0.3, start_s) is None


@pytest.mark.parametrize(
    ("duty", "filled", "is_oven"), [(0.5, 0.6, True), (0.78, 1.0, True), (0.78, 0.6, False)]
)
def test_two_ovens_fill_more_of_the_wave_than_one(duty, filled, is_oven):
    met = MainsSynced(
        50.0, 80.0, 900, 2.43e9, 2.473e9, -50.0, duty, filled, np.zeros(0), np.zeros((0, 0), bool), np.zeros(0, int),
        (2.431e9, 2.472e9), duty, 0.05,
    )  # fmt: skip
    assert (kinds.of_locked(met)[0][0] == "microwave-oven") == is_oven


@pytest.mark.parametrize(
    ("strength", "filled", "is_oven"), [(20.0, 1.0, True), (20.0, 0.7, False), (12.0, 1.0, False)]
)
def test_an_oven_as_wide_as_a_channel_must_fill_all_of_its_half_of_the_wave(strength, filled, is_oven):
    met = MainsSynced(
        50.0, strength, 250, 2.428e9, 2.474e9, -50.0, 0.45, filled, np.zeros(0), np.zeros((0, 0), bool),
        np.zeros(0, int), (2.431e9, 2.472e9), 0.45, 0.05,
    )  # fmt: skip
    assert (kinds.of_locked(met)[0][0] == "microwave-oven") == is_oven


@pytest.mark.parametrize(
    ("over_db", "off_share", "lowest_db", "restless_db", "stands"),
    [
        (30.0, 0.0, np.nan, 2.1, True), (8.0, 0.0, np.nan, 2.1, False), (30.0, 0.003, np.nan, 2.1, False),
        # Channels on top of it are hardly ever free, but when they are its levels are all alike.
        (30.0, 0.003, 0.1, 9.0, True), (30.0, 0.003, 0.6, 9.0, False), (30.0, 0.01, 0.1, 9.0, False),
        (8.0, 0.0, 0.1, 9.0, False),
    ],
)  # fmt: skip
def test_what_is_high_and_is_never_off_may_be_more_restless(
    over_db, off_share, lowest_db, restless_db, stands
):
    (link,) = find_continuous_background(
        block_of(span_at(), *rows_of(Scene((tx.link("", -50, 2430e6, 20e6),), 1), span_at()))
    ).regions
    restless = replace(
        link, over_db=over_db, off_share=off_share, lowest_db=lowest_db, restless_db=restless_db
    )
    assert _is_steady(restless) == stands


def test_the_last_frequency_of_advertising_shows_where_channels_cover_the_others():
    channels = (tx.wifi("a", 2412e6, 20, -50, 0.6), tx.wifi("b", 2432e6, 20, -52, 0.6))
    span = span_at(sweep_s=0.08)

    def found(made):
        block = block_of(span, *rows_of(Scene((made, *channels), 2), span, rows=900))
        around = surroundings_of(block, find_continuous_background(block))
        return find_advertising(block, find_narrow(block, around), around)[0]

    ((last,),) = found(tx.advertiser("", -62, 0.03))
    assert abs(last.centre_hz - 2480e6) < 0.35e6
    assert found(tx.hopper("", -62, 0.8)) == []
    assert found(tx.low_rate("", 26, -62, 0.05)) == []  # longer bursts on the same place


def test_a_line_is_no_company_of_bursts_and_shows_on_flat_tops():
    span = span_at(step_hz=0.125e6, bins=640)
    low_rate, carrier = tx.low_rate("", 25, -84, 0.05), tx.carrier("", -62, 2469.4e6)
    told = seen((low_rate, carrier), span)
    assert {s.likely[0][0] for s in told} == {"802.15.4", "continuous-carrier"}
    link = tx.link("", -50, 2430e6, 26e6)
    line = tx.narrow_fm("", -66, 2434.4e6, 4e5)  # 4 dB over the link in its bins
    assert [s.likely[0][0] for s in seen((link, line), span, rows=900)] == ["point-to-point", "narrowband-fm"]
