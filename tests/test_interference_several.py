"""Several of a kind at once, and what belongs together: in simulated sweeps of which the truth is known."""

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches import absorption
from gray_kettle.interference.searches.block import block_of
from gray_kettle.interference.searches.bursts import NarrowBursts, surroundings_of
from gray_kettle.interference.searches.continuous import find_continuous_background
from gray_kettle.interference.searches.fixed_frequency import find_places
from gray_kettle.interference.searches.wifi_rejection import are_parts_of_frames
from gray_kettle.model.records import Detection
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Scene
from gray_kettle.spectrum.quantise import to_codes, to_dbm
from tests.sweeps import rows_of, seen, span_at

HEADSET = tx.hopper("headset", -50, 0.35)
MANY_HZ = 2.402e9, 1.4e6, 56  # first place, raster, places
TWO = {  # what is on the air, bins: told by rasters, by meetings and levels, by meetings alone, by levels alone
    "two rasters": ((HEADSET, tx.hopper("", -51, 0.4, "frequency-hopper", 3e-3, 0.9, *MANY_HZ)), 0.25e6),
    "two levels in wide bins": ((HEADSET, tx.hopper("", -55, 0.5)), 0.5e6),
    "one level": ((HEADSET, tx.hopper("", -50, 0.35)), 0.5e6),
    "two who advertise": ((tx.advertiser("", -50, 0.03), tx.advertiser("", -72, 0.03)), 0.25e6),
}


@pytest.mark.parametrize("name", TWO)
def test_two_of_much_the_same_kind_are_two(name):
    made, step_hz = TWO[name]
    found = seen(made, span_at(step_hz=step_hz, bins=int(85e6 / step_hz)), rows=900)
    assert sorted(s.kind for s in found) == sorted(m.kind for m in made)
    assert [s.level_dbm for s in found] == pytest.approx(
        sorted((m.level_dbm for m in made), reverse=True), abs=3
    )
    if made[0] is HEADSET:
        shares = {-50: 0.35 * 0.6, -51: 0.4 * 0.9, -55: 0.5 * 0.6}
        assert sorted(s.duty for s in found) == pytest.approx(
            sorted(shares[m.level_dbm] for m in made), abs=0.05
        )


def test_a_frequency_far_below_a_headset_is_not_one_of_its_hops():
    made = (tx.hopper("", -44, 0.6), tx.low_rate("", 15, -62, 0.015))
    assert {s.kind for s in seen(made, rows=1200)} == {"bluetooth", "802.15.4"}


def test_a_frequency_of_advertising_is_reported_once():
    # Of its third place wide bins and a sweep meet what looks like the last channel of 802.15.4.
    span = span_at(step_hz=1e6, bins=85, sweep_s=0.03)
    found = seen((tx.advertiser("", -42, 0.03),), span, rows=2000, rate=25.0)
    assert [s.kind for s in found] == ["ble-advertising"]


def at(low_mhz, high_mhz, level_dbm, duty):
    channels = tuple(("2.4", n, duty) for n in range(1, 14) if abs(2407 + 5 * n - low_mhz) < 10)
    return Detection(
        (("unknown", 1.0),),
        low_mhz * 1e6,
        high_mhz * 1e6,
        1e6,
        level_dbm,
        duty,
        5.0,
        9.0,
        20,
        channels,
        ("seen",),
    )


def test_unknown_frequencies_that_lie_together_are_one():
    some = [at(2416, 2417, -60, 0.1), at(2410, 2411, -70, 0.2), at(2450, 2451, -50, 0.3)]
    one, other = absorption.put_together(some)
    assert (one.low_hz, one.high_hz, one.level_dbm, one.rows) == (2410e6, 2417e6, -60, 40)
    assert one.duty == pytest.approx(0.3)
    assert {number: share for _, number, share in one.channels}[1] == pytest.approx(0.3)  # of both
    assert "2 frequencies" in one.evidence[0]
    assert other == some[2]


@pytest.mark.parametrize("usual_hz", [2e6, 3e6, 8e6])
@pytest.mark.parametrize("cell_hz", [0.25e6, 1e6])
def test_frames_explain_their_own_parts_and_no_hops(usual_hz, cell_hz):
    rng = np.random.default_rng(4)
    frames = np.ceil(rng.exponential(usual_hz, 3000) / cell_hz) * cell_hz
    narrow = int((frames < 2e6).sum() / 4)  # so many of them stand clear
    assert are_parts_of_frames(cell_hz, narrow, frames)
    hops = np.full(2 * len(frames), max(cell_hz, 1e6))
    assert not are_parts_of_frames(cell_hz, narrow + len(hops), np.concatenate([frames, hops]))


def test_a_picture_that_ends_where_channels_do_is_one_in_rows_of_the_highest():
    (found,) = seen((tx.camera("", -55, 2.467e9, width_hz=8e6),), span_at(detector="max"), rows=700)
    assert found.kind == "analogue-video"


def test_a_hopper_of_a_part_of_the_band_shows_in_wide_cells():
    made = tx.hopper("", -40, 0.7, "frequency-hopper", 6e-3, 0.9, 2.405e9, 1.6e6, 19)
    (found,) = seen((made,), span_at(step_hz=1e6, bins=85, sweep_s=0.04), rows=1500, rate=15.3)
    assert found.kind == "frequency-hopper"
    assert (found.low_hz, found.high_hz) == pytest.approx((2404.3e6, 2434.5e6), abs=2.5e6)


def test_a_hopper_of_too_few_frequencies_for_a_headset_is_one():
    made = tx.hopper("", -60, 0.7, "frequency-hopper", 4e-3, 0.9, 2.432e9, 1e6, 11)
    (few,) = seen((made,), rows=700)
    assert few.kind == "frequency-hopper"


def test_a_spacing_beyond_doubt_shows_a_hopper_though_levels_spread():
    # The mean of decibels takes tens of them off what fills little of a row.
    made = tx.hopper("", -45, 0.9, "frequency-hopper", 4e-2, 0.95, 2.41e9, 2e6, 30)
    times, codes = rows_of(Scene((made,), 1), span_at(), rows=9600, rate=240.0)
    mean_db = to_dbm(codes).reshape(600, 16, -1).mean(axis=1).astype(np.float32)
    (told,) = detect(span_at(detector="mean"), times[::16], to_codes(mean_db))
    assert told.kind == "frequency-hopper"


def test_bursts_of_two_levels_on_one_frequency_stop_nothing():
    """As many of each, so that none has the level in the middle."""
    span = span_at()
    block = block_of(span, *rows_of(Scene((), 1), span))
    around = surroundings_of(block, find_continuous_background(block))
    row = np.arange(60)
    levels = np.where(row % 2, -40.0, -80.0)
    two = NarrowBursts(row, block.time_s[row], np.full(60, 2.41e9), levels, np.full(60, 1e6))
    _, left = find_places(block, two, around)
    assert len(left) == 0  # each level was examined by itself
