"""The kernel's answers to scans: the same sightings as from beacons."""

import struct
from contextlib import closing

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.frames import OWN, beacon, ht, load, only_piece, pcap_bytes, pieces_of


def attribute(kind: int, content: bytes, order: str = "<") -> bytes:
    return struct.pack(order + "HH", len(content) + 4, kind) + content + bytes(-len(content) % 4)


def message(kind: int, body: bytes, order: str = "<", sequence: int = 7) -> bytes:
    return struct.pack(order + "IHHII", len(body) + 16, kind, 2, sequence, 99) + body + bytes(-len(body) % 4)


def scan_result(
    bssid: str, mhz: int, dbm: float, elements: bytes, order: str = "<", seen_ms: int = 500
) -> bytes:
    bss = attribute(1, bytes.fromhex(bssid.replace(":", "")), order)
    bss += attribute(2, struct.pack(order + "I", mhz), order) + attribute(3, bytes(8), order)
    bss += attribute(4, struct.pack(order + "H", 100), order) + attribute(
        5, struct.pack(order + "H", 0x411), order
    )
    bss += attribute(6, elements, order) + attribute(7, struct.pack(order + "i", round(100 * dbm)), order)
    bss += attribute(10, struct.pack(order + "I", seen_ms), order)
    body = (
        b"\x22\x01\0\0"
        + attribute(3, struct.pack(order + "I", 3), order)
        + attribute(47 | 0x8000, bss, order)
    )
    return message(28, body, order)


_, FRAME = beacon(OWN, b"tern-guest", 3, -41, 0.0, *ht(3, 1), load(7, 51), privacy=True)
ELEMENTS = FRAME[FRAME[2] + 24 + 12 :]
DONE = message(3, bytes(4))
MESSAGES = (
    scan_result(OWN, 2422, -41, ELEMENTS) + scan_result("02:00:00:00:00:20", 2412, -60, ELEMENTS[:12]) + DONE
)


def taken(tmp_path, raw: bytes):
    file = tmp_path / "scan.nl"
    file.write_bytes(raw)
    with Case.create(tmp_path / "a.kettle", Setup()) as case:
        return ingest(case, open_file(file)), case.window()


@pytest.mark.parametrize("order", ["<", ">"])
def test_an_answer_says_what_the_beacon_says(tmp_path, order):
    result, observed = taken(
        tmp_path, scan_result(OWN, 2422, -41, ELEMENTS, order) + message(3, bytes(4), order)
    )
    (said,), (sent,) = observed.announcements, only_piece((1.0, FRAME)).announcements
    for name in (
        "bssid",
        "ssid",
        "channel",
        "generation",
        "streams",
        "security",
        "beacon_interval_tu",
        "fingerprint",
    ):
        assert getattr(said, name) == getattr(sent, name), name
    seen = observed.sightings
    assert 10 * np.log10(seen.level_mw[0]) == pytest.approx(-41)
    assert (seen.load_stations[0], round(seen.load_utilisation[0], 3)) == (7, 0.2)
    assert (result.kind, result.records, observed.takes[0].swept_bands) == ("netlink scan", 1, ("2.4",))


def test_answers_in_a_capture_of_netlink_are_dated_by_it():
    cooked = bytes([0, 4, 3, 0x38]) + bytes(10) + b"\0\x10"
    raw = pcap_bytes([(1.8e9, cooked + MESSAGES), (1.8e9 + 60, cooked + MESSAGES)], link=253)
    (piece,) = pieces_of(raw)
    assert piece.records == 2
    assert sorted(set(piece.sightings.time_s)) == [1.8e9 - 0.5, 1.8e9 + 59.5]


@pytest.mark.parametrize("cut", [1, 5, 20, 60])
def test_what_is_cut_short_keeps_what_came_before(tmp_path, cut):
    result, observed = taken(tmp_path, MESSAGES[: len(MESSAGES) - len(DONE) - cut])
    assert len(observed.sightings) == 1
    assert "in the middle of one at byte" in result.notes[0]


@given(st.binary(max_size=300), st.integers(0, len(MESSAGES)))
def test_no_bytes_give_anything_but_sightings_or_a_sentence(tmp_path_factory, raw, at):
    file = tmp_path_factory.mktemp("n") / "scan.nl"
    file.write_bytes(MESSAGES[:at] + raw + MESSAGES[at:])
    try:
        source = open_file(file)
    except KettleError:
        return
    with closing(source.input_stream):
        for piece in source.pieces():
            assert (piece.sightings.announcement < max(len(piece.announcements), 1)).all()
