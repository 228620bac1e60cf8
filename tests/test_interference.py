"""What is not Wi-Fi: found and told in simulated sweeps of which the truth is known."""

import numpy as np
import pytest

from gray_kettle.interference.detect import detect
from gray_kettle.interference.searches.comb import Combing, raster_of
from gray_kettle.interference.searches.kinds import compared, expects
from gray_kettle.simulator.spectra import shapes
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.random_scenes import DEVELOPMENT, by_chance
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import MISSING, to_codes, to_dbm
from tests.sweeps import START_S, WIFI, rows_of, seen, span_at, with_clients

FIVE = (tx.wifi("high", 5570e6, 160, -60, 0.2),)


ONE_OF_EACH = {
    "microwave-oven": tx.oven("", -55, 1.0),
    "bluetooth": tx.hopper("", -60, 0.5),
    "ble-advertising": tx.advertiser("", -60, 0.03),
    "frequency-hopper": tx.hopper(
        "", -60, 0.6, "frequency-hopper", 5e-3, 0.8, 2.4055e9, 1.728e6, 40, width_hz=1.2e6
    ),
    "802.15.4": tx.low_rate("", 15, -60, 0.05),
    "analogue-video": tx.camera("", -55, 2.435e9),
    "narrowband-fm": tx.narrow_fm("", -65, 2.4447e9, 600e3),
    "continuous-carrier": tx.carrier("", -65, 2.4447e9),
    "broadband-noise": tx.noise("", -58, 2.44e9, 24e6),
    "point-to-point": tx.link("", -55, 2.4383e9, 11e6),
}


@pytest.mark.parametrize("kind", ONE_OF_EACH)
def test_each_kind_is_found_among_wifi_and_reported_with_what_speaks_for_it(kind):
    emitter = ONE_OF_EACH[kind]
    (found,) = seen((*WIFI, emitter))
    assert (found.kind, len(found.evidence) >= 2) == (kind, True)
    assert found.confidence > 0.6
    assert sum(share for _, share in found.likely) <= 1 + 1e-6  # the rest: that it is nothing
    truth = Scene((emitter,), 1).truth(span_at(), START_S, START_S + 60)[0]
    assert found.low_hz == pytest.approx(truth.low_hz, abs=7e6)
    assert found.high_hz == pytest.approx(truth.high_hz, abs=7e6)
    assert found.level_dbm == pytest.approx(emitter.level_dbm, abs=6)


@pytest.mark.parametrize("kind", ["microwave-oven", "bluetooth", "analogue-video", "continuous-carrier"])
@pytest.mark.slow
def test_a_tuned_instrument_shows_by_the_moment_of_every_bin(kind):
    span = span_at(sweep_s=0.06)
    (found,) = seen((*WIFI, ONE_OF_EACH[kind]), span, rows=1500, rate=15.3)
    assert found.kind == kind


def test_a_radar_is_reported_by_the_turn_of_its_antenna():
    span = span_at(5480e6, 0.5e6, 400, detector="max")
    radar = tx.radar("", -58, 5604e6, 5.0, 1.0, 2e6)
    (found,) = seen((*FIVE, radar), span, rate=23.0, rows=1500, hold_s=2e-3)
    assert found.kind == "radar"
    assert any("repeats every 5.0 s" in word for word in found.evidence)


def test_duty_of_each_channel_is_that_of_the_truth():
    scene = Scene((*WIFI, ONE_OF_EACH["bluetooth"], tx.camera("", -60, 2.437e9)), 4)
    span = span_at()
    times, codes = rows_of(scene, span, rows=1500)
    found = {s.kind: {(b, n): d for b, n, d in s.channels} for s in detect(span, times, codes)}
    truths = [t for t in scene.truth(span, times[0], times[-1]) if t.kind != "wi-fi"]
    assert {t.kind for t in truths} == set(found) == {"bluetooth", "analogue-video"}
    for truth in truths:
        assert len(truth.channels) > 3
        for band, number, duty in truth.channels:
            share = found[truth.kind].get((band, number), 0.0)
            assert share == pytest.approx(duty, abs=0.04), (truth.kind, number)


SIDE_BY_SIDE = {  # what stands on one place, and where its middle is in MHz
    "a link through the foot of a picture": {
        5778.7: tx.link("", -58, 5.7787e9, 11e6),
        5771.5: tx.camera("", -67, 5.7715e9, width_hz=14e6),
    },
    "a wide link over noise": {
        5728.0: tx.noise("", -55, 5.728e9, 34e6),
        5751.0: tx.link("", -57, 5.751e9, 33e6),
    },
    "two rises of the floor": {
        5720.0: tx.noise("", -58, 5.720e9, 24e6),
        5759.5: tx.noise("", -58, 5.7595e9, 24e6),
    },
    "a line on a link": {
        5738.3: tx.link("", -50, 5.7383e9, 11e6),
        5741.0: tx.narrow_fm("", -52, 5.741e9, 300e3),
    },
    "a picture alone, of two humps": {
        5735.0: tx.camera("", -55, 5.735e9, 1.0, 12e6, shapes.two_bells(8.4e6, 2.4e6, 0.4)),
    },
}


@pytest.mark.parametrize("name", SIDE_BY_SIDE)
def test_what_never_pauses_is_taken_apart_and_nothing_is_made_up(name):
    made, step_hz = SIDE_BY_SIDE[name], 0.5e6
    found = seen(tuple(made.values()), span_at(5650e6, step_hz, 400), rows=900)
    told = sorted((s.kind, (s.low_hz + s.high_hz) / 2e6, s.high_hz - s.low_hz) for s in found)
    expected = sorted((t.kind, middle, np.ptp(t.reach_hz())) for middle, t in made.items())
    assert [t[0] for t in told] == [e[0] for e in expected]
    for (_, centre, width_hz), (_, middle, reach_hz) in zip(told, expected, strict=True):
        assert centre == pytest.approx(middle, abs=2.0)
        assert width_hz == pytest.approx(reach_hz, rel=0.2, abs=2 * step_hz)


def test_side_lobes_of_an_old_access_point_are_no_bursts_of_something_else():
    old = tx.dsss("", 2432e6, -40, 0.55)
    assert seen((old, tx.wifi("", 2462e6, 20, -60, 0.3)), span_at(2395e6, 75e3, 1266), rows=900) == ()


@pytest.mark.slow
def test_a_share_of_time_is_reported_from_all_frequencies_whoever_covers_some():
    """A picture hides a third of the hopper's places; an oven's channels are told by the part of the wave, though the
    mains are known to a hundredth of a hertz at best.
    """
    hopper = tx.hopper("", -62, 0.7, "frequency-hopper", 5e-3, 0.9, 2.4055e9, 1.728e6, 40, width_hz=1.2e6)
    hidden = Scene((hopper, tx.camera("", -45, 2.437e9, width_hz=16e6)), 3)
    oven = Scene((*WIFI, tx.oven("", -50, 1.0, 2.456e9, 50.02, 8e6, 12e6, 0.4)), 3)
    for scene, span in ((hidden, span_at()), (oven, span_at()), (oven, span_at(sweep_s=0.05))):
        times, codes = rows_of(scene, span, rows=1500, rate=15.3)
        (told,) = (s for s in detect(span, times, codes) if s.kind in ("frequency-hopper", "microwave-oven"))
        (truth,) = (t for t in scene.truth(span, times[0], times[-1]) if t.kind == told.kind)
        channels = {(b, n): d for b, n, d in told.channels}
        for band, number, duty in truth.channels:
            assert channels.get((band, number), 0.0) == pytest.approx(duty, abs=0.05), (told.kind, number)


@pytest.mark.parametrize("number", range(8))
@pytest.mark.slow
def test_wifi_alone_gives_no_claim(number):
    """The scenes by chance are crowded: up to twelve transmitters of any level, snapshot and tuned."""
    made = by_chance(5000 + number, DEVELOPMENT, wifi_only=True)
    codes = np.concatenate([to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)])
    assert detect(made.instrument.span, made.time_s, codes) == ()


@pytest.mark.parametrize(
    ("duty", "width_mhz", "facts"),
    [
        (0.9, 20, {"sweep_s": 0.02}),  # parts of a quantile are quiet, others not: lines that are none
        (0.9, 40, {"sweep_s": 0.06}),
        (0.95, 40, {"sweep_s": 0.095}),
        (0.98, 20, {"sweep_s": 0.095, "step_hz": 62.5e3, "bins": 1352}),
        (0.98, 80, {"low_hz": 5150e6, "step_hz": 62.5e3, "bins": 3200}),
        (0.98, 40, {"detector": "mean", "averages": 4}),
        (0.995, 80, {"low_hz": 5150e6, "bins": 800}),
        (0.995, 80, {"low_hz": 5150e6, "bins": 800, "sweep_s": 0.02, "detector": "max"}),
    ],
)
@pytest.mark.slow
def test_a_channel_that_is_hardly_ever_free_is_no_emitter(duty, width_mhz, facts):
    """A download: it pauses for microseconds, which a row sees now and then and an emitter never does."""
    span = span_at(**facts)
    centre_hz = {20: 2437e6, 40: 2422e6, 80: 5210e6}[width_mhz]
    busy = (tx.wifi("", centre_hz, width_mhz, -52, duty), tx.wifi("", centre_hz + 25e6, 20, -66, 0.15))
    hold_s = span.sweep_s / span.bins if span.detector == "max" else 0.0
    spread_s = 2e-4 if span.averages > 1 else 0.0
    assert seen(busy, span, rows=1000, hold_s=hold_s, spread_s=spread_s) == ()


@pytest.mark.parametrize("seed", [1, 3])
def test_peaks_that_one_wide_bin_makes_of_busy_channels_are_no_hops(seed):
    busy = (tx.wifi("", hz, 20, -42 - 3 * k, 0.93) for k, hz in enumerate((2412e6, 2437e6, 2462e6)))
    assert seen(tuple(map(with_clients, busy)), span_at(step_hz=1e6, bins=84), seed=seed, rows=1200) == ()


def test_edges_of_channels_beside_frequencies_of_advertising_are_no_advertising():
    """A quick sweep meets the lower edge of one channel by 2402 MHz and that of another by 2427 MHz."""
    busy = (
        (2437e6, 20, -40, 0.6, 2.5e-3),
        (2412e6, 20, -36, 0.03, 2.5e-3),
        (2452e6, 40, -39, 0.3),
        (2457e6, 20, -61, 0.03),
    )
    span = span_at(2395e6, 250e3, 380, sweep_s=0.0184, detector="max")
    networks = tuple(with_clients(tx.wifi(str(hz), hz, *facts)) for hz, *facts in busy)
    assert seen(networks, span, seed=4, rows=2048, rate=24, hold_s=span.sweep_s / span.bins) == ()


@pytest.mark.parametrize(
    "made", [tx.link("", -60, 2.43e9, 11e6), tx.carrier("", -60, 2.43e9)], ids=lambda t: t.kind
)
@pytest.mark.parametrize("sweep_s", [0.0, 0.06])
def test_rows_that_leave_out_a_interval_do_not_hide_what_is_there(made, sweep_s):
    span = span_at(sweep_s=sweep_s)
    times, codes = rows_of(Scene((made,), 1), span, rows=800)
    codes[np.random.default_rng(1).random(len(codes)) < 0.04, 60:200] = MISSING
    assert [s.kind for s in detect(span, times, codes)] == [made.kind]


CROWDED = (*WIFI, tx.wifi("six", 2437e6, 20, -48, 0.5), tx.wifi("wide", 2422e6, 40, -71, 0.3))


@pytest.mark.parametrize("world", ["wide filter", "rows left out in part", "reflections"])
@pytest.mark.parametrize("seed", [1, 2])
def test_what_instruments_and_walls_do_to_wifi_is_no_emitter(world, seed):
    """Filters wider than a bin make noise waver together, rows may miss a stretch, and reflections make humps."""
    walls = tuple(tx.reflected(t, 0.5, (30 + 12 * k) * 1e-9, 2.0 * k + seed) for k, t in enumerate(CROWDED))
    made = {"wide filter": WIFI, "reflections": walls}.get(world, CROWDED)
    span = span_at(2395e6, 333e3, 285)
    times = START_S + np.arange(1500) / 9.7 + np.random.default_rng(seed).uniform(0, 4e-3, 1500)
    instrument = Instrument(span, filter_bins=2.0 if world == "wide filter" else 1.0)
    codes = np.concatenate([to_codes(r.levels_dbm) for r in Scene(made, seed).rows(instrument, times)])
    if world == "rows left out in part":
        codes[np.random.default_rng(seed).random(1500) < 0.05, 105:160] = MISSING
    assert detect(span, times, codes) == ()


IN_PASSING = {  # what a tuned instrument tells among channels: (emitter, channels, span, kind, its low and high end)
    "a raster through what two loud channels cut": (
        tx.hopper("", -56, 0.55, "frequency-hopper", 4e-3, 0.8, 2.4025e9, 3.0e6, 26, width_hz=1.6e6),
        (tx.wifi("a", 2412e6, 20, -62, 0.3), tx.wifi("b", 2442e6, 20, -40, 0.4), tx.wifi("c", 2437e6, 20, -46, 0.5)),
        span_at(2400e6, 125e3, 676, sweep_s=0.03),
        ("frequency-hopper", 2401.7e6, 2478.3e6),
    ),
    "a place in a channel of its level": (
        tx.low_rate("", 22, -60, 0.08),
        (tx.wifi("a", 2412e6, 20, -60, 0.3), tx.wifi("b", 2437e6, 20, -64, 0.4), tx.wifi("c", 2462e6, 20, -58, 0.3)),
        span_at(sweep_s=0.03),
        ("802.15.4", 2459e6, 2461e6),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", IN_PASSING)
@pytest.mark.slow
def test_a_tuned_instrument_shows_a_spacing_and_a_frequency_from_parts_of_channels(name):
    emitter, channels, span, (kind, low_hz, high_hz) = IN_PASSING[name]
    (found,) = seen((*channels, emitter), span, rows=1500, rate=12.3)
    assert found.kind == kind
    assert (found.low_hz, found.high_hz) == pytest.approx((low_hz, high_hz), abs=2.5e6)


# What may not happen when there is less to see


MIXED = Scene((*WIFI, tx.oven("", -57, 1.0), tx.hopper("", -62, 0.5), tx.carrier("", -68, 2.4307e9)), 9)


def surest(found):
    return {s.kind: s.confidence for s in found}


@pytest.mark.slow
def test_noise_and_dropped_rows_make_nothing_up():
    span = span_at()
    times, codes = rows_of(MIXED, span, rows=900)
    clear = surest(detect(span, times, codes))
    assert set(clear) == {"microwave-oven", "bluetooth", "continuous-carrier"}
    rng = np.random.default_rng(1)
    for kept in (0.7, 0.4, 0.2):
        some = np.sort(rng.choice(len(times), int(kept * len(times)), replace=False))
        fewer = surest(detect(span, times[some], codes[some]))
        assert kept < 0.7 or set(fewer) == set(clear)  # enough rows for all three
        assert set(fewer) <= set(clear)
    for noise_dbm in (-104.0, -96.0, -88.0):
        noise = rng.exponential(10 ** (noise_dbm / 10), codes.shape)
        louder = to_codes((10 * np.log10(10 ** (to_dbm(codes) / 10.0) + noise)).astype(np.float32))
        noisy = surest(detect(span, times, louder))
        assert noise_dbm > -96 or set(noisy) == set(clear)
        assert set(noisy) <= set(clear)


@pytest.mark.slow
def test_half_the_rows_change_no_kind():
    compared = 0
    for number in range(7):
        made = by_chance(number, DEVELOPMENT)
        span = made.instrument.span
        codes = np.concatenate(
            [to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)]
        )
        whole, half = detect(span, made.time_s, codes), detect(span, made.time_s[::2], codes[::2])
        for s in half:
            same = [w for w in whole if min(w.high_hz, s.high_hz) > max(w.low_hz, s.low_hz)]
            compared += bool(same)
            true = {t.kind for t in made.scene.transmitters}
            assert not same or s.kind in {"unknown", *true, *(w.kind for w in same)}, (number, s.kind)
    assert compared >= 5


@pytest.mark.parametrize("bins", [-13, 8, 40])
def test_moving_a_scene_by_whole_bins_moves_the_answer(bins):
    span = span_at(5700e6, 0.25e6, 600)
    made = (tx.camera("", -60, 5.77e9), tx.carrier("", -60, 5.735e9), tx.link("", -62, 5.8072e9, 8e6))
    times, codes = rows_of(Scene(made, 2), span)
    before = detect(span, times, codes)
    moved = detect(span, times, np.roll(codes, bins, axis=1))
    assert [s.kind for s in moved] == [s.kind for s in before] != []
    shift = [b.low_hz - a.low_hz for a, b in zip(before, moved, strict=True)]
    assert shift == pytest.approx([bins * span.step_hz] * len(before), abs=1.01 * span.step_hz)


def test_the_parts_of_the_reasoning_hold_on_their_own():
    rng = np.random.default_rng(4)
    comb = 2.4031e9 + 1.728e6 * rng.integers(0, 44, 400) + rng.normal(0, 6e4, 400)
    raster, _, phase = raster_of(comb, 250e3)
    assert raster == pytest.approx(1.728e6, rel=2e-3)
    assert phase == pytest.approx(3.1e6 % 1.728e6, abs=1e5)
    assert np.isnan(raster_of(rng.uniform(2.4e9, 2.48e9, 400), 250e3)[0])
    combing = Combing(2.4e9, 2.4835e9, 250e3)
    channel = rng.uniform(2.403e9, 2.421e9, 300)
    assert combing.comb_of(rng.uniform(2.4e9, 2.48e9, 900)) is None
    for first_hz, raster_hz, places in ((2.4101e9, 0.8e6, 60), (2.4203e9, 2.2e6, 25), (2.4043e9, 3.0e6, 25)):
        its = first_hz + raster_hz * rng.integers(0, places, 300) + rng.normal(0, 1e5, 300)
        found = combing.comb_of(np.concatenate([its, channel]))
        assert found.raster_hz == pytest.approx(raster_hz, rel=0.02)
        assert found.high_hz == pytest.approx(first_hz + places * raster_hz, abs=7e6)
        picked = found.picked(np.concatenate([its, channel]))
        assert picked[:300].mean() > 0.8
        assert picked[300:].mean() < 0.7
    assert expects(3.0, 1.0, 5.0, 1.0) == 0.0 < expects(6.0, 1.0, 5.0, 1.0) < expects(7.0, 1.0, 5.0, 1.0)
    assert dict(compared({"radar": 0.0}, 0.5))["unknown"] >= 0.5
