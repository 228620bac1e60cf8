"""Each finding: what brings it up, and what is too little for it."""

from dataclasses import replace

import pytest

from gray_kettle.analysis.assessment import ChannelView, Gap, Utilisation
from gray_kettle.analysis.findings import find
from gray_kettle.analysis.inventory.channel_changes import answers, episodes_of, most_in_a_day, with_siblings
from gray_kettle.analysis.thresholds import Thresholds, shown, threshold_from, thresholds_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.enums import FindingKind
from gray_kettle.model.setup import Setup
from gray_kettle.site_timezone import site_time
from tests.radios import START_S, channel, client, emitter, facts, kinds, moving, network, radio

HOME = (("hall", -40.0), ("pier", -70.0))
OLD = {"generation": "g", "networks": (network("02:7a:10:05:20:00", "old", basic_rates_mbps=(1.0, 2.0)),)}
BOTH = {"channels": (("2.4", 1), ("5", 36))}


def own(owner=1, number=6, **more):
    return radio(owner, number, own=True, **({"level": -40.0} | more))


def with_clients(made, *clients, **more):
    return replace(made, networks=(replace(made.networks[0], clients=clients, **more),))


def box(clients, there=(), free=True):
    """A device of two bands: its 2.4 GHz on a busy channel, its 5 GHz free or as busy."""
    low, high = own(1, 6), own(1, 36, band="5", width=80)
    low = replace(with_clients(low, *clients), siblings=(high.id,))
    high = replace(with_clients(high, *there), siblings=(low.id,))
    busy = radio(9, 6, level=-50.0, activity=0.6)
    more = () if free else (radio(8, 36, band="5", width=80, level=-50.0, activity=0.9),)
    return (low, high, busy, *more)


ABLE = tuple(client(k, **BOTH) for k in range(4))
HELD = client(1, level=-80.0, level_at=(("hall", -80.0), ("pier", -50.0)))
ELSEWHERE = own(2, 11, at=(("pier", -35.0), ("hall", -70.0)))
SLOW, FAST = client(1, airtime_s=0.8, mbps=4.0, frames=90), client(2, airtime_s=0.2, mbps=80.0, frames=90)
CHASED = moving(
    own(1, 60, band="5", width=80), (300, 36, 100), (4000, 100, 52), (9000, 52, 36), (20000, 36, 60)
)
CHASER = moving(
    radio(7, 100, band="5", width=80), (10, 36, 100), (3700, 100, 52), (8900, 52, 36), (19000, 36, 60)
)
VISITS = tuple((START_S + h * 3600, START_S + h * 3600 + 1800) for h in (0, 6))
PASSING = radio(7, 6, level=-50.0, activity=0.5, presence=0.2, episodes=VISITS)
RADAR = emitter("radar", 5603.0, 5605.0, -60.0, 0.01)


@pytest.mark.parametrize(
    ("kind", "enough", "too_little"),
    [
        ("off-channel-plan", [own(1, 3)], [own(1, 6)]),
        ("wide-in-2.4", [own(1, 1, width=40)], [own(1, 1)]),
        ("co-channel", [own(1, 6), radio(9, 6, activity=0.3)], [own(1, 6), radio(9, 6, activity=0.02)]),
        ("overlap", [own(1, 6), radio(9, 8, activity=0.3)], [own(1, 6), radio(9, 11, level=-60.0, activity=0.3)]),
        ("wide-secondary-busy", [own(1, 36, band="5", width=80), radio(9, 44, band="5", activity=0.5)],
         [own(1, 36, band="5"), radio(9, 44, band="5", activity=0.5)]),
        ("margin", [own(1, 6), radio(9, 6, level=-50.0, activity=0.01)],
         [own(1, 6), radio(9, 6, level=-65.0, activity=0.01)]),
        ("hidden-neighbours", [own(1, 6, at=HOME), radio(8, 6, at=(("hall", -70.0), ("pier", -92.0), ("shed", -50.0))),
                               radio(9, 6, at=(("hall", -75.0), ("pier", -50.0), ("shed", -92.0)))],
         [own(1, 6, at=HOME), radio(8, 6, at=(("hall", -70.0), ("pier", -60.0))),
          radio(9, 6, at=(("hall", -75.0), ("pier", -50.0)))]),
        ("retries", [own(1, 6, retry_share=0.3, networks=(network("02:7a:10:01:20:00", frames=500),))],
         [own(1, 6, retry_share=0.3, networks=(network("02:7a:10:01:20:00", frames=50),))]),
        ("beacons", [own(1, 6, networks=tuple(network(f"02:7a:10:01:20:0{k}", beacon_share=0.03) for k in range(5)))],
         [own(1, 6)]),
        ("low-basic-rates", [own(5, 6, **OLD)], [own(1, 6)]),
        ("weak-own", [own(1, 6, level=-80.0)], [own(1, 6, level=-60.0)]),
        ("coverage", [own(1, 6, at=(("hall", -40.0), ("pier", -78.0))), radio(9, 11, at=(("pier", -55.0),))],
         [own(1, 6, at=(("hall", -40.0), ("pier", -60.0))), radio(9, 11, at=(("pier", -50.0),))]),
        ("thin-spots", [own(1, 6, at=(("hall", -40.0), ("pier", -78.0)))],
         [own(1, 6, at=(("hall", -40.0), ("pier", -60.0)))]),
        ("forgotten", [own(1, 6), own(5, 11, **OLD)], [own(1, 6), own(5, 11)]),
        ("unsteady", [own(1, 6, swing_db=18.0)], [own(1, 6, swing_db=9.0)]),
        ("band-imbalance", box(ABLE), box(ABLE, there=(*ABLE, client(9, **BOTH)))),
        ("band-imbalance", box(ABLE), box(tuple(client(k, channels=(("2.4", 1),)) for k in range(4)))),
        ("band-imbalance", box(ABLE), box(ABLE, free=False)),
        ("sticky-client", [with_clients(own(1, 6, at=HOME), HELD), ELSEWHERE],
         [with_clients(own(1, 6, at=HOME), replace(HELD, level_at=(("hall", -80.0), ("pier", -75.0)))), ELSEWHERE]),
        ("far-clients", [own(1, 6, client_level_dbm=-80.0)], [own(1, 6)]),
        ("slow-client", [with_clients(own(1, 6), SLOW, FAST)],
         [with_clients(own(1, 6), replace(SLOW, mbps=60.0), FAST)]),
        ("own-mover", [CHASED], [moving(own(1, 60, band="5", width=80), (300, 36, 60))]),
        ("foreign-mover", [own(), CHASER], [own(), moving(radio(7, 100, band="5", width=80), (10, 36, 100))]),
        ("chase", [CHASED, CHASER], [CHASED, replace(CHASER, changes=tuple(
            replace(c, time_s=c.time_s + 2000) for c in CHASER.changes))]),
        ("visitor", [own(1, 6), PASSING], [own(1, 6), replace(PASSING, activity=0.01)]),
        ("outdated-security", [own(1, 6, networks=(network("02:7a:10:01:20:00", security="WEP"),))], [own(1, 6)]),
        ("radar-left", [moving(own(1, 36, band="5", width=80), (600, 116, 36))],
         [moving(own(1, 36, band="5", width=80), (600, 44, 36))]),
        ("radar-left", [moving(own(1, 36, band="5", width=80), (600, 116, 36))],
         [moving(own(1, 36, band="5", width=80), (600, 116, 36)), moving(radio(7, 36, band="5"), (500, 116, 36))]),
    ],
)  # fmt: skip
def test_a_finding_needs_its_cause(kind, enough, too_little):
    found = {f.kind: f for f in find(facts(*enough))}
    assert kind in found
    assert found[kind].cause
    assert found[kind].effect
    assert found[kind].first_step
    assert found[kind].headline.startswith(FindingKind(kind).headline)
    assert kind not in kinds(*too_little)


def test_radar_that_is_heard_in_an_own_channel_is_reported_for_that_radio_alone():
    near, far = own(1, 116, band="5", width=80), own(2, 36, band="5", width=80)
    found = [f for f in find(facts(near, far, emitters=(RADAR,))) if f.kind == "radar-heard"]
    assert [f.radio for f in found] == [near.id]


def test_who_was_not_there_in_the_reference_is_new():
    mine, old, new = own(1, 6), radio(8, 11), radio(9, 11, level=-45.0)
    again = own(4, 1)  # our name from an address that was not there: an extender
    known = frozenset({mine.id, old.id})
    found = {f.radio for f in find(facts(mine, old, new, again, known_before=known)) if f.kind == "newcomer"}
    assert found == {new.id, again.id}
    assert "newcomer" not in kinds(mine, old, new)  # without a reference nothing is new


def test_a_busy_channel_is_reported_with_by_whom_and_when():
    mine, other = own(1, 6), radio(9, 6, activity=0.6)
    hours = ((8, "sweep", 0.3), (12, "sweep", 0.9))
    place = ChannelView(channel("2.4", 6), Utilisation(0.7, "sweep", "high", (), hours), None)
    summer_s, winter_s = 1_784_000_000.0, 1_763_000_000.0
    for start_s, hour in ((summer_s, "13:00"), (winter_s, "12:00")):
        there = replace(facts(mine, other), channels=(place,), start_s=start_s, site_time=site_time("GB"))
        busy = next(f for f in find(there) if f.kind == "high-utilisation")
        assert "radio 9" in busy.cause
        assert f"Busiest hour: {hour} with 90 %" in busy.effect


def test_only_what_keeps_a_decision_open_is_reported_as_missing():
    gaps = (
        Gap("clients", "none heard"),
        Gap("5 GHz", "5 GHz: not listened to.", "Places are kept out.", "Scan it."),
    )
    found = [f for f in find(replace(facts(own()), gaps=gaps)) if f.kind == "missing"]
    assert [f.first_step for f in found] == ["Scan it."]
    assert "missing" not in {f.kind for f in find(replace(facts(own()), gaps=gaps[:1]))}


def test_a_visit_costs_more_while_it_is_in_and_names_its_radios_together():
    friend = replace(radio(8, 6, level=-60.0, presence=0.2, episodes=VISITS), name="friend")
    (visit,) = [f for f in find(facts(own(1, 6), PASSING, friend)) if f.kind == "visitor"]
    assert visit.figures.radios == tuple(sorted([PASSING.id, friend.id]))
    assert visit.figures.lost_while_in > 3 * visit.figures.lost
    assert visit.figures.visits == 2


def test_a_slow_client_s_cost_follows_from_equal_turns():
    """Eighty megabits beside four: twenty times as long a turn, so about 2/21 of what two alike would share."""
    (slow,) = [f for f in find(facts(with_clients(own(1, 6), SLOW, FAST))) if f.kind == "slow-client"]
    assert " 10 %" in slow.effect or " 9 %" in slow.effect


def test_thresholds_change_what_is_reported_and_no_figure():
    strict = Setup(thresholds=(("act_lost", 0.9), ("watch_lost", 0.8), ("unknown_one", 1.0)))
    radios = (own(1, 6), radio(9, 6, activity=0.4))
    usual, told = facts(*radios), facts(*radios, limits=thresholds_of(strict))
    assert [f.severity for f in find(usual) if f.kind == "co-channel"] == ["act"]
    assert "co-channel" not in {f.kind for f in find(told)}
    assert usual.own == told.own


@pytest.mark.parametrize(
    ("text", "kept"),
    [("act-lost=20", ("act_lost", 0.2)), ("act_lost=20 %", ("act_lost", 0.2)), ("swing-db=9", ("swing_db", 9.0)),
     ("weak-own-dbm=−80", ("weak_own_dbm", -80.0))],
)  # fmt: skip
def test_a_threshold_is_written_as_it_is_shown(text, kept):
    assert threshold_from(text) == kept
    name, value = kept
    assert threshold_from(f"{name}={shown(name, value).rpartition(' ')[0] or shown(name, value)}") == kept


@pytest.mark.parametrize("text", ["act-lost", "nothing=3", "act-lost=120", "act-lost=x", "swing-db=nan"])
def test_a_threshold_that_means_nothing_is_refused_in_words(text):
    with pytest.raises(InvalidInput, match=r"threshold|does not do"):
        threshold_from(text)


def test_every_threshold_is_in_the_documents():
    from dataclasses import fields
    from pathlib import Path

    text = (Path(__file__).parent.parent / "docs" / "scoring.md").read_text()
    for one in fields(Thresholds):
        row = f"| {one.name.replace('_', '-')} | {shown(one.name, getattr(Thresholds(), one.name))} |"
        assert row in text


def test_absences_need_blocks_in_between():
    import numpy as np

    looks = np.arange(0.0, 3600.0, 60.0)
    heard = looks[(looks < 900) | (looks > 2400)]
    assert episodes_of(heard, looks, 300.0) == ((0.0, 840.0), (2460.0, 3540.0))
    assert len(episodes_of(heard, heard, 300.0)) == 1  # nobody looked then


def test_moves_are_counted_in_any_day_and_answered_within_their_time():
    many = moving(own(1, 36, band="5"), *((h * 3600.0, 36, 52) for h in (0, 20, 23, 25)), width=20)
    assert most_in_a_day(many.changes) == 3
    assert len(answers(CHASED, CHASER, 1200)) == 4
    assert answers(CHASER, CHASED, 1200) == []


def test_radios_of_one_box_are_siblings_and_neighbours_of_another_are_not():
    low, high = radio(1, 6), radio(1, 36, band="5")
    other = radio(2, 44, band="5")
    found = {r.id: r.siblings for r in with_siblings((low, high, other))}
    assert found == {low.id: (high.id,), high.id: (low.id,), other.id: ()}
