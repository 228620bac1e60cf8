"""From captures to radios, utilisation and findings."""

import numpy as np
import pytest

from gray_kettle.analysis.inventory.filter_query import parse_filter
from gray_kettle.analysis.inventory.radio_grouping import GroupingInput, group, joined, parted
from gray_kettle.analysis.utilisation.history import busy_over_time, levels_over_time
from gray_kettle.errors import InvalidInput
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import narrow
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.frames import BOAT, CAFE, OWN, beacon, busy_harbour, data, ht, load, traffic, write_pcap

OWN_SETUP = Setup(country="GB", own=("tern-guest",))


@pytest.fixture
def judged(tmp_path, case_of):
    """Makes an assessment of packets."""

    def judge(packets, setup=OWN_SETUP):
        with Case.open(case_of(write_pcap(tmp_path / "a.pcap", packets), setup=setup)) as case:
            return load_session(case)

    return judge


def heard(bssid, level=-50.0, number=6, print_="f", interval=100, levels=None):
    moments = np.arange(20.0)
    return GroupingInput(
        bssid,
        narrow("2.4", number),
        interval,
        print_,
        level,
        moments,
        np.full(20, level) if levels is None else levels,
    )


RAMP = np.linspace(-70, -40, 20)


@pytest.mark.parametrize(
    ("a", "b", "together"),
    [
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:11"), True),
        (heard("02:7a:10:00:00:10"), heard("06:7a:10:00:00:10"), True),  # another first octet, local bit
        (heard("00:7a:10:00:00:10"), heard("04:7a:10:00:00:10"), False),  # no local bit: another maker
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:20"), False),
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:11", number=1), False),
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:11", print_="g"), False),
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:11", interval=200), False),
        (heard("02:7a:10:00:00:10"), heard("02:7a:10:00:00:11", level=-56.0), False),
        (heard("02:7a:10:00:00:10", levels=RAMP), heard("02:7a:10:00:00:11", levels=RAMP[::-1]), False),
        (heard("02:7a:10:00:00:10", levels=RAMP), heard("02:7a:10:00:00:11", levels=RAMP + 1), True),
    ],
)
def test_what_makes_two_addresses_one_radio(a, b, together):
    assert len(group([a, b])) == (1 if together else 2)


def test_what_was_reported_of_groups_outweighs_what_was_found():
    one, other, far = (heard(f"02:7a:10:00:00:{n:02x}") for n in (0x10, 0x11, 0x40))
    assert len(group([one, other, far])) == 2
    assert len(group([one, other, far], apart=(other.bssid,))) == 3
    assert len(group([one, other, far], together=((one.bssid, far.bssid),))) == 1
    setup = parted(joined(Setup(), {one.bssid, far.bssid}), {far.bssid})
    assert (setup.together, setup.apart) == ((), (far.bssid,))
    assert joined(setup, {far.bssid, other.bssid}).apart == ()


def test_utilisation_is_reported_by_hour_from_whatever_there_is_then(judged):
    """Load is told in the first hour (20 %) and the third (60 %); frames are timed in the third alone."""
    packets = [beacon(BOAT, b"boat", 6, -50, k * 60, *ht(6), load(3, 51)) for k in range(30)]
    packets += [beacon(BOAT, b"boat", 6, -50, 7200 + k * 60, *ht(6), load(3, 153)) for k in range(30)]
    place = next(p for p in judged(packets).assessment.channels if p.channel == narrow("2.4", 6))
    shares = [(source, round(share, 2)) for _, source, share in place.utilisation.by_hour]
    assert shares == [("BSS load", 0.2), ("BSS load", 0.6)]
    (first, _, _), (third, _, _) = place.utilisation.by_hour
    assert (third - first) % 24 == 2


def test_several_names_of_one_radio_are_one_contender(judged):
    assessment = judged(busy_harbour()).assessment
    cafe = assessment.radio(CAFE)
    assert [n.ssid for n in cafe.networks] == [b"cafe", b"cafe-2"]
    place = next(p for p in assessment.channels if p.channel == narrow("2.4", 6))
    assert place.assessed.co_channel_radios == 1


def test_own_radios_are_reported_by_name_or_address_and_can_be_disowned(judged):
    assert {r.id for r in judged(busy_harbour()).assessment.radios if r.own} == {OWN, "02:00:00:00:01:10"}


def test_an_address_is_enough_and_a_name_can_be_overruled(judged):
    setup = Setup(country="GB", own=("tern-guest", BOAT.upper()), foreign=(OWN,))
    assert {r.id for r in judged(busy_harbour(), setup).assessment.radios if r.own} == {
        BOAT,
        "02:00:00:00:01:10",
    }


def test_levels_are_medians_and_names_of_radios_are_the_technician_s(judged):
    setup = Setup(country="GB", own=("tern-guest",), names=((OWN, "hall"),))
    radio = judged(busy_harbour(), setup).assessment.radio(OWN)
    assert radio.name == "hall"
    assert radio.level_dbm == pytest.approx(-41, abs=0.5)
    assert radio.channel.label == "3/40"


def test_a_frame_heard_off_its_channel_is_no_transmitter_there(judged):
    packets = busy_harbour() + [
        beacon(BOAT, b"boat", 1, -63, 0.5 + k / 10, *ht(1), mhz=2422) for k in range(20)
    ]
    assessment = judged(packets).assessment
    boat = assessment.radio(BOAT)
    assert (boat.channel.primary, boat.moves) == (1, 0)
    assert boat.level_dbm == pytest.approx(-52, abs=0.1)  # the level of those received in place
    place = next(p for p in assessment.channels if p.channel == narrow("2.4", 3))
    # On 3, where the receiver was, neither its frames nor its load count: what our own radio there tells is used.
    assert place.utilisation.source == "BSS load"
    assert place.utilisation.value == pytest.approx(100 / 255, abs=0.001)
    own_share = assessment.radio(OWN).air_share
    assert dict(place.utilisation.others)["frames"] == pytest.approx(own_share, abs=0.01)


def test_a_bssid_that_moves_is_one_radio_with_a_history(judged):
    packets = [beacon(BOAT, b"boat", number, -50, at) for at, number in enumerate([1, 1, 6, 6, 11])]
    radio = judged(packets).assessment.radio(BOAT)
    assert [s.channel.primary for s in radio.stays] == [1, 6, 11]
    assert radio.channel.primary == 11
    assert radio.moves == 2


def test_not_measured_is_said_and_never_nought(judged):
    assessment = judged(
        [beacon(BOAT, b"boat", 6, -50, k / 10, *ht(6), load(3, 90)) for k in range(30)]
    ).assessment
    by_number = {p.channel.primary: p for p in assessment.channels if p.channel.band == "2.4"}
    assert by_number[6].utilisation.value == pytest.approx(90 / 255, abs=0.001)
    assert by_number[6].utilisation.source == "BSS load"
    for number in (1, 11):
        assert by_number[number].utilisation.value is None
        assert by_number[number].assessed is None
    assert any("only 6" in line for line in assessment.not_known)


def test_utilisation_takes_the_larger_of_frames_and_load_and_shows_the_rest(judged):
    client = "06:00:00:00:00:01"
    frames = traffic(BOAT, client, 6, frames=600, dbm=-50)
    beacons = [beacon(BOAT, b"boat", 6, -50, k / 10, *ht(6), load(3, 10)) for k in range(30)]
    assessment = judged(frames + beacons).assessment
    used = next(p for p in assessment.channels if p.channel == narrow("2.4", 6)).utilisation
    assert used.source == "frames"
    assert 0.09 < used.value < 0.14  # 200 frames a second of 0.53 ms
    assert dict(used.others)["BSS load"] == pytest.approx(10 / 255, abs=0.001)
    radio = assessment.radio(BOAT)
    assert radio.activity_source == "frames"
    assert [c.mac for c in radio.networks[0].clients] == [client]
    assert radio.client_level_dbm == pytest.approx(-50)


def kinds(session, severity=None):
    return {f.kind for f in session.proposal.findings if severity in (None, f.severity)}


def test_the_harbour_s_faults_are_found_worst_first(judged):
    session = judged(busy_harbour())
    findings = session.proposal.findings
    assert {"off-channel-plan", "wide-in-2.4", "co-channel"} <= kinds(session, "act")
    assert findings[0].kind in ("off-channel-plan", "wide-in-2.4")
    off_plan = next(f for f in findings if f.kind == "off-channel-plan")
    assert "boat on 1/20 (−52 dBm)" in off_plan.effect
    assert off_plan.first_step.startswith("Set 11/20: clear air")
    order = ["act", "watch", "note"]
    assert [order.index(f.severity) for f in findings] == sorted(order.index(f.severity) for f in findings)
    assert all(f.headline.startswith(f.kind.headline) for f in findings)


def test_quiet_air_gives_no_finding_to_act_on(judged):
    packets = [beacon(OWN, b"tern-guest", n, -45, k / 10 + n / 100, *ht(n)) for k in range(30) for n in (1,)]
    packets += [
        beacon(f"02:00:00:00:02:{n:02x}", b"far", n, -92, k / 10 + n / 100)
        for k in range(30)
        for n in (6, 11)
    ]
    found = judged(packets)
    assert not kinds(found, "act")
    assert not kinds(found, "watch")


def test_retries_outdated_ciphers_and_chases_are_found(judged):
    client = "06:00:00:00:00:01"
    packets = [data(OWN, client, 6, k / 100, again=k % 3 == 0) for k in range(300)]
    packets += [beacon(OWN, b"tern-guest", 6, -45, k / 10) for k in range(30)]
    packets += [
        beacon("02:00:00:00:09:01", b"old", 11, -70, k / 10, privacy=True) for k in range(30)
    ]  # WEP: privacy, nothing else
    for k, (ours, theirs) in enumerate([(36, 52), (52, 36), (36, 100), (100, 52), (52, 36), (36, 100)]):
        packets.append(beacon("02:00:00:00:05:01", b"tern-guest", ours, -60, 40.0 * k))
        packets.append(beacon("02:00:00:00:06:01", b"chandlery", theirs, -60, 40.0 * k + 0.1))
    found = kinds(judged(packets))
    assert {"retries", "outdated-security", "chase", "foreign-mover"} <= found
    assert "own-mover" not in found  # the chase says why


def test_nothing_is_assessed_where_nothing_is_ours(judged):
    session = judged(busy_harbour(), Setup())
    assert session.proposal.moves == ()
    assert any(line.startswith("Own networks") for line in session.assessment.not_known)
    assert any(line.startswith("Country") for line in session.assessment.not_known)


def test_the_same_observations_give_the_same_assessment_to_the_bit(judged):
    from gray_kettle.analysis.assess import assess

    session = judged(busy_harbour())
    again = assess(session.observations, session.setup)
    assert repr(again) == repr(session.assessment)


# The filter language


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("", {"tern-guest", "boat", "cafe", "far", "chandlery"}),
        ("own", {"tern-guest"}),
        ("foreign level>-60", {"boat", "cafe"}),
        ("band=5 width>=80", {"tern-guest", "chandlery"}),
        ("ssid~CAFE", {"cafe"}),
        ("ssid!=boat foreign band=2.4", {"cafe", "far"}),
        ("boat", {"boat"}),
        (BOAT, {"boat"}),
        ("names>=2", {"cafe"}),
        ("channel<6 foreign", {"boat"}),
        ("level<−80", {"far"}),
        ("air>200", set()),
        ("own | ssid=boat", {"tern-guest", "boat"}),
        ("foreign !(band=5 | level<-60)", {"boat", "cafe"}),
        ('ssid="cafe" !own', {"cafe"}),
        ("on=40 width=80", {"tern-guest", "chandlery"}),
        ("!gone here>=0", {"tern-guest", "boat", "cafe", "far", "chandlery"}),
    ],
)
@pytest.mark.slow
def test_filters_choose_radios(judged, text, names):
    radios = judged(busy_harbour()).assessment.radios
    assert {r.name for r in radios if parse_filter(text)(r)} == names


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("colour=red", "no “colour”"),
        ("level>loud", "no number"),
        ("level~5", "number"),
        ("ssid>5", "text"),
        ("(own", "without its"),
        ("own)", "without its"),
        ("own !", "missing"),
    ],
)
def test_a_condition_that_means_nothing_is_refused_in_words(text, words):
    with pytest.raises(InvalidInput, match=words):
        parse_filter(text)


def test_levels_over_time_are_in_their_bins(judged):
    session = judged([beacon(BOAT, b"boat", 6, dbm, at) for at, dbm in ((0, -40), (1, -50), (9, -70))])
    start = session.observations.start_s
    levels = levels_over_time(session.observations, session.assessment.radios, 5, start, start + 10)
    assert levels[0, 0] == pytest.approx(10 * np.log10((1e-4 + 1e-5) / 2))
    assert np.isnan(levels[0, 1:4]).all()
    assert levels[0, 4] == pytest.approx(-70)


def test_busy_over_time_knows_gaps_from_quiet(judged):
    packets = [beacon(BOAT, b"boat", 6, -50, 0, load(1, 51)), beacon(BOAT, b"boat", 6, -50, 9)]
    observations = judged(packets).observations
    busy = busy_over_time(observations, "2.4", 5, observations.start_s, observations.start_s + 10)
    assert busy[0] == pytest.approx(0.2)
    assert np.isnan(busy[1:4]).all()
    assert busy[4] == 0


def without_radio_information(packets):
    """The same frames behind an empty radiotap header: no place, no level."""
    return [
        (at, b"\x00\x00\x08\x00\x00\x00\x00\x00" + raw[int.from_bytes(raw[2:4], "little") :])
        for at, raw in packets
    ]


@pytest.mark.slow
def test_a_capture_without_channels_and_levels_is_assessed_on_what_is_reported(judged):
    session = judged(without_radio_information(busy_harbour()))
    radio = session.assessment.radio(OWN)
    assert radio.level_dbm is None
    assert radio.channel.label == "3/40"
    move = session.proposal.move_of(OWN)
    assert move.target.label in ("1/20", "6/20", "11/20")
    assert move.reasons
    assert any("have none; −65 dBm is assumed" in line for line in session.assessment.not_known)


def test_a_receiver_s_channel_that_cannot_be_is_not_believed(judged):
    """All frames claim to have been received on channel 6, those of 5 GHz too."""
    packets = [beacon(OWN, b"tern-guest", 36, -50, k / 10, *ht(36), mhz=2437) for k in range(30)]
    packets += [beacon(BOAT, b"boat", n, -60, k / 10, mhz=2437) for k in range(30) for n in (1, 6, 11)]
    assessment = judged(packets).assessment
    assert ("5", 36) in assessment.covered
    place = next(p for p in assessment.channels if p.channel == narrow("5", 36))
    assert place.assessed is not None
