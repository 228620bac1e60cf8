"""Beacons and scan listings to announcements: channel, width, generation, streams, security."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode.dot11 import elements as el
from gray_kettle.decode.dot11 import security
from gray_kettle.decode.dot11.beacon import describe
from gray_kettle.decode.dot11.beacon_dedup import FIXED_BYTES
from gray_kettle.decode.dot11.elements import Elements, iter_elements
from gray_kettle.decode.dot11.operating_channel import Placement, channel_of
from gray_kettle.phy.channels import Channel, centre_hz, wide
from gray_kettle.simulator.beacons import beacon_body, listing_text
from gray_kettle.simulator.site import SimNetwork, SimRadio
from tests.test_scan_text import read_listing

RSN = b"\x00\x0f\xac"


def element(number: int, content: bytes) -> bytes:
    return bytes([number, len(content)]) + content


def extension(number: int, content: bytes) -> bytes:
    return element(255, bytes([number]) + content)


def described(*parts: bytes, receiver_mhz: float = 5180, capabilities: int = 0x0401):
    found = Elements.read(b"".join(parts))
    return describe("02:00:00:00:00:01", 100, capabilities, found, receiver_mhz * 1e6, 0)


@given(st.lists(st.tuples(st.integers(0, 254), st.binary(max_size=255))))
def test_elements_come_back_as_they_were_written(pairs):
    body = b"".join(element(n, c) for n, c in pairs)
    assert [(n, body[start:end]) for n, start, end in iter_elements(body)] == pairs


@given(st.binary(max_size=600))
def test_no_body_breaks_the_description(raw):
    found = described(raw)
    assert found is None or found.channel.primary in found.channel.parts


HT = element(61, bytes([36, 1]) + bytes(20))


@pytest.mark.parametrize(
    ("parts", "label", "centre"),
    [
        ([element(61, bytes([36, 0]) + bytes(20))], "36/20", 36),
        ([HT], "36/40", 38),
        ([element(61, bytes([40, 3]) + bytes(20))], "40/40", 38),
        ([HT, element(192, bytes([0, 0, 0, 0, 0]))], "36/40", 38),
        ([HT, element(192, bytes([1, 42, 0, 0, 0]))], "36/80", 42),
        ([HT, element(192, bytes([1, 42, 50, 0, 0]))], "36/160", 50),
        ([HT, element(192, bytes([2, 50, 0, 0, 0]))], "36/160", 50),
        ([HT, element(192, bytes([1, 42, 106, 0, 0]))], "36/80+80", 42),
        ([HT, element(192, bytes([3, 42, 155, 0, 0]))], "36/80+80", 42),
        ([HT, element(192, bytes([1, 155, 0, 0, 0]))], "36/40", 38),  # contradicts the primary: passed over
        ([HT, extension(106, bytes([1]) + bytes(4) + bytes([2, 42, 0]))], "36/80", 42),
        ([HT, extension(106, bytes([1]) + bytes(4) + bytes([3, 42, 50]))], "36/160", 50),
        # HE operation that carries VHT operation information (bit 14)
        ([HT, extension(36, bytes([0, 0x40, 0, 0, 0, 0]) + bytes([1, 42, 0]))], "36/80", 42),
    ],
)
def test_the_channel_in_five_gigahertz(parts, label, centre):
    found = described(*parts)
    assert found.channel.label == label
    assert found.channel.centre_hz == centre_hz("5", centre)


@pytest.mark.parametrize(
    ("info", "receiver_mhz", "label"),
    [
        (bytes([37, 0, 37, 0, 6]), 6135, "37/20"),
        (bytes([37, 1, 35, 0, 6]), 6135, "37/40"),
        (bytes([37, 2, 39, 0, 6]), float("nan"), "37/80"),
        (bytes([37, 3, 39, 47, 6]), 6135, "37/160"),
    ],
)
def test_the_channel_in_six_gigahertz_is_reported_by_he_operation(info, receiver_mhz, label):
    found = described(extension(36, bytes([0, 0, 2, 0, 0, 0]) + info), receiver_mhz=receiver_mhz)
    assert (found.channel.band, found.channel.label) == ("6", label)


def test_320_megahertz_is_reported_by_eht_operation():
    he = extension(36, bytes([0, 0, 2, 0, 0, 0]) + bytes([37, 3, 39, 47, 6]))
    eht = extension(106, bytes([1]) + bytes(4) + bytes([4, 47, 63]))
    assert described(he, eht, receiver_mhz=6135).channel == Channel("6", 37, 320, centre_hz("6", 63))


def test_the_frame_s_own_channel_counts_where_the_receiver_sits_elsewhere():
    found = described(element(3, b"\x0b"), receiver_mhz=2452)
    assert (found.channel.band, found.channel.primary) == ("2.4", 11)


def test_without_any_channel_reported_the_receiver_s_channel_is_taken():
    assert described(receiver_mhz=2412).channel.primary == 1
    assert described(receiver_mhz=float("nan")) is None
    assert described(element(3, b"\xc8"), receiver_mhz=2412) is None  # 200 is no channel to transmit on


@given(st.sampled_from(["2.4", "5", "6"]), st.integers(0, 255), st.tuples(*[st.integers(0, 255)] * 10))
def test_no_operation_elements_channel_a_radio_outside_its_own_primary(band, primary, raw):
    said = Placement(raw[0], raw[1:4], raw[4:7], raw[7:10])
    try:
        channel = channel_of(band, primary, said)
    except ValueError:
        return
    assert channel.primary == primary
    assert primary in channel.parts


@pytest.mark.parametrize(
    ("parts", "generation", "streams"),
    [
        ([element(1, b"\x82\x84\x8b\x96")], "b", 1),
        ([element(1, b"\x82\x84\x0c\x18")], "g", 1),
        ([element(45, b"\0\0\0\xff\xff\xff\0" + bytes(19))], "n", 3),
        ([element(45, b"\0\0\0\xff" + bytes(22)), extension(35, bytes(17) + b"\xfa\xff\xfa\xff")], "ax", 2),
        ([extension(108, bytes(12))], "be", 1),
    ],
)
def test_generation_and_streams_in_2_4_gigahertz(parts, generation, streams):
    found = described(element(3, b"\x06"), *parts, receiver_mhz=2437)
    assert (found.generation, found.streams) == (generation, streams)


def test_generation_and_streams_in_five_gigahertz():
    vht = element(191, bytes(4) + b"\xaa\xff" + bytes(6))
    assert (described(HT, vht).generation, described(HT, vht).streams) == ("ac", 4)
    assert described(element(1, b"\x8c\x98")).generation == "a"


def rsn(ciphers: list[int], keys: list[int], group: int = 4) -> bytes:
    def suites(numbers: list[int]) -> bytes:
        return struct.pack("<H", len(numbers)) + b"".join(RSN + bytes([n]) for n in numbers)

    return b"\x01\x00" + RSN + bytes([group]) + suites(ciphers) + suites(keys)


WPA = (
    b"\x01\x00" + b"\x00\x50\xf2\x02" + b"\x01\x00" + b"\x00\x50\xf2\x02" + b"\x01\x00" + b"\x00\x50\xf2\x02"
)


@pytest.mark.parametrize(
    ("rsn_content", "wpa", "privacy", "label", "outdated"),
    [
        (None, None, False, "open", False),
        (None, None, True, "WEP", True),
        (None, WPA, True, "WPA-PSK TKIP", True),
        (rsn([4], [2]), None, True, "WPA2-PSK", False),
        (rsn([4, 2], [2], 2), WPA, True, "WPA/WPA2-PSK TKIP", True),
        (rsn([4], [2, 8]), None, True, "WPA2/WPA3", False),
        (rsn([4], [8]), None, True, "WPA3-SAE", False),
        (rsn([4], [18]), None, True, "OWE", False),
        (rsn([4], [1]), None, True, "WPA2-Enterprise", False),
        (rsn([9], [12]), None, True, "WPA3-Enterprise", False),
        (b"\x01\x00", None, True, "WPA2-PSK", False),  # cut short: what is told still counts
    ],
)
def test_security_labels(rsn_content, wpa, privacy, label, outdated):
    assert security.label(rsn_content, wpa, privacy) == label
    assert security.is_outdated(label) is outdated


def test_basic_rates_and_interval_and_country_are_read():
    found = described(element(1, b"\x82\x04\x8b"), element(50, b"\x98"), element(7, b"GB \x01\x0d\x14"))
    assert found.basic_rates_mbps == (1.0, 5.5, 12.0)
    assert found.country == "GB"
    assert found.beacon_interval_tu == 100


# Scan listings


RADIOS = st.builds(
    SimRadio,
    name=st.just("x"),
    own=st.just(False),
    at=st.just((0.0, 0.0)),
    power_dbm=st.just(20.0),
    generation=st.sampled_from(["n", "ac", "ax"]),
    streams=st.integers(1, 4),
    networks=st.just(()),
    channel_at=st.just(lambda _: None),
    activity_at=st.just(lambda _: 0.0),
    basic_rates_mbps=st.sampled_from([(1.0, 2.0), (6.0, 12.0)]),
)
CHANNELS = st.sampled_from(
    [
        ("2.4", 1, 20),
        ("2.4", 3, 40),
        ("2.4", 11, 40),
        ("5", 36, 20),
        ("5", 48, 40),
        ("5", 149, 80),
        ("5", 161, 80),
    ]
)
NETWORKS = st.builds(
    SimNetwork,
    st.binary(max_size=32),
    st.just(b"\x02\0\0\0\0\x01"),
    st.sampled_from(["open", "wep", "wpa-tkip", "wpa2", "wpa2-wpa3", "wpa3"]),
)


@given(RADIOS, CHANNELS, NETWORKS)
def test_a_capture_and_a_listing_of_one_radio_say_the_same(radio, where, network):
    band, primary, width = where
    channel = wide(band, primary, width)[0]
    width_sent = 20 if radio.generation == "n" and width > 40 else width
    body = beacon_body(radio, network, channel, (0.4, 3), 0)
    capabilities = int.from_bytes(body[10:12], "little")
    elements = Elements.read(body, FIXED_BYTES)
    heard = describe("02:00:00:00:00:01", 100, capabilities, elements, channel.primary_hz, 0)
    (piece,), _ = read_listing("1800000000\n" + listing_text(radio, network, channel, -50.0, (0.4, 3)))
    (listed,) = piece.announcements
    for name in ("channel", "generation", "streams", "security", "ssid", "basic_rates_mbps"):
        assert getattr(heard, name) == getattr(listed, name), name
    if radio.generation != "n" or band == "2.4":
        assert heard.channel.width_mhz == (20 if band == "2.4" and width == 20 else width_sent)


def test_the_numbers_of_extension_elements_are_their_own():
    found = Elements.read(extension(36, b"abcdef") + element(36, b"other"))
    assert found.get(el.HE_OPERATION) == b"abcdef"
