"""Frames to tallies: who sent, in which network, how often again, for how long on the air."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import iter_pcap
from gray_kettle.decode.dot11.mac_headers import address, address_number
from gray_kettle.phy import modes
from tests.frames import (
    BOAT,
    CAFE,
    OWN,
    Dot11,
    Raw,
    beacon,
    data,
    heard_at,
    ht,
    load,
    only_piece,
    pcap_bytes,
    pieces_of,
)

CLIENT, OTHER = "06:00:00:00:00:99", "06:00:00:00:00:98"


def test_a_beacon_made_elsewhere_is_one_sighting_with_its_level_noise_and_load():
    piece = only_piece(beacon(OWN, b"tern-guest", 6, -47, 0.0, *ht(6), load(7, 51)))
    (announced,) = piece.announcements
    assert announced.bssid == OWN
    assert announced.ssid == b"tern-guest"
    seen = piece.sightings
    assert 10 * np.log10(seen.level_mw[0]) == pytest.approx(-47)
    assert seen.noise_dbm[0] == -95
    assert seen.load_utilisation[0] == pytest.approx(0.2)
    assert seen.load_stations[0] == 7
    assert seen.receiver_hz[0] == 2437e6


def test_beacons_of_one_second_become_one_row_with_their_mean_power():
    packets = [beacon(OWN, b"x", 6, dbm, k / 10) for k, dbm in enumerate((-40, -50, -50))]
    piece = only_piece(*packets)
    assert len(piece.sightings) == 1
    assert piece.sightings.frames[0] == 3
    assert piece.sightings.level_mw[0] == pytest.approx(1e-4 + 2e-5)


def test_clients_and_repeats_are_tallied_in_both_directions():
    client = "06:00:00:00:00:99"
    piece = only_piece(
        data(OWN, client, 6, 0.1, up=True),
        data(OWN, client, 6, 0.2, up=True, again=True),
        data(OWN, client, 6, 0.3, up=False),
    )
    rows = {int(t): k for k, t in enumerate(piece.traffic.transmitter)}
    assert piece.traffic.frames[rows[address_number(client)]] == 2
    assert piece.traffic.retries[rows[address_number(client)]] == 1
    assert piece.traffic.frames[rows[address_number(OWN)]] == 1
    assert set(piece.traffic.bssid) == {address_number(OWN)}


def test_acknowledgements_are_air_but_nobody_s_client():
    traffic = only_piece((1.0, bytes(heard_at(2437, -50, 24.0)) + b"\xd4\x00\x00\x00" + bytes(6))).traffic
    assert traffic.transmitter[0] == 0
    assert traffic.airtime_s[0] > 0


def test_listening_is_a_run_for_each_stay_on_a_channel():
    packets = [
        beacon(BOAT, b"b", 1, -50, t, mhz=m)
        for t, m in ((0, 2412), (0.1, 2412), (0.2, 2437), (0.3, 2412), (9, 2412))
    ]
    listening = only_piece(*packets).listening
    assert list(listening.receiver_hz / 1e6) == [2412, 2437, 2412, 2412]
    assert listening.end_s[0] - listening.start_s[0] == pytest.approx(0.1, abs=1e-5)


def test_a_name_in_channel_of_the_length_of_packets_on_other_links_is_said():
    reader = CaptureReader()
    piece = reader.piece(next(iter_pcap(Raw(pcap_bytes([(1.0, bytes(30))] * 4, link=1)))))
    assert piece.skipped == 4
    assert "link type 1," in reader.notes()[0]


@pytest.mark.parametrize("time_s", [4.2e9, 0.0])
def test_frames_of_impossible_times_are_left_out(time_s):
    _, raw = beacon(OWN, b"x", 6)
    late = pcap_bytes([(time_s, raw), (1.8e9, raw)])
    (piece,) = pieces_of(late)
    assert list(piece.sightings.time_s) == ([1.8e9] if time_s else [0.0, 1.8e9])


def test_addresses_come_back():
    assert address(address_number("02:7a:10:ff:00:01")) == "02:7a:10:ff:00:01"


def on_air(frame, **how) -> bytes:
    return bytes(heard_at(2437, -50, 24.0)) + (frame if isinstance(frame, bytes) else bytes(frame))


@pytest.mark.parametrize(
    ("frame", "transmitter", "bssid"),
    [
        (Dot11(type=0, subtype=11, addr1=OWN, addr2=CLIENT, addr3=OWN) / bytes(6), CLIENT, OWN),
        (Dot11(type=2, subtype=0, FCfield=0, addr1=OTHER, addr2=CLIENT, addr3=OWN) / bytes(9), CLIENT, OWN),
        (Dot11(type=2, subtype=8, FCfield=1, addr1=OWN, addr2=CLIENT, addr3=OTHER) / bytes(9), CLIENT, OWN),
        (Dot11(type=2, subtype=8, FCfield=2, addr1=CLIENT, addr2=OWN, addr3=OTHER) / bytes(9), OWN, OWN),
        (
            Dot11(type=2, subtype=8, FCfield=3, addr1=BOAT, addr2=OWN, addr3=CLIENT, addr4=OTHER) / bytes(9),
            OWN,
            None,
        ),
        (Dot11(type=1, subtype=13, addr1=CLIENT), None, None),  # acknowledgement
        (Dot11(type=1, subtype=12, addr1=CLIENT), None, None),  # clear to send
        (Dot11(type=1, subtype=11, addr1=CLIENT, addr2=OWN), OWN, None),  # request to send
        (
            b"\xb4\0\0\0" + bytes.fromhex("060000000099") + bytes.fromhex("030000000010"),
            OWN,
            None,
        ),  # tells its width
        (Dot11(type=1, subtype=9, addr1=CLIENT, addr2=OWN) / bytes(12), OWN, None),  # block acknowledgement
        (
            b"\xa4\x10\x01\xc0" + bytes.fromhex("020000000010060000000099"),
            CLIENT,
            OWN,
        ),  # wants what was kept for it
        (b"\xe4\0\0\0" + b"\xff" * 6 + bytes.fromhex("020000000010"), OWN, OWN),  # end of a free time
    ],
)
def test_every_kind_of_header_names_its_sender_and_its_network(frame, transmitter, bssid):
    traffic = only_piece((1.0, on_air(frame))).traffic
    assert traffic.transmitter[0] == (address_number(transmitter) if transmitter else 0)
    assert traffic.bssid[0] == (address_number(bssid) if bssid else 0)


def test_bits_of_the_header_are_counted():
    frames = [
        Dot11(type=2, FCfield=f, addr1=OWN, addr2=CLIENT, addr3=OTHER) / bytes(8) for f in (1, 9, 0x51, 0x59)
    ]
    traffic = only_piece(*[(1.0 + k / 100, on_air(f)) for k, f in enumerate(frames)]).traffic
    assert (traffic.frames[0], traffic.retries[0], traffic.protected[0], traffic.asleep[0]) == (4, 2, 2, 2)


def test_levels_are_summed_up_with_their_extremes_and_frames_without_one_do_not_count():
    frame = bytes(Dot11(type=2, FCfield=1, addr1=OWN, addr2=CLIENT, addr3=OTHER)) + bytes(8)
    packets = [(1.0, bytes(heard_at(2437, dbm, 24.0)) + frame) for dbm in (-40, -70, 0)]
    traffic = only_piece(*packets).traffic
    assert (traffic.frames[0], traffic.levels[0]) == (3, 2)
    assert (traffic.lowest_dbm[0], traffic.highest_dbm[0]) == (-70, -40)
    assert traffic.level_mw[0] == pytest.approx(1e-4 + 1e-7)


def aggregate(reference: int, octets: int, at_s: float):
    fields = (
        struct.pack("<HH", 5180, 0x140)
        + b"\x07\x00\x07"
        + bytes(1)
        + struct.pack("<IHBB", reference, 0, 0, 0)
    )
    head = struct.pack("<BBHI", 0, 0, 8 + len(fields), 1 << 3 | 1 << 19 | 1 << 20) + fields
    frame = bytes(Dot11(type=2, FCfield=1, addr1=OWN, addr2=CLIENT, addr3=OTHER))
    return 1.5e9 + at_s, head + frame + bytes(octets - len(frame))


def test_frames_of_one_aggregate_share_one_preamble():
    mode = modes.mode(modes.HT, 7, 1, 0, modes.LONG_GUARD)
    packets = [aggregate(5, 1000, k * 1e-4) for k in range(4)] + [aggregate(6, 1000, 0.1)]
    one = float(modes.airtime_s(mode, 4 + 1004))
    four = float(modes.airtime_s(mode, 4 * (4 + 1004)))
    assert only_piece(*packets).traffic.airtime_s.sum() == pytest.approx(four + one)
    # The same where a block ends within the aggregate.
    raw = pcap_bytes(packets)
    split = 24 + sum(16 + len(p) for _, p in packets[:2])
    reader = CaptureReader()
    blocks = [b for part in (raw[:split], raw[:24] + raw[split:]) for b in iter_pcap(Raw(part))]
    assert sum(reader.piece(b).traffic.airtime_s.sum() for b in blocks) == pytest.approx(four + one, rel=0.02)


@pytest.mark.parametrize("apart_s", [0.0, 1e-4])
def test_frames_of_an_aggregate_without_marks_share_one_preamble(apart_s):
    """One sender and mode, each before the one before could have ended: they came in one aggregate."""
    mode = modes.mode(modes.HT, 7, 1, 0, modes.LONG_GUARD)

    def unmarked(at_s):
        time_s, raw = aggregate(0, 1000, at_s)
        head = bytearray(raw[: raw[2]])
        head[2], head[4:8] = len(head) - 8, struct.pack("<I", 1 << 3 | 1 << 19)
        return time_s, bytes(head[:-8]) + raw[raw[2] :]

    together = [unmarked(k * apart_s) for k in range(4)]
    four = float(modes.airtime_s(mode, 4 * (4 + 1004)))
    assert only_piece(*together).traffic.airtime_s.sum() == pytest.approx(four)
    singly = [unmarked(k * 5e-4) for k in range(4)]
    assert only_piece(*singly).traffic.airtime_s.sum() == pytest.approx(
        4 * float(modes.airtime_s(mode, 1004))
    )


def test_an_answer_is_counted_with_the_space_before_it():
    ack, cts_rate = b"\xd4\0\0\0" + bytes(6), modes.legacy_mode(24.0)
    low = only_piece((1.0, bytes(heard_at(2437, -50, 24.0)) + ack)).traffic.airtime_s[0]
    high = only_piece((1.0, bytes(heard_at(5180, -50, 24.0)) + ack)).traffic.airtime_s[0]
    assert low == pytest.approx(float(modes.airtime_s(cts_rate, 14, True)) + 10e-6)
    assert high == pytest.approx(float(modes.airtime_s(cts_rate, 14)) + 16e-6)


def test_rates_are_reported_apart():
    packets = [data(OWN, CLIENT, 6, k / 10) for k in range(3)] + [beacon(OWN, b"x", 6)]
    traffic = only_piece(*packets).traffic
    assert sorted(
        zip(modes.table().rate_mbps[traffic.mode].tolist(), traffic.frames.tolist(), strict=True)
    ) == [
        (1.0, 1),
        (24.0, 3),
    ]


# What is announced


def told(*packets):
    piece = only_piece(*packets)
    return {a.bssid: a for a in piece.announcements}, piece


NONTRANSMITTED = bytes.fromhex(
    "02"  # up to four BSSIDs
    "00 15  53 02 1100  00 05 6775657374  55 03 01 01 00  30 04 0100000f".replace(" ", "")
)


def test_networks_that_another_s_beacon_announces_are_unfolded():
    head, place = "02:00:00:00:00:1", 3
    transmitted = f"{head}{place}"
    profile = bytes.fromhex("53021104") + b"\x00\x05guest" + b"\x55\x03\x02\x01\x00"
    open_one = bytes.fromhex("53020104") + b"\x00\x04cafe" + b"\x55\x01\x01" + b"\xff\x03\x38\x01\x30"
    content = b"\x02" + b"".join(b"\0" + bytes([len(p)]) + p for p in (profile, open_one))
    rsn = bytes.fromhex("0100000fac040100000fac040100000fac020000")
    found, piece = told(
        beacon(transmitted, b"main", 6, -50, 0.0, (48, rsn), (71, content), *ht(6), load(3, 51), privacy=True)
    )
    assert {(a.bssid, a.ssid, a.security, a.transmitted_by) for a in found.values()} == {
        (transmitted, b"main", "WPA2-PSK", ""),
        (f"{head}1", b"guest", "WPA2-PSK", transmitted),  # three and two, of four
        (f"{head}0", b"cafe", "open", transmitted),
    }
    assert piece.sightings.beacons.sum() == 1
    assert all(a.channel.primary == 6 and a.generation == "n" for a in found.values())


def test_an_access_point_shows_its_name_its_other_radios_its_device_and_more():
    ccx = bytes(10) + b"quay-roof\x1b" + bytes(6) + bytes(4)
    report = (
        struct.pack("<HBB", 13 << 8, 131, 37)
        + b"\x05"
        + bytes.fromhex("020000000060")
        + bytes(4)
        + b"\x40\x00"
    )
    device = struct.pack("<HB", 0x01B0, 9) + bytes.fromhex("0200000000aa") + bytes(2)
    found, _ = told(
        beacon(
            OWN, b"x", 6, -50, 0.0, (133, ccx), (201, report), (255, b"\x6b" + device), (32, b"\x03"), (35, b"\x11\0"),
            (37, b"\0\x0b\x05"), (40, bytes(6)), (54, b"\x12\x34\0"), (70, b"\x73\0\0\0\0"), (127, b"\0\0\x08"),
        )
    )  # fmt: skip
    a = found[OWN]
    assert (a.ap_name, a.device, a.neighbours) == (
        "quay-roof�",
        "02:00:00:00:00:aa",
        (("02:00:00:00:00:60", "6", 37),),
    )
    assert (a.tx_power_dbm, a.power_constraint_db, a.mobility_domain) == (17, 3, "1234")
    assert (a.roaming, a.switching_to, a.quiet) == (("k", "r", "v"), 11, True)


@pytest.mark.parametrize(
    ("element", "name"),
    [
        (
            (
                221,
                b"\x00\x50\xf2\x04"
                + struct.pack(">HH", 0x104A, 1)
                + b"\x10"
                + struct.pack(">HH", 0x1011, 4)
                + b"roof",
            ),
            "roof",
        ),
        ((221, b"\x00\x0b\x86\x01\x03\x00roof\0"), "roof"),
        ((221, b"\x00\x19\x77\x21\x01\x04roof"), "roof"),
        ((221, b"\x00\x50\xf2\x04" + struct.pack(">HH", 0x1011, 400) + b"ro"), "ro"),
        ((133, b"short"), ""),
    ],
)
def test_names_in_vendors_elements(element, name):
    assert told(beacon(OWN, b"x", 6, -50, 0.0, element))[0][OWN].ap_name == name


def test_what_changes_from_beacon_to_beacon_makes_no_new_announcement():
    report = struct.pack("<HBB", 13 << 8, 131, 37)
    packets = []
    for k in range(20):
        entry = bytes([k]) + bytes.fromhex("020000000060") + bytes(4) + b"\x40\x00"
        volatile = (
            (5, bytes([k, 20, 0, k])),
            (201, report + entry),
            load(k, 10 * k),
            (221, b"\x02\0\0" + bytes([k])),
        )
        time_s, raw = beacon(OWN, b"x", 6, -50, k / 100, *volatile)
        packets.append((time_s, raw))
    found, piece = told(*packets)
    assert len(piece.announcements) == len(found) == 1
    assert piece.sightings.frames[0] == 20
    assert piece.sightings.load_stations[0] == pytest.approx(9.5)


def test_what_matters_in_a_beacon_makes_another_announcement():
    packets = [
        beacon(OWN, b"x", 6, -50, 0.0, *ht(6)),
        beacon(OWN, b"y", 6, -50, 0.1, *ht(6)),
        beacon(OWN, b"x", 6, -50, 0.2, *ht(6, 1)),
        beacon(OWN, b"x", 6, -50, 0.3, *ht(6), privacy=True),
    ]
    assert len(only_piece(*packets).announcements) == 4


def test_a_flood_of_made_up_beacons_is_read_to_its_end():
    packets = [beacon(OWN, struct.pack(">I", k), 6, -50, k / 1000) for k in range(300)]
    piece = only_piece(*packets)
    assert len(piece.announcements) == 300
    assert (piece.sightings.frames == 1).all()


def request(subtype: int, fixed: bytes, *elements: tuple[int, bytes], mhz: int = 5180, bssid: str = OWN):
    head = bytes(Dot11(type=0, subtype=subtype, addr1=bssid, addr2=CLIENT, addr3=bssid))
    body = fixed + b"".join(bytes([n, len(c)]) + c for n, c in elements)
    return 1.5e9, bytes(heard_at(mhz, -60, 6.0)) + head + body


def test_a_client_that_asks_to_join_shows_what_it_can():
    said = [
        (0, b"secret"), (1, b"\x8c\x12\x98\x24"),
        (36, b"\x24\x04\x64\x02\x01\x0b"), (45, b"\xef\x09\x17\xff\xff" + bytes(21)),
        (191, bytes([0x04, 0, 0, 0]) + b"\xfa\xff" + bytes(6)), (127, b"\0\0\x08"),
    ]  # fmt: skip
    (can,) = only_piece(request(0, bytes(4), *said)).capabilities
    assert (can.mac, can.bssid, can.ssid, can.band) == (CLIENT, OWN, b"secret", "5")
    assert (can.generation, can.streams, can.width_mhz, can.roaming) == ("ac", 2, 160, ("v",))
    expected = [("2.4", n) for n in range(1, 12)] + [("5", n) for n in (36, 40, 44, 48, 100, 104)]
    assert sorted(can.channels) == expected
    (again,) = only_piece(
        request(2, bytes(10), (0, b"secret"), (1, b"\x82"), (59, b"\x51\x51\x80"), mhz=2437)
    ).capabilities
    assert (again.generation, again.width_mhz, again.band) == ("b", 20, "2.4")
    assert {band for band, _ in again.channels} == {"2.4", "5"}
    (asks,) = only_piece(request(4, b"", (0, b""), (1, b"\x8c"), bssid="ff:ff:ff:ff:ff:ff")).capabilities
    assert (asks.bssid, asks.ssid) == ("", b"")


def test_he_capabilities_of_a_client_tell_its_widths():
    he = bytes(6) + bytes([0x0E << 1 & 0xFF]) + bytes(10) + b"\xfa\xff\xfa\xff"
    (can,) = only_piece(request(0, bytes(4), (1, b"\x8c"), (255, b"\x23" + he))).capabilities
    assert (can.generation, can.streams, can.width_mhz) == ("ax", 2, 160)


@given(st.binary(max_size=300), st.sampled_from([0, 2, 4, 5, 8]))
def test_no_body_of_a_management_frame_breaks_the_decoder(body, subtype):
    head = bytes(Dot11(type=0, subtype=subtype, addr1=OWN, addr2=CAFE, addr3=CAFE))
    piece = only_piece((1.0, on_air(head + body)), (1.1, on_air(head + bytes(12) + body)))
    assert piece.records == 2
