"""Headers before the frames: every field where the standard puts it, whatever stands around it."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode import capture_headers
from gray_kettle.decode.capture_files import iter_pcap
from gray_kettle.decode.capture_headers import radiotap
from gray_kettle.decode.capture_headers.field_layout import layout_of
from gray_kettle.phy import modes
from tests.frames import Raw, only_piece, pcap_bytes


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
def test_offsets_lie_within_any_header(raw):
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


def test_airtime_follows_the_rate_that_radiotap_shows():
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


def mode_of(head: bytes):
    """(generation, Mb/s) that one header tells."""
    number = int(reception(head).mode[0])
    return modes.generation_of(number), round(float(modes.table().rate_mbps[number]), 1)


HE_80 = struct.pack("<6H", 0x4020, 0x0002, 11 << 8, 0, 2 | 0x80, 2)  # MCS 11, 80 MHz, 0.8 µs, two streams
HE_RU = struct.pack(
    "<6H", 0x4060, 0x0002, (0 << 8) | 0x1000, 0, 6 | 2 << 4 | 0x80, 1
)  # 106 tones, dual carrier, 3.2
EHT_TLV = struct.pack("<I", 0x04) + bytes(36) + struct.pack("<I", 0x12 | 13 << 20 | 1 << 24)
U_SIG_TLV = struct.pack("<III", 0x02 | 4 << 15, 0, 0)


def tlv(kind: int, content: bytes) -> bytes:
    return struct.pack("<HH", kind, len(content)) + content + bytes(-len(content) % 4)


@pytest.mark.parametrize(
    ("head", "expected"),
    [
        (header([1 << 2], b"\x0b"), ("", 5.5)),
        (header([1 << 19], b"\x07\x05\x0f"), ("n", 300.0)),  # MCS 15, 40 MHz, short guard
        (header([1 << 19], b"\x02\x00\x20"), ("", np.nan)),  # MCS 32 has no rate of its own
        (
            header([1 << 2 | 1 << 19], b"\x0c\x02\x00\x00"),
            ("n", 6.5),
        ),  # a rate beside it is what had to be put there
        (
            header([1 << 21], struct.pack("<HBB4sBBH", 0x44, 4, 11, b"\x92\0\0\0", 0, 0, 0)),
            ("ac", 1733.3),
        ),  # 160 MHz
        (header([1 << 21], struct.pack("<HBB4sBBH", 0x44, 0, 0, b"\x71\0\0\0", 0, 0, 0)), ("ac", 65.0)),
        (header([1 << 23], HE_80), ("ax", 1201.0)),
        (header([1 << 23], HE_RU), ("ax", 1.6)),
        (header([1 << 23], bytes(12)), ("", np.nan)),  # it does not know the scheme
        (
            header([1 << 28], tlv(33, U_SIG_TLV) + tlv(34, EHT_TLV)),
            ("be", 5764.7),
        ),  # MCS 13, 320 MHz, two streams
        (header([1 << 28 | 1 << 1], b"\0" + bytes(3) + tlv(99, b"abc") + tlv(34, EHT_TLV)), ("be", 344.1)),
        (header([1 << 28], tlv(34, EHT_TLV[:20])), ("", np.nan)),
    ],
)
def test_the_way_of_sending_is_read_from_the_newest_field(head, expected):
    assert mode_of(head) == pytest.approx(expected, nan_ok=True)


def test_where_only_single_antennas_are_reported_the_strongest_counts():
    fields = bytes(2) + struct.pack("<bBbB", -70, 0, -52, 1)
    present = [1 << 1 | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11 | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11]
    assert reception(header(present, fields[1:])).signal_dbm[0] == -52


def test_an_extended_channel_an_aggregate_and_a_timestamp_are_found():
    fields = struct.pack("<IHBB", 0x10000, 5955, 1, 0) + struct.pack("<IHBB", 77, 0, 0, 0)
    fields += struct.pack("<QHBB", 1, 2, 3, 4)
    fields = bytes(0) + fields
    heard = reception(header([1 << 18 | 1 << 20 | 1 << 22], fields))
    assert (heard.channel_mhz[0], heard.aggregate[0]) == (5955, 77)
    assert layout_of(header([1 << 18 | 1 << 20 | 1 << 22], fields)).places[22] == 24


def test_many_layouts_in_one_block_do_not_mix():
    heads = [
        header([1 << 5], b"\xd0"),
        header([1 << 1 | 1 << 5], b"\0\xd1"),
        header([1 << 5 | 1 << 6], b"\xd2\xa0"),
    ] * 40
    vendor = header(
        [1 << 30 | 1 << 31, 1 << 29 | 1 << 31, 1 << 5], b"\0\x11\x22\1" + struct.pack("<H", 1) + b"x\xd3"
    )
    longer = header(
        [1 << 30 | 1 << 31, 1 << 29 | 1 << 31, 1 << 5], b"\0\x11\x22\1" + struct.pack("<H", 0) + b"\xd3y"
    )
    heard = reception(*heads, vendor, longer, header([0xFFFFFFFF], b""), header([1 << 3], b"\0"))
    assert list(heard.signal_dbm[:-2]) == [-48, -47, -46] * 40 + [-45, -45]
    assert list(heard.damaged[-2:]) == [True, True]
    assert not heard.damaged[:-2].any()


FRAME = bytes.fromhex("d4000000020000000010")
COMMON = struct.pack("<QHHHHBBbb", 5, 1, 22, 2437, 0x480, 0, 0, -61, -94)
MAC_PHY = struct.pack("<IIBBB", 0x10 | 0x02 | 0x04, 88, 0, 9, 2) + bytes(37)


def prism(order: str) -> bytes:
    values = [0, 0, 6, 0, 0, 0xFFFFFFC3, 0xFFFFFFA2, 22, 0, 0]
    items = b"".join(struct.pack(order + "IHHI", k, 0, 4, v) for k, v in enumerate(values))
    return struct.pack(order + "II16s", 0x44, 144, b"wlan0") + items


@pytest.mark.parametrize(
    ("link", "head", "fcs"),
    [
        (192, struct.pack("<BBHI", 0, 0, 8 + 24, 105) + struct.pack("<HH", 2, 20) + COMMON, 4),
        (
            192,
            struct.pack("<BBHI", 0, 1, 40, 105)
            + struct.pack("<HH", 77, 3)
            + bytes(4)
            + struct.pack("<HH", 2, 20)
            + COMMON[:20],
            4,
        ),
        (119, prism("<"), 0),
        (119, prism(">"), 0),
        (
            163,
            struct.pack(">II8s8sIII", 0x80211001, 64, b"", b"", 0, 6, 110)
            + bytes(8)
            + struct.pack(">IiiII", 2, -61, -94, 0, 0),
            0,
        ),
    ],
)
def test_older_headers_tell_channel_levels_and_rate(link, head, fcs):
    raw = pcap_bytes([(1.0, head + FRAME + bytes(fcs)), (2.0, head[:20])], link=link)
    heard = capture_headers.decode(next(iter_pcap(Raw(raw))))
    assert (heard.channel_mhz[0], heard.signal_dbm[0], heard.noise_dbm[0]) == (2437, -61, -94)
    assert modes.table().rate_mbps[heard.mode[0]] == 11
    assert (heard.frame_lengths[0], list(heard.damaged)) == (10, [False, True])


def test_ppi_shows_802_11n_and_its_aggregate():
    head = struct.pack("<BBHI", 0, 0, 8 + 24 + 52, 105) + struct.pack("<HH", 2, 20) + COMMON
    head += struct.pack("<HH", 4, 48) + MAC_PHY
    heard = capture_headers.decode(
        next(iter_pcap(Raw(pcap_bytes([(1.0, head + FRAME + bytes(4))], link=192))))
    )
    assert heard.aggregate[0] == 88
    assert modes.generation_of(int(heard.mode[0])) == "n"
    assert (
        modes.table().rate_mbps[heard.mode[0]] == 60.0
    )  # MCS 9: two streams, second scheme, 40 MHz, short guard


@given(
    st.sampled_from([105, 119, 127, 163, 192, 253]), st.lists(st.binary(max_size=200), min_size=1, max_size=6)
)
def test_no_bytes_before_or_in_a_frame_break_the_decoder(link, packets):
    prefixes = {
        127: [b"", b"\x00\x00\x0a\x00\x24\x00\x00\x00\x00\x00\x80\x00\x00\x00"],
        192: [b"\0\0\x20\0\x69\0\0\0"],
    }
    whole = [(1.0 + k, p + raw) for k, raw in enumerate(packets) for p in prefixes.get(link, [b""])]
    piece = only_piece_of(link, whole)
    assert piece.records + piece.skipped <= len(whole)


def only_piece_of(link, packets):
    from gray_kettle.decode.capture import CaptureReader

    return CaptureReader().piece(next(iter_pcap(Raw(pcap_bytes(packets, link=link)))))
