"""What lies beside, beneath and on top of one another: bursts beside lines, hoppers that channels hide in part, links
beneath channels. In simulated sweeps of which the truth is known.
"""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.interference.searches import mains, search
from gray_kettle.interference.searches.block import block_of
from gray_kettle.interference.searches.bursts import NarrowBursts, find_narrow, surroundings_of
from gray_kettle.interference.searches.continuous import find_continuous_background
from gray_kettle.interference.searches.even_bursts import Visible, even_stretch
from gray_kettle.interference.searches.evenness import is_even
from gray_kettle.interference.searches.mains import Swing
from gray_kettle.interference.searches.spectral_decomposition import Part, taken_apart
from gray_kettle.simulator.spectra import shapes
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Scene
from tests.sweeps import rows_of, seen, span_at, with_clients


@pytest.mark.parametrize("width_hz", [12e3, 150e3, 0.6e6, 1.4e6])
@pytest.mark.parametrize("step_hz", [50e3, 250e3, 1e6])
def test_bins_take_up_all_of_what_is_sent_however_narrow_it_is(width_hz, step_hz):
    for first in np.linspace(0, 1, 7):
        bins_hz = (first + np.arange(-80, 81)) * step_hz
        assert shapes.bell(width_hz).within(bins_hz, step_hz).sum() == pytest.approx(1.0, abs=2e-3)


@pytest.mark.parametrize("sweep_s", [0.0, 0.08])
def test_bursts_beside_a_line_are_found_as_others_are(sweep_s):
    made = (tx.hopper("", -60, 0.9), tx.narrow_fm("", -45, 2441.1e6, 60e3))
    span = span_at(sweep_s=sweep_s)
    block = block_of(span, *rows_of(Scene(made, 4), span, rows=1500))
    found = find_narrow(block, surroundings_of(block, find_continuous_background(block)))
    its = found.freq_hz[np.abs(found.level_dbm + 60) < 6]
    away = np.abs(its[:, None] - (2441.1e6 + np.array([0, -25e6, -15e6, 15e6, 25e6])))
    beside, *elsewhere = ((away < 2.2e6) & (away > 0.8e6)).sum(axis=0)
    assert beside == pytest.approx(np.mean(elsewhere), rel=0.35)


@pytest.mark.parametrize("is_there", [True, False])
def test_a_link_shows_beneath_channels_that_are_hardly_ever_free(is_there):
    channels = tuple(tx.wifi(f"{k}", 2437e6, 20, -48 - 6 * k, 0.5) for k in range(3))
    link = (tx.link("", -74, 2434.7e6, 12e6),) if is_there else ()
    found = seen((*channels, *link), span_at(2400e6, 0.25e6, 330), rows=1800)
    assert [s.kind for s in found] == ["point-to-point"] * is_there
    assert all(s.low_hz == pytest.approx(2428.7e6, abs=1.5e6) for s in found)


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("is_there", [True, False])
@pytest.mark.parametrize(
    ("sweep_s", "level_dbm", "how"), [(0.028, -72, {"rows": 1500, "rate": 26.0}), (0.0, -66, {"rows": 250})]
)
@pytest.mark.slow
def test_a_picture_shows_to_a_sweep_and_in_few_rows_beneath_busy_channels(
    sweep_s, level_dbm, how, is_there, seed
):
    channels = tuple(with_clients(tx.wifi(f"{k}", 2462e6, 20, -45 - 8 * k, 0.45)) for k in range(3))
    picture = (tx.camera("", level_dbm, 2461.8e6, 1.0, 11e6),) if is_there else ()
    found = seen((*channels, *picture), span_at(2400e6, 0.25e6, 340, sweep_s=sweep_s), seed, **how)
    assert [s.kind for s in found] == ["analogue-video"] * is_there


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize(("line_mhz", "kinds"), [(2439.4, ["802.15.4"]), (2440.0, [])])
def test_a_line_is_not_the_frequency_beside_it(line_mhz, kinds, seed):
    made = tx.low_rate("", 18, -56, 0.05), tx.carrier("", -58, line_mhz * 1e6)
    found = seen(made, span_at(step_hz=0.2e6, bins=420), seed, rows=600)
    assert [s.kind for s in found if s.kind != "continuous-carrier"] == kinds


@pytest.mark.parametrize(("width_hz", "widths_hz"), [(2.9e6, [26.5e6, 2.9e6]), (1.5e6, [26.5e6])])
def test_beside_a_link_is_what_is_as_wide_as_a_picture(width_hz, widths_hz):
    freq_hz = 2400e6 + 0.11e6 * np.arange(770)
    made = (Part(-79, 2432.6e6, 26.5e6, 12.0), Part(-98, 2453.5e6, width_hz, 2.0))
    power = sum(part.power(freq_hz) for part in made)
    found = taken_apart(freq_hz, power, np.full(len(freq_hz), 10**-11.3))
    assert [part.width_hz for part in found] == pytest.approx(widths_hz, rel=0.05)


def test_what_the_mains_tell_of_a_part_of_the_band_is_asked_too(monkeypatch):
    swings = {
        low_hz: Swing(None, 20.0, 9, slice(0), np.array([low_hz]), None, None) for low_hz in mains._LOW_HZ
    }
    monkeypatch.setattr(mains, "_swing_in", lambda _, __, low_hz: swings[low_hz])
    monkeypatch.setattr(mains, "_locked", lambda _, __, swing: swing.top)
    span = span_at()
    block = block_of(span, *rows_of(Scene((), 1), span, rows=60))
    assert list(mains.find_locked(block, None)) == sorted(mains._LOW_HZ, reverse=True)


@pytest.mark.parametrize("step_hz", [0.25e6, 0.75e6])
def test_a_line_in_the_middle_of_noise_is_one_in_wide_bins_too(step_hz):
    made = tx.noise("", -50, 5680e6, 32e6), tx.narrow_fm("", -58, 5680.2e6, 1e5)
    found = seen(made, span_at(5600e6, step_hz, int(150e6 / step_hz)), rows=900)
    assert [s.kind for s in found] == ["broadband-noise", "narrowband-fm"]


@pytest.mark.parametrize(("off_hz", "kind"), [(0.9e6, "point-to-point"), (0.0, None)])
def test_a_flat_top_beside_the_middle_of_a_channel_is_none(off_hz, kind):
    made = (tx.link("", -50, 2437e6 + off_hz, 18.4e6),)
    found = seen(made, span_at(2400e6, 75e3, 1100, sweep_s=0.08, detector="max"), rows=250, hold_s=7e-5)
    assert [s.kind for s in found] == ([kind] if kind else [])


@pytest.mark.parametrize(
    ("time_share", "over_db", "kinds"), [(0.06, 1.5, ["802.15.4"]), (0.9, 1.5, []), (0.06, 15.0, [])]
)
def test_what_is_for_a_moment_does_not_are_for_the_bursts_of_its_frequency(
    monkeypatch, time_share, over_db, kinds
):
    def and_a_line(block):
        ground = find_continuous_background(block)
        (line,) = find_continuous_background(
            block_of(span_at(), *rows_of(Scene((tx.carrier("", -90, 2440e6),), 1), span_at()))
        ).regions
        return replace(ground, regions=(replace(line, time_share=time_share, over_db=over_db),))

    monkeypatch.setattr(search, "find_continuous_background", and_a_line)
    span = span_at()
    found, _ = search.found_in_moments(
        span, *rows_of(Scene((tx.low_rate("", 18, -60, 0.04),), 3), span, rows=900), None
    )
    assert [s.kind for s in found if s.kind != "continuous-carrier"] == kinds


EDGES_HZ = np.arange(2402e6, 2482.1e6, 2e6)


@pytest.mark.parametrize(
    ("hidden_mhz", "most_hidden_hz", "ends_mhz"),
    [
        ((2440, 2460), np.inf, (2402, 2482)),  # neither there nor not
        ((2440, 2460), 7e6, (2402, 2440)),
        ((2440, 2446), 7e6, (2402, 2482)),
        ((2410, 2482), np.inf, None),  # too little is seen
    ],
)
def test_a_range_goes_on_beneath_what_hides_it(hidden_mhz, most_hidden_hz, ends_mhz):
    middle = (EDGES_HZ[:-1] + EDGES_HZ[1:]) / 2
    is_hidden = (middle > hidden_mhz[0] * 1e6) & (middle < hidden_mhz[1] * 1e6)
    freq_hz = np.repeat(middle[~is_hidden], 6)
    visible = Visible(middle, np.where(is_hidden, 0.0, 0.9), most_hidden_hz)
    found = even_stretch(freq_hz, visible, EDGES_HZ[0], EDGES_HZ[-1])
    assert (found and (found.low_hz / 1e6, found.high_hz / 1e6)) == ends_mhz


@pytest.mark.parametrize(("fuller_mhz", "is_hopper"), [(18, True), (50, False)])
def test_a_hopper_may_come_more_often_where_a_channel_lies_on_it(fuller_mhz, is_hopper):
    span = span_at(sweep_s=0.08)
    block = block_of(span, *rows_of(Scene((), 4), span, rows=400))
    number = np.where(EDGES_HZ[:-1] < 2402e6 + fuller_mhz * 1e6, 40, 5)
    freq_hz = np.repeat((EDGES_HZ[:-1] + EDGES_HZ[1:]) / 2, number)
    row = np.random.default_rng(5).integers(0, block.rows, len(freq_hz))
    level = np.full(len(freq_hz), -50.0)
    bursts = NarrowBursts(row, block.time_s[row], freq_hz, level, np.full(len(freq_hz), 1e6))
    around = surroundings_of(block, find_continuous_background(block))
    assert is_even(block, around, bursts, (EDGES_HZ[0], EDGES_HZ[-1])) == is_hopper


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_hopper_of_a_part_of_the_band_has_its_own_level_and_not_that_of_what_was_observed_in_part(seed):
    headset = tx.hopper("", -62, 0.6, left_out=((2401e6, 2431.5e6),))
    channel = tx.wifi("one", 2412e6, 20, -50, 0.5)
    span = span_at(2395e6, 1e6, 95, sweep_s=0.032)
    (found,) = seen((headset, channel), span, seed=seed, rows=2000, rate=24)
    assert found.level_dbm == pytest.approx(-62, abs=2)
