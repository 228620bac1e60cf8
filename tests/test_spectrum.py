"""Rows of sweeps as numbers: noise, duty, level and frequency against what the simulated air really did."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.channel_power import channels_in_span
from gray_kettle.spectrum.multires import Pyramid, added_counts, counts_of
from gray_kettle.spectrum.noise_floor import floor_of, low_and_spread
from gray_kettle.spectrum.periodogram import mean_power
from gray_kettle.spectrum.quantise import DBM_OF_CODE, MISSING, to_codes, to_dbm
from gray_kettle.spectrum.views import Frame

START_S = 1.79e9
KNOWN = (
    tx.wifi("busy", 2437e6, 20, -50, 0.3),
    tx.wifi("quiet", 2412e6, 20, -62, 0.08),
    tx.carrier("line", -70, 2470.5e6),
)


def span_of(step_hz, **facts):
    return Span(2400e6 + step_hz / 2, step_hz, round(90e6 / step_hz), **facts)


def noise(rows, bins, averages, floor_dbm, seed=1):
    power = np.random.default_rng(seed).gamma(averages, 1 / averages, (rows, bins))
    return (10 * np.log10(power) + floor_dbm).astype(np.float32)


@pytest.fixture
def swept_case(tmp_path):
    """Makes a case from sweep rows and gives it, open."""
    from gray_kettle.store import Case

    opened = []

    def make(*tables, finish=True):
        case = Case.create(tmp_path / f"{len(opened)}.kettle", Setup(country="GB"))
        opened.append(case)
        take = case.begin_take("made", "sweep table", "hall")
        case.append(take, Piece(sweeps=tables))
        if finish:
            case.finish_take(take, complete=True)
        return case

    yield make
    for case in opened:
        case.close()


# Bytes of half a decibel


@given(st.lists(st.floats(-200, 30, width=32) | st.just(float("nan")), min_size=1, max_size=40))
def test_levels_come_back_to_a_quarter_of_a_decibel_and_missing_stays_missing(levels):
    told = np.array(levels, np.float32)
    back = to_dbm(to_codes(told.copy()))
    assert (np.isnan(back) == np.isnan(told)).all()
    inside = np.clip(told, DBM_OF_CODE[0], DBM_OF_CODE[MISSING - 1])
    assert np.nanmax(np.abs(back - inside), initial=0) <= 0.2501


@pytest.mark.parametrize("bins", [8, 31, 64])
def test_the_power_of_bins_adds_up_to_that_of_the_samples(bins):
    rng = np.random.default_rng(3)
    samples = (rng.normal(size=64 * 400) + 1j * rng.normal(size=64 * 400)).astype(np.complex64)
    assert mean_power(samples, bins).sum() == pytest.approx(float(np.mean(np.abs(samples) ** 2)), rel=0.02)


# Noise floor


@pytest.mark.parametrize("averages", [1, 4, 30])
@pytest.mark.parametrize("what", ["nothing", "carrier", "full channel", "busy channels", "roll-off"])
def test_the_floor_is_that_of_the_noise_whatever_else_is_on_the_air(averages, what):
    """A bin's mean noise power, within a decibel and a half; a roll-off of the receiver belongs to it."""
    rows, bins, floor_dbm = 256, 400, -104.0
    levels = noise(rows, bins, averages, floor_dbm)
    true = np.full(bins, floor_dbm)
    if what == "carrier":
        levels[:, 200:202] = -60
    elif what == "full channel":
        levels[:, 100:180] = noise(rows, 80, averages, -55, seed=2)
    elif what == "busy channels":
        on = np.random.default_rng(5).random(rows) < 0.6
        levels[np.ix_(on, np.r_[40:120, 220:300])] = -50
    elif what == "roll-off":
        slope = np.linspace(0, -4, bins).astype(np.float32)
        levels, true = levels + slope, true + slope
    found = floor_of(*low_and_spread(to_codes(levels)), 250e3)
    assert np.abs(found - true).max() < (2.5 if what == "busy channels" else 1.5)


# Duty, level, frequency


@pytest.mark.parametrize(
    ("step_hz", "sweep_s"),
    [(50e3, 0.0), (250e3, 0.0), (1e6, 0.0), (50e3, 0.31), (250e3, 0.1), (1e6, 0.05)],
)
@pytest.mark.slow
def test_duty_level_and_frequency_of_known_signals(swept_case, step_hz, sweep_s):
    """Within two points, one decibel and one bin; for snapshots, and for instruments that tune across the span."""
    span = span_of(step_hz, sweep_s=sweep_s)
    times = START_S + np.cumsum(np.random.default_rng(2).uniform(0.9, 1.1, 2600) * max(0.1, 1.1 * sweep_s))
    scene = Scene(KNOWN, seed=11)
    case = swept_case(*scene.rows(Instrument(span), times))
    true = {t.name: t.duty for t in scene.truth(span, times[0], times[-1])}
    found = {s.channel.label: s for s in case.sweeps.swept(-np.inf, np.inf)}
    assert found["6/20"].duty == pytest.approx(true["busy"], abs=0.02)
    assert found["6/20"].level_dbm == pytest.approx(-50, abs=1)
    assert found["1/20"].duty == pytest.approx(true["quiet"], abs=0.02)
    assert found["1/20"].level_dbm == pytest.approx(-62, abs=1)
    assert found["13/20"].duty == 1.0  # the line never ends
    view = case.sweeps.view(Frame(2400e6, 2490e6, span.bins, times[0], times[-1], 40))
    lines = np.flatnonzero(view.over > 0.9)
    assert np.abs(view.frame.column_hz[lines] - 2470.5e6).max() <= step_hz
    assert view.average_dbm[lines].max() == pytest.approx(-70, abs=1)


def test_means_of_frames_are_corrected_and_maxima_are_called_bounds(swept_case):
    times = START_S + 0.1031 * np.arange(2600)
    scene = Scene(KNOWN[:1], seed=4)
    true = scene.truth(span_of(250e3), times[0], times[-1])[0].duty
    for detector, bound in (("mean", ""), ("max", "upper")):
        span = span_of(250e3, detector=detector, averages=6)
        case = swept_case(*scene.rows(Instrument(span, spread_s=0.05), times))
        found = next(s for s in case.sweeps.swept(-np.inf, np.inf) if s.channel.label == "6/20")
        assert found.bound == bound
        assert found.duty == pytest.approx(true, abs=0.03) if detector == "mean" else found.duty > 0.8


def test_rows_weigh_by_the_time_that_they_are_for(swept_case):
    """Ten minutes looked at every ten seconds, idle; one minute looked at ten times a second, always busy."""
    span = span_of(1e6)
    idle, busy = START_S + 10.0 * np.arange(60), START_S + 600 + 0.1 * np.arange(600)
    levels = noise(660, 90, 4, -105)
    levels[60:, 25:50] = -50
    case = swept_case(SweepRows(span, np.concatenate([idle, busy]), levels))
    found = next(s for s in case.sweeps.swept(-np.inf, np.inf) if s.channel.label == "6/20")
    assert found.duty == pytest.approx(60 / 660, abs=0.02)
    assert found.rows == 660


def test_channels_are_those_that_the_span_covers():
    card_hz = 2412e6 - 27.5 * 312_500.0  # a card's view of channel 1 lacks the outermost carriers
    assert [c.label for c in channels_in_span(Span(card_hz, 312_500.0, 56))] == ["1/20"]
    assert channels_in_span(Span(card_hz - 5e6, 312_500.0, 56)) == ()
    whole = channels_in_span(Span(5150.5e6, 1e6, 750))
    assert {c.width_mhz for c in whole} == {20, 40, 80, 160}
    assert sum(1 for c in whole if c.width_mhz == 80) == 7


# Sums over time


@given(st.lists(st.integers(1, 300), min_size=1, max_size=12), st.integers(0, 3))
@pytest.mark.slow
def test_sums_do_not_hang_on_how_rows_came_in(cuts, seed):
    rng = np.random.default_rng(seed)
    rows = sum(cuts)
    codes = rng.integers(20, 200, (rows, 6)).astype(np.uint8)
    codes[rng.random(codes.shape) < 0.05] = MISSING
    steps = np.where(rng.random(rows) < 0.02, 50.0, 0.2)
    time_s = START_S + np.cumsum(steps)
    span = Span(2.4e9, 1e6, 6)

    def entries(parts):
        pyramid = Pyramid(span)
        out = [s for t, c in parts for s in pyramid.add(t, c)] + list(pyramid.close())
        return [(s.level, s.entry.start_s[0], int(s.entry.rows[0]), s.entry.peak.tobytes()) for s in out]

    edges = np.cumsum([0, *cuts])
    split = [(time_s[a:b], codes[a:b]) for a, b in itertools.pairwise(edges)]
    assert sorted(entries(split)) == sorted(entries([(time_s, codes)]))
    for level in (1, 2, 3):
        found = [e for e in entries([(time_s, codes)]) if e[0] == level]
        assert sum(rows for _, _, rows, _ in found) == rows


@pytest.mark.parametrize(("first", "length"), [(0, 7200), (13, 500), (700, 2500), (5, 6600)])
def test_any_window_shows_what_its_rows_hold(swept_case, first, length):
    """Highest, mean, presence: from sums, the same as from all rows (the mean to its rounding)."""
    rows = 7200
    levels = noise(rows, 40, 4, -100)
    levels[3000:3400, 10:20] = -50
    time_s = START_S + 0.5 * np.arange(rows)
    case = swept_case(SweepRows(Span(2400.5e6, 1e6, 40), time_s, levels))
    low_s, high_s = START_S + 0.5 * first, START_S + 0.5 * (first + length) - 0.25
    view = case.sweeps.view(Frame(2400e6, 2440e6, 40, low_s, high_s, 20))
    inside = to_codes(levels)[first : first + length]
    counted = added_counts([(1.0, inside)], 40)
    assert view.presence.sum(axis=0) == pytest.approx(np.ones(40), abs=1e-4)
    assert np.abs(view.presence.T - counted / len(inside)).max() < 0.003
    assert np.nanmax(view.peak_dbm) == pytest.approx(to_dbm(inside).max(), abs=0.01)
    mean = 10 * np.log10((10 ** (to_dbm(inside) / 10)).mean(axis=0))
    assert np.abs(view.average_dbm - mean).max() < 0.5


def test_gaps_stay_empty_and_sparse_rows_are_held(swept_case):
    dense, sparse = START_S + 0.2 * np.arange(300), START_S + 3660 + 20.0 * np.arange(60)
    span = Span(2400.5e6, 1e6, 20)
    case = swept_case(SweepRows(span, np.concatenate([dense, sparse]), noise(360, 20, 1, -100)))
    view = case.sweeps.view(Frame(2400e6, 2420e6, 20, START_S, START_S + 4860, 486))
    told = np.isfinite(view.peak_dbm[:, 5])
    assert told[:6].all()  # dense
    assert not told[10:364].any()  # an hour without a row
    assert told[367:].all()  # a row every 20 s fills lines of 10 s


def test_counts_hold_every_bin_once():
    codes = to_codes(noise(50, 1300, 1, -100))
    codes[3, 7] = MISSING
    assert counts_of(codes).sum() == 50 * 1300 - 1


def test_a_case_of_noise_takes_less_than_three_quarters_of_a_byte_a_bin(swept_case):
    rows, bins = 6000, 1000
    tables = [
        SweepRows(span_of(90e3), START_S + 0.2 * (k + np.arange(600)), noise(600, bins, 4, -105, seed=k))
        for k in range(0, rows, 600)
    ]
    case = swept_case(*tables)
    case.close()
    assert case.path.stat().st_size / rows / bins < 0.75


# Rows that are still being written


def test_what_is_not_summed_up_yet_is_read_from_the_rows(swept_case):
    time_s = START_S + 0.2 * np.arange(1000)
    rows = SweepRows(Span(2400.5e6, 1e6, 20), time_s, noise(1000, 20, 1, -100))
    case = swept_case(rows, finish=False)
    view = case.sweeps.view(Frame(2400e6, 2420e6, 20, START_S, START_S + 200, 10))
    assert view.rows >= 512  # all chunks that are full
    assert view.presence.sum(axis=0) == pytest.approx(np.ones(20), abs=1e-4)


def test_a_clock_that_goes_back_loses_no_row(swept_case):
    time_s = START_S + np.r_[np.arange(100.0), np.arange(50.0, 150.0)]
    case = swept_case(SweepRows(Span(2400.5e6, 1e6, 20), time_s, noise(200, 20, 1, -100)))
    assert [r.rows for r in case.sweeps.runs()] == [100, 100]
    assert case.sweeps.view(Frame(2400e6, 2420e6, 20, START_S, START_S + 200, 10)).rows == 200


def test_a_take_that_is_taken_back_leaves_no_sweep(swept_case):
    case = swept_case(SweepRows(Span(2.4e9, 1e6, 20), START_S + np.arange(400.0), noise(400, 20, 1, -100)))
    case.forget_take(case.takes()[0].number)
    assert case.sweeps.runs() == ()
    assert case.span_s() is None
