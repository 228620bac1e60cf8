"""The demo case holds what its story says, and is the same each time."""

from dataclasses import replace

import pytest

from gray_kettle.planner.propose import propose
from gray_kettle.session import load_session
from gray_kettle.store import Case


@pytest.fixture(scope="module")
def session(demo_case):
    with Case.open(demo_case) as case:
        return load_session(case)


def radio(session, name, band):
    return next(r for r in session.assessment.radios if (r.name, r.band) == (name, band))


def test_all_own_radios_are_heard_where_the_story_puts_them(session):
    own = {(r.name, r.band): r.channel.label for r in session.assessment.radios if r.own}
    office_5 = own.pop(("office", "5"))
    assert office_5 in ("44/80", "60/80", "108/80", "124/80")
    assert own == {
        ("hall", "2.4"): "3/40",
        ("hall", "5"): "149/80",
        ("tea bar", "2.4"): "6/20",
        ("tea bar", "5"): "36/80",
        ("pier", "2.4"): "6/20",
        ("pier", "5"): "100/80",
        ("office", "2.4"): "11/20",
        ("office", "6"): "37/80",
        ("shed", "2.4"): "11/20",
    }


def test_its_faults_are_found(session):
    found = {(f.kind, f.subject) for f in session.proposal.findings}
    assert ("off-channel-plan", "hall 2.4 GHz") in found
    assert ("wide-in-2.4", "hall 2.4 GHz") in found
    assert ("co-channel", "tea bar 2.4 GHz") in found
    assert ("chase", "office 5 GHz") in found
    assert ("retries", "hall 2.4 GHz") in found
    assert ("outdated-security", "pumphouse, saltline-stock") in found


def test_every_cause_of_the_story_is_named_and_nothing_else_is_to_act_on(session):
    """What is wrong at Tern Quay, and the finding that says so.

    Automatic selection put the hall on 3, 40 MHz wide: off-channel-plan, wide-in-2.4. Tea bar and pier are on 6
    and hear each other: co-channel of both. The oven at lunch and the gangway camera: emitters, with what they
    cost while on. Boats with their networks: visitor, six calls. Headsets, lights and tags: emitters. The
    chandlery wanders and the office follows: chase. The office left 116 for radar: radar-left. The hall's 5 GHz
    is idle while its 2.4 GHz is crowded: band-imbalance. Two foreign ciphers: outdated-security. The shed:
    forgotten, and low-basic-rates.
    """
    findings = session.proposal.findings
    found = {(f.kind, f.subject) for f in findings}
    assert found >= {
        ("off-channel-plan", "hall 2.4 GHz"), ("wide-in-2.4", "hall 2.4 GHz"), ("co-channel", "tea bar 2.4 GHz"),
        ("co-channel", "pier 2.4 GHz"), ("chase", "office 5 GHz"), ("radar-left", "office 5 GHz"),
        ("band-imbalance", "hall 2.4 GHz"), ("outdated-security", "pumphouse, saltline-stock"),
        ("forgotten", "shed 2.4 GHz"), ("retries", "hall 2.4 GHz"),
    }  # fmt: skip
    emitters = {f.figures.kind: f for f in findings if f.kind == "emitter"}
    assert set(emitters) == {"microwave-oven", "analogue-video", "bluetooth", "ble-advertising", "802.15.4"}
    visit = next(f for f in findings if f.kind == "visitor")
    assert "MV Guillemot" in visit.subject
    assert visit.figures.visits == 6
    assert "116/80 on Thu 03:21" in next(f for f in findings if f.kind == "radar-left").cause
    rates = next(f for f in findings if f.kind == "low-basic-rates")
    assert "shed 2.4 GHz" in rates.cause
    act = {(f.kind, f.radio) for f in findings if f.severity == "act"}
    assert {kind for kind, _ in act} <= {"off-channel-plan", "wide-in-2.4", "co-channel", "emitter"}
    assert not {"far-clients", "weak-own", "coverage", "sticky-client"} & {f.kind for f in findings}


def plan_of(session, **preferences):
    setup = replace(session.setup, preferences=replace(session.setup.preferences, **preferences))
    moves = propose(session.assessment, setup).moves
    return {(m.radio.name, m.radio.band): m for m in moves}


@pytest.mark.slow
def test_the_plan_is_the_one_that_the_facts_call_for(session):
    """What an expert would say at Tern Quay, from the facts of the story:

    - The hall cannot stay on 3/40: 40 MHz there lie over both 1 and 6, neither side gives way. The scanners end at
      channel 11 and need 2.4 GHz, so that 12 and 13 are closed. Everybody still announces 1 and 2 Mb/s, so that the
      places are 1, 6 and 11.
    - That leaves 1 to the hall, at 20 MHz: most of the day nobody else is there. While the others are quiet it has less
      than with 40 MHz, in the busy hour many times more, and so have tea bar and pier.
    - Four used radios are left for 6 and 11: two must share. Tea bar and pier share 6 already and hear each other well,
      so they take turns; on 11 are the office, the chandlery and, at lunch, the oven. They stay.
    - While a boat is in, its networks fill 1, 3 and 6 and the gangway camera 2.41 to 2.43 GHz: the hall has half of the
      air then, still more than a third share of 6 or 11 in the busy hour.
    - The shed serves nobody: switch it off (other steps).
    - In 5 GHz the office shares its 80 MHz with the tea bar, and chases the chandlery: it gets a fixed channel of its
      own, none where the weather radar was detected.
    """
    moves = plan_of(session)
    hall = moves["hall", "2.4"]
    assert (hall.source.label, hall.target.label) == ("3/40", "1/20")
    assert hall.after.clear_air > hall.before.clear_air + 0.2
    assert hall.busy_mbps[1] > 4 * hall.busy_mbps[0]
    assert moves["tea bar", "2.4"].stays
    assert moves["pier", "2.4"].stays
    assert moves["pier", "2.4"].busy_mbps[1] > 3 * moves["pier", "2.4"].busy_mbps[0]
    assert {m.target.width_mhz for (_, band), m in moves.items() if band == "2.4"} == {20}
    assert all(m.target.primary in (1, 6, 11) for (_, band), m in moves.items() if band == "2.4")
    office = moves["office", "5"]
    assert not set(office.target.parts) & {36, 40, 44, 48}
    assert any(f"Set {office.target.label} as a fixed channel" in reason for reason in office.reasons)
    assert not any(
        set(m.target.parts) & {116, 120, 124, 128} for (_, band), m in moves.items() if band == "5"
    )
    boats = plan_of(session, hours="8-9")
    assert boats["hall", "2.4"].target.label == "1/20"
    assert boats["hall", "2.4"].before.clear_air < hall.before.clear_air


def test_the_forgotten_shed_is_among_the_other_steps(session):
    assert any(step.what == "Switch shed 2.4 GHz off" for step in session.proposal.other_steps)


def test_what_is_not_wifi_is_reported_and_nothing_else(session):
    """The story: an oven at lunch, a camera while a boat is in, headsets of the crew, tags, lamps of the car park."""
    emitters = {e.kind: e for e in session.assessment.emitters}
    assert set(emitters) == {"microwave-oven", "analogue-video", "bluetooth", "ble-advertising", "802.15.4"}
    assert len(session.assessment.emitters) == 5
    assert {hour for hour, share in emitters["microwave-oven"].hours if share} <= {11, 12, 13}
    assert emitters["analogue-video"].centre_hz == pytest.approx(2.4205e9, abs=1e6)
    subjects = {
        f.subject.partition(" at ")[0]: f.severity for f in session.assessment.findings if f.kind == "emitter"
    }
    assert (subjects["microwave oven"], subjects["analogue video (camera or video sender)"]) == (
        "act",
        "act",
    )


@pytest.mark.slow
def test_the_brief_names_the_same_steps_as_the_plan(demo_case):
    with Case.open(demo_case) as case:
        bounded, planned = load_session(case), load_session(case)
    assert bounded.quick_findings == planned.proposal.findings
    assert "proposal" not in bounded.__dict__


def test_boats_come_and_go(session):
    assert 0.02 < radio(session, "MV Guillemot", "2.4").stay.presence < 0.3
    assert radio(session, "hall", "2.4").stay.presence == 1


def test_the_chandlery_wanders_and_six_gigahertz_does_not(session):
    assert radio(session, "Saltline Chandlery", "5").moves > 5
    assert radio(session, "office", "6").moves == 0


def test_clients_are_assessed_where_their_radio_is_heard_best(session):
    # The captures were taken in the hall: they tell of the hall's clients, not of the pier's.
    assert radio(session, "hall", "2.4").client_level_dbm is not None
    assert radio(session, "pier", "2.4").client_level_dbm is None
