"""What channels make of themselves is told as nothing else: in simulated sweeps, and piece by piece."""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches import (
    advertising,
    bursts,
    evenness,
    fixed_frequency,
    groups,
    kinds,
    wifi_rejection,
)
from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.searches.block import block_of
from gray_kettle.interference.searches.clear_parts import clear_parts
from gray_kettle.interference.searches.comb import Comb
from gray_kettle.interference.searches.continuous import find_continuous_background
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency
from gray_kettle.interference.searches.hops import find_hops
from gray_kettle.interference.searches.mains import MainsSynced
from gray_kettle.interference.searches.saturated_channels import but_channels
from gray_kettle.interference.searches.search import _is_cut_off
from gray_kettle.interference.searches.visibility import keep_time_with_beacons, visible_rows_at
from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.noise_floor import low_and_spread
from gray_kettle.spectrum.quantise import to_codes
from tests.sweeps import START_S, WIFI, rows_of, seen, span_at

NOTHING_HZ = np.zeros(0)


def bursts_at(freq_hz, level_dbm=-60.0, width_hz=1e6):
    """Bursts at fixed_frequency, one in each row."""
    freq_hz = np.asarray(freq_hz, float)
    row = np.arange(len(freq_hz))
    return bursts.NarrowBursts(
        row, START_S + row / 10, freq_hz, np.broadcast_to(level_dbm, freq_hz.shape).astype(float),
        np.full(len(freq_hz), width_hz),
    )  # fmt: skip


def quiet(rows=900, **facts):
    """A block in which there is nothing but noise, and what surrounds its bursts."""
    rng = np.random.default_rng(8)
    span = span_at(sweep_s=0.04, **facts)
    power = -110 + 10 * np.log10(rng.exponential(size=(rows, span.bins)))
    block = block_of(span, START_S + np.arange(rows) / 10, to_codes(power))
    return block, bursts.surroundings_of(block, find_continuous_background(block))


@pytest.mark.parametrize("spread", ["even", "edges"])
def test_frequencies_of_a_wide_spacing_must_be_used_equally(spread):
    rng = np.random.default_rng(2)
    numbers = np.full(12, 20) if spread == "even" else np.array([60, 70, 5, 0, 2, 45, 0, 0, 3, 55, 0, 0])
    place_hz = 2.406e9 + 3.2e6 * np.repeat(np.arange(12), numbers)
    some = bursts_at(place_hz + rng.normal(0, 1e5, len(place_hz)))
    anywhere = bursts_at(place_hz + rng.uniform(-1.6e6, 1.6e6, len(place_hz)))
    comb = Comb(3.2e6, 6e6 % 3.2e6, 2.405e9, 2.4425e9, 60.0)
    assert evenness.are_used_alike(*quiet(), some, comb) == (spread == "even")
    assert evenness.is_even(*quiet(), anywhere, (2.405e9, 2.443e9)) == (spread == "even")


@pytest.mark.parametrize("between", [0, 30])
def test_a_weaker_heap_is_another_hopper_and_all_levels_are_its_feet(between):
    rng = np.random.default_rng(5)
    level = np.concatenate(
        [rng.normal(-45, 1.5, 400), rng.normal(-68, 1.5, 300), rng.uniform(-66, -47, 20 * between)]
    )
    some = bursts_at(rng.uniform(2402e6, 2480e6, len(level)), level)
    strong, weak = np.abs(level + 45) < 5, np.abs(level + 68) < 5
    assert groups._is_heap(some, weak, strong) == (between == 0)
    assert not groups._is_heap(some, strong, strong)


@pytest.mark.parametrize(
    ("off_hz", "number", "is_one"), [(0.05e6, 12, True), (0.3e6, 5, True), (0.45e6, 180, False)]
)
def test_the_middle_of_many_bursts_is_known_well(off_hz, number, is_one):
    centre_hz = 2.42e9 - off_hz
    rng = np.random.default_rng(3)
    some = bursts_at(centre_hz + rng.normal(0, 3e5, number), width_hz=2e6)
    place = FixedFrequency(some, centre_hz, 3e5, 2e6, -60.0, 1.0, 0.03, 9.0)
    shares = dict(kinds.of_fixed(place, 0.25e6, True, False))
    assert (shares["802.15.4"] > 0.65) == is_one
    # Edges of channels are spread farther than what has a place.
    spread = dict(kinds.of_fixed(replace(place, spread_hz=0.85e6), 0.25e6, True, False))
    assert spread["802.15.4"] < shares["802.15.4"]


@pytest.mark.parametrize("lines", [2, 5])
def test_lines_beside_one_another_are_each_one(lines):
    span = span_at()
    made = tuple(tx.narrow_fm(f"{k}", -60, 2.42e9 + 2.1e6 * k) for k in range(lines))
    found = seen(made, span, rows=600)
    assert len(found) == lines


@pytest.mark.parametrize("steadiness", [1.0, 3.0])
def test_what_wavers_on_what_wavers_is_channels_in_rows_of_the_highest(steadiness):
    block, _ = quiet(rows=100)
    (one,) = find_continuous_background(_with_noise()).regions
    both = (replace(one, steadiness=steadiness), replace(one, low_hz=one.low_hz + 4e6, steadiness=steadiness))
    held = replace(block, span=Span(2.4e9, 0.25e6, 340, detector="max"))
    assert len(but_channels(held, both)) == (2 if steadiness < 1.45 else 0)
    assert len(but_channels(held, (both[0],))) == 1
    assert len(but_channels(replace(block, span=span_at()), both)) == 2  # single frames show pauses


def _with_noise():
    rng = np.random.default_rng(1)
    power = -110 + 10 * np.log10(rng.exponential(size=(300, 340)))
    power[:, 100:220] += 30
    return block_of(span_at(), START_S + np.arange(300) / 10, to_codes(power))


@pytest.mark.parametrize("steadiness", [1.0, 1.4])
def test_a_hump_of_a_spread_code_that_wavers_is_a_channel(steadiness):
    (one,) = find_continuous_background(_with_noise()).regions
    hump = replace(
        one,
        low_hz=2.454e9,
        high_hz=2.47e9,
        centre_hz=2.462e9,
        width3_hz=1e7,
        width10_hz=1.6e7,
        steadiness=steadiness,
    )
    best = kinds.of_continuous(hump, 1e6, False)[0][0]
    assert best == ("analogue-video" if steadiness < 1.3 else kinds.WIFI)


@pytest.mark.parametrize(
    ("low_mhz", "high_mhz", "may_be"), [(2403.4, 2436.9, False), (2444.6, 2479.7, True), (2453, 2471, True)]
)
def test_a_range_with_its_middle_beside_those_of_channels_is_none(low_mhz, high_mhz, may_be):
    block, _ = quiet(rows=100)
    assert wifi_rejection._is_channels(block, low_mhz * 1e6, high_mhz * 1e6) == may_be


@pytest.mark.parametrize(("mhz", "is_cut"), [(2401, True), (2418.6, True), (2430, False), (2484, True)])
def test_what_lies_at_an_end_or_a_seam_may_go_on_beyond(mhz, is_cut):
    block = replace(quiet(rows=100)[0], span=span_at(pieces=(0, 80)))
    assert _is_cut_off(block, mhz * 1e6) == is_cut


def test_the_ends_of_a_span_above_the_low_band_tell_nothing():
    # A channel of which the span holds the last megahertz looks narrow there, in bins as wide as that, too.
    span = span_at(low_hz=5645e6, step_hz=1e6, bins=255)
    channel = tx.wifi("", 5610e6, 80, -45, 0.3)
    assert not seen((channel,), span, rows=1500)


def test_a_hopper_above_the_low_band_must_show_a_spacing():
    rng = np.random.default_rng(9)
    span = span_at(low_hz=5650e6, step_hz=0.3125e6, bins=800)
    power = -110 + 10 * np.log10(rng.exponential(size=(400, 800)))
    for row in range(0, 400, 10):
        at = int(rng.integers(20, 780))
        power[row, at - 1 : at + 2] = -60
    block = block_of(span, START_S + np.arange(400) / 10, to_codes(power))
    around = bursts.surroundings_of(block, find_continuous_background(block))
    narrow = bursts.find_narrow(block, around)
    assert len(narrow) > 30
    assert not find_hops(block, narrow, around)


def test_busy_bins_do_not_widen_the_spread_of_noise():
    rng = np.random.default_rng(6)
    power = -110 + 10 * np.log10(rng.exponential(size=(500, 200)))
    calm = low_and_spread(to_codes(power))[1]
    power[:, :120] = np.where(rng.random((500, 1)) < 0.85, -60, power[:, :120])  # hardly ever free
    power[:, 120:185] += 60  # and what never pauses
    _, spread_db = low_and_spread(to_codes(power))
    assert spread_db == pytest.approx(calm, abs=0.8)


def channel_at(mhz, level_dbm, number, spread_hz=0.2e6, share=0.01, level_spread_db=1.0):
    its = bursts_at(np.full(number, mhz * 1e6), level_dbm)
    return FixedFrequency(its, mhz * 1e6, spread_hz, 1e6, level_dbm, level_spread_db, share, 9.0)


ADVERTISERS = {  # what a tuned sweep meets on two places: levels, numbers, spread, share of the time
    "one who advertises": ((-70, -71), (20, 22), 0.6e6, 0.02, True),
    "two levels": ((-70, -82), (20, 22), 0.3e6, 0.02, False),
    "too often": ((-70, -71), (20, 22), 0.3e6, 0.25, False),
    "few and anywhere": ((-70, -71), (4, 6), 0.85e6, 0.01, False),
}


@pytest.mark.parametrize("name", ADVERTISERS)
def test_advertising_has_one_level_and_comes_seldom(name):
    level, number, spread_hz, share, may_be = ADVERTISERS[name]
    block, _ = quiet(rows=100)
    found = [
        channel_at(2402, level[0], number[0], spread_hz, share),
        channel_at(2480, level[1], number[1], spread_hz, share),
    ]
    assert advertising._may_be_one(block, found) == may_be


ONE_THAT_HOPS = {  # places in MHz, their levels, before a tuned instrument, whether they are hops
    "four of one level": ((2410, 2417, 2424, 2431), (-60, -61, -59, -60), False, True),
    "side by side in wide bins": ((2421.5, 2422.5, 2423.5, 2425.5, 2427.5), (-62, -79, -68, -79, -61), False, True),
    "three of 802.15.4 that are one": ((2445, 2460, 2475), (-68, -68.4, -67.8), True, True),
    "three of 802.15.4": ((2445, 2460, 2475), (-68, -75, -60), True, False),
    "one of 802.15.4 and edges of channels": ((2460, 2402.2, 2471.9, 2452.1), (-60, -84, -84.7, -84.5), True, False),
}  # fmt: skip


FEW = {  # bursts in MHz, and whether they are advertising's
    "one, two and one": ([2402.1, 2425.9, 2426.1, 2479.8], True),
    "two places": ([2402.1, 2401.9, 2402.0, 2479.8], True),
    "one elsewhere": ([2402.1, 2401.9, 2426.1, 2479.8, 2440.0], True),
    "three": ([2402.1, 2426.0, 2480.0], False),
    "one place": ([2402.1, 2401.9, 2402.0, 2402.1], False),
    "many elsewhere": ([2402.1, 2401.9, 2426.1, 2479.8, *range(2404, 2424, 2)], False),
    "beside them": ([2402.7, 2401.2, 2426.7, 2480.7], False),
}


@pytest.mark.parametrize("name", FEW)
def test_few_bursts_right_on_its_frequencies_and_hardly_elsewhere_are_advertising(name):
    at_mhz, is_one = FEW[name]
    assert advertising._are_just_there(np.array(at_mhz) * 1e6, 0.85e6, 80e6) == is_one
    # Where little else is seen, chance puts them there more often.
    assert not advertising._are_just_there(np.array(at_mhz[:4]) * 1e6, 0.85e6, 20e6)


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("places", [ADVERTISING_HZ, (2.405e9, 2.425e9, 2.48e9)])
def test_few_bursts_of_advertising_are_reported_and_those_of_other_frequencies_are_not(places, seed):
    rng = np.random.default_rng(seed)
    at_s = np.sort(rng.choice(np.arange(20, 380), 4, replace=False)) / 5.3
    levels = -110 + 10 * np.log10(rng.exponential(size=(400, 420)))
    made = Scene(WIFI, seed)
    span = span_at(2399.9e6, 0.2e6, 420)
    times, codes = rows_of(made, span, rows=400, rate=5.3)
    for k, moment in enumerate(at_s):
        row = int(moment * 5.3)
        shape = np.exp(-(((span.start_hz + 0.2e6 * np.arange(420) - places[k % 3]) / 0.8e6) ** 2))
        codes[row] = to_codes(
            10 * np.log10(10 ** (levels[row] / 10) + 1e-7 * shape * rng.exponential(size=420))
        )
    found = detect(span, times, codes)
    assert [s.kind for s in found if s.kind == "ble-advertising"] == ["ble-advertising"] * (
        places == ADVERTISING_HZ
    )


@pytest.mark.parametrize("name", ONE_THAT_HOPS)
def test_frequencies_that_are_equally_are_one_that_hops(name):
    place_mhz, level, in_parts, are_hops = ONE_THAT_HOPS[name]
    found = [channel_at(mhz, dbm, 30) for mhz, dbm in zip(place_mhz, level, strict=True)]
    assert fixed_frequency._are_hops(found, in_parts) == are_hops


@pytest.mark.parametrize(("networks", "keep_time"), [(1, True), (3, True), (0, False)])
def test_beacons_of_some_networks_keep_time(networks, keep_time):
    rng = np.random.default_rng(4)
    moments_s = rng.uniform(0, 300, 400)
    if networks:
        phase_s = rng.choice(np.linspace(0.01, 0.09, networks), 400)
        moments_s = np.floor(moments_s / 0.1024) * 0.1024 + phase_s + rng.normal(0, 4e-4, 400)
    some = replace(bursts_at(rng.uniform(2402e6, 2480e6, 400)), when_s=START_S + moments_s)
    assert keep_time_with_beacons(some) == keep_time


def test_a_frequency_right_on_a_sure_spacing_is_a_hop_however_often_it_is_observed():
    made = tx.hopper("", -50, 0.7, "frequency-hopper", 3e-3, 0.9, 2.41e9, 2e6, 20)
    block = block_of(span_at(), *rows_of(Scene((made,), 1), span_at(), rows=900))
    around = bursts.surroundings_of(block, find_continuous_background(block))
    (hops,) = find_hops(block, bursts.find_narrow(block, around), around)
    often = 12 * len(hops.bursts) // 20
    assert hops.takes(2.43e9, hops.level_dbm, often)
    beside = hops.beside(block, around, 2.43e9)  # which are as free here
    assert not hops.takes(2.43e9, hops.level_dbm, often, beside)
    assert not hops.takes(2.4304e9, hops.level_dbm, often)
    assert not hops.takes(2.43e9, hops.level_dbm - 9, often)


@pytest.mark.parametrize(("row_s", "mains_hz"), [(0.04975, 60.008), (0.0665, 60.008), (0.07519, 59.97)])
def test_an_oven_shows_in_rows_at_nearly_even_distances(row_s, mains_hz):
    # 60 Hz goes on by nearly whole turns, or halves, from one row to the next: its mirror lies as close on the other
    # side.
    rng = np.random.default_rng(5)
    times = START_S + row_s * np.arange(900) + rng.uniform(0, 8e-4, 900)
    span = span_at()
    made = Scene((tx.oven("", -45, mains_hz=mains_hz), *WIFI), 2).rows(Instrument(span), times)
    found = detect(span, times, np.concatenate([to_codes(r.levels_dbm) for r in made]))
    assert [s.kind for s in found] == ["microwave-oven"]


@pytest.mark.parametrize("in_step", [0.05, 0.4])
def test_a_channel_in_rows_that_see_little_of_the_wave_is_no_oven(in_step):
    met = MainsSynced(
        100.09, 80.0, 900, 2.4629e9, 2.481e9, -50.0, 0.5, 0.5, NOTHING_HZ, np.zeros((0, 0), bool), np.zeros(0, int),
        (2.4629e9, 2.481e9), 0.5, in_step,
    )  # fmt: skip
    assert (kinds.of_locked(met)[0][0] == "microwave-oven") == (in_step < 0.2)


BETWEEN = {  # ranges of bursts in MHz with how many lie there, and whether a hopper is told
    "all of the band, and more on a channel": ([(2402, 2480, 320), (2428, 2446, 150)], True),
    "no farther than channels": ([(2402, 2473, 320), (2428, 2446, 150)], False),
    "beyond the last channel, too": ([(2402, 2490, 360), (2428, 2446, 150)], False),
    "now many and now few": ([(2402, 2480, 160), (2428, 2446, 150), (2450, 2470, 160)], False),
    "few": ([(2402, 2480, 45), (2428, 2446, 150)], False),
}


@pytest.mark.parametrize("name", BETWEEN)
def test_hops_are_reported_where_nothing_wide_is_observed(name):
    ranges, is_one = BETWEEN[name]
    span = span_at(2395e6, bins=390, sweep_s=0.03)
    made = Scene((tx.wifi("six", 2437e6, 20, -58, 0.5),), 2)
    block = block_of(span, *rows_of(made, span, rows=700))
    around = bursts.surroundings_of(block, find_continuous_background(block))
    level_dbm = -58 - 10 * np.log10(18)  # of what a hop is as wide as
    freq_hz = np.concatenate([np.linspace(a, b, n) * 1e6 for a, b, n in ranges])
    seen_share = visible_rows_at(block, around, freq_hz, level_dbm, bursts_at([])) / block.rows
    is_met = np.random.default_rng(1).uniform(size=len(freq_hz)) < seen_share
    is_met[ranges[0][2] :] = True  # parts of frames
    some = bursts_at(freq_hz[is_met], level_dbm)
    told = clear_parts(block, around, some, level_dbm)
    assert (told is not None) == is_one
    if told is not None:
        middle_hz = (told.edges_hz[:-1] + told.edges_hz[1:]) / 2
        covered = np.abs(middle_hz - 2437e6) < 8e6
        assert not told.is_clear[covered].any()
        assert told.is_clear[np.abs(middle_hz - 2437e6) > 12e6].mean() > 0.8
        its = some.freq_hz[told.picked(some, np.ones(len(some), bool), level_dbm)]
        assert (np.abs(its - 2437e6) < 8e6).sum() < 0.3 * (np.abs(some.freq_hz - 2437e6) < 8e6).sum()
