"""Containers: what was written comes back however it is cut and packed, and damage is told with its place."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import iter_pcap, iter_pcapng, record_walk
from gray_kettle.decode.capture_files.block import LARGEST_PACKET
from gray_kettle.decode.errors import DecodeError
from tests.frames import Raw, pcap_bytes, pcapng_bytes, walked

PACKETS = [(1_800_000_000.25 + k, bytes([k]) * (20 + k)) for k in range(50)]


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
def test_a_length_that_lies_is_reported_and_costs_no_memory(length):
    raw = pcap_bytes(PACKETS[:3]) + struct.pack("<IIII", 0, 0, length, length)
    found, damage = walked(iter_pcap(Raw(raw)))
    assert len(found) == 3
    assert damage is not None
    assert "states a length" in str(damage)


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


SMALL = st.lists(st.tuples(st.floats(1.7e9, 1.7e9 + 1e5), st.binary(max_size=90)), max_size=60)


@given(SMALL, st.sampled_from([pcap_bytes, pcapng_bytes]), st.sampled_from(["<", ">"]), st.integers(1, 700))
def test_walking_at_many_offsets_at_once_finds_what_one_walk_finds(packets, make, order, most):
    # Packets that hold whole records make the guesses go wrong; sources that give few bytes cut everywhere.
    packets += [(t, make(packets[:3], order)[-200:]) for t, _ in packets[:5]]
    raw = make(packets, order)
    before = record_walk.SEGMENT_BYTES, record_walk._SEARCHED_BYTES
    try:
        record_walk.SEGMENT_BYTES, record_walk._SEARCHED_BYTES = 64, 64
        found, damage = walked((iter_pcap if make is pcap_bytes else iter_pcapng)(Raw(raw, most)))
    finally:
        record_walk.SEGMENT_BYTES, record_walk._SEARCHED_BYTES = before
    assert damage is None
    assert [content for _, content in found] == [content for _, content in packets]


def block(kind: int, body: bytes, order: str = "<", closing: int | None = None) -> bytes:
    body += bytes(-len(body) % 4)
    size = len(body) + 12
    return struct.pack(order + "II", kind, size) + body + struct.pack(order + "I", closing or size)


def section(order: str) -> bytes:
    return block(0x0A0D0D0A, struct.pack(order + "IHHq", 0x1A2B3C4D, 1, 0, -1), order)


def interface(link: int, order: str = "<", options: bytes = b"", snap: int = 0) -> bytes:
    return block(1, struct.pack(order + "HHI", link, 0, snap) + options, order)


def enhanced(which: int, ticks: int, raw: bytes, order: str = "<") -> bytes:
    head = struct.pack(order + "IIIII", which, ticks >> 32, ticks & 0xFFFFFFFF, len(raw), len(raw))
    return block(6, head + raw, order)


def test_sections_of_both_orders_with_interfaces_of_their_own_resolution_and_offset():
    seconds = struct.pack("<HHB3x", 9, 1, 0) + struct.pack("<HHq", 14, 8, 1_000_000)
    halves = struct.pack(">HHB3x", 9, 1, 0x81)
    raw = (
        section("<") + interface(127) + interface(105, options=seconds)
        + enhanced(0, 2_500_000, b"micro") + enhanced(1, 7, b"seconds")
        + section(">") + interface(192, ">", halves) + enhanced(0, 3, b"halves", ">")
    )  # fmt: skip
    found = [
        (b.link_type, float(b.times_s[0]), b.data[b.starts[0] : b.starts[0] + b.lengths[0]].tobytes())
        for b in iter_pcapng(Raw(raw))
    ]
    assert sorted(found) == [(105, 1_000_007.0, b"seconds"), (127, 2.5, b"micro"), (192, 1.5, b"halves")]


def test_simple_and_obsolete_packet_blocks_are_read():
    simple = block(3, struct.pack("<I", 9) + b"cut short")
    old = block(2, struct.pack("<HHIIII", 0, 5, 0, 4_000_000, 3, 3) + b"old")
    raw = section("<") + interface(127, snap=3) + simple + old
    found, damage = walked(iter_pcapng(Raw(raw)))
    assert damage is None
    assert [content for _, content in found] == [b"cut", b"old"]
    assert np.isnan(found[0][0])
    assert found[1][0] == 4.0


GOOD = section("<") + interface(127) + enhanced(0, 1, b"first")


@pytest.mark.parametrize(
    ("tail", "words"),
    [
        (enhanced(3, 1, b"x"), "interface that was not described"),
        (block(6, struct.pack("<IIIII", 0, 0, 1, 900, 900) + b"x"), "longer than its block"),
        (block(6, bytes(24), closing=99), "length fields of a block differ"),
        (b"\x06\0\0\0\xff\xff\xff\xff" + bytes(20), "states a length of 4,294,967,295"),
        (b"\x06\0\0\0\x0d\0\0\0" + bytes(20), "states a length of 13"),
        (b"\x0a\x0d\x0d\x0a\x1c\0\0\0" + bytes(20), "no byte-order mark"),
        (enhanced(0, 2, b"second")[:-9], "in the middle of a block"),
        (b"\x06\0\0", "within a block header"),
    ],
)
def test_a_block_that_cannot_be_ends_the_walk_at_its_byte(tail, words):
    found, damage = walked(iter_pcapng(Raw(GOOD + tail)))
    assert [content for _, content in found] == [b"first"]
    assert words in str(damage)
    assert damage.at == len(GOOD)


def test_a_checksum_that_only_the_container_shows_is_cut_off():
    frame = bytes.fromhex("d4000000020000000010") + b"FCS!"
    for raw in (
        pcap_bytes([(1.0, frame)], link=105 | 0x2400_0000),
        section("<")
        + interface(105, options=struct.pack("<HHB3x", 13, 1, 4))
        + enhanced(0, 1_000_000, frame),
    ):
        walk = iter_pcap if raw[:1] != b"\x0a" else iter_pcapng
        (piece,) = [CaptureReader().piece(b) for b in walk(Raw(raw))]
        assert piece.traffic.octets[0] == 10
