"""What the plan keeps to: rules, locks, what clients can do, hours that count; and the sheet that it ends in."""

import csv
import io
import re
from dataclasses import replace
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gray_kettle.analysis.assessment import Client
from gray_kettle.analysis.loss.channel_plan import FOUR, THREE, channel_plans
from gray_kettle.errors import InvalidInput
from gray_kettle.export.change_sheet import sheet_table, sheet_text
from gray_kettle.model.plan_preferences import PlanPreferences
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import all_channels, narrow, wide
from gray_kettle.phy.countries import KNOWN, is_allowed, needs_radar_watch
from gray_kettle.planner.change_sheet import sheet_of
from gray_kettle.planner.hours import at_hours, hours_from, moments_of, times_of_day
from gray_kettle.planner.limits import limit_of_radio, parse_limit
from gray_kettle.planner.options import options_for
from gray_kettle.planner.propose import propose
from gray_kettle.planner.rules import rules_for, rules_of_clients
from gray_kettle.session import Session, load_session
from gray_kettle.site_timezone import site_time
from gray_kettle.store import Case
from tests.frames import OWN, beacon, busy_harbour, ht, load, traffic, write_full_scan, write_pcap

HIGH = "02:00:00:00:01:10"


@pytest.fixture(scope="module")
def harbour(tmp_path_factory):
    """The assessment of a small harbour, and its observations."""
    folder = tmp_path_factory.mktemp("harbour")
    path = folder / "a.kettle"
    from gray_kettle.collect.files import open_file
    from gray_kettle.collect.ingest import ingest

    with Case.create(path, Setup(country="GB", own=("tern-guest",))) as case:
        ingest(case, open_file(write_pcap(folder / "a.pcap", busy_harbour())))
        ingest(case, open_file(write_full_scan(folder / "scan.txt")))
        return load_session(case)


limits = st.lists(
    st.sampled_from(
        [
            "2.4:1-11",
            "2.4:12-13",
            "2.4:6",
            "2.4:20MHz",
            "5:36-48",
            "5:100-140",
            "5:20MHz",
            "5:40MHz",
            "5:149-165",
        ]
    ),
    max_size=3,
)
offers = st.lists(
    st.sampled_from([(OWN, "1-6"), (OWN, "11-13"), (HIGH, "36-64"), (HIGH, "40MHz"), (HIGH, "100-112")]),
    max_size=2,
)


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from([*KNOWN, "", "QQ"]),
    limits,
    offers,
    st.sets(st.sampled_from([OWN, HIGH])),
    st.sampled_from(["avoid", "allow", "prefer"]),
)
@pytest.mark.slow
def test_no_limit_is_ever_broken_and_contradictions_are_named(
    harbour, country, clients, offers, locked, radar
):
    """Where rules leave a radio nothing it stays, and the rules named are the fewest: without any one of them some
    channel would be left."""
    preferences = PlanPreferences(tuple(sorted(locked)), tuple(offers), radar)
    setup = replace(harbour.setup, country=country, clients=tuple(clients), preferences=preferences)
    proposal = propose(harbour.assessment, setup)
    for move in proposal.moves:
        radio, target = move.radio, move.target
        conflict = next((c.rules for c in proposal.conflicts if c.radio == radio.id), None)
        told = [parse_limit(text) for text in clients]
        kept = [
            is_allowed(country, target),
            radio.id not in locked or target == move.source,
            all(
                limit_of_radio(text, radio.band).permits(target)
                for owner, text in offers
                if owner == radio.id
            ),
            all(limit.permits(target) for limit in told if limit.concerns(radio)),
            radar != "avoid" or not needs_radar_watch(country, target),
        ]
        if conflict is None:
            assert all(kept), (move.target, kept)
            continue
        assert move.stays
        rules = [r for r in rules_for(radio, setup) if r.name in conflict]
        if len(rules) == len(conflict):  # else channels were left, but none that was listened to
            channels = [o.channel for o in options_for(radio, harbour.assessment, setup).all]
            assert not any(all(r.permits(c) for r in rules) for c in channels)
            for fewer in combinations(rules, len(rules) - 1):
                assert any(all(r.permits(c) for r in fewer) for c in channels)


def with_client(radio, channels):
    client = Client("06:00:00:00:00:01", -50.0, 10, 0, channels=tuple((radio.band, n) for n in channels))
    first = replace(radio.networks[0], clients=(client,))
    return replace(radio, networks=(first, *radio.networks[1:]))


def test_what_a_client_said_closes_channels_but_not_the_one_it_is_on(harbour):
    radio = with_client(harbour.assessment.radio(OWN), range(4, 7))
    (rule,) = rules_of_clients(radio)
    assert "1 client cannot use it" in rule.name
    assert rule.permits(narrow("2.4", 6))
    assert rule.permits(radio.channel)
    assert not rule.permits(narrow("2.4", 11))
    assert not rules_of_clients(with_client(harbour.assessment.radio(OWN), []))


def test_clients_that_cost_much_are_a_step_of_their_own(harbour):
    """The boat fills 1 and the café 6; whoever can only find these two costs our radio the free place."""
    narrow_only = PlanPreferences(offers=((OWN, "20MHz"),))
    setup = replace(harbour.setup, clients=("2.4:1-5",), preferences=narrow_only)
    proposal = propose(harbour.assessment, setup)
    move = proposal.move_of(OWN)
    assert move.target.primary <= 5
    assert move.barred_by_clients.channel == narrow("2.4", 11)
    step = next(s for s in proposal.other_steps if "clients that keep" in s.what)
    assert "2.4:1-5" in step.why
    assert f"{move.barred_by_clients.expected_mbps:.0f} Mb/s" in step.gain


def on_six(tmp_path, case_of, rates, country):
    """Four of our radios that are busy, all on 6 and some rooms from one another; somebody far off on 1 and 13."""
    ours = [f"02:00:00:00:0{n}:01" for n in range(4)]
    packets = [
        beacon(bssid, b"tern-guest", 6, -66, k / 10 + n / 1e3, *ht(6), load(4, 200), (1, rates))
        for k in range(30)
        for n, bssid in enumerate(ours)
    ]
    packets += [
        beacon(f"02:00:00:00:09:{n:02x}", b"far", n, -93, k / 10, *ht(n), (1, rates))
        for k in range(30)
        for n in (1, 13)
    ]
    for bssid in ours:
        packets += traffic(bssid, "06:00:00:00:00:01", 6, frames=1500)
    scan = write_full_scan(tmp_path / "scan.txt", ("02:00:00:00:09:01", "far", 2412, -93.0))
    capture = write_pcap(tmp_path / "a.pcap", packets)
    path = case_of(capture, scan, setup=Setup(country=country, own=("tern-guest",)))
    with Case.open(path) as case:
        return load_session(case)


OFDM, DSSS = bytes([0x8C, 0x98, 0xB0]), bytes([0x82, 0x84, 0x8B, 0x96])


@pytest.mark.parametrize(
    ("rates", "country", "places"),
    [(OFDM, "GB", {1, 5, 9, 13}), (DSSS, "GB", {1, 6, 11}), (OFDM, "US", {1, 6, 11})],
)
@pytest.mark.slow
def test_four_channels_where_thirteen_is_permitted_and_nobody_sends_in_the_old_way(
    tmp_path, case_of, rates, country, places
):
    """Four of our radios that hear each other well: with four places each has one for itself, with three it shares."""
    session = on_six(tmp_path, case_of, rates, country)
    assert channel_plans(session.assessment.radios, country) == (
        (THREE, FOUR) if len(places) == 4 else (THREE,)
    )
    assert any("Levels between our 4 radios in 2.4 GHz" in text for text in session.assessment.not_known)
    targets = [m.target for m in session.proposal.moves]
    assert {t.primary for t in targets} == places
    if len(places) == 4:
        assert any("1, 5, 9 and 13" in reason for m in session.proposal.moves for reason in m.reasons)


@pytest.mark.parametrize(
    ("text", "hours"),
    [
        ("8-16", range(8, 16)),
        ("11-14, 17-19", [11, 12, 13, 17, 18]),
        ("22-2", [22, 23, 0, 1]),
        ("0-24", range(24)),
    ],
)
def test_hours_are_read_with_their_end_left_out(text, hours):
    assert hours_from(text) == frozenset(hours)


@settings(max_examples=300)
@given(st.text("0123456789-, x", max_size=9))
def test_any_other_words_for_hours_are_refused_with_an_example(text):
    if not re.fullmatch(r"\d{1,2}-\d{1,2}(,\d{1,2}-\d{1,2})*", text.replace(" ", "")):
        with pytest.raises(InvalidInput, match="8-16"):
            hours_from(text)


def test_a_visitor_counts_by_how_much_of_the_hours_it_was_there(harbour):
    """A boat from 8 to 9 of ten hours: all of the time at 8, none of it at noon, and the whole window as before."""
    start_s = 86400.0 * 20458  # midnight UTC in winter
    assessment = replace(
        harbour.assessment,
        start_s=start_s + 6 * 3600,
        end_s=start_s + 16 * 3600,
        radios=tuple(
            replace(
                r,
                episodes=((start_s + 8 * 3600, start_s + 9 * 3600),)
                if r.name == "boat"
                else ((start_s + 6 * 3600, start_s + 16 * 3600),),
                stays=tuple(replace(s, presence=0.1 if r.name == "boat" else 1.0) for s in r.stays),
            )
            for r in harbour.assessment.radios
        ),
    )
    zone = site_time("GB")
    moments = moments_of(assessment, zone)

    def presence(hours):
        then = at_hours(assessment, frozenset(hours), moments, zone)
        return next(r for r in then.radios if r.name == "boat").stay.presence

    assert presence([8]) == pytest.approx(1.0, abs=0.05)
    assert presence([12, 13]) == pytest.approx(0.0, abs=0.02)
    assert presence(range(24)) == pytest.approx(0.1)
    assert presence([3]) == pytest.approx(0.1)  # nobody listened at night: nothing is claimed of it
    times = times_of_day(assessment, moments, zone, None, 6)
    assert sum(weight for weight, _ in times) == pytest.approx(1.0)
    assert len(times) == 2
    for _, then in times:
        for view in then.own:
            assert 0 <= view.now.clear_air <= 1
    loud, calm = (
        {v.radio.id: v.now.clear_air for v in at_hours(assessment, frozenset(h), moments, zone).own}
        for h in ([8], [12])
    )
    assert loud[OWN] < calm[OWN]


def test_the_order_of_radios_and_options_changes_no_plan(harbour):
    usual = propose(harbour.assessment, harbour.setup)
    turned = propose(replace(harbour.assessment, own=harbour.assessment.own[::-1]), harbour.setup)
    assert {m.radio.id: m.target for m in usual.moves} == {m.radio.id: m.target for m in turned.moves}


def test_the_change_sheet_says_what_to_set_in_which_order(harbour):
    sheet = sheet_of(harbour.proposal, harbour.setup)
    text = sheet_text(sheet)
    low = harbour.proposal.move_of(OWN)
    assert f"[ ] 1. {low.radio.name} 2.4 GHz: 3/40 -> 11/20" in text
    assert "channel 11, width 20 MHz, automatic choice off" in text
    assert OWN in text
    assert "done at ____" in text
    rows = list(csv.DictReader(io.StringIO(sheet_table(sheet))))
    assert [(r["from_channel"], r["to_channel"], r["to_width_mhz"]) for r in rows if r["band"] == "2.4"] == [
        ("3", "11", "20")
    ]
    assert {float(r["expected_mbps_after"]) for r in rows} == {
        move.after.expected_mbps for move in harbour.proposal.moves if not move.stays
    }


def test_a_hostile_name_is_harmless_on_the_sheet(harbour):
    names = ((OWN, "=cmd()\x1b[31m\u202e"),)
    session = Session(replace(harbour.setup, names=names), harbour.observations)
    sheet = sheet_of(session.proposal, session.setup)
    for text in (sheet_text(sheet), sheet_table(sheet)):
        assert "\x1b" not in text
        assert "\u202e" not in text
    for row in csv.reader(io.StringIO(sheet_table(sheet))):
        assert not any(cell.startswith(("=", "+", "@")) for cell in row)


def test_preferences_last_with_the_case(harbour, tmp_path, case_of):
    path = case_of(write_pcap(tmp_path / "b.pcap", busy_harbour()))
    preferences = PlanPreferences((OWN,), ((HIGH, "36-64"),), "avoid", 0.2, 3, ((OWN, 2.0),), "8-16")
    with Case.open(path) as case:
        case.save_setup(replace(case.setup(), preferences=preferences))
    with Case.open(path) as case:
        assert case.setup().preferences == preferences


def test_every_country_permits_something_and_no_channel_beyond_its_band():
    for country in KNOWN:
        assert any(is_allowed(country, c) for c in all_channels("2.4"))
        assert any(is_allowed(country, c) for c in all_channels("5"))
        assert not any(is_allowed(country, c) and c.primary == 14 for c in all_channels("2.4"))
    assert not is_allowed("US", narrow("2.4", 13))
    assert not any(is_allowed("JP", c) for c in wide("5", 149, 80))


def test_a_plan_that_was_stopped_can_be_asked_for_again(harbour):
    session = Session(harbour.setup, harbour.observations)

    def stop(done):
        raise KeyboardInterrupt

    session.planning = stop
    with pytest.raises(KeyboardInterrupt):
        _ = session.proposal
    told = []
    session.planning = told.append
    assert session.proposal.moves
    assert told == sorted(told)
    assert 0 <= told[0] <= told[-1] <= 1


def test_hours_at_which_nothing_was_heard_are_said_to_count_for_nothing(harbour):
    """The harbour was heard for some seconds: at one hour of the day, and at no other."""
    (hour,) = set(moments_of(harbour.assessment, site_time("GB")).hour.tolist())
    for first, words in ((hour, "at "), ((hour + 5) % 24, "nothing was heard at ")):
        preferences = PlanPreferences(hours=f"{first}-{(first + 1) % 24 or 24}")
        proposal = propose(harbour.assessment, replace(harbour.setup, preferences=preferences))
        assert proposal.hours.startswith(words)
        assert {m.target for m in proposal.moves} == {m.target for m in harbour.proposal.moves}
