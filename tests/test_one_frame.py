"""One frame: which are kept, what they say field by field, and what the receiver saw of them."""

import json
import struct
import time
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.decode.one_frame import kind_name, reading_of
from gray_kettle.model.records import EXAMPLES_A_KIND, ExampleFrame
from gray_kettle.phy import modes
from gray_kettle.store import Case
from gray_kettle.store.packing import example_from, example_text
from tests.frames import BOAT, OWN, beacon, busy_harbour, data, ht, load, only_piece
from tests.terminal import PROGRAM
from tests.test_capture_headers import header

CLIENT = "02:00:00:00:0a:01"


def test_a_few_frames_of_each_kind_are_kept_and_no_content():
    packets = busy_harbour() + [data(OWN, CLIENT, 3, k * 0.01, octets=700) for k in range(50)]
    examples = only_piece(*packets).examples
    counts = {}
    for e in examples:
        counts[e.bssid, e.kind, e.receiver_mhz] = counts.get((e.bssid, e.kind, e.receiver_mhz), 0) + 1
    assert set(counts.values()) == {EXAMPLES_A_KIND}
    assert counts.keys() >= {(OWN, 0x08, 2422), (OWN, 0x28, 2422), (BOAT, 0x08, 2412)}
    (one, _) = (e for e in examples if e.kind == 0x28)
    assert (len(one.frame), one.frame_octets) == (36, 726)


def test_a_beacon_is_read_field_by_field():
    _, raw = beacon(
        OWN, b"tern\x1b[31m", 3, -50, 0.0, *ht(3, 1), load(5, 100), (221, b"\0\x50\xf2\x02xy"), mhz=2432
    )
    (example,) = only_piece((1.0, raw)).examples
    reading = reading_of(example)
    words = {f.name: f.words for f in (*reading.header, *reading.fixed, *reading.elements)}
    assert words["transmitter"] == OWN
    assert words["interval"] == "100 time units (102.4 ms)"
    assert words["DSSS channel"] == "channel 3"
    assert words["HT operation"] == "primary 3, secondary above"
    assert words["BSS load"] == "5 stations, channel 39 % busy"
    assert words["Vendor"] == "WMM (quality of service)"
    assert "\x1b" not in words["SSID"]
    assert reading.announced.channel.label == "3/40"
    assert (reading.seen.channel, reading.seen.level_dbm, reading.seen.snr_db) == (5, -50, 45)
    assert str(reading.seen.mode) == "1 Mb/s, DBPSK, 22 MHz, 1 stream"
    assert reading.off_channel.startswith(
        "Sent on 3, heard on 5: the receiver was 10 MHz beside it. DSSS at 1 Mb/s"
    )
    # The parts are the whole frame, each octet once.
    parts = sorted((f.at, f.octets) for f in (*reading.header, *reading.fixed, *reading.elements))
    assert b"".join(octets for _, octets in parts) == example.frame


def test_a_frame_that_cannot_have_been_decoded_beside_its_channel_says_so():
    frame = b"\x80\0\0\0" + b"\xff" * 6 + b"\x02" * 12 + bytes(14) + b"\x00\x04tern\x03\x01\x0b"
    ofdm = header([1 << 2 | 1 << 3 | 1 << 5], b"\x0c\x00" + struct.pack("<HHb", 2437, 0xA0, -60))
    reading = reading_of(ExampleFrame(1.0, "02:02:02:02:02:02", 8, 2437, 127, ofdm, frame, len(frame)))
    assert "cannot be decoded so far beside" in reading.off_channel


@pytest.mark.parametrize(
    ("mode", "text"),
    [
        (modes.legacy_mode(5.5), "5.5 Mb/s, CCK, 22 MHz, 1 stream"),
        (modes.legacy_mode(24), "24 Mb/s, 16-QAM 1/2, 20 MHz, 1 stream"),
        (modes.mode(modes.HT, 7, 2, 1, modes.SHORT_GUARD),
         "300 Mb/s, 802.11n MCS 7, 64-QAM 5/6, 40 MHz, 2 streams, guard interval 0.4 µs"),
        (modes.mode(modes.HE, 11, 2, 2, 0),
         "1201 Mb/s, 802.11ax MCS 11, 1024-QAM 5/6, 80 MHz, 2 streams, guard interval 0.8 µs"),
    ],
)  # fmt: skip
def test_modes_in_words(mode, text):
    assert str(modes.words(int(mode))) == text


def test_headers_with_further_words_that_nobody_knows_are_read_by_their_length():
    _, raw = beacon(OWN, b"tern", 3, -50)
    frame = raw[int.from_bytes(raw[2:4], "little") :]
    # Behind the first word one whose fields would not fit: a driver's own numbering.
    odd = header([1 << 3 | 1 << 5 | 1 << 31, 0x0FFF_FFFF], struct.pack("<HHb", 2422, 0xA0, -50) + b"\0\0\0")
    piece = only_piece((1.0, odd + frame))
    assert (piece.records, piece.skipped) == (1, 0)
    (example,) = piece.examples
    assert reading_of(example).seen.level_dbm == -50


@given(st.integers(0, 63), st.binary(max_size=80), st.binary(min_size=10, max_size=300))
def test_no_frame_stops_its_reading(kind, radio_header, frame):
    reading = reading_of(ExampleFrame(1.0, OWN, kind, 2437, 127, radio_header, frame, len(frame)))
    assert reading.kind == kind_name(kind)


@pytest.mark.parametrize("bssid", ["\x1b[31m", "[red]", "02:00:00:00:00:1", OWN.upper() + "\n"])
def test_an_address_that_is_none_is_damage(bssid):
    (example, *_) = only_piece(beacon(OWN, b"tern", 3)).examples
    assert example_from(example_text(example)) == example
    with pytest.raises(ValueError, match="impossible"):
        example_from(example_text(replace(example, bssid=bssid)))


def test_the_command_lists_and_shows_and_a_masked_copy_has_none(site, tmp_path, capsys):
    assert main(["frame", str(site), OWN]) == 0
    assert "beacon" in capsys.readouterr().out
    assert main(["frame", str(site), "3", "--number", "1", "--json"]) == 0
    (frame,) = json.loads(capsys.readouterr().out)["frames"]
    assert (frame["bssid"], frame["kind"], frame["receiver_channel"]) == (OWN, "beacon", 3)
    assert main(["frame", str(site), "3", "--number", "9999"]) == 2
    assert main(["frame", str(site), "tea"]) == 2
    masked, whole = tmp_path / "masked.kettle", tmp_path / "whole.kettle"
    assert main(["copy", str(site), str(masked), "--mask"]) == 0
    assert main(["copy", str(site), str(whole), "--compact"]) == 0
    with Case.open(site) as case, Case.open(whole) as copy, Case.open(masked) as other:
        assert case.example_frames.all() == copy.example_frames.all() != ()
        assert other.example_frames.all() == ()


@pytest.mark.slow
def test_frames_are_reached_from_a_radio_and_from_a_channel(terminal, demo_case):
    terminal.start(*PROGRAM, "open", str(demo_case), columns=80, lines=24)
    terminal.wait_for("What is wrong")
    terminal.keys("2")
    terminal.wait_for("15 radios")
    terminal.keys("e")
    terminal.wait_for("Frames of hall", "beacon", "What the receiver saw", "tuned to")
    for _ in range(6):
        terminal.keys("Down")
    terminal.wait_for("off channel", "Sent on 3, heard on 1")
    terminal.keys("Tab")
    time.sleep(0.5)  # until the frame has the keys
    terminal.keys("End")
    terminal.wait_for("HE operation")
    terminal.keys("Escape")
    terminal.keys("Escape")
    terminal.wait_without("Frames of hall")
    terminal.keys("3")
    terminal.wait_for("seen by")
    terminal.keys("c")
    terminal.wait_for("Channel map")
    terminal.keys("e")
    terminal.wait_for("Frames of channel 1, 2.4 GHz")
