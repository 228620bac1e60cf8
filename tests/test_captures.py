"""Containers, radiotap and frames: what was written comes back, and damage is told with its place."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.air import modes
from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.containers import iter_pcap, iter_pcapng
from gray_kettle.decode.containers.block import LARGEST_PACKET
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.headers import address, address_number
from gray_kettle.decode.reception import radiotap
from gray_kettle.decode.reception.layout import layout_of
from tests.frames import BOAT, OWN, beacon, data, ht, load, pcap_bytes, pcapng_bytes

PACKETS = [(1_800_000_000.25 + k, bytes([k]) * (20 + k)) for k in range(50)]


class Raw:
    """Bytes as a source that is read bit by bit."""

    def __init__(self, raw: bytes, most: int = 1 << 30) -> None:
        self.raw, self.at, self.most = raw, 0, most

    def readinto(self, room) -> int:
        part = self.raw[self.at : self.at + min(len(room), self.most)]
        room[: len(part)] = np.frombuffer(part, np.uint8)
        self.at += len(part)
        return len(part)


def walked(blocks):
    """(time, bytes) of every packet, and the damage that ended the walk, if any."""
    found, damage = [], None
    try:
        for block in blocks:
            for start, length, time_s in zip(block.starts, block.lengths, block.times_s, strict=True):
                found.append((float(time_s), block.data[start : start + length].tobytes()))
    except DecodeError as error:
        damage = error
    return found, damage


def pieces_of(raw: bytes):
    reader = CaptureReader()
    walk = iter_pcap if raw[:4] != b"\x0a\x0d\x0d\x0a" else iter_pcapng
    return [reader.piece(block) for block in walk(Raw(raw))]


def only_piece(*packets):
    (piece,) = pieces_of(pcap_bytes(packets))
    return piece


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize("nano", [False, True])
def test_pcap_packets_come_back_in_both_byte_orders_and_resolutions(order, nano):
    found, damage = walked(iter_pcap(Raw(pcap_bytes(PACKETS, order, nano))))
    assert damage is None
    assert [raw for _, raw in found] == [raw for _, raw in PACKETS]
    assert [t for t, _ in found] == pytest.approx([t for t, _ in PACKETS], abs=1e-6)


@pytest.mark.parametrize("order", ["<", ">"])
def test_pcapng_packets_come_back_with_the_interface_s_resolution(order):
    found, damage = walked(iter_pcapng(Raw(pcapng_bytes(PACKETS, order))))
    assert damage is None
    assert [raw for _, raw in found] == [raw for _, raw in PACKETS]
    assert [t for t, _ in found] == pytest.approx([t for t, _ in PACKETS], abs=1e-6)


@given(st.integers(24, 24 + sum(16 + len(raw) for _, raw in PACKETS) - 1))
def test_a_cut_pcap_gives_every_whole_packet_and_the_byte_where_it_stopped(cut):
    whole = pcap_bytes(PACKETS)
    found, damage = walked(iter_pcap(Raw(whole[:cut])))
    ends = 24 + np.cumsum([16 + len(raw) for _, raw in PACKETS])
    assert len(found) == int((ends <= cut).sum())
    if cut in (24, *ends):
        assert damage is None
    else:
        assert damage is not None
        assert damage.at == max([24, *ends[ends <= cut]])


@given(st.integers(28, len(pcapng_bytes(PACKETS)) - 1))
def test_a_cut_pcapng_gives_every_whole_packet(cut):
    found, _ = walked(iter_pcapng(Raw(pcapng_bytes(PACKETS)[:cut])))
    assert [raw for _, raw in found] == [raw for _, raw in PACKETS[: len(found)]]


@pytest.mark.parametrize("length", [LARGEST_PACKET + 1, 0xFFFFFFFF])
def test_a_length_that_lies_is_told_and_costs_no_memory(length):
    raw = pcap_bytes(PACKETS[:3]) + struct.pack("<IIII", 0, 0, length, length)
    found, damage = walked(iter_pcap(Raw(raw)))
    assert len(found) == 3
    assert damage is not None
    assert "claims" in str(damage)


@given(st.binary(max_size=400), st.sampled_from(["pcap", "pcapng"]))
def test_no_bytes_behind_a_good_header_give_anything_but_packets_or_a_decode_error(tail, kind):
    head = pcap_bytes([]) if kind == "pcap" else pcapng_bytes([])
    for block in _tolerant(head + tail, kind):
        CaptureReader().piece(block)


@given(st.binary(max_size=300))
def test_no_packet_breaks_the_frame_decoder(raw):
    for prefix in (b"", b"\x00\x00\x0a\x00\x24\x00\x00\x00\x00\x00\x80\x00\x00\x00"):
        CaptureReader().piece(next(iter_pcap(Raw(pcap_bytes([(1.0, prefix + raw)])))))


def _tolerant(raw, kind):
    blocks = []
    try:
        for block in (iter_pcap if kind == "pcap" else iter_pcapng)(Raw(raw)):
            blocks.append(block)
    except DecodeError:
        pass
    return blocks


# Radiotap


def reception(*headers: bytes, body: bytes = bytes(40)):
    block = next(iter_pcap(Raw(pcap_bytes([(1.0, h + body) for h in headers]))))
    return radiotap.decode(block)


def header(present: list[int], fields: bytes) -> bytes:
    words = b"".join(struct.pack("<I", w) for w in present)
    return struct.pack("<BBH", 0, 0, 4 + len(words) + len(fields)) + words + fields


def test_fields_are_found_behind_others_and_at_their_alignment():
    # TSFT (8 bytes at 8), flags, rate, channel (2 at even), signal, noise, antenna
    fields = bytes(8) + b"\x00\x0c" + struct.pack("<HH", 2437, 0xA0) + struct.pack("<bb", -61, -94) + b"\x01"
    heard = reception(header([0x86F & ~0x40 | 0x60], fields))
    assert heard.channel_mhz[0] == 2437
    assert heard.signal_dbm[0] == -61
    assert heard.noise_dbm[0] == -94
    assert modes.table().rate_mbps[heard.mode[0]] == 6
    assert heard.whole[0]


def test_further_words_for_antennas_do_not_hide_the_first_signal():
    fields = struct.pack("<bbbBbB", -50, 0, -52, 0, -55, 1)
    # rx flags in the first word need an even place: signal at 16, then 2 bytes
    present = [1 << 5 | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11 | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11]
    assert reception(header(present, fields)).signal_dbm[0] == -50


def test_a_vendor_s_own_fields_are_skipped_by_their_length():
    # The word behind bit 30 is the vendor's, whatever its bits; bit 29 in it leads back to radiotap's own.
    present = [1 << 30 | 1 << 31, 0x7 | 1 << 29 | 1 << 31, 1 << 5]
    vendor = b"\x00\x11\x22\x01" + struct.pack("<H", 3) + b"xyz"
    assert layout_of(header(present, vendor + struct.pack("<b", -70))).places == {5: 4 + 12 + 6 + 3}


@given(st.binary(min_size=8, max_size=64))
def test_places_lie_within_any_header(raw):
    layout = layout_of(raw)
    assert layout is None or all(8 <= at <= len(raw) for at in layout.places.values())


def test_frames_with_a_bad_checksum_are_left_out_and_counted():
    bad = header([1 << 1 | 1 << 5], b"\x40" + struct.pack("<b", -50))
    good = header([1 << 1 | 1 << 5], b"\x00" + struct.pack("<b", -50))
    assert list(reception(bad, good).whole) == [False, True]


def test_a_checksum_at_the_end_is_not_part_of_the_frame():
    plain = header([1 << 1], b"\x00")
    with_fcs = header([1 << 1], b"\x10")
    heard = reception(plain, with_fcs)
    assert heard.frame_lengths[0] - heard.frame_lengths[1] == 4


def test_airtime_follows_the_rate_that_radiotap_tells():
    addresses = bytes.fromhex("020000000010020000000020020000000010")
    body = b"\x08\x01\x00\x00" + addresses + bytes(2 + 100)
    channel = struct.pack("<HH", 2437, 0)
    legacy = header([1 << 2 | 1 << 3], b"\x6c\x00" + channel)
    mcs = header(
        [1 << 3 | 1 << 19], channel + bytes([0x07, 0x05, 12])
    )  # 40 MHz, short guard, MCS 4 of 2 streams
    vht = header(
        [1 << 3 | 1 << 21],
        channel + struct.pack("<H", 0x44) + b"\x04\x04" + bytes([0x92, 0, 0, 0, 0, 0, 0, 0]),
    )
    octets = len(body) + 4
    expected = [
        modes.airtime_s(modes.legacy_mode(54.0), octets, True),
        modes.airtime_s(modes.mode(modes.HT, 4, 2, 1, modes.SHORT_GUARD), octets, True),
        modes.airtime_s(modes.mode(modes.VHT, 9, 2, 2, modes.SHORT_GUARD), octets, True),
    ]
    for head, seconds in zip((legacy, mcs, vht), expected, strict=True):
        assert only_piece((1.0, head + body)).traffic.airtime_s.sum() == pytest.approx(float(seconds))


# Frames


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
    ack = (
        header([1 << 2 | 1 << 3], b"\x30\x00" + struct.pack("<HH", 2437, 0)) + b"\xd4\x00\x00\x00" + bytes(6)
    )
    traffic = only_piece((1.0, ack)).traffic
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


def test_a_name_in_place_of_the_length_of_packets_on_other_links_is_said():
    reader = CaptureReader()
    piece = reader.piece(next(iter_pcap(Raw(pcap_bytes(PACKETS[:4], link=1)))))
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
