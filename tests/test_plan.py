"""The plan: the best among all combinations, never worse than staying, within every limit, and with reasons."""

import contextlib
import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio
from gray_kettle.errors import InvalidInput
from gray_kettle.model.plan_preferences import CHANGE_COST, PlanPreferences
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import all_channels, narrow, wide
from gray_kettle.planner.annealing import descend
from gray_kettle.planner.delta_eval import DeltaEvaluator
from gray_kettle.planner.limits import parse_limit
from gray_kettle.planner.migration_order import steps_of
from gray_kettle.planner.objective import Objective, shifts_for
from gray_kettle.planner.radio_model import RadioModel, reference_score
from gray_kettle.planner.solver import solve
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.frames import OWN, beacon, busy_harbour, ht, survey_of, traffic, vht, write_full_scan, write_pcap

RASTER = [narrow("2.4", n) for n in (1, 3, 6, 9, 11)]
HIGH = [narrow("5", 36), narrow("5", 44), *wide("5", 36, 40), *wide("5", 44, 80), *wide("5", 100, 80)]


def model(options, foreign, now, own_levels, activity, client_dbm=-60.0, dsss=False):
    channels = [options[k % len(options)] for k, _ in enumerate(foreign)]
    count = len(foreign)
    told = np.array([0.4 if k % 3 == 2 else np.nan for k in range(count)])
    others = Interferers(
        tuple(channels), np.array(foreign), np.full(count, 0.3), np.ones(count), told, np.zeros(count, bool)
    )
    costs = CHANGE_COST * (np.arange(len(options)) != now)
    victim = VictimRadio("ax", 2, client_dbm, options[now])
    return RadioModel(victim, others, Candidates(options), costs, activity, dsss, own_levels, now)


@st.composite
def sites(draw, most=3, options=None):
    options = options or draw(st.sampled_from([RASTER, HIGH]))
    n = draw(st.integers(1, most))
    level = st.floats(-96, -40)
    return tuple(
        model(
            options,
            draw(st.lists(level, max_size=3)),
            draw(st.integers(0, len(options) - 1)),
            tuple(draw(level) for _ in range(n)),
            draw(st.floats(0.05, 0.9)),
            draw(st.floats(-80, -45)),
            draw(st.booleans()),
        )
        for _ in range(n)
    )


@settings(max_examples=40, deadline=None)
@given(sites(), st.randoms(use_true_random=False))
def test_the_joint_arrays_say_what_the_loss_model_says(models, chance):
    objective = Objective(models, (-3.0, 0.0, 3.0))
    chosen = np.array([[chance.randrange(len(p.costs)) for p in models] for _ in range(2)])
    trials = DeltaEvaluator(objective, chosen)
    before = objective.score(chosen)
    assert before[0] == pytest.approx(reference_score(models, tuple(chosen[0]), (-3.0, 0.0, 3.0)), abs=1e-9)
    m = chance.randrange(len(models))
    gains = trials.gains(m)
    for option in range(gains.shape[1]):
        other = chosen.copy()
        other[:, m] = option
        assert gains[:, option] == pytest.approx(objective.score(other) - before, abs=1e-9)
    partners = np.array([k for k in range(len(models)) if k != m], dtype=int)
    for k, gain in zip(partners, trials.swap_gains(m, partners).T, strict=True):
        other = chosen.copy()
        other[:, [m, k]] = other[:, [k, m]]
        changed = chosen[:, m] != chosen[:, k]
        assert gain[changed] == pytest.approx((objective.score(other) - before)[changed], abs=1e-9)
        assert np.isneginf(gain[~changed]).all()
    trials.move(np.full(2, m), np.zeros(2, dtype=int))
    chosen[:, m] = 0
    assert np.array_equal(trials.chosen, chosen)
    assert np.exp(trials.gains(0)) == pytest.approx(np.exp(DeltaEvaluator(objective, chosen).gains(0)))


def all_choices(models):
    return np.array(list(itertools.product(*(range(len(p.costs)) for p in models))))


@settings(max_examples=25, deadline=None)
@given(sites(most=5))
@pytest.mark.slow
def test_the_solver_finds_what_trying_everything_finds(models):
    """25 sites of up to five radios: the score of every combination against the one chosen, with and without a
    bound on the number of changes. Nothing is worse than staying, and the order of the radios is no matter."""
    objective, choices = Objective(models, shifts_for(len(models))), all_choices(models)
    scores = objective.score(choices)
    moved = (choices != objective.start).sum(axis=1)
    for most in (None, 1):
        solution = solve(models, most)
        best = scores[moved <= (len(models) if most is None else most)].max()
        assert solution.proved
        assert solution.score == pytest.approx(best, abs=1e-5)
        assert solution.bound == pytest.approx(best, abs=1e-5)
        assert solution.score >= float(objective.score(objective.start)) - 1e-9
        if most:
            assert sum(o != p.start for o, p in zip(solution.chosen, models, strict=True)) <= most
    turned = tuple(replace(p, level_at=p.level_at[::-1]) for p in models[::-1])
    assert solve(turned).score == pytest.approx(solve(models).score, abs=1e-5)


@settings(max_examples=25, deadline=None)
@given(sites(most=4), st.randoms(use_true_random=False))
@pytest.mark.slow
def test_more_options_never_make_a_plan_worse(models, chance):
    """With changes free: what is open to a radio can be left alone."""
    free = tuple(replace(p, costs=np.zeros(len(p.costs))) for p in models)

    def only(model, kept):
        options = Candidates([model.options.channels[k] for k in kept])
        return replace(model, options=options, costs=np.zeros(len(kept)), start=kept.index(model.start))

    few = tuple(only(p, sorted({p.start, *chance.sample(range(len(p.costs)), 2)})) for p in free)
    assert solve(free).score >= solve(few).score - 1e-6


def site_of_thirteen():
    chance = np.random.default_rng(3)
    levels = chance.uniform(-75, -45, (13, 13))
    low = [c for c in all_channels("5") if c.width_mhz <= 80 and c.primary <= 64]
    return tuple(
        model(low, chance.uniform(-90, -60, 2), k % len(low), tuple(levels[k]), 0.1 + 0.03 * k)
        for k in range(13)
    )


@pytest.mark.slow
def test_a_site_of_many_radios_is_searched_the_same_way_twice_and_beats_a_plain_descent():
    """Thirteen radios that all hear one another: more than are proved."""
    models = site_of_thirteen()
    told = []
    first, second = solve(models, progress=told.append), solve(models)
    assert first.chosen == second.chosen
    assert not first.proved
    assert first.bound > first.score
    assert told == sorted(told)
    objective = Objective(models, shifts_for(13))
    assert first.score > float(objective.score(descend(objective, objective.start[None], None)[0]))
    three = solve(models, 3)
    assert float(objective.score(objective.start)) <= three.score <= first.score
    assert sum(o != p.start for o, p in zip(three.chosen, models, strict=True)) == 3
    with pytest.raises(KeyboardInterrupt):
        solve(models, progress=cancel)
    steps = steps_of(objective, first.chosen, tuple(str(k) for k in range(13)))
    assert sorted(k for s in steps for k in s.radios) == sorted(
        str(k) for k, (o, p) in enumerate(zip(first.chosen, models, strict=True)) if o != p.start
    )
    assert min(s.gain for s in steps[:-1]) >= -1e-9


def cancel(done):
    if done > 0.3:
        raise KeyboardInterrupt


HARBOUR_SCAN = (
    ("02:00:00:00:00:50", "far", 2462, -85.0),
    ("02:00:00:00:01:60", "chandlery", 5220, -60.0),
)


@pytest.fixture
def planned(tmp_path, case_of):
    counter = itertools.count()

    def plan(packets, scanned=HARBOUR_SCAN, survey="", **setup):
        number = next(counter)
        setup = {"country": "GB", "own": ("tern-guest",), **setup}
        files = [write_pcap(tmp_path / f"{number}.pcap", packets)]
        if scanned:
            files.append(write_full_scan(tmp_path / f"{number}.txt", *scanned))
        if survey:
            files.append(tmp_path / f"{number}-survey.txt")
            files[-1].write_text(survey)
        with Case.open(case_of(*files, setup=Setup(**setup), name=f"{number}.kettle")) as case:
            return load_session(case).proposal

    return plan


def test_the_harbour_gets_a_channel_on_the_channel_plan_and_its_five_gigahertz_moves_away(planned):
    proposal = planned(busy_harbour())
    low, high = proposal.move_of(OWN), proposal.move_of("02:00:00:00:01:10")
    assert low.target == narrow("2.4", 11)
    assert not set(high.target.parts) & {36, 40, 44, 48}
    assert high.target.width_mhz == 80
    assert proposal.proved
    assert proposal.score > proposal.score_stay
    for move in (low, high):
        assert move.after.clear_air > move.before.clear_air - 0.1
        assert len(move.alternatives) == 2
        assert move.reasons
    assert any("boat (1/20, −52 dBm) overlaps it" in reason for reason in low.reasons)
    assert any("chandlery (44/80, −60 dBm) shares its channel" in reason for reason in high.reasons)


@pytest.mark.slow
def test_no_alternative_beats_the_proposal_for_the_site_and_each_states_its_loss(planned):
    """Each alternative is tried: the site planned anew with that radio limited to it scores no better."""
    proposal = planned(busy_harbour())
    alternatives = [(move, other) for move in proposal.moves for other in move.alternatives]
    assert len(alternatives) >= 4
    for move, other in alternatives:
        limits = (str(other.channel.primary), f"{other.channel.width_mhz}MHz")
        preferences = PlanPreferences(offers=tuple((move.radio.id, text) for text in limits))
        tried = planned(busy_harbour(), preferences=preferences)
        assert tried.move_of(move.radio.id).target == other.channel
        assert tried.score < proposal.score
        assert other.channel != move.target
        assert other.loses
        cell = next(c for c in move.heatmap if c.channel == other.channel)
        assert cell.barred == ""
        assert cell.expected_mbps == other.expected_mbps


@pytest.mark.parametrize(
    ("limit", "allowed"),
    [
        ("2.4:1-6", {1, 2, 3, 4, 5, 6}),
        ("tern-guest@2.4:3,6", {3, 6}),
        ("elsewhere@2.4:6", set(range(1, 14))),
    ],
)
@pytest.mark.slow
def test_limits_of_clients_are_kept(planned, limit, allowed):
    move = planned(busy_harbour(), clients=(limit,)).move_of(OWN)
    assert move.target.primary in allowed
    open_to_it = {c.channel.primary for c in move.heatmap if not c.barred}
    assert open_to_it <= allowed | {3}


@pytest.mark.slow
def test_a_width_limit_is_kept(planned):
    free, limited = planned(busy_harbour()), planned(busy_harbour(), clients=("5:20MHz",))
    (wide_move,) = (m for m in free.moves if m.radio.band == "5")
    assert wide_move.target.width_mhz == 80
    assert limited.move_of(wide_move.radio.id).target.width_mhz == 20


@pytest.mark.slow
def test_the_country_decides(planned):
    low = planned(busy_harbour(), country="US").move_of(OWN)
    assert all(c.barred for c in low.heatmap if c.channel.primary in (12, 13))
    high = planned(busy_harbour(), country="JP").move_of("02:00:00:00:01:10")
    assert all(c.barred for c in high.heatmap if c.channel.primary >= 149)


def test_nothing_is_proposed_that_was_not_listened_to(planned):
    packets = [beacon(OWN, b"tern-guest", 6, -45, k / 10, *ht(6)) for k in range(30)]
    packets += [beacon("02:00:00:00:00:77", b"loud", 6, -50, k / 10 + 0.01, *ht(6)) for k in range(30)]
    (move,) = planned(packets, scanned=()).moves
    assert move.stays
    assert any("not listened to" in reason for reason in move.reasons)


def test_alone_it_stays_where_it_is_and_says_why(planned):
    packets = [beacon(OWN, b"tern-guest", 6, -45, k / 10, *ht(6)) for k in range(30)]
    # Somebody far off on every second half, so that there is no room for 40 MHz either.
    packets += [
        beacon(f"02:00:00:00:02:{n:02x}", b"far", n, -91, k / 10) for k in range(30) for n in (1, 4, 9, 12)
    ]
    (move,) = planned(packets).moves
    assert move.stays
    assert move.reasons[0].startswith("Stay")
    assert move.before == move.after


def test_two_own_radios_that_hear_each_other_are_put_apart(planned):
    packets = []
    for k in range(30):
        packets.append(beacon(OWN, b"tern-guest", 6, -45, k / 10, *ht(6)))
        packets.append(beacon("02:00:00:00:00:90", b"tern-guest", 6, -50, k / 10 + 0.01, *ht(6)))
        packets += [beacon(f"02:00:00:00:02:{n:02x}", b"far", n, -91, k / 10 + 0.02) for n in (1, 11)]
    for bssid in (OWN, "02:00:00:00:00:90"):
        packets += traffic(bssid, "06:00:00:00:00:01", 6, frames=900)
    first, second = planned(packets).moves
    assert abs(first.target.primary - second.target.primary) >= 5


def test_forty_megahertz_in_2_4_needs_a_second_half_in_which_nothing_is_heard(planned):
    def alone_but_for(level):
        packets = [beacon(OWN, b"tern-guest", 1, -45, k / 10, *ht(1)) for k in range(30)]
        return packets + [
            beacon(f"02:00:00:00:02:{n:02x}", b"far", n, level, k / 10) for k in range(30) for n in (11, 13)
        ]

    def barred(packets, survey=""):
        (move,) = planned(packets, scanned=scan, survey=survey).moves
        (cell,) = [c for c in move.heatmap if c.channel == wide("2.4", 1, 40)[0]]
        return cell.barred

    scan = (("02:00:00:00:02:0b", "far", 2462, -90.0),)
    free, busy = (survey_of(2432, 10_000, share) for share in (200, 3_000))
    assert barred(alone_but_for(-90)) == "no survey or sweep shows its secondary channel free"
    assert barred(alone_but_for(-90), busy) == "no survey or sweep shows its secondary channel free"
    assert barred(alone_but_for(-90), free) == ""
    with_one = alone_but_for(-90) + [beacon("02:00:00:00:03:01", b"near", 6, -90, k / 10) for k in range(30)]
    assert barred(with_one, free) == "its secondary channel is in use"


def test_a_radio_is_only_widened_as_far_as_its_generation_goes(planned):
    packets = [beacon(OWN, b"tern-guest", 36, -45, k / 10, *ht(36)) for k in range(30)]
    packets += [
        beacon("02:00:00:00:02:01", b"far", n, -91, k / 10, *ht(n), *vht(1, 42))
        for k in range(30)
        for n in (44, 149)
    ]
    (move,) = planned(packets).moves
    assert max(c.channel.width_mhz for c in move.heatmap) == 40


@pytest.mark.parametrize("text", ["", "fast", "7:1-11", "2.4:", "2.4:a-b", "2.4:20GHz", "2.4"])
def test_a_limit_that_means_nothing_is_refused_with_an_example(text):
    with pytest.raises(InvalidInput, match=r"2\.4:1-11"):
        parse_limit(text)


@given(st.text(max_size=20))
def test_no_text_breaks_the_reading_of_limits(text):
    with contextlib.suppress(InvalidInput):
        assert parse_limit(text).band in ("2.4", "5", "6")
