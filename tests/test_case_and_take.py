"""The case file and reading into it: nothing is lost, nothing is counted twice, damage is told."""

import contextlib
import json
import os
import sqlite3
import subprocess
import sys
import zlib
from dataclasses import replace

import numpy as np
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import STOPPED_NOTE, ingest
from gray_kettle.errors import KettleError
from gray_kettle.export.json_api.heard import heard_answer
from gray_kettle.export.json_api.plan import plan_answer
from gray_kettle.model.records import Listening, Sightings
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.store.packing import announcement_from, announcement_text, pack, unpack
from tests.frames import BOAT, OWN, beacon, busy_harbour, load, pcap_bytes, traffic, write_pcap
from tests.test_scan_text import LISTING

SETUP = Setup(
    site="Café “Möwe”",
    country="GB",
    own=("tern-guest", OWN),
    foreign=(BOAT,),
    clients=("2.4:1-11",),
    names=((OWN, "hall"),),
)


def test_a_setup_comes_back_and_the_newest_counts(tmp_path):
    with Case.create(tmp_path / "a.kettle", SETUP) as case:
        assert case.setup() == SETUP
        case.save_setup(Setup(site="other"))
    with Case.open(tmp_path / "a.kettle") as case:
        assert case.setup() == Setup(site="other")


def test_a_case_is_never_written_over(tmp_path):
    Case.create(tmp_path / "a.kettle", SETUP).close()
    with pytest.raises(KettleError, match="exists already"):
        Case.create(tmp_path / "a.kettle", Setup())


def test_a_case_from_a_newer_version_is_refused_in_words(tmp_path):
    path = tmp_path / "a.kettle"
    Case.create(path, SETUP).close()
    with contextlib.closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA user_version = 99")
    with pytest.raises(KettleError, match=r"newer version.*format 99"):
        Case.open(path)


def test_a_case_of_the_first_format_is_opened_and_carried_over(tmp_path, case_of):
    path = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour(2)), setup=SETUP)
    newer = ("transmitted_by", "ap_name", "roaming", "neighbours", "device", "quiet", "switching_to")
    with contextlib.closing(sqlite3.connect(path)) as db, db:
        for number, text in db.execute("SELECT number, document FROM announcements").fetchall():
            old = {name: value for name, value in json.loads(text).items() if name not in newer}
            db.execute("UPDATE announcements SET document = ? WHERE number = ?", (json.dumps(old), number))
        db.execute("DROP TABLE abilities")
        db.execute("PRAGMA user_version = 1")
    assert len(heard_json(path)["radios"]) > 3
    with Case.open(path) as case:
        assert case.window().capabilities == ()


@pytest.mark.parametrize("content", [b"", b"not a database at all" * 10, b"SQLite format 3\0" + bytes(4000)])
def test_what_is_no_case_is_refused_in_words(tmp_path, content):
    path = tmp_path / "a.kettle"
    path.write_bytes(content)
    with pytest.raises(KettleError, match="not a Gray Kettle case"):
        Case.open(path)


def test_a_damaged_case_is_reported_as_one(tmp_path):
    path = tmp_path / "a.kettle"
    Case.create(path, SETUP).close()
    raw = path.read_bytes()
    path.write_bytes(raw[:4096] + os.urandom(len(raw) - 4096))
    with pytest.raises(KettleError, match="damaged"), Case.open(path) as case:
        case.setup()


def test_another_process_reads_while_this_one_writes(tmp_path):
    path = tmp_path / "a.kettle"
    program = (
        "import sys; from pathlib import Path; from gray_kettle.store import Case\n"
        "print(Case.open(Path(sys.argv[1])).setup().site)"
    )
    with Case.create(path, SETUP) as case, case._database.writing() as db:
        db.exec_driver_sql("INSERT INTO setups (saved_s, document) VALUES (0, 'half done')")
        done = subprocess.run(
            [sys.executable, "-c", program, str(path)],
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
        db.rollback()
    assert done.stdout.strip() == SETUP.site, done.stderr


@given(
    st.lists(
        st.tuples(st.floats(0, 2e9), st.floats(0, 2e9), st.floats(1e9, 7e9), st.integers(0, 9)), min_size=1
    )
)
def test_packed_columns_come_back(rows):
    columns = [np.array(c) for c in zip(*rows, strict=True)]
    table = Listening(columns[0], columns[1], columns[2], columns[3].astype(np.int64), columns[1])
    names, payload = pack(table)
    again = unpack(Listening, names + ",later:<f8", len(table), _with_zeros(payload, len(table)))
    for name in ("start_s", "end_s", "receiver_hz", "spot"):
        assert np.array_equal(getattr(again, name), getattr(table, name))


def _with_zeros(payload: bytes, rows: int) -> bytes:
    """The payload with a column more, as a later version may write it, packed as the first one did."""
    return zlib.compress(zstandard.decompress(payload) + bytes(8 * rows))


@pytest.mark.parametrize(
    "name", ["visit.kettle?copy.kettle", "a%20b.kettle", "a#b.kettle", "Kai Süd.kettle", "a&b=c.kettle"]
)
def test_a_case_is_the_file_of_its_name(tmp_path, name):
    other = tmp_path / name.partition("?")[0].partition("#")[0]
    if other.name != name:
        Case.create(other, SETUP).close()
    Case.create(tmp_path / name, replace(SETUP, site="another")).close()
    assert (tmp_path / name).is_file()
    for path, site in (
        (other, SETUP.site if other.name != name else "another"),
        (tmp_path / name, "another"),
    ):
        if path.suffix == ".kettle":
            with Case.open(path) as case:
                assert case.setup().site == site


def test_announcements_come_back_with_any_name(tmp_path):
    from gray_kettle.model.records import Announcement
    from gray_kettle.phy.channels import wide

    made = Announcement(
        OWN, bytes(range(32)), wide("2.4", 3, 40)[0], "ax", 2, "open", 100, (1.0, 5.5), "GB", "f", 200
    )
    assert announcement_from(announcement_text(made)) == made


# Taking


def heard_json(path, *window):
    with Case.open(path) as case:
        return json.loads(
            heard_answer(load_session(case, *window).assessment.radios).model_dump_json(by_alias=True)
        )


def plan_json(path):
    with Case.open(path) as case:
        return json.loads(plan_answer(load_session(case).proposal, None).model_dump_json(by_alias=True))


def test_a_capture_split_in_any_way_and_taken_in_any_order_gives_the_same(tmp_path, case_of):
    packets = busy_harbour()
    rng = np.random.default_rng(5)
    whole = case_of(write_pcap(tmp_path / "whole.pcap", packets), setup=SETUP, name="whole.kettle")
    cuts = sorted(rng.choice(len(packets), 3, replace=False))
    parts = [packets[a:b] for a, b in zip([0, *cuts], [*cuts, len(packets)], strict=True)]
    files = [write_pcap(tmp_path / f"{k}.pcap", part) for k, part in enumerate(parts)]
    split = case_of(*(files[k] for k in rng.permutation(len(files))), setup=SETUP, name="split.kettle")
    assert heard_json(split) == heard_json(whole)
    assert plan_json(split) == plan_json(whole)


def test_sums_by_the_hour_give_what_the_seconds_give(tmp_path, case_of):
    """Two hours of traffic: windows that hold all of it, cut it, or miss it; then the same without the sums, as a case
    of an older format has none."""
    packets = busy_harbour() + [
        packet
        for hour in range(3)
        for packet in traffic(OWN, "06:00:00:00:00:01", 3, frames=200, seconds=40.0)
        for packet in [(packet[0] + 2400.0 * hour, packet[1])]
    ]
    path = case_of(write_pcap(tmp_path / "a.pcap", sorted(packets)), setup=SETUP)
    with Case.open(path) as case:
        start_s, end_s = case.span_s()
        rows = len(case.window().traffic)
    windows = [(), (start_s + 10, end_s), (start_s, start_s + 30.5), (start_s + 3000, start_s + 3001)]
    summed = [heard_json(path, *window) for window in windows]
    with contextlib.closing(sqlite3.connect(path)) as db, db:
        assert db.execute("DELETE FROM sums").rowcount > 0
    assert [heard_json(path, *window) for window in windows] == summed
    with Case.open(path) as case:
        assert len(case.window().traffic) > 5 * rows


def test_a_second_cut_in_two_gives_the_means_of_the_whole(tmp_path, case_of):
    packets = [beacon(OWN, b"x", 6, -50, k / 10, load(1, busy)) for k, busy in enumerate((0, 0, 255))]
    files = [write_pcap(tmp_path / f"{k}.pcap", part) for k, part in enumerate((packets[:2], packets[2:]))]
    with Case.open(case_of(*files)) as case:
        assert list(case.window().sightings.load_utilisation) == pytest.approx([1 / 3])


@pytest.mark.slow
def test_shuffled_packets_give_the_same_radios(tmp_path, case_of):
    packets = busy_harbour()
    order = np.random.default_rng(1).permutation(len(packets))
    plain = case_of(write_pcap(tmp_path / "a.pcap", packets), setup=SETUP, name="a.kettle")
    mixed = case_of(
        write_pcap(tmp_path / "b.pcap", [packets[k] for k in order]), setup=SETUP, name="b.kettle"
    )
    assert heard_json(mixed) == heard_json(plain)


def test_the_same_file_is_not_counted_twice(tmp_path, case_of):
    file = write_pcap(tmp_path / "a.pcap", busy_harbour(2))
    path = case_of(file, setup=SETUP)
    once = heard_json(path)
    with Case.open(path) as case:
        again = ingest(case, open_file(file))
    assert again.number is None
    assert "already" in again.notes[0]
    assert heard_json(path) == once


@pytest.mark.slow
def test_a_stopped_take_keeps_what_was_read_and_a_later_whole_one_replaces_it(tmp_path):
    # Enough packets for more than one block, so that there is something to stop before.
    file = write_pcap(tmp_path / "a.pcap", [beacon(OWN, b"x", 6, -50, k / 1000) for k in range(30)] * 800)
    with Case.create(tmp_path / "a.kettle", SETUP) as case:
        seen = []
        stopped = ingest(case, open_file(file), progress=lambda *p: seen.append(p), is_cancelled=lambda: True)
        assert stopped.notes == (STOPPED_NOTE,)
        assert 0 < stopped.records < 24_000
        assert 0 < seen[0][0] <= seen[0][1]
        assert case.window().sightings.frames.sum() == stopped.records
        whole = ingest(case, open_file(file))
        assert whole.records == 24_000
        assert case.window().sightings.frames.sum() == 24_000
        assert len(case.takes()) == 1


@pytest.mark.slow
def test_ctrl_c_keeps_what_was_read(tmp_path):
    file = write_pcap(tmp_path / "a.pcap", [beacon(OWN, b"x", 6, -50, k / 1000) for k in range(30)] * 800)

    def interrupt(done, total):
        raise KeyboardInterrupt

    with Case.create(tmp_path / "a.kettle", SETUP) as case:
        result = ingest(case, open_file(file), progress=interrupt)
        assert result.notes == (STOPPED_NOTE,)
        assert case.window().sightings.frames.sum() == result.records > 0


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "is empty"),
        (os.urandom(3000), "unknown format"),
        (pcap_bytes([]), "nothing usable"),
        (pcap_bytes([])[:11], "ends within its file header"),
        (pcap_bytes([(1.0, bytes(60))], link=1), "link type 1"),
        (pcap_bytes([(1.0, b"\x00\x00\xff\xff" + bytes(40))]), "nothing usable"),
    ],
)
def test_what_cannot_be_read_gives_one_clear_line_and_stores_nothing(tmp_path, content, words):
    file = tmp_path / "bad.pcap"
    file.write_bytes(content)
    with Case.create(tmp_path / "a.kettle", SETUP) as case:
        with pytest.raises(KettleError, match=words) as caught:
            ingest(case, open_file(file))
        assert "\n" not in str(caught.value)
        assert case.takes() == ()


def test_a_folder_and_a_missing_file_are_refused_in_words(tmp_path):
    with pytest.raises(KettleError, match="is a folder"):
        open_file(tmp_path)
    with pytest.raises(KettleError, match="No such file"):
        open_file(tmp_path / "nothing.pcap")


def test_a_cut_capture_keeps_its_frames_and_shows_the_byte(tmp_path):
    packets = busy_harbour(2)
    raw = pcap_bytes(packets)
    file = tmp_path / "cut.pcap"
    file.write_bytes(raw[:-30])
    with Case.create(tmp_path / "a.kettle", SETUP) as case:
        result = ingest(case, open_file(file))
        assert result.records == len(packets) - 1
        assert f"{len(raw) - len(packets[-1][1]) - 16:,}" in result.notes[0]
        assert case.window().sightings.frames.sum() == len(packets) - 1


def test_listings_are_dated_by_the_line_before_them(tmp_path, case_of):
    file = tmp_path / "scan.txt"
    file.write_text(f"1800000000\n{LISTING}2027-01-15T08:01:00+00:00\n{LISTING}")
    with Case.open(case_of(file)) as case:
        assert list(case.window().sightings.time_s) == [1_800_000_000 - 0.5, 1_800_000_060 - 0.5]
        assert case.takes()[0].records == 2
        assert len(case.window(1_800_000_030.0).sightings) == 1


@pytest.mark.slow
def test_a_window_leaves_out_what_lies_beside_it(tmp_path, case_of):
    path = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour(10)))
    with Case.open(path) as case:
        whole = case.window()
        first = whole.sightings.time_s.min()
        part = case.window(first + 3, first + 5)
    assert set(part.sightings.time_s - first) == {3, 4, 5}
    assert set(part.traffic.second - first) == {3, 4, 5}
    assert part.listening.start_s.min() >= first + 3
    assert isinstance(whole.sightings, Sightings)
