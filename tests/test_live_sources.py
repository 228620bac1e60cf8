"""Live sources: stand-ins for what they listen to, through the same code as the real ones."""

import getpass
import itertools
import json
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from contextlib import contextmanager, nullcontext
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.collect.live import monitor, source, system_wifi, uri
from gray_kettle.collect.live.source import TakeControl
from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.live import SimulatedAir
from gray_kettle.sources import KINDS, Wish, found_here, take_from
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, pieces_of, write_pcap
from tests.test_scan_text import ALL
from tests.test_sweep_files import OWN

SCAN = next(text for text in ALL if text.startswith("BSS "))
SURVEY = (
    "Survey data from wlan0\n\tfrequency:\t2437 MHz [in use]\n\tnoise:\t-95 dBm\n"
    "\tchannel active time:\t1000 ms\n\tchannel busy time:\t400 ms\n"
)
STATION = (
    "Station 06:00:00:00:00:99 (on wlan0)\n\trx packets:\t400\n\ttx packets:\t1000\n\tsignal:\t-61 dBm\n"
)


@pytest.fixture
def case(tmp_path):
    with Case.create(tmp_path / "a.kettle", Setup()) as opened:
        yield opened


@pytest.fixture
def stand_in_iw(tmp_path):
    """A folder with an `iw` that refuses to scan but has what the system heard, and a counter of its calls."""
    folder = tmp_path / "bin"
    folder.mkdir()
    for name, text in (("scan", SCAN), ("survey", SURVEY), ("station", STATION)):
        (folder / name).write_text(text)
    (folder / "iw").write_text(
        "#!/bin/sh\n"
        f'cd {folder}; echo "$*" >> calls\n'
        '[ -e broken ] && { echo "No such device (-19)" >&2; exit 237; }\n'
        'case "$3 $4" in "scan dump") cat scan;; "survey dump") cat survey;; "station dump") cat station;;\n'
        '*) echo "command failed: Operation not permitted (-1)" >&2; exit 255;; esac\n'
    )
    (folder / "iw").chmod(0o755)
    return folder


@pytest.fixture
def this_computer(stand_in_iw, tmp_path, monkeypatch):
    (tmp_path / "net" / "wlan7" / "phy80211").mkdir(parents=True)
    monkeypatch.setattr(system_wifi, "_DEVICES", tmp_path / "net")
    monkeypatch.setenv("PATH", f"{stand_in_iw}:/usr/bin:/bin")
    monkeypatch.setattr(system_wifi.os, "geteuid", lambda: 1000)
    return stand_in_iw


def until(what, seconds=10.0):
    """is_cancelled that asks whether something came about, at most so long."""
    until_s = time.monotonic() + seconds
    return lambda: what() or time.monotonic() > until_s


def calls_of(folder, words):
    calls = folder / "calls"
    return calls.read_text().count(words) if calls.exists() else 0


def test_this_computer_scans_again_and_again_without_root(case, this_computer):
    scanned = until(lambda: calls_of(this_computer, "scan dump") >= 2)
    (result,) = take_from(case, "wifi:?interval=2s", Wish("hall", is_cancelled=scanned))
    assert result.records >= 1
    assert result.source == "this computer (wlan7)"
    assert "Operation not permitted" in result.notes[0]
    assert "as root it scans each time" in result.notes[0]
    seen = case.window()
    assert len(seen.sightings)
    assert len(seen.surveys)
    assert len(seen.links)
    assert case.takes()[0].swept_bands


def test_an_interface_that_vanishes_is_a_gap_and_comes_back(case, this_computer):
    broken, scans = this_computer / "broken", []

    def on_piece(piece):
        if piece.announcements:
            scans.append(piece)
            if len(scans) == 1:
                broken.touch()
                threading.Timer(3.0, broken.unlink).start()

    wish = Wish(is_cancelled=until(lambda: len(scans) == 2), on_piece=on_piece)
    (result,) = take_from(case, "wifi:wlan7?interval=2s", wish)
    assert any("Lost at" in note and "restored after" in note for note in result.notes), result.notes


@pytest.mark.parametrize(("day_s", "said"), [(905, "for 900 s before"), (-55, "set back by 60 s"), (15, "")])
def test_a_computer_that_slept_and_a_clock_that_was_set_are_noted(monkeypatch, day_s, said):
    now = SimpleNamespace(time=lambda: 1.8e9, monotonic=lambda: 50.0)
    monkeypatch.setattr(source, "time", now)
    watch = source.ClockWatch()
    now.time, now.monotonic = lambda: 1.8e9 + day_s, lambda: 55.0
    assert said in watch.check()
    assert bool(said) == bool(said and not watch.check())


def test_without_wifi_one_line_says_what_can_be_used_instead(case, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(system_wifi, "_DEVICES", tmp_path)
    monkeypatch.setattr(system_wifi.command, "is_installed", lambda program: True)
    assert main(["take", str(case.path), "wifi:"]) == 1
    said = capsys.readouterr().err
    assert said.count("\n") == 1
    assert "use an access point (ssh://), a file or a pipe" in said


def test_monitor_mode_hops_and_knows_how_long_it_listened(case, stand_in_iw, tmp_path, monkeypatch):
    (tmp_path / "net" / "mon0").mkdir(parents=True)
    (tmp_path / "net" / "mon0" / "type").write_text("803\n")
    monkeypatch.setattr(monitor, "_DEVICES", tmp_path / "net")
    (stand_in_iw / "iw").write_text(f'#!/bin/sh\necho "$*" >> {stand_in_iw}/calls\n[ "$5" != 5180 ]\n')
    monkeypatch.setenv("PATH", f"{stand_in_iw}:/usr/bin:/bin")
    air, ours = socket.socketpair(socket.AF_UNIX, socket.SOCK_DGRAM)
    monkeypatch.setattr(monitor, "opened", lambda interface: nullcontext(ours))
    frames = [raw for _, raw in busy_harbour(1.0)]
    for raw in [*frames[:50], b"\x07" * 9]:
        air.send(raw)
    began_s = time.time()  # what is listened to is kept by this clock, which may be set meanwhile
    (result,) = take_from(case, "monitor:mon0?channels=1,6,5:36&dwell=100ms", Wish(seconds=1.5))
    elapsed_s = time.time() - began_s
    air.close()
    ours.close()
    seen = case.window()
    tuned = set(seen.listening.receiver_hz.tolist())
    assert tuned == {2412e6, 2437e6}
    listened_s = (seen.listening.end_s - seen.listening.start_s).sum()
    assert 0.3 < listened_s < 1.2 * elapsed_s  # two dwells may touch
    assert result.records > 5
    assert any("Channel 36 in 5 GHz was left out" in note for note in result.notes)
    assert calls_of(stand_in_iw, "set freq 2437") >= 2


class SshServer:
    """A real OpenSSH server on this machine that lets one key in."""

    def __init__(self, folder: Path, path: str) -> None:
        for name in ("key", "host"):
            subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", folder / name], check=True)
        shutil.copy(folder / "key.pub", folder / "authorized")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.uri = f"ssh://{getpass.getuser()}@127.0.0.1:{self.port}/wlan0?interval=2s&identity={folder}/key"
        self._config = folder / "sshd_config"
        self._config.write_text(
            f"Port {self.port}\nListenAddress 127.0.0.1\nHostKey {folder}/host\nStrictModes no\nUsePAM no\n"
            f"AuthorizedKeysFile {folder}/authorized\nPasswordAuthentication no\nPidFile none\n"
            f"SetEnv PATH={path}:/usr/bin:/bin\n"
        )
        if os.geteuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)
        self._process = None

    def start(self):
        words = ["/usr/sbin/sshd", "-D", "-e", "-f", self._config]
        self._process = subprocess.Popen(words, stderr=subprocess.DEVNULL)
        for _ in range(100):
            with socket.socket() as line:
                if line.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.05)

    def stop(self):
        self._process.kill()
        self._process.wait()


@contextmanager
def ssh_server(folder: Path, path: str):
    server = SshServer(folder, path)
    server.start()
    try:
        yield server
    finally:
        server.stop()


@pytest.fixture
def trusting(tmp_path, monkeypatch):
    """ssh asks about hosts that it does not know; this one is known."""
    home = tmp_path / "home"
    (home / ".ssh").mkdir(parents=True)
    wrapper = tmp_path / "wrapped"
    wrapper.mkdir()
    (wrapper / "ssh").write_text(
        "#!/bin/sh\nexec /usr/bin/ssh -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR"
        ' "$@"\n'
    )
    (wrapper / "ssh").chmod(0o755)
    monkeypatch.setenv("PATH", f"{wrapper}:/usr/bin:/bin")


@pytest.mark.slow
def test_a_probe_by_ssh_is_read_and_reached_again(case, stand_in_iw, tmp_path, trusting):
    scans = []
    with ssh_server(tmp_path, str(stand_in_iw)) as server:

        def on_piece(piece):
            if piece.announcements:
                scans.append(piece)
                if len(scans) == 1:
                    server.stop()
                    threading.Timer(2.0, server.start).start()

        wish = Wish(is_cancelled=until(lambda: len(scans) == 2, 30), on_piece=on_piece)
        (result,) = take_from(case, server.uri, wish)
        assert result.records == 2
        assert any("restored after" in note for note in result.notes), result.notes
        assert len(case.window().links)
        server.stop()
        with pytest.raises(KettleError, match="must ask for nothing"):
            take_from(case, server.uri, Wish(is_cancelled=until(lambda: False, 20)))


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("ssh://-oProxyCommand=x/wlan0", "write for example"),
        ("ssh://host/wlan0;reboot", "is not the name of an interface"),
        ("ssh://host/-x", "is not the name of an interface"),
        ("wifi:$(reboot)", "is not the name of an interface"),
        ("sim:pier?speed=fast", "are numbers"),
        ("sim:moon", "is no spot of the simulation"),
        ("wifi:?interval=0s", "interval is a time"),
        ("scpi:", "host"),
        ("monitor:nothing0", "no such interface"),
        ("monitor:lo", "not in monitor mode"),
        ("monitor:lo?channels=6:2000", "write channels as"),
        ("watch:/nowhere", "no such folder"),
        ("sweep:nothing-of-that-name", "neither a file nor a program"),
        ("pcap:/nowhere", "does not exist"),
        ("teapot:x", "neither a file nor a source"),
        ("sim:\x1b[2J", "is no spot"),
    ],
)
def test_odd_names_are_refused_in_words(case, this_computer, name, said, capsys):
    assert main(["take", str(case.path), name, "--for", "1s"]) in (1, 2)
    err = capsys.readouterr().err
    assert said in err
    assert "\x1b" not in err
    assert case.takes() == ()


def test_every_kind_has_a_title_an_example_and_a_state(capsys):
    assert {s.kind.scheme for s in found_here()} == {kind.scheme for kind in KINDS}
    assert all(uri.parse(kind.example) and kind.title for kind in KINDS)
    assert main(["sources", "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["schema"] == "gray-kettle/sources/1"
    assert all(s["ready"] or s["missing"] for s in answer["sources"])


ROWS = (
    "import sys, time\n"
    f"print({OWN!r})\n"
    "for k in range(1000):\n"
    "    print(f'{time.time():.2f},2400500000,1000000,-90,-91,-92,-9{k % 10}', flush=True); time.sleep(0.2)\n"
)


def test_a_sweeping_program_is_run_stored_as_it_goes_and_ended(case, tmp_path):
    (tmp_path / "rows.py").write_text(ROWS)
    came = []
    wish = Wish(is_cancelled=until(lambda: sum(came) >= 3), on_piece=lambda p: came.append(p.records))
    (result,) = take_from(case, f"sweep:{sys.executable} {tmp_path}/rows.py", wish)
    assert result.records >= 3
    assert case.sweeps.runs()[0].rows == result.records
    running = subprocess.run(["pgrep", "-f", f"{tmp_path}/rows.py"], check=False, capture_output=True)
    assert running.stdout == b""


@pytest.mark.parametrize("scheme", ["pcap", "sweep"])
def test_a_file_that_is_being_written_is_followed(case, tmp_path, scheme):
    file, came = tmp_path / "growing", []
    if scheme == "pcap":
        whole = pcap_bytes(busy_harbour())
        count = sum(piece.records for piece in pieces_of(whole))
    else:
        rows = [f"{1.8e9 + k:.1f},2400500000,1000000,-90,-91,-92,-9{k % 10}\n" for k in range(40)]
        whole, count = (OWN + "\n" + "".join(rows)).encode(), len(rows)
    file.write_bytes(whole[: len(whole) // 2])

    def write_on():
        with file.open("ab") as growing:
            growing.write(whole[len(whole) // 2 :])

    threading.Timer(1.0, write_on).start()
    wish = Wish(is_cancelled=until(lambda: sum(came) >= count), on_piece=lambda p: came.append(p.records))
    (result,) = take_from(case, f"{scheme}:{file}", wish)
    assert result.records == count


def test_files_that_arrive_are_taken_once_when_they_are_complete(case, tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()
    write_pcap(folder / "a.pcap", busy_harbour())
    (folder / "b.txt").write_text("no listing")
    (folder / "c.pcap.part").write_bytes(b"half")
    results = take_from(case, f"watch:{folder}", Wish(seconds=4.5))
    assert [(r.source, r.kind) for r in results] == [("a.pcap", "pcap"), ("b.txt", "not read")]


def test_a_live_take_changes_its_spot_and_pauses_without_losing_its_source(case):
    control, scans = TakeControl("hall"), []

    def on_piece(piece):
        if piece.announcements:
            scans.append(piece)
            control.spot = "hall" if len(scans) < 3 else "pier"
            if len(scans) == 2:
                control.is_paused = True
                threading.Timer(1.0, lambda: setattr(control, "is_paused", False)).start()

    wish = Wish("hall", is_cancelled=until(lambda: len(scans) > 5), on_piece=on_piece, control=control)
    (result,) = take_from(case, "sim:pier?speed=30&seed=1", wish)
    assert [take.spot for take in case.takes()] == ["hall", "pier"]
    assert sum(take.records for take in case.takes()) == result.records == len(scans)
    assert any(note.startswith("Paused from") for note in case.takes()[0].notes)


def test_several_sources_are_collected_side_by_side(case, capsys):
    words = [
        "take",
        str(case.path),
        "sim:pier?speed=100&seed=1",
        "sim:office?speed=100&seed=2",
        "--for",
        "2s",
    ]
    assert main(words) == 0
    assert capsys.readouterr().out.count("scans read") == 2
    first, second = case.takes()
    assert min(first.end_s, second.end_s) > max(first.start_s, second.start_s)
    assert len(case.sweeps.runs()) == 2


def test_scans_that_come_one_by_one_grow_a_chunk_and_a_failed_write_doubles_nothing(case, monkeypatch):
    scans = [
        piece
        for piece in itertools.islice(SimulatedAir("pier", 5000, 1).pieces(lambda: False), 60)
        if len(piece.sightings)
    ]
    number = case.begin_take("simulation", "scan live", "pier")
    for k, piece in enumerate(scans):
        if k == 5:
            with monkeypatch.context() as broken:
                broken.setattr(case.take_list, "grown", _disk_full)
                with pytest.raises(OSError, match="full"):
                    case.append(number, piece)
        case.append(number, piece)
    assert {band for take in case.takes() for band in take.swept_bands} >= {"2.4", "5"}  # while it goes on
    case.finish_take(number, complete=True)
    with sqlite3.connect(case.path) as db:
        assert db.execute("SELECT count(*) FROM chunks").fetchone()[0] <= 2
    seen = case.window()
    assert not seen.damage
    assert len(seen.sightings) == sum(len(piece.sightings) for piece in scans)


def _disk_full(*_):
    raise OSError("full")


@pytest.mark.slow
def test_listings_without_a_pause_between_them_are_stored_as_they_come(case):
    command = [sys.executable, "-m", "gray_kettle", "take", str(case.path), "-"]
    taking = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    while_open = []
    for _ in range(40):
        taking.stdin.write(SCAN.encode())
        taking.stdin.flush()
        while_open.append(sum(take.records for take in case.takes()))
        time.sleep(0.15)
    taking.stdin.close()
    taking.wait(20)
    assert 2 <= while_open[-1] < 40
    assert sum(take.records for take in case.takes()) <= 40  # none is counted twice
    assert len(np.unique(case.window().sightings.time_s)) >= 3


@pytest.mark.slow
@pytest.mark.parametrize("form", ["listing", "lines"])
def test_what_comes_through_a_pipe_is_stored_in_two_seconds_and_survives_a_kill(case, form):
    read, write = os.pipe()
    command = [sys.executable, "-m", "gray_kettle", "take", str(case.path), "-"]
    taking = subprocess.Popen(command, stdin=read, stdout=subprocess.DEVNULL)
    os.close(read)
    for k in range(3):
        line = {"time": 1.79e9 + k, "bssid": f"02:00:00:00:00:0{k}", "frequency_mhz": 2412, "level_dbm": -50}
        os.write(write, SCAN.encode() if form == "listing" else json.dumps(line).encode() + b"\n")
        is_late = until(lambda: False, 2 if k else 20)  # the first waits for the program to begin
        while sum(take.records for take in case.takes()) <= k and not is_late():
            time.sleep(0.05)
        assert sum(take.records for take in case.takes()) == k + 1
    taking.send_signal(signal.SIGKILL)
    taking.wait()
    os.close(write)
    assert case.takes()[0].records == 3
