"""The plan: the best among all combinations, never worse than staying, within every limit, and with reasons."""

import contextlib
import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gray_kettle.air.channels import narrow, wide
from gray_kettle.case import Case
from gray_kettle.judge.harms import Asking, Candidates, Others
from gray_kettle.plan.limits import parse_limit
from gray_kettle.plan.solver import CHANGE_COST, Player, score_of, solve
from gray_kettle.reading import read
from gray_kettle.records import Setup
from tests.frames import OWN, beacon, busy_harbour, ht, traffic, vht, write_pcap

OPTIONS = [narrow("2.4", n) for n in (1, 3, 6, 9, 11)]


def player(levels, now, own_levels, activity):
    count = len(levels)
    foreign = Others(
        tuple(narrow("2.4", 1 + 5 * (k % 3)) for k in range(count)),
        np.array(levels),
        np.full(count, 0.3),
        np.ones(count),
        np.full(count, np.nan),
        np.zeros(count, bool),
    )
    costs = np.array([CHANGE_COST * (k != now) for k in range(len(OPTIONS))])
    return Player(Asking("ax", 2, -60.0), foreign, Candidates(OPTIONS), costs, activity, False, own_levels)


@st.composite
def sites(draw):
    n = draw(st.integers(1, 3))
    level = st.floats(-90, -40)
    return tuple(
        player(
            draw(st.lists(level, max_size=3)),
            draw(st.integers(0, len(OPTIONS) - 1)),
            tuple(draw(level) for _ in range(n)),
            draw(st.floats(0.05, 0.9)),
        )
        for _ in range(n)
    )


@settings(max_examples=25)
@given(sites())
def test_the_solver_finds_what_trying_everything_finds(players):
    start = tuple(int(np.argmin(p.costs)) for p in players)
    solution = solve(players, start)
    best = max(score_of(players, c) for c in itertools.product(range(len(OPTIONS)), repeat=len(players)))
    assert solution.proved
    assert solution.score == pytest.approx(best, abs=1e-5)
    assert solution.score >= score_of(players, start) - 1e-12


@pytest.fixture
def planned(tmp_path, case_of):
    counter = itertools.count()

    def plan(packets, **setup):
        number = next(counter)
        setup = {"country": "GB", "own": ("tern-guest",), **setup}
        file = write_pcap(tmp_path / f"{number}.pcap", packets)
        with Case.open(case_of(file, setup=Setup(**setup), name=f"{number}.kettle")) as case:
            return read(case).proposal

    return plan


def test_the_harbour_gets_a_place_on_the_raster_and_its_five_gigahertz_moves_away(planned):
    proposal = planned(busy_harbour())
    low, high = proposal.move_of(OWN), proposal.move_of("02:00:00:00:01:10")
    assert low.target == narrow("2.4", 11)
    assert not set(high.target.parts) & {36, 40, 44, 48}
    assert high.target.width_mhz == 80
    assert proposal.proved
    assert proposal.score > proposal.score_stay
    for move in (low, high):
        assert move.after.clear_air > move.before.clear_air
        assert len(move.alternatives) == 2
        assert move.reasons
    assert any("boat (1/20, −52 dBm) overlaps it" in reason for reason in low.reasons)
    assert any("chandlery (44/80, −60 dBm) shares its channel" in reason for reason in high.reasons)


def test_no_alternative_beats_the_proposal_for_the_site_and_each_says_what_it_loses(planned):
    for move in planned(busy_harbour()).moves:
        for other in move.alternatives:
            assert other.channel != move.target
            assert other.loses
            cell = next(c for c in move.field if c.channel == other.channel)
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
def test_limits_of_clients_are_kept(planned, limit, allowed):
    move = planned(busy_harbour(), clients=(limit,)).move_of(OWN)
    assert move.target.primary in allowed
    open_to_it = {c.channel.primary for c in move.field if not c.barred}
    assert open_to_it <= allowed | {3}


def test_a_width_limit_is_kept(planned):
    for move in planned(busy_harbour(), clients=("5:20MHz",)).moves:
        if move.radio.band == "5":
            assert move.target.width_mhz == 20 or move.stays


def test_the_country_decides(planned):
    low = planned(busy_harbour(), country="US").move_of(OWN)
    assert all(c.barred for c in low.field if c.channel.primary in (12, 13))
    high = planned(busy_harbour(), country="JP").move_of("02:00:00:00:01:10")
    assert all(c.barred for c in high.field if c.channel.primary >= 149)


def test_nothing_is_proposed_that_was_not_listened_to(planned):
    packets = [beacon(OWN, b"tern-guest", 6, -45, k / 10, *ht(6)) for k in range(30)]
    packets += [beacon("02:00:00:00:00:77", b"loud", 6, -50, k / 10 + 0.01, *ht(6)) for k in range(30)]
    (move,) = planned(packets).moves
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

    wide_ones = [wide("2.4", 1, 40)[0]]
    (move,) = planned(alone_but_for(-90)).moves
    assert [c.barred for c in move.field if c.channel in wide_ones] == [""]
    with_one = alone_but_for(-90) + [beacon("02:00:00:00:03:01", b"near", 6, -90, k / 10) for k in range(30)]
    (move,) = planned(with_one).moves
    assert [c.barred for c in move.field if c.channel in wide_ones] == ["its second half is in use"]


def test_a_radio_is_only_widened_as_far_as_its_generation_goes(planned):
    packets = [beacon(OWN, b"tern-guest", 36, -45, k / 10, *ht(36)) for k in range(30)]
    packets += [
        beacon("02:00:00:00:02:01", b"far", n, -91, k / 10, *ht(n), *vht(1, 42))
        for k in range(30)
        for n in (44, 149)
    ]
    (move,) = planned(packets).moves
    assert max(c.channel.width_mhz for c in move.field) == 40


@pytest.mark.parametrize("text", ["", "fast", "7:1-11", "2.4:", "2.4:a-b", "2.4:20GHz", "2.4"])
def test_a_limit_that_means_nothing_is_refused_with_an_example(text):
    with pytest.raises(ValueError, match=r"2\.4:1-11"):
        parse_limit(text)


@given(st.text(max_size=20))
def test_no_text_breaks_the_reading_of_limits(text):
    with contextlib.suppress(ValueError):
        assert parse_limit(text).band in ("2.4", "5", "6")
