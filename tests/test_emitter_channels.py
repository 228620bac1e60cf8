"""What channels make of themselves is told as nothing else: in simulated sweeps, and piece by piece."""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.emitters import alike, bursts, groups, kinds
from gray_kettle.emitters.block import block_of
from gray_kettle.emitters.busy import but_channels
from gray_kettle.emitters.comb import Comb
from gray_kettle.emitters.hops import find_hops
from gray_kettle.emitters.places import Fixed
from gray_kettle.emitters.standing import find_standing
from gray_kettle.records import Span
from gray_kettle.spectrum.floor import low_and_spread
from gray_kettle.spectrum.halves import to_codes
from gray_kettle.standin.spectra import transmitters as tx
from tests.sweeps import START_S, seen, span_at

NOTHING_HZ = np.zeros(0)


def bursts_at(freq_hz, level_dbm=-60.0, width_hz=1e6):
    """Bursts at places, one in each row."""
    freq_hz = np.asarray(freq_hz, float)
    row = np.arange(len(freq_hz))
    return bursts.Narrow(
        row, START_S + row / 10, freq_hz, np.broadcast_to(level_dbm, freq_hz.shape).astype(float),
        np.full(len(freq_hz), width_hz),
    )  # fmt: skip


def quiet(rows=900, **facts):
    """A block in which there is nothing but noise, and what surrounds its bursts."""
    rng = np.random.default_rng(8)
    span = span_at(sweep_s=0.04, **facts)
    power = -110 + 10 * np.log10(rng.exponential(size=(rows, span.bins)))
    block = block_of(span, START_S + np.arange(rows) / 10, to_codes(power))
    return block, bursts.surroundings_of(block, find_standing(block))


@pytest.mark.parametrize("spread", ["even", "edges"])
def test_places_of_a_wide_raster_must_be_used_alike(spread):
    rng = np.random.default_rng(2)
    numbers = np.full(12, 20) if spread == "even" else np.array([60, 70, 5, 0, 2, 45, 0, 0, 3, 55, 0, 0])
    place_hz = 2.406e9 + 3.2e6 * np.repeat(np.arange(12), numbers)
    some = bursts_at(place_hz + rng.normal(0, 1e5, len(place_hz)))
    anywhere = bursts_at(place_hz + rng.uniform(-1.6e6, 1.6e6, len(place_hz)))
    comb = Comb(3.2e6, 6e6 % 3.2e6, 2.405e9, 2.4425e9, 60.0)
    assert alike.are_used_alike(*quiet(), some, comb) == (spread == "even")
    assert alike.is_even(*quiet(), anywhere, (2.405e9, 2.443e9)) == (spread == "even")


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
    place = Fixed(some, centre_hz, 3e5, 2e6, -60.0, 1.0, 0.03, 9.0)
    shares = dict(kinds.of_fixed(place, 0.25e6, 0.0, True, False))
    assert (shares["802.15.4"] > 0.65) == is_one
    # Edges of channels are spread farther than what has a place.
    spread = dict(kinds.of_fixed(replace(place, spread_hz=0.85e6), 0.25e6, 0.0, True, False))
    assert spread["802.15.4"] < shares["802.15.4"]


@pytest.mark.parametrize("lines", [2, 5])
def test_many_lines_beside_one_another_are_bins_of_a_channel(lines):
    span = span_at()
    made = tuple(tx.narrow_fm(f"{k}", -60, 2.42e9 + 2.1e6 * k) for k in range(lines))
    found = seen(made, span, rows=600)
    assert len(found) == (lines if lines < 4 else 0)


@pytest.mark.parametrize("steadiness", [1.0, 3.0])
def test_what_wavers_on_what_wavers_is_channels_in_rows_of_the_highest(steadiness):
    block, _ = quiet(rows=100)
    (one,) = find_standing(_with_noise()).regions
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


def test_the_ends_of_a_span_above_the_low_band_tell_nothing():
    # A channel of which the span holds the last megahertz looks narrow there, in bins as wide as that, too.
    span = span_at(low_hz=5645e6, step_hz=1e6, bins=255)
    channel = tx.wifi("", 5610e6, 80, -45, 0.3)
    assert not seen((channel,), span, rows=1500)


def test_a_hopper_above_the_low_band_must_show_a_raster():
    rng = np.random.default_rng(9)
    span = span_at(low_hz=5650e6, step_hz=0.3125e6, bins=800)
    power = -110 + 10 * np.log10(rng.exponential(size=(400, 800)))
    for row in range(0, 400, 10):
        at = int(rng.integers(20, 780))
        power[row, at - 1 : at + 2] = -60
    block = block_of(span, START_S + np.arange(400) / 10, to_codes(power))
    around = bursts.surroundings_of(block, find_standing(block))
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
