"""Damaged and odd inputs: all that stands before the damage is kept, one note says where it is, memory stays small."""

import gzip
import json
import os
import struct
import subprocess
import sys
import threading
import tracemalloc

import pytest

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, pcapng_bytes
from tests.test_capture_files import block, enhanced, interface, section

PACKETS = busy_harbour(2)
COUNT = len(PACKETS)
PCAP, PCAPNG = pcap_bytes(PACKETS), pcapng_bytes(PACKETS)
LAST = 16 + len(PACKETS[-1][1])  # bytes of the last packet with its header
LAST_BLOCK = 32 + len(PACKETS[-1][1]) + -len(PACKETS[-1][1]) % 4
TWO = COUNT - 2  # packets before the last two
ZIPPED = gzip.compress(PCAP)


def radiotap_of(present: bytes, rest: bytes = bytes(40)) -> bytes:
    return struct.pack("<BBH", 0, 0, 8) + present + rest


def with_packet(raw: bytes) -> bytes:
    """A good capture with one more packet in its middle."""
    return pcap_bytes([*PACKETS[:5], (1.8e9, raw), *PACKETS[5:]])


def middle(content: bytes) -> bytes:
    """A good pcapng file with a block put behind its fifth packet."""
    ends = sum(32 + len(p) + -len(p) % 4 for _, p in PACKETS[5:])
    return PCAPNG[:-ends] + content + PCAPNG[-ends:]


def in_order(order: str) -> bytes:
    return (
        section(order)
        + interface(127, order)
        + b"".join(enhanced(0, 10**6 * k, p, order) for k, (_, p) in enumerate(PACKETS))
    )


# name: (bytes, frames that must come out, byte of the damage or None, part of the note)
DAMAGED: dict[str, tuple[bytes, int, int | None, str]] = {}
for cut in range(1, LAST, 7):
    where = "packet header" if LAST - cut < 16 else "middle of a packet"
    DAMAGED[f"pcap cut by {cut}"] = PCAP[:-cut], COUNT - 1, len(PCAP) - LAST, where
for cut in range(1, LAST_BLOCK, 11):
    DAMAGED[f"pcapng cut by {cut}"] = PCAPNG[:-cut], COUNT - 1, len(PCAPNG) - LAST_BLOCK, "stops"
for cut in (1, 4, 8, 60, 400):
    DAMAGED[f"gzip cut by {cut}"] = ZIPPED[:-cut], 1, None, "gzip stream stops"
for length in (1 << 24, 0x7FFFFFFF, 0xFFFFFFFF, (1 << 24) + 1):
    overlap = PCAP + struct.pack("<IIII", 1_800_000_000, 0, length, length)
    DAMAGED[f"pcap of {length}"] = (
        overlap,
        COUNT,
        len(PCAP),
        "states a length" if length > 1 << 24 else "middle of a packet",
    )
    over = struct.pack("<II", 6, length & ~3) + bytes(20)
    DAMAGED[f"pcapng of {length}"] = PCAPNG + over, COUNT, len(PCAPNG), "block"
for name, content in {
    "no interface": enhanced(9, 1, b"x"),
    "packet longer than its block": block(6, struct.pack("<IIIII", 0, 0, 1, 999, 999) + b"x"),
    "two lengths": block(6, bytes(24), closing=88),
    "a length of nothing": struct.pack("<II", 6, 0) + bytes(24),
    "an uneven length": struct.pack("<II", 6, 33) + bytes(24),
    "a section without order": struct.pack("<II", 0x0A0D0D0A, 28) + bytes(20),
}.items():
    DAMAGED[f"pcapng with {name}"] = (
        middle(content),
        5,
        len(PCAPNG) - len(PCAPNG) + PCAPNG.find(PACKETS[5][1]) - 28,
        "",
    )
for name, raw in {
    "a loop of present words": radiotap_of(b"\xff" * 4, b"\xff" * 60),
    "present words without an end": struct.pack("<BBH", 0, 0, 200) + b"\0\0\0\x80" * 49,
    "a header longer than the packet": struct.pack("<BBHI", 0, 0, 0xFFFF, 0) + bytes(30),
    "a header of no length": bytes(60),
    "another version": b"\x07" + bytes(60),
    "fields behind the header": struct.pack("<BBHI", 0, 0, 8, 0x7FFFFFF) + bytes(30),
    "a vendor's length that lies": struct.pack("<BBHI", 0, 0, 14, 1 << 30) + b"\0\1\2\3\xff\xff" + bytes(30),
    "nothing in it": b"",
    "one byte": b"\0",
    "radiotap and no frame": struct.pack("<BBHI", 0, 0, 8, 0),
    "a frame of nine bytes": struct.pack("<BBHI", 0, 0, 8, 0) + b"\x80" + bytes(8),
}.items():
    DAMAGED[f"pcap with {name}"] = (
        with_packet(raw),
        COUNT,
        with_packet(raw).find(PACKETS[4][1]) + len(PACKETS[4][1]) + 16,
        "damaged",
    )
NOT_DAMAGED = {
    "of the other order": pcap_bytes(PACKETS, ">"),
    "pcapng of the other order": in_order(">"),
    "two sections of both orders": in_order("<") + in_order(">"),
    "packed": ZIPPED,
    "packed in two parts": gzip.compress(PCAP[:1000]) + gzip.compress(PCAP[1000:]),
    "packed with a tail of zeros": ZIPPED + bytes(512),
    "with unknown blocks": middle(block(0x0BAD, b"?") + block(5, bytes(12))),
}  # fmt: skip


def taken(tmp_path, raw: bytes, name: str = "in.cap"):
    file = tmp_path / name
    file.write_bytes(raw)
    with Case.create(tmp_path / "a.kettle", Setup()) as case:
        return ingest(case, open_file(file)), case.window()


def test_there_are_enough_of_them():
    assert len(DAMAGED) >= 60


@pytest.mark.parametrize("name", DAMAGED)
@pytest.mark.slow
def test_what_is_before_the_damage_is_kept_and_its_byte_is_said(tmp_path, name):
    raw, frames, at, words = DAMAGED[name]
    tracemalloc.start()
    try:
        result, observed = taken(tmp_path, raw)
        _, peak = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert (result.records == frames) if at is not None else (result.records >= frames)
    assert observed.sightings.frames.sum() == result.records
    assert len(result.notes) == 1
    assert words in result.notes[0]
    if at is not None:
        assert f"byte {at:,}" in result.notes[0]
    assert peak < 100e6


@pytest.mark.parametrize("name", NOT_DAMAGED)
def test_odd_but_whole_captures_are_read_without_a_note(tmp_path, name):
    result, _ = taken(tmp_path, NOT_DAMAGED[name])
    assert result.notes == ()
    assert result.records % COUNT == 0 < result.records


def gzip_hurt_at(at: int) -> bytes:
    hurt = bytearray(gzip.compress(PCAP, 1))
    hurt[at] ^= 0x55
    return bytes(hurt)


@pytest.mark.parametrize("at", [300, -300, -100, -9, -4])
def test_damage_within_gzip_keeps_what_can_be_unpacked(tmp_path, at):
    result, _ = taken(tmp_path, gzip_hurt_at(at))
    # Where unpacking goes on with wrong bytes, the capture or a packet in it is what is damaged.
    assert any("byte" in note for note in result.notes)
    assert result.records >= (COUNT if at in (-9, -4) else 1)


@pytest.mark.parametrize("at", [20, 100])
def test_damage_at_the_beginning_of_gzip_is_refused_with_its_byte(tmp_path, at):
    with pytest.raises(KettleError, match="gzip stream is damaged at byte"):
        taken(tmp_path, gzip_hurt_at(at))


@pytest.mark.slow
def test_a_bomb_is_unpacked_bit_by_bit(tmp_path):
    bomb = gzip.compress(PCAP + struct.pack("<IIII", 1, 0, 1 << 24, 1 << 24) + bytes(60 << 20))
    tracemalloc.start()
    result, _ = taken(tmp_path, bomb)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert result.records >= COUNT
    assert peak < 150e6


@pytest.mark.slow
def test_a_pipe_and_standard_input_are_read_like_a_file(tmp_path):
    packed = gzip.compress(PCAP)
    case, pipe = tmp_path / "a.kettle", tmp_path / "pipe"
    Case.create(case, Setup()).close()
    program = [sys.executable, "-m", "gray_kettle", "take", str(case), "-", "--json"]
    done = subprocess.run(program, input=packed, capture_output=True, check=True, timeout=60)
    (said,) = json.loads(done.stdout)["inputs"]
    assert (said["source"], said["kind"], said["records"]) == ("standard input", "pcap", COUNT)
    os.mkfifo(pipe)

    def write() -> None:
        with pipe.open("wb") as end:
            for k in range(0, len(PCAP), 500):
                end.write(PCAP[k : k + 500])
                end.flush()

    writer = threading.Thread(target=write)
    writer.start()
    with Case.open(case) as opened:
        again = ingest(opened, open_file(pipe))
        writer.join()
        # The same bytes, whatever way they came and however they were packed.
        assert again.number is None
        assert "already" in again.notes[0]
        assert len(opened.takes()) == 1


def test_a_capture_that_grew_replaces_its_beginning(tmp_path):
    def long(times: int) -> list[tuple[float, bytes]]:
        return [(time_s + 2 * k, raw) for k in range(times) for time_s, raw in PACKETS]

    whole, other = pcap_bytes(long(30)), pcap_bytes([*long(20), *PACKETS])  # both begin the same
    growing = pcap_bytes(long(21))[:-7]
    with Case.create(tmp_path / "a.kettle", Setup()) as case:
        for name, raw in (("growing", growing), ("whole", whole), ("other", other)):
            (tmp_path / name).write_bytes(raw)
            result = ingest(case, open_file(tmp_path / name))
            assert result.number is not None
            assert ("counts in its place" in " ".join(result.notes)) == (name == "whole")
        assert [t.source for t in case.takes()] == ["whole", "other"]
        assert ingest(case, open_file(tmp_path / "whole")).number is None
        assert case.window().traffic.frames.sum() == (30 + 21) * COUNT
