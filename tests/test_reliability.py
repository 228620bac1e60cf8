"""The promises of docs/reliability.md, in short; `make soak` tries each for longer."""

import json
import os
import random
import resource
import shutil
import socketserver
import sqlite3
import struct
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path

import pytest

from gray_kettle.cli.main import main
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest, take_live
from gray_kettle.collect.live.scpi import Analyser
from gray_kettle.decode.scan_text.scan_log_schema import read_line
from gray_kettle.decode.sweeps.table import TableReader
from gray_kettle.errors import KettleError
from gray_kettle.export.files import write_file
from gray_kettle.model.setup import Setup
from gray_kettle.restconf import Restconf
from gray_kettle.simulator.live import SimulatedAir
from gray_kettle.store import Case, header
from gray_kettle.store.database import CaseLocked
from tests import attacks
from tests.frames import OWN, busy_harbour, pcap_bytes, write_full_scan, write_pcap
from tests.test_restconf import answering
from tests.test_sweep_files import OWN as TABLE_HEADER
from tests.test_sweep_files import own_rows

RAW = pcap_bytes(busy_harbour(60.0))


def packets_of(raw):
    out, at = [raw[:24]], 24
    while at < len(raw):
        (length,) = struct.unpack_from("<I", raw, at + 8)
        out.append(raw[at : at + 16 + length])
        at += 16 + length
    return out


@pytest.fixture
def harbour(tmp_path, case_of):
    """A case with scans, frames, sweeps and own networks."""
    table = tmp_path / "sweeps.csv"
    table.write_text("\n".join(["# detector: mean", TABLE_HEADER, *own_rows(range(80), bins=60)]))
    files = write_pcap(tmp_path / "a.pcap", busy_harbour()), write_full_scan(tmp_path / "scan.txt"), table
    return case_of(*files, setup=Setup(site="Ferry", country="GB", own=("tern-guest",)))


# Stops


@pytest.mark.slow
@pytest.mark.parametrize("silent", [False, True])
def test_a_stop_reports_what_is_stored(tmp_path, silent, request):
    rng = random.Random(request.node.name)
    for _ in range(2):
        stopped = attacks.stop_take(tmp_path, RAW, rng, silent)
        assert stopped.reported == stopped.stored
        assert "Traceback" not in stopped.errors
        assert stopped.code == 130
        assert stopped.seconds < 3  # a second, on a machine that has nothing else to do


@pytest.mark.slow
def test_a_killed_live_take_keeps_all_but_the_last_second(tmp_path):
    rng = random.Random(1)
    for _ in range(2):
        written, stored = attacks.kill_take(tmp_path, packets_of(RAW), rng)
        assert stored >= written


class _Rows:
    """A live source of a row each 20 ms."""

    name, kind = "rows", "sweep live"

    def __init__(self):
        self.notes = []

    def pieces(self, is_cancelled):
        row = iter(range(10_000))
        while not is_cancelled():
            text = "\n".join([TABLE_HEADER, *own_rows([next(row)], bins=40)]).encode()
            parts = iter([text])

            def readinto(room, parts=parts):
                part = next(parts, b"")
                room[: len(part)] = memoryview(part)
                return len(part)

            yield from TableReader(None).pieces(readinto)
            time.sleep(0.02)


@pytest.mark.slow
def test_a_live_take_outlives_a_lock(tmp_path):
    path = tmp_path / "a.kettle"
    Case.create(path, Setup()).close()
    locked = threading.Event()

    def lock():
        with sqlite3.connect(path, isolation_level=None) as other:
            other.execute("BEGIN IMMEDIATE")
            locked.set()
            time.sleep(2.5)
            other.execute("ROLLBACK")

    with Case.open(path) as case:
        threading.Timer(0.5, lock).start()
        result = take_live(case, _Rows(), seconds=4.0)
        (run,) = case.sweeps.runs()
        assert run.rows == result.records > 50
    assert locked.is_set()


def test_a_locked_case_is_said_and_nothing_of_it_is_shown_as_clear(harbour, monkeypatch, capsys):
    with Case.open(harbour) as case, case._database.writing() as db:
        db.exec_driver_sql("DELETE FROM looks")
    monkeypatch.setattr("gray_kettle.store.database.PATIENCE_S", 0.2)
    with sqlite3.connect(harbour, isolation_level=None) as other:
        other.execute("BEGIN IMMEDIATE")
        assert main(["emitters", str(harbour)]) == 1
        said = capsys.readouterr()
        assert "80 sweep rows were not examined for emitters" in said.err
        assert "locked by another process" in said.err
        assert said.out == "80 sweep rows have not been examined yet.\n"
        with Case.open(harbour) as case, pytest.raises(CaseLocked):
            case.save_setup(Setup())


# Read-only and full


@pytest.fixture
def as_nobody():
    """The root user may write everything: the rest of the test is somebody else."""
    if os.geteuid() == 0:
        os.seteuid(65534)
        yield
        os.seteuid(0)
    else:
        yield


def test_a_read_only_case_is_read(harbour, request):
    good, _ = attacks.fingerprint(harbour)
    folder = harbour.parent
    for path, mode in ((harbour, 0o444), (folder, 0o555)):
        path.chmod(mode)
    before = {p.name for p in folder.iterdir()}
    for parent in folder.parents:
        if not parent.stat().st_mode & 1 and parent.owner() == "root":
            parent.chmod(parent.stat().st_mode | 0o055)
    request.getfixturevalue("as_nobody")
    assert attacks.fingerprint(harbour) == (good, False)
    with Case.open(harbour) as case:
        assert case.read_only
        with pytest.raises(KettleError, match="read-only: the file may not be written"):
            case.save_setup(Setup())
    with pytest.raises(KettleError, match="cannot be written"):
        Case.create(folder / "b.kettle", Setup())
    assert {p.name for p in folder.iterdir()} == before


def test_what_is_in_the_log_of_a_read_only_case_is_read(harbour, tmp_path, request):
    (tmp_path / "ro").mkdir()
    copy = tmp_path / "ro" / "copy.kettle"
    with Case.open(harbour) as case:
        case.save_setup(Setup(site="in the log"))
        for ending in ("", "-wal"):
            shutil.copyfile(f"{harbour}{ending}", f"{copy}{ending}")
    for path in (*copy.parent.iterdir(), copy.parent):
        path.chmod(0o555 if path.is_dir() else 0o444)
    for parent in copy.parents[1:]:
        if not parent.stat().st_mode & 1 and parent.owner() == "root":
            parent.chmod(parent.stat().st_mode | 0o055)
    request.getfixturevalue("as_nobody")
    with Case.open(copy) as case:
        assert case.setup().site == "in the log"
    assert {p.name for p in copy.parent.iterdir()} == {"copy.kettle", "copy.kettle-wal"}


def test_files_are_written_whole_or_not_at_all(harbour, tmp_path):
    target, link = tmp_path / "out.csv", tmp_path / "link.csv"
    write_file(target, "one")
    assert target.stat().st_mode & 0o777 == 0o600
    for path, said in ((target, "exists already"), (harbour, "is a case"), (tmp_path, "is a folder")):
        with pytest.raises(KettleError, match=said):
            write_file(path, "two")
    write_file(target, "two", force=True)
    link.symlink_to(target)
    for path, said in ((link, "symbolic link"), (harbour, "is a case")):
        with pytest.raises(KettleError, match=said):
            write_file(path, "three", force=True)

    def half(file):
        file.write(b"half")
        raise OSError(28, "No space left on device")

    with pytest.raises(KettleError, match="No space left"):
        write_file(target, half, force=True)
    assert target.read_text() == "two"
    assert not list(tmp_path.glob(".*part"))
    assert main(["sheet", str(harbour), "-o", str(target.with_suffix(".txt"))]) == 0
    assert main(["sheet", str(harbour), "-o", str(target.with_suffix(".txt"))]) == 1
    assert main(["sheet", str(harbour), "-o", str(target.with_suffix(".txt")), "--force"]) == 0


def _fill(path, folder):
    with Case.open(path) as case:
        for k in range(40):
            capture = folder / f"{k}.pcap"
            capture.write_bytes(pcap_bytes(busy_harbour(20.0 + k)))
            ingest(case, open_file(capture))


@pytest.mark.slow
@pytest.mark.skipif(sys.platform != "linux" or os.geteuid() != 0, reason="mounts a small file system")
def test_a_full_disk_loses_nothing_and_leaves_nothing(tmp_path):
    folder = tmp_path / "small"
    folder.mkdir()
    if subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=300k", "none", str(folder)], check=False
    ).returncode:
        pytest.skip("mounting is not permitted here")
    try:
        case = folder / "a.kettle"
        Case.create(case, Setup(site="full")).close()
        (tmp_path / "a.pcap").write_bytes(RAW)
        (folder / "ballast").write_bytes(b"x" * (300 * 1024 - case.stat().st_size - 40_000))
        with pytest.raises(KettleError, match="full"):
            _fill(case, tmp_path)
        with pytest.raises(KettleError):
            Case.create(folder / "b.kettle", Setup())
        assert {p.name for p in folder.iterdir()} <= {"a.kettle", "a.kettle-wal", "a.kettle-shm", "ballast"}
        (folder / "ballast").unlink()
        with Case.open(case) as opened:
            assert opened.setup().site == "full"
            assert not opened.window().damage
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=False)


def test_a_live_take_outlives_a_full_disk(tmp_path):
    folder = tmp_path / "small"
    folder.mkdir()
    mounting = ["mount", "-t", "tmpfs", "-o", "size=16m", "none", str(folder)]
    if subprocess.run(mounting, check=False).returncode:
        pytest.skip("mounting is not permitted here")
    try:
        path, ballast, steps, room = folder / "a.kettle", folder / "ballast", [], []
        Case.create(path, Setup()).close()

        def on_piece(piece):
            steps.append(piece)
            room.append(shutil.disk_usage(folder).free)
            with suppress(OSError):
                if ballast.exists() and len(steps) < 60:
                    ballast.write_bytes(b"x" * (16 << 20))  # as far as there is room
                elif len(steps) == 20:
                    ballast.touch()
                elif len(steps) == 60:
                    ballast.unlink()

        with Case.open(path) as case:
            air = SimulatedAir("pier", 200, 1)
            result = take_live(case, air, on_piece=on_piece, is_cancelled=lambda: len(steps) > 90)
            seen = case.window()
        assert min(room) == 0
        assert not seen.damage
        assert result.records == case_records(path) > 10
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=False)


def case_records(path):
    with Case.open(path) as case:
        return sum(take.records for take in case.takes())


@pytest.mark.slow
def test_a_killed_simulation_keeps_all_that_was_seen_in_the_case(tmp_path):
    before, _, after = attacks.kill_live(tmp_path, "sim:pier?speed=60&seed=1", random.Random(1))
    assert after >= before > 0


# Damaged and hostile cases


@pytest.mark.parametrize("most", [1, 40])
def test_no_flip_changes_a_figure_silently(harbour, most):
    raw, rng = harbour.read_bytes(), random.Random(most)
    good, named = attacks.fingerprint(harbour)
    assert not named
    outcomes = [attacks.outcome(harbour, attacks.flipped(raw, rng, most), good) for _ in range(25)]
    assert "silent" not in outcomes
    assert outcomes.count("named") + outcomes.count("refused") > (
        5 if most > 1 else 0
    )  # much of a small file is empty


def test_a_time_that_became_something_else_is_named(harbour):
    with sqlite3.connect(harbour) as db:
        db.execute("UPDATE chunks SET end_s = x'6b49d201' WHERE number = 1")
    with Case.open(harbour) as case:
        assert case.window().damage


@pytest.mark.slow
def test_a_damaged_case_answers_every_command_in_words(harbour, capsys):
    raw, rng = harbour.read_bytes(), random.Random(5)
    for k in range(4):
        harbour.write_bytes(attacks.flipped(raw, rng, 60))
        for command in ("heard", "air", "brief", "takes", "check"):
            main([command, str(harbour)])
            assert "fault in Gray Kettle" not in capsys.readouterr().err, (k, command)


def test_a_damaged_case_is_checked_and_repaired(harbour, capsys):
    assert main(["check", str(harbour)]) == 0
    with sqlite3.connect(harbour) as db:
        db.execute("UPDATE chunks SET payload = zeroblob(length(payload)) WHERE number = 1")
        db.execute("UPDATE announcements SET document = '{}' WHERE number = 1")
    db.close()
    capsys.readouterr()
    assert main(["check", str(harbour), "--repair"]) == 1
    said = capsys.readouterr().out
    assert "chunks: packed rows are damaged" in said
    assert "announcements: a row is damaged" in said
    repaired = harbour.with_name("a.repaired.kettle")
    assert main(["brief", str(repaired)]) == 0
    with Case.open(repaired) as case:
        assert case.setup().site == "Ferry"
        assert len(case.sweeps.runs()) == 1


@pytest.mark.parametrize(
    "statement",
    [
        "CREATE TRIGGER t AFTER INSERT ON setups BEGIN DELETE FROM takes; END",
        "CREATE VIEW v AS SELECT * FROM takes",
        "CREATE VIRTUAL TABLE f USING fts5(a)",
        "CREATE TABLE other (a)",
    ],
)
def test_a_case_that_acts_is_refused(harbour, statement):
    with sqlite3.connect(harbour) as db:
        db.execute(statement)
    db.close()
    with pytest.raises(KettleError, match="no case of ours has"):
        Case.open(harbour)


HOSTILE = "\x1b]0;owned\x07\x1b[2J\u202eevil\x00\r=cmd|' /C calc'!A0"


@pytest.mark.slow
def test_nothing_but_printable_text_leaves(tmp_path, case_of, capsys, monkeypatch):
    """Every command on a case full of escapes, in its names, its notes, and in what is typed."""
    monkeypatch.chdir(tmp_path)
    log = tmp_path / "scan\x1b[31m.txt"
    log.write_text(json.dumps({"time_s": 1, HOSTILE: 2}) + "\n" + json.dumps({"format": HOSTILE}))
    setup = Setup(site=HOSTILE, country="GB", own=("tern-guest",), complaint=HOSTILE, names=((OWN, HOSTILE),))
    case = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour()), setup=setup)
    with Case.open(case) as opened:
        number = opened.begin_take(HOSTILE, HOSTILE, HOSTILE)
        opened.finish_take(number, (), (HOSTILE,), complete=True)
        opened.save_setup(setup)
    name = str(case)
    commands = [
        *([c, name] for c in ("heard", "air", "brief", "plan", "emitters", "explain", "takes", "check")),
        *([c, name, "--json"] for c in ("heard", "air", "brief", "plan", "emitters", "explain", "takes")),
        ["explain", name, HOSTILE], ["air", name, "--radio", HOSTILE], ["heard", name, "--from", HOSTILE],
        ["heard", name, "--band", HOSTILE], ["draw", HOSTILE, name, "-o", "x.svg"], [HOSTILE],
        ["draw", "levels", name, "-o", f"{HOSTILE[:9]}.svg"], ["sheet", name, "-o", "s.csv"],
        ["draw", "levels", name, "-o", "l.svg"], ["draw", "shares", name, "-o", "h.svg"],
        ["sheet", name, "-o", "s.txt"],
        ["set", name, "--clients", HOSTILE], ["set", name, "--threshold", HOSTILE], ["take", name, str(log)],
        ["take", name, HOSTILE[:9]], ["take", name, f"scpi://{HOSTILE}"], ["apply", name, f"http://{HOSTILE}"],
        ["open", f"{HOSTILE[:9]}"], ["new", f"no/{HOSTILE[:9]}"], ["emitters", name, "--name", HOSTILE],
    ]  # fmt: skip
    for words in commands:
        main(words)
        printed = "".join(capsys.readouterr())
        assert not {c for c in printed if (ord(c) < 32 and c != "\n") or c in "\u202e\x7f"}, words
    for written in ("l.svg", "h.svg", "s.csv", "s.txt"):
        text = (tmp_path / written).read_bytes().decode()
        assert not {c for c in text if (ord(c) < 32 and c not in "\n\r") or c == "\u202e"}, written
    assert ",=" not in (tmp_path / "s.csv").read_text()


# Bounds


class _Endless(socketserver.BaseRequestHandler):
    text, pause_s = b"#9999999999" + b"x" * 65536, 0.0

    def handle(self):
        with suppress(OSError):
            while True:
                self.request.sendall(self.text)
                time.sleep(self.pause_s)


class _Drip(_Endless):
    text, pause_s = b"1", 0.05


@pytest.mark.slow
@pytest.mark.parametrize("handler", [_Endless, _Drip])
def test_an_instrument_that_never_ends_holds_nothing_up(tmp_path, handler, monkeypatch):
    monkeypatch.setattr("gray_kettle.collect.live.scpi.TIMEOUT_S", 0.5)
    began_s, before = time.monotonic(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), handler) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        source = Analyser(f"scpi://127.0.0.1:{server.server_address[1]}")
        with Case.create(tmp_path / "a.kettle", Setup()) as case, pytest.raises(KettleError):
            take_live(case, source, seconds=3.0)
        server.shutdown()
    assert time.monotonic() - began_s < 8
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 60_000  # kB


def test_a_packed_answer_is_not_unpacked():
    """128 kB of zeros would become gigabytes."""
    with (
        answering(b"x", b"", 200, packing="gzip") as url,
        Restconf(url) as device,
        pytest.raises(KettleError, match="packed answer"),
    ):
        device.radios()


@pytest.mark.parametrize(
    "text",
    [
        '{"a":' * 100_000 + "1" + "}" * 100_000,
        "BSS 02:00:00:00:00:01(on wlan0)\n" + "A" * 5_000_000,
        TABLE_HEADER + "\n" + "x\n" * 200_000,
    ],
    ids=["nested", "one line", "bad lines"],
)
def test_odd_text_is_refused_in_words(tmp_path, text, capsys):
    case, path = tmp_path / "a.kettle", tmp_path / "odd.txt"
    Case.create(case, Setup()).close()
    path.write_text(text)
    assert main(["take", str(case), str(path)]) == 1
    said = capsys.readouterr().err
    assert said.startswith("gray-kettle: odd.txt")
    assert len(said) < 2000


def test_a_nested_line_in_a_scan_log_costs_that_line():
    with pytest.raises(ValueError, match="not an entry"):
        read_line('{"a":' * 100_000 + "1" + "}" * 100_000)


def test_the_mark_of_our_files_is_known(harbour, tmp_path):
    assert header.is_case(harbour)
    other = tmp_path / "b"
    other.write_bytes(b"SQLite format 3\0" + bytes(84))
    assert not header.is_case(Path(other))
