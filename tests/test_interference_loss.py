"""The model of harm: the properties that must hold whatever is heard."""

import math
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from gray_kettle.analysis.loss.channel_plan import FOUR, THREE, channel_plans, fits_plan, plan_text
from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio, score_channels
from gray_kettle.phy.channels import all_channels, narrow, wide
from gray_kettle.phy.contention import mac_efficiency

ASKING = VictimRadio("ax", 2, -65.0)
CANDIDATES = Candidates([*all_channels("2.4"), *all_channels("5")])

LEVELS = st.floats(-100, -30)
SHARES = st.floats(0, 1)
OTHER = st.tuples(
    st.sampled_from([*all_channels("2.4"), *all_channels("5")]),
    LEVELS,
    SHARES,
    SHARES,
    st.one_of(st.just(float("nan")), SHARES),
    st.booleans(),
)


def others(*rows) -> Interferers:
    columns = list(zip(*rows, strict=True)) if rows else [()] * 6
    numbers = [np.array(c, dtype=np.float64) for c in columns[1:5]]
    dsss = np.array(
        [d and c.width_mhz == 20 and c.band == "2.4" for c, d in zip(columns[0], columns[5], strict=True)],
        dtype=bool,
    )
    return Interferers(tuple(columns[0]), *numbers, dsss)


def one(number, level_dbm, activity=0.3, told=float("nan"), width=20, band="2.4", presence=1.0):
    return (wide(band, number, width)[0], level_dbm, activity, presence, told, False)


def clear_on(number, *rows, victim=ASKING):
    return float(score_channels(victim, Candidates([narrow("2.4", number)]), others(*rows)).clear_air[0])


ASKINGS = st.builds(
    VictimRadio,
    st.sampled_from(["g", "n", "ac", "ax", "be"]),
    st.integers(1, 4),
    st.floats(-85, -30),
    st.one_of(st.none(), st.sampled_from(all_channels("2.4"))),
)


@given(ASKINGS, st.lists(OTHER, max_size=8))
def test_all_shares_lie_between_zero_and_one(victim, rows):
    found = score_channels(victim, CANDIDATES, others(*rows))
    for shares in (
        found.clear_air,
        found.co_lost,
        found.unidentified,
        found.adjacent_lost,
        found.co_lost_to,
        found.adjacent_lost_to,
    ):
        assert np.all((shares >= 0) & (shares <= 1 + 1e-12))
    assert np.all(found.expected_mbps >= 0)


@given(ASKINGS, st.lists(OTHER, max_size=6), OTHER)
def test_another_radio_never_clears_the_air(victim, rows, added):
    """Nobody reported busy time before: what is busy by whom one does not know leaves more once it has a name."""
    rows = [(*row[:4], math.nan, row[5]) for row in rows]
    before = score_channels(victim, CANDIDATES, others(*rows))
    after = score_channels(victim, CANDIDATES, others(*rows, added))
    assert np.all(after.clear_air <= before.clear_air + 1e-9)
    assert np.all(after.expected_mbps <= before.expected_mbps + 1e-6)


@given(ASKINGS, st.lists(OTHER, min_size=1, max_size=6), SHARES, SHARES, st.data())
def test_busier_or_more_often_never_clears_the_air(victim, rows, busier, more_often, pick):
    """Without reports, for the reason above."""
    rows = [(*row[:4], math.nan, row[5]) for row in rows]
    k = pick.draw(st.integers(0, len(rows) - 1))
    channel, level, activity, presence, _, dsss = rows[k]
    activity, presence = activity + busier * (1 - activity), presence + more_often * (1 - presence)
    _never_clearer(victim, rows, k, (channel, level, activity, presence, math.nan, dsss))


@given(ASKINGS, st.lists(OTHER, min_size=1, max_size=6), SHARES, st.data())
def test_a_higher_report_never_clears_the_air(victim, rows, busier, pick):
    k = pick.draw(st.integers(0, len(rows) - 1))
    reported = np.nan_to_num(rows[k][4])
    _never_clearer(victim, rows, k, (*rows[k][:4], reported + busier * (1 - reported), rows[k][5]))


def _never_clearer(victim, rows, k, raised):
    """A wide channel may gain up to 0.02: a sender that is on the air more often is stayed away from sooner."""
    before = score_channels(victim, CANDIDATES, others(*rows))
    after = score_channels(victim, CANDIDATES, others(*rows[:k], raised, *rows[k + 1 :]))
    slack = np.where(CANDIDATES.width_mhz == 20, 1e-9, 0.02)
    assert np.all(after.clear_air <= before.clear_air + slack)


@given(st.lists(OTHER, max_size=6), st.randoms())
def test_the_order_of_the_radios_changes_nothing(rows, random):
    mixed = list(rows)
    random.shuffle(mixed)
    one_way = score_channels(ASKING, CANDIDATES, others(*rows)).clear_air
    assert score_channels(ASKING, CANDIDATES, others(*mixed)).clear_air == pytest.approx(one_way, abs=1e-12)


@given(ASKINGS, OTHER, st.floats(0, 30))
def test_louder_never_clears_the_air_while_it_is_not_waited_for(victim, row, louder_db):
    """What becomes loud enough to be waited for shares the air from then on, where before it collided
    (docs/decisions/029-checked-against-simulation.md).
    """
    quiet, loud = (others((row[0], level, *row[2:])) for level in (row[1], row[1] + louder_db))
    before, after = (score_channels(victim, CANDIDATES, o) for o in (quiet, loud))
    rare = 0.01 * row[3]  # of its presence
    same_way = (after.count <= rare) & (after.beyond.sum(axis=1) <= rare)
    assert np.all((after.clear_air <= before.clear_air + 1e-3)[same_way])


@given(st.floats(-75, -67), st.floats(0.02, 1.0), st.integers(1, 3), st.sampled_from([-1, 1]))
def test_an_overlapping_neighbour_costs_at_least_as_much_as_one_on_the_same_channel(
    level, activity, away, side
):
    assume(1 <= 6 + side * away <= 13)
    same = 1 - clear_on(6, one(6, level, activity))
    overlapping = 1 - clear_on(6, one(6 + side * away, level, activity))
    assert overlapping >= same - 1e-9


@given(st.floats(-95, -52), st.floats(0, 1.0), st.integers(5, 8))
def test_five_numbers_away_is_nearly_none(level, activity, away):
    assert clear_on(1, one(1 + away, level, activity)) > 0.85


def test_a_very_loud_one_five_numbers_away_causes_loss():
    assert clear_on(1, one(6, -40, 0.5)) < 0.6


@given(OTHER)
def test_a_radio_below_hearing_changes_nothing(row):
    hidden = (row[0], -95.1, *row[2:])
    found = score_channels(ASKING, CANDIDATES, others(hidden))
    assert np.all(found.clear_air == 1)


def test_contenders_leave_a_fair_share():
    assert clear_on(6, *[one(6, -50, 1.0)] * 3) == pytest.approx(0.25)
    assert clear_on(6, *[one(6, -50, 1.0)] * 4) == pytest.approx(0.2)


def test_what_several_access_points_tell_of_one_channel_counts_once():
    """Two that both find the channel 40 % busy do not make it 64 % busy."""
    assert clear_on(6, one(6, -50, 0.05, 0.4), one(6, -50, 0.05, 0.4)) == pytest.approx(0.6, abs=0.001)


def test_our_own_frames_are_not_held_against_the_frequency_where_we_are():
    here = VictimRadio("ax", 2, -65.0, narrow("2.4", 6))
    # One other and we share what is told: half of it is taken for ours.
    assert clear_on(6, one(6, -50, 0.05, 0.4), victim=here) == pytest.approx(0.8, abs=0.001)


def test_presence_weighs_what_comes_and_goes():
    always = 1 - clear_on(6, one(6, -50, 0.4))
    seldom = 1 - clear_on(6, one(6, -50, 0.4, presence=0.25))
    assert seldom == pytest.approx(always / 4, rel=1e-6)


def test_a_busy_secondary_narrows_a_wide_channel_but_leaves_its_primary():
    candidates = Candidates([wide("5", 36, 80)[0], narrow("5", 36)])
    found = score_channels(ASKING, candidates, others(one(44, -64, 1.0, band="5")))
    # 36 and 40 stay usable: half of the width. What the wide receiver takes in unfiltered costs more.
    assert found.width_share == pytest.approx([0.5, 1.0], abs=0.02)
    assert 0.4 < found.clear_air[0] < 0.5
    assert found.clear_air[1] > 0.98
    alone = score_channels(ASKING, candidates, others())
    assert 1.0 < alone.expected_mbps[0] / found.expected_mbps[0] < 2.5
    assert found.expected_mbps[0] > found.expected_mbps[1]


def test_a_wide_neighbour_is_heard_by_its_full_width_level_on_its_other_parts():
    """-82 dBm on its primary; on its other parts its frames are spread over 80 MHz: -76 is the threshold there."""
    at_primary = score_channels(
        ASKING, Candidates([narrow("5", 36)]), others(one(36, -82, 1.0, width=80, band="5"))
    )
    at_other = score_channels(
        ASKING, Candidates([narrow("5", 44)]), others(one(36, -76, 1.0, width=80, band="5"))
    )
    assert at_primary.heard_on_primary[0, 0] == pytest.approx(0.5, abs=0.01)
    assert at_other.heard_on_primary[0, 0] == pytest.approx(0.5, abs=0.01)


def test_expected_throughput_is_clear_air_times_efficiency_times_rate():
    """A worked example: 40 % busy on the same channel, 2 streams of ax at 30 dB over the noise.

    MCS 9 needs 29 dB: with 2 dB of fading Φ((30 − 29 + 0.9) / 2) = 83 % of its packets arrive, 190 of 229 Mb/s. MCS 8
    needs 27: Φ(1.95) = 97 %, 201 of 206 Mb/s, which is more.
    """
    found = score_channels(
        VictimRadio("ax", 2, -64.0), Candidates([narrow("2.4", 6)]), others(one(6, -50, 0.4))
    )
    rate = 234 * 8 * 3 / 4 * 2 / 13.6 * (1 + math.erf(1.95 / math.sqrt(2))) / 2
    assert found.expected_mbps[0] == pytest.approx(0.6 * float(mac_efficiency(1.4)) * rate, rel=0.002)


@pytest.mark.parametrize(
    ("country", "rates", "generation", "plans"),
    [
        ("GB", (12.0, 24.0), "ax", (THREE, FOUR)),
        ("US", (12.0, 24.0), "ax", (THREE,)),  # 13 is not permitted
        ("GB", (1.0, 12.0), "ax", (THREE,)),
        ("GB", (6.0, 11.0), "n", (THREE,)),
        ("GB", (), "ax", (THREE,)),  # not known
        ("GB", (12.0,), "b", (THREE,)),
    ],
)
def test_four_channels_side_by_side_need_channel_13_and_no_dsss(country, rates, generation, plans):
    networks = (SimpleNamespace(basic_rates_mbps=rates),)
    quiet = SimpleNamespace(band="2.4", generation="ax", networks=(SimpleNamespace(basic_rates_mbps=(6.0,)),))
    asked = SimpleNamespace(band="2.4", generation=generation, networks=networks)
    other_band = SimpleNamespace(band="5", generation="b", networks=())
    assert channel_plans([quiet, asked, other_band], country) == plans
    assert channel_plans([other_band], country) == (THREE,)
    assert plan_text(plans[-1]) == ("1, 5, 9 and 13" if FOUR in plans else "1, 6 and 11")
    assert [n for n in range(1, 15) if fits_plan(narrow("2.4", n), plans[-1])] == list(plans[-1])
    assert fits_plan(narrow("5", 36), plans[-1])
