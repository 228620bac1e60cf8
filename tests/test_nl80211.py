"""The kernel's answers to scans: the same sightings as from beacons."""

import errno
import struct
from contextlib import closing

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.collect.live import uri as uris
from gray_kettle.collect.live.kernel_scans import KernelScans
from gray_kettle.collect.live.netlink import ORDER, Kernel, RefusedError
from gray_kettle.collect.live.netlink import attribute as netlink_attribute
from gray_kettle.collect.live.source import LostError
from gray_kettle.decode.nl80211_counters import stations_of, surveys_of
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


def u32(kind: int, value: int) -> bytes:
    return attribute(kind, struct.pack("<I", value))


def generic(command: int, *attributes: bytes) -> bytes:
    return message(28, bytes([command, 1, 0, 0]) + b"".join(attributes))


SURVEY = generic(
    51, u32(3, 7), attribute(84 | 0x8000, u32(1, 2437) + attribute(2, b"\xa1") + attribute(3, b"")
    + attribute(4, struct.pack("<Q", 1000)) + attribute(5, struct.pack("<Q", 400)))
) + generic(51, u32(3, 7), attribute(84 | 0x8000, u32(1, 2462)))  # fmt: skip
STATION = generic(
    19, attribute(6, bytes.fromhex("060000000099")),
    attribute(21 | 0x8000, attribute(7, b"\xc3") + u32(10, 1000) + u32(11, 90) + u32(12, 3)
              + attribute(8 | 0x8000, u32(5, 8667))),
)  # fmt: skip
OURS = u32(3, 7)


class Replay:
    """In place of the kernel: answers by command, and what it says by itself, step by step."""

    def __init__(self, answers, events):
        self.answers, self.steps, self.asked = answers, events, []

    def ask(self, command, content, *, is_dump):
        self.asked.append((command, content))
        answer = self.answers[command]
        if isinstance(answer, Exception):
            raise answer
        return answer

    def events(self, wait_s):
        return self.steps.pop(0) if self.steps else []

    def close(self):
        self.steps.append([("closed", {})])


def heard_from_kernel(replay, query="", pieces=3):
    uri = uris.parse(f"nl80211:wlan7{query}")
    source = KernelScans(uri, uri.rest, lambda: replay, lambda name: 7)
    with closing(source.pieces(lambda: False)) as running:
        return [next(running) for _ in range(pieces)], source.notes


SCANNED = [(34, {3: OURS[4:]})]


def test_the_kernel_is_asked_to_scan_and_its_answers_are_read():
    replay = Replay({32: MESSAGES[: -len(DONE)], 33: b"", 50: SURVEY, 17: STATION}, [[], SCANNED])
    pieces, notes = heard_from_kernel(replay, "?channels=1,5:36&interval=2s", 6)
    asked = next(content for command, content in replay.asked if command == 33)
    assert asked.startswith(OURS)
    assert struct.pack("<I", 2412) in asked
    assert struct.pack("<I", 5180) in asked
    assert sorted(a.bssid for a in pieces[0].announcements) == sorted([OWN, "02:00:00:00:00:20"])
    assert [piece.records for piece in pieces] == [1, 0, 0, 1, 0, 0]
    assert not len(pieces[3].sightings) or pieces[3].sightings.time_s.min() > pieces[0].sightings.time_s.max()
    survey = vars(pieces[1].surveys)
    names = ("receiver_hz", "active_s", "busy_s", "noise_dbm")
    assert [survey[name].tolist() for name in names] == [[2437e6], [1.0], [0.4], [-95]]
    link = pieces[2].links
    assert (link.station[0], link.level_dbm[0], link.sent[0], link.retried[0]) == (
        0x060000000099,
        -61,
        1000,
        90,
    )
    assert link.send_mbps[0] == 866.7
    assert np.isnan(link.receive_mbps[0])
    assert not notes


def test_without_the_right_to_scan_the_scans_of_others_are_read():
    rules = [(36, {})]
    replay = Replay({32: MESSAGES[: -len(DONE)], 33: RefusedError(errno.EPERM), 50: RefusedError(errno.EOPNOTSUPP),
                     17: b""}, [rules, [(34, {3: u32(3, 9)[4:]})], SCANNED])  # fmt: skip
    pieces, notes = heard_from_kernel(replay, "?passive=yes", 4)
    assert [piece.records for piece in pieces] == [1, 0, 1, 0]
    assert [command for command, _ in replay.asked].count(33) == 1
    assert "may not scan" in notes[0]
    assert "regulatory rules" in notes[1]


def test_an_interface_that_is_down_is_named_with_what_to_do():
    replay = Replay({32: b"", 33: RefusedError(errno.ENETDOWN), 50: b"", 17: b""}, [])
    uri = uris.parse("nl80211:wlan7")
    source = KernelScans(uri, uri.rest, lambda: replay, lambda name: 7)
    next(running := source.pieces(lambda: False))
    for _ in range(4):
        next(running)
    running.close()
    assert "it is down (ip link set it up)" in source.notes[0]
    with pytest.raises(KettleError, match="There is no interface wlan7"):
        list(KernelScans(uri, uri.rest, lambda: replay).pieces(lambda: False))


def test_the_kernel_of_this_computer_answers_and_says_what_it_lacks():
    """Over a real socket: the family that every kernel has, and one that none has."""
    kernel = Kernel("nlctrl", ("notify",))
    raw = kernel.ask(3, netlink_attribute(2, b"nlctrl\0"), is_dump=False)
    assert b"nlctrl" in raw
    assert len(kernel.ask(3, b"", is_dump=True)) > len(raw) - 1
    with pytest.raises(RefusedError, match="No such file"):
        kernel.ask(3, netlink_attribute(2, b"no-such-family\0"), is_dump=False)
    assert kernel.events(0.0) == []
    kernel.close()
    with pytest.raises(LostError, match="no Wi-Fi driver"):
        Kernel("no80211", ())


@given(st.binary(max_size=300), st.integers(0, len(SURVEY + STATION)))
def test_no_bytes_of_counters_give_anything_but_rows(raw, at):
    whole = SURVEY + STATION
    damaged = whole[:at] + raw + whole[at:]
    assert len(surveys_of(damaged, ORDER, 1.8e9).surveys) <= len(damaged) // 20
    assert len(stations_of(damaged, ORDER, 1.8e9).links) <= len(damaged) // 20
