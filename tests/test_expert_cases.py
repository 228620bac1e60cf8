"""Observation → what an experienced engineer says: cases in which a plan or a figure once misled."""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from benchmarks.csma import theory
from benchmarks.csma.one_radio import Site
from benchmarks.csma.plans import random_site

from gray_kettle.analysis.assessment import ChannelView, Utilisation
from gray_kettle.analysis.findings import find
from gray_kettle.analysis.inventory.activity_prior import (
    activity_interval,
    posterior_activity,
    prior_activity,
)
from gray_kettle.analysis.loss.emitter_loss import Emission
from gray_kettle.analysis.loss.interference_loss import Candidates, VictimRadio, score_channels
from gray_kettle.decode.capture_headers import modulation
from gray_kettle.decode.dot11 import security
from gray_kettle.model.enums import LossKind, UtilisationSource
from gray_kettle.model.plan_preferences import PlanPreferences
from gray_kettle.model.records import Listening
from gray_kettle.model.setup import Setup
from gray_kettle.phy import modes
from gray_kettle.phy.channels import narrow, wide
from gray_kettle.phy.countries import power_change_db
from gray_kettle.planner.objective import Objective
from gray_kettle.planner.propose import design_load
from gray_kettle.planner.solver import solve
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.store.merging import merged_listening
from tests.frames import OWN, beacon, data, ht, load, survey_of, vht, write_full_scan, write_pcap
from tests.radios import emitter, facts, radio
from tests.test_worked_cases import TYPICAL_CLIENT, among, expected


@pytest.fixture
def session_of(tmp_path, case_of):
    def make(packets, *texts, **setup):
        files = [write_pcap(tmp_path / "a.pcap", packets)]
        for k, text in enumerate(texts):
            files.append(tmp_path / f"{k}.txt")
            files[-1].write_text(text)
        path = case_of(*files, setup=Setup(**{"country": "GB", "own": ("tern-guest",), **setup}))
        with Case.open(path) as case:
            return load_session(case)

    return make


def ours(number, bssid=OWN, level=-45, band_width=20, **more):
    tags = (*ht(number, 1 if band_width > 20 else 0), *more.get("tags", ()))
    return [beacon(bssid, b"tern-guest", number, level, k / 10, *tags) for k in range(60)]


def view_of(session, band, number):
    return next(
        v for v in session.assessment.channels if (v.channel.band, v.channel.primary) == (band, number)
    )


# What was not listened to is not known


def test_three_tuned_channels_say_nothing_of_the_rest(session_of):
    """A capture on 36, 40 and 44: nobody knows about 100 and up, and no radio is moved there."""
    packets = ours(36, tags=vht(1, 42), band_width=40)
    packets += [
        beacon("02:00:00:00:09:01", b"near", n, -60, k / 10 + 0.03, *ht(n))
        for k in range(60)
        for n in (40, 44)
    ]
    session = session_of(packets)
    assert session.assessment.covered == {("5", 36), ("5", 40), ("5", 44)}
    assert view_of(session, "5", 100).assessed is None
    (move,) = session.proposal.moves
    assert set(move.target.parts) <= {36, 40, 44, 48}
    assert any("only 36, 40, 44 listened to" in text for text in session.assessment.not_known)


def test_one_sighting_in_a_log_opens_no_band_and_a_full_scan_does(tmp_path, case_of):
    log = tmp_path / "log.jsonl"
    log.write_text(
        '{"time": "2027-01-15T08:00:00Z", "bssid": "02:00:00:00:09:01", "ssid": "near", "frequency_mhz": 5180, '
        '"level_dbm": -60}\n'
    )
    covered = []
    for k, file in enumerate((log, write_full_scan(tmp_path / "scan.txt"))):
        with Case.open(case_of(file, name=f"{k}.kettle")) as case:
            covered.append(load_session(case).assessment.covered)
    assert {c for c in covered[0] if c[0] == "5"} <= {("5", 36)}
    assert ("5", 149) in covered[1]


# What was measured busy is busy


@pytest.mark.parametrize(
    ("busy_ms", "most_clear"), [(9_200, 0.1), (5_000, 0.52), (100, 1.0)], ids=["92 %", "50 %", "1 %"]
)
def test_a_survey_bounds_clear_air_where_no_network_is_heard(session_of, busy_ms, most_clear):
    """Busy by whatever it is: it is no clear channel, the cause is named for what it is, and nobody is moved there."""
    packets = ours(6) + [
        beacon("02:00:00:00:09:01", b"near", 6, -50, k / 10 + 0.03, *ht(6), load(9, 150)) for k in range(60)
    ]
    packets += [beacon(f"02:00:00:00:08:{n:02x}", b"far", n, -91, k / 10) for k in range(60) for n in (1, 11)]
    session = session_of(packets, survey_of(2462, 10_000, busy_ms))
    view = view_of(session, "2.4", 11)
    assert view.assessed.clear_air <= most_clear
    if busy_ms > 1000:
        cause = next(h for h in view.assessed.losses if h.kind == LossKind.UNIDENTIFIED)
        assert cause.name == "busy, cause not identified"
        assert cause.level_dbm is None
    (move,) = session.proposal.moves
    assert (move.target.primary == 11) <= (busy_ms < 5_000)


def test_our_own_traffic_is_taken_off_what_was_measured(session_of):
    """Alone on 1, and our own radio sends half of the time: the survey says 50 %, and nobody else is to blame."""
    from tests.frames import traffic

    packets = ours(1) + traffic(OWN, "06:00:00:00:00:01", 1, frames=3000)
    session = session_of(packets, survey_of(2412, 10_000, 300))
    (own,) = session.assessment.own
    assert own.now.unidentified_lost < 0.03


def test_an_access_point_that_reports_90_percent_busy_leaves_little():
    found = score_channels(TYPICAL_CLIENT, Candidates([narrow("2.4", 6)]), reporting(0.9))
    assert found.clear_air[0] < 0.15


def reporting(busy):
    others = among((6, -50, 0.05))
    others.reported_utilisation[0] = busy
    return others


# Activity is an estimate


def test_a_minute_of_silence_does_not_make_a_neighbour_idle():
    prior = prior_activity("2.4", "ax")
    assert posterior_activity(prior, 0.0, 60) > 0.75 * prior
    assert posterior_activity(prior, 0.0, 36_000) < 0.01 * prior + 0.001
    assert posterior_activity(prior, 0.6, 36_000) == pytest.approx(0.6, abs=0.01)
    narrow_, wide_ = activity_interval(0.3, 36_000), activity_interval(0.3, 60)
    assert wide_[0] < narrow_[0] < 0.3 < narrow_[1] < wide_[1]


# Plans are made for the busy hour


def test_three_idle_own_radios_on_one_channel_are_spread_out(session_of):
    """Captured while idle: in the busy hour they would share one channel. They are moved, and none is switched off."""
    packets = [p for n in range(3) for p in ours(6, bssid=f"02:00:00:00:0{n}:01", level=-50)]
    packets += [beacon(f"02:00:00:00:08:{n:02x}", b"far", n, -91, k / 10) for k in range(60) for n in (1, 11)]
    session = session_of(packets)
    assert {m.target.primary for m in session.proposal.moves} == {1, 6, 11}
    assert not any("witch off" in step.what for step in session.proposal.other_steps)


def test_a_plan_loses_in_neither_state(session_of):
    from tests.test_plan import site_of_thirteen

    models = site_of_thirteen()
    objective = Objective(models, (0.0,))
    solution = solve(models)
    before, after = (objective.by_state(np.array(c)) for c in (objective.start, solution.chosen))
    assert all(then > now - 0.02 for now, then in zip(before, after, strict=True))


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(2))
def test_what_was_carried_out_as_advised_is_not_taken_back(seed):
    site = random_site(np.random.default_rng(seed), "2.4", wide_start=True)
    planned = site.planned()
    assert all(c.width_mhz == 20 and c.primary in (1, 6, 11) for c in planned)
    assert replace(site, channels=(*planned, *site.channels[site.own :])).planned() == planned


def test_the_design_load_is_of_the_site_or_of_a_radio():
    preferences = PlanPreferences(design_load=0.3, loads=((OWN, 0.8),))
    assert (design_load(preferences, OWN), design_load(preferences, "02:00:00:00:00:99")) == (0.8, 0.3)
    assert design_load(preferences, "02:00:00:00:00:99", is_used=False) == 0.0


# Hopping receivers


@pytest.mark.parametrize("channels", [13, 25])
@pytest.mark.parametrize("pause_s", [0.0, 3600.0])
def test_the_dwell_of_a_hopping_receiver_follows_from_its_rhythm(channels, pause_s):
    """250 ms a channel, three of them active: 30 % of the time on the air is not 6 %, nor is a pause dwell."""
    rows, period_s = [], 0.25 * channels
    rng = np.random.default_rng(1)
    for visit in range(60):
        for n, hz in enumerate((2.412e9, 2.437e9, 2.462e9)):
            begins = visit * period_s + n * 5 * 0.25 + pause_s * (visit >= 30)
            heard = np.sort(rng.uniform(begins, begins + 0.25, 20))
            rows.append((heard[0], heard[-1], hz))
    start, end, hz = (np.array(c) for c in zip(*sorted(rows), strict=True))
    spot, unknown = np.zeros(len(hz), np.int64), np.full(len(hz), np.nan)
    found = merged_listening(Listening(start, end, hz, spot, unknown), -np.inf, np.inf)
    for one in np.unique(found.receiver_hz):
        here = found.rows(found.receiver_hz == one)
        dwell_s = float((here.end_s - here.start_s).sum())
        assert dwell_s == pytest.approx(60 * 0.25, rel=0.15)
        assert float(here.most_s.sum()) < 1.2 * dwell_s


def test_without_a_rhythm_the_dwell_is_an_interval():
    rng = np.random.default_rng(2)
    start = np.cumsum(rng.exponential(1.0, 40))
    end = start + 0.05
    hz = rng.choice([2.412e9, 2.437e9, 2.462e9], 40)
    found = merged_listening(
        Listening(start, end, hz, np.zeros(40, np.int64), np.full(40, np.nan)), -np.inf, np.inf
    )
    assert float(found.most_s.sum()) > 2 * float((found.end_s - found.start_s).sum())


# Interference


@pytest.mark.parametrize(
    ("channel", "client_dbm", "neighbours", "least", "most"),
    [
        # Four that we cannot decode are no clear air for a client at −72 dBm: they raise its noise while they send.
        (narrow("2.4", 6), -72.0, [(narrow("2.4", 6), -87.0, 0.3)] * 4, 0.1, 0.45),
        # From −62 dBm on both wait for each other: a busy neighbour one to three numbers off leaves about half.
        *[(narrow("2.4", 6), -65.0, [(narrow("2.4", 6 - d), -50.0, 0.8)], 0.35, 0.6) for d in (1, 2, 3)],
        # A loud neighbour four numbers off is not free of harm, five numbers off nearly.
        (narrow("2.4", 6), -65.0, [(narrow("2.4", 2), -55.0, 0.5)], 0.6, 0.85),
        (narrow("2.4", 6), -65.0, [(narrow("2.4", 1), -55.0, 0.5)], 0.88, 0.99),
        # One of 40 % on the same channel leaves 60 %, three saturated ones a quarter.
        (narrow("2.4", 6), -64.0, [(narrow("2.4", 6), -50.0, 0.4)], 0.5, 0.62),
        (narrow("2.4", 6), -64.0, [(narrow("2.4", 6), -50.0, 1.0)] * 3, 0.2, 0.28),
    ],
)  # fmt: skip
def test_the_share_that_is_left_is_that_of_the_simulation(channel, client_dbm, neighbours, least, most):
    """Bounds by simulation slot by slot (docs/truth.md), each the mean of several positions of the client."""
    n = len(neighbours)
    site = Site(channel, client_dbm, tuple(neighbours), np.full((n, n), -60.0))
    alone = Site(channel, client_dbm, (), np.zeros((0, 0)))
    assert least <= site.expected_mbps() / alone.expected_mbps() <= most


def test_a_carrier_on_the_seam_of_two_parts_harms_the_wide_channel():
    """5190 MHz lies between 36 and 40: of 36/80 it spoils the wide frames, of 36/20 and 40/20 nothing."""
    carrier = emitter("continuous-carrier", 5189.9, 5190.1, duty=1.0)
    emission = Emission(carrier, -60.0, {}, float("inf"))
    found = score_channels(
        VictimRadio("ac", 2, -60.0),
        Candidates([wide("5", 36, 80)[0], narrow("5", 36), narrow("5", 40)]),
        among(emissions=(emission,)),
    )
    assert found.width_share[0] < 0.5
    assert found.non_wifi_width_lost_to[0, 0] > 0.5
    found_by_name = emitter_findings(carrier)
    assert found_by_name.lost > 0.5
    assert found.clear_air[1:] == pytest.approx([1.0, 1.0], abs=0.01)


def emitter_findings(carrier):
    """The finding about an emitter that one own radio on 36/80 has."""
    own = radio(1, 36, own=True, band="5", width=80, level=-40.0)
    heard = replace(carrier, level_dbm=-60.0, duty=1.0, duty_while_on=1.0)
    return next(f for f in find(facts(own, emitters=(heard,))) if f.kind == "emitter")


def test_short_bursts_cost_the_packets_that_they_meet_and_not_whole_aggregates():
    """Bluetooth of 12 % duty, bursts of 0.4 ms: 1 − 0.88 · e^(−0.06) = 17 % of the packets, not 44 % of the time."""
    hopper = emitter("bluetooth", 2402.0, 2480.0, duty=0.12)
    emission = Emission(hopper, -65.0, {("2.4", 6): 0.12}, 0.4e-3)
    lost = 1 - expected(among(emissions=(emission,)), narrow("2.4", 6)).clear_air[0]
    assert 0.1 < lost < 0.24


# Limits


def test_less_power_on_a_sub_band_costs_level():
    low, high = wide("5", 36, 80)[0], wide("5", 149, 80)[0]
    assert power_change_db("DE", low, high) == -9.0
    assert power_change_db("US", low, high) == 0.0
    victim = VictimRadio("ac", 2, -62.0)
    loud, quiet = (Candidates([high], [db]).rates_mbps(victim).max() for db in (0.0, -9.0))
    assert quiet < 0.75 * loud


def test_channels_of_newer_radios_are_only_for_those_that_use_them(session_of):
    packets = ours(149, tags=vht(1, 155), band_width=40)
    session = session_of(packets, country="US")
    (move,) = session.proposal.moves
    barred = {c.channel.label: c.barred for c in move.heatmap}
    assert barred["173/20"] == barred["165/40"] == "only newer radios and clients have it"


# The simulator itself


@pytest.mark.slow
def test_the_simulator_agrees_with_what_is_known_in_closed_form():
    for name, known, found in theory.checks(seconds=4.0):
        assert found == pytest.approx(known, rel=0.05), name


# Frames


@pytest.mark.parametrize(
    ("code", "width"),
    [(0, 20), (1, 40), (2, 20), (4, 80), (5, 40), (7, 20), (11, 160), (12, 80), (14, 40), (18, 20)],
)
def test_the_bandwidth_codes_of_parts_of_a_channel(code, width):
    field = np.zeros((1, 12), np.uint8)
    field[0, 3], field[0, 4] = code, 0x92
    assert modes.WIDTHS[int(modulation.vht(field)[0]) >> 7 & 15][0] == width


@pytest.mark.parametrize(
    ("suite", "capabilities", "label"),
    [(5, 0xC0, "WPA3-Enterprise"), (5, 0x80, "WPA2-Enterprise"), (1, 0xC0, "WPA2-Enterprise")],
)
def test_protected_management_frames_make_the_suite_with_sha_256_that_of_wpa3(suite, capabilities, label):
    oui = b"\x00\x0f\xac"
    rsn = (
        b"\x01\x00"
        + oui
        + b"\x04\x01\x00"
        + oui
        + b"\x04\x01\x00"
        + oui
        + bytes([suite])
        + capabilities.to_bytes(2, "little")
    )
    assert security.label(rsn, None, True) == label


def test_beacons_are_no_frames_that_can_be_sent_again(session_of):
    """Ten of forty data frames were sent again: 25 %, however many beacons there are."""
    packets = ours(6)
    for k in range(40):
        packets.append(data(OWN, "06:00:00:00:00:01", 6, k / 10 + 0.02, again=k % 4 == 0))
    (own,) = session_of(packets).assessment.own
    assert own.radio.retry_share == pytest.approx(0.25)


def test_a_level_over_a_milliwatt_is_damage(session_of):
    session = session_of(ours(6, level=20))
    (radio,) = session.assessment.radios
    assert radio.level_dbm is None
    assert any("over 0 dBm" in text for text in session.assessment.not_known)


# What is said agrees with what is so


def test_own_radios_that_fall_silent_or_faint_for_hours_are_findings(tmp_path, case_of):
    """Eight hours of scans: one own radio is 18 dB down for an hour, another is missing for three."""
    lines = []
    for minute in range(480):
        rows = [("01", "tern-guest", 2437, -68 if 120 <= minute < 185 else -50), ("09", "near", 2437, -60)]
        rows += [] if 200 <= minute < 380 else [("02", "tern-guest", 2462, -55)]
        lines += [
            f'{{"time": "{datetime.fromtimestamp(1_800_000_000 + 60 * minute, UTC):%Y-%m-%dT%H:%M:%SZ}", '
            f'"bssid": "02:00:00:{n}:00:{n}", "ssid": "{ssid}", "frequency_mhz": {mhz}, "level_dbm": {level}}}'
            for n, ssid, mhz, level in rows
        ]
    log = tmp_path / "day.jsonl"
    log.write_text("\n".join(lines) + "\n")
    with Case.open(case_of(log, setup=Setup(country="GB", own=("tern-guest",)))) as case:
        findings = {f.kind: f for f in load_session(case).assessment.findings}
    assert findings["level-drop"].radio == "02:00:00:01:00:01"
    assert findings["level-drop"].figures.drop_db == pytest.approx(18, abs=0.5)
    silent = findings["own-silent"]
    assert silent.radio == "02:00:00:02:00:02"
    assert silent.figures.ended_s - silent.figures.began_s == pytest.approx(3 * 3600, abs=120)


def test_two_names_of_one_radio_are_one_in_a_window_of_one_scan(session_of):
    """Heard once each, 6 dB apart: the second name is not the first one's neighbour."""
    one, two = "02:00:00:00:00:10", "02:00:00:00:00:11"
    packets = [
        beacon(one, b"tern-guest", 6, -48, 0.0, *ht(6)),
        beacon(two, b"tern-till", 6, -54, 0.01, *ht(6)),
    ]
    (radio_,) = session_of(packets, own=("tern-guest", "tern-till")).assessment.radios
    assert {n.bssid for n in radio_.networks} == {one, two}


def test_a_maximum_hold_is_an_upper_bound_and_no_finding(session_of):
    used = Utilisation(0.9, UtilisationSource.SWEEP, "medium", at_most=True)
    assert used.words == "at most 90 %"
    own = radio(1, 6, own=True)
    views = (ChannelView(narrow("2.4", 6), used, None),)
    busy = (ChannelView(narrow("2.4", 6), replace(used, at_most=False), None),)
    assert "high-utilisation" not in {f.kind for f in find(facts(own, channels=views))}
    assert "high-utilisation" in {f.kind for f in find(facts(own, channels=busy))}


def test_the_first_step_agrees_with_the_alternatives_of_the_plan(session_of):
    """Where another channel would give this radio more, it is not said that none does."""
    packets = [p for n in range(2) for p in ours(6, bssid=f"02:00:00:00:0{n}:01", level=-50)]
    session = session_of(packets, write_full_scan_text())
    for finding in session.proposal.findings:
        move = session.proposal.move_of(finding.radio)
        if move is not None and "no available channel promises more" in finding.first_step:
            assert all(a.expected_mbps <= move.after.expected_mbps + 1 for a in move.alternatives)
        assert "See the other steps" not in finding.first_step


def write_full_scan_text():
    return (
        "1800000001\nBSS 02:00:00:00:09:01(on wlan0)\n\tfreq: 2412\n\tbeacon interval: 100 TUs\n"
        "\tsignal: -70.00 dBm\n\tSSID: far\n"
    )
