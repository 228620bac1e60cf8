"""Probes through a real broker: nothing lost, nothing doubled, and nothing that a stranger sends does harm."""

import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.collect.live.uri import parse
from gray_kettle.collect.merge_pieces import joined
from gray_kettle.collect.probe.broker import PASSWORD_VARIABLE, broker_of
from gray_kettle.collect.probe.publish import Publisher
from gray_kettle.collect.probe.queue import LEAST_BYTES, ProbeQueue
from gray_kettle.collect.probe.wire import (
    FORMAT,
    Header,
    Heard,
    WireError,
    body_of,
    heard_from,
    message,
    split,
)
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.sources import Wish, take_from
from gray_kettle.store import Case
from tests.frames import busy_harbour, pieces_of, write_pcap

START_S = 1_796_000_000.0
SPAN = Span(2.4e9, 1e6, 84, instrument="stand-in")


class MosquittoBroker:
    """A broker without memory: what it had not delivered is gone when it is killed."""

    def __init__(self, folder, *lines):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.settings = folder / "broker.conf"
        self.settings.write_text("\n".join((f"listener {self.port} 127.0.0.1", *lines)) + "\n")
        self.process = None

    def start(self):
        self.process = subprocess.Popen(
            ["/usr/sbin/mosquitto", "-c", self.settings], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        for _ in range(100):
            with socket.socket() as trial:
                if not trial.connect_ex(("127.0.0.1", self.port)):
                    return
            time.sleep(0.05)
        raise AssertionError("the broker did not start")

    def kill(self):
        if self.process is not None:
            self.process.kill()
            self.process.wait()
            self.process = None

    @property
    def uri(self):
        return f"mqtt://127.0.0.1:{self.port}/site"


@contextmanager
def running_broker(folder, *lines):
    broker = MosquittoBroker(folder, *lines)
    broker.start()
    try:
        yield broker
    finally:
        broker.kill()


@pytest.fixture
def broker(tmp_path):
    with running_broker(tmp_path, "allow_anonymous true") as running:
        yield running


@pytest.fixture(scope="module")
def harbour_piece(tmp_path_factory):
    """All that a capture holds, with sweep rows beside it."""
    file = write_pcap(tmp_path_factory.mktemp("harbour") / "a.pcap", busy_harbour())
    return replace(joined(list(pieces_of(file.read_bytes()))), sweeps=(rows_at(START_S, START_S + 1),))


def rows_at(*times):
    levels = np.round(2 * np.random.default_rng(3).normal(-90, 3, (len(times), SPAN.bins))) / 2
    return SweepRows(SPAN, np.array(times), levels.astype(np.float32))


def heard_at(template, time_s, spot="hall"):
    """One sighting and one sweep row of a moment that no other message has."""
    one = template.sightings.rows(np.array([0]))
    sightings = replace(one, time_s=np.array([time_s]), announcement=np.array([0]))
    piece = Piece(template.announcements[:1], sightings, sweeps=(rows_at(time_s),), records=1)
    return Heard("wlan0", "scan live", spot, piece)


class Collecting:
    """A case that collects in a thread until told."""

    def __init__(self, path, uri):
        self.path, self.uri = path, uri
        self.over, self.results, self.error = threading.Event(), [], None
        self.thread = threading.Thread(target=self._run)
        self.thread.start()

    def _run(self):
        try:
            with Case.open(self.path) as case:
                self.results = take_from(case, self.uri, Wish(is_cancelled=self.over.is_set))
        except KettleError as error:
            self.error = error

    def end(self):
        self.over.set()
        self.thread.join()
        return self.results


def feed(uri, folder, name, template, times, pause_s=0.0):
    """Put messages into a probe's queue while it is sent; its publisher, still open."""
    queue = ProbeQueue(folder / f"{name}.queue", 50 << 20)
    publisher = Publisher(broker_of(parse(uri)), name, queue)
    publisher.open()

    def put():
        for time_s in times:
            queue.put(body_of(heard_at(template, time_s, name)), time.time())
            time.sleep(pause_s)

    thread = threading.Thread(target=put)
    thread.start()
    return publisher, thread


def made_case(path):
    with Case.create(path, Setup(country="GB")):
        return path


def test_what_is_sent_is_what_arrives(harbour_piece):
    heard = Heard("wlan\x1b[2J0", "capture", "tea bar", harbour_piece)
    back = heard_from(body_of(heard))
    assert "\x1b" not in back.source
    for name, value in vars(harbour_piece).items():
        if isinstance(value, tuple) and name != "sweeps":
            assert getattr(back.piece, name) == value
    for table in ("sightings", "traffic", "listening", "edges", "surveys", "links"):
        for name, column in vars(getattr(harbour_piece, table)).items():
            np.testing.assert_array_equal(getattr(getattr(back.piece, table), name), column)
    np.testing.assert_array_equal(back.piece.sweeps[0].levels_dbm, harbour_piece.sweeps[0].levels_dbm)
    assert back.piece.sweeps[0].span == SPAN


def test_a_broker_that_dies_and_a_case_that_comes_late_lose_and_double_nothing(
    broker, tmp_path, harbour_piece
):
    path = made_case(tmp_path / "a.kettle")
    sent = {name: START_S + 1000 * k + np.arange(60) for k, name in enumerate(("p1", "p2", "p3"))}
    probes = [feed(broker.uri, tmp_path, name, harbour_piece, times, 0.05) for name, times in sent.items()]
    time.sleep(0.5)
    collecting = Collecting(path, broker.uri)
    for _ in range(2):
        time.sleep(0.8)
        broker.kill()
        time.sleep(0.2)
        broker.start()
    for publisher, thread in probes:
        thread.join()
        publisher.drain(30, lambda: False)
        assert publisher.waiting == 0
        publisher.close()
    results = collecting.end()
    assert {r.source for r in results} == {f"probe {name} · wlan0" for name in sent}
    assert all(result.records == 60 for result in results)
    with Case.open(path) as case:
        seen = case.window().sightings
        assert sorted(seen.time_s) == sorted(np.concatenate(list(sent.values())))
        assert sum(s.rows for s in case.window().swept if s.channel.primary == 6) >= 0
        assert {t.spot for t in case.takes()} == set(sent)
        rows = [case.sweeps.rows(run, START_S, START_S + 1e6) for run in case.sweeps.runs()]
        assert sorted(np.concatenate([r.time_s for r in rows])) == sorted(np.concatenate(list(sent.values())))


def test_a_queue_is_kept_through_restarts_and_bounded(broker, tmp_path, harbour_piece):
    path, file = made_case(tmp_path / "a.kettle"), tmp_path / "p.queue"
    queue = ProbeQueue(file, LEAST_BYTES)
    body = body_of(heard_at(harbour_piece, START_S))
    count = 3 * LEAST_BYTES // len(body)
    for k in range(count):
        queue.put(body_of(heard_at(harbour_piece, START_S + k)) if k > count - 3 else body, START_S + k)
    with pytest.raises(KettleError, match="in use by another probe"):
        ProbeQueue(file, LEAST_BYTES)
    name, dropped = queue.id, queue.dropped
    first, last = queue.extent()
    queue.close()
    assert last == count
    assert dropped == first - 1 > count // 2
    assert file.stat().st_size < 2 * LEAST_BYTES

    queue = ProbeQueue(file, LEAST_BYTES)
    assert (queue.id, queue.dropped, queue.extent()) == (name, dropped, (first, last))
    with Case.open(path) as case:  # a case that had the first messages is told what it will never get
        take = case.begin_take("before", "scan live", "hall")
        from blake3 import blake3

        from gray_kettle.store.takes import Input

        case.append(take, heard_at(harbour_piece, START_S).piece, Input(5, blake3(name.encode()).hexdigest()))
    publisher = Publisher(broker_of(parse(broker.uri)), "p", queue)
    publisher.open()
    collecting = Collecting(path, broker.uri)
    publisher.drain(30, lambda: False)
    publisher.close()
    (result,) = collecting.end()
    assert result.records == last - first + 1
    assert any(f"{first - 6:,} messages are missing" in note for note in result.notes), result.notes


def test_two_processes_never_store_the_same(broker, tmp_path, harbour_piece):
    path = made_case(tmp_path / "a.kettle")
    both = [Collecting(path, broker.uri) for _ in range(2)]
    time.sleep(1)
    publisher, thread = feed(broker.uri, tmp_path, "p", harbour_piece, START_S + np.arange(40), 0.03)
    thread.join()
    publisher.drain(20, lambda: False)
    publisher.close()
    records = sum(result.records for c in both for result in c.end())
    assert records == 40
    said = [str(c.error) for c in both] + [
        note for c in both for result in c.results for note in result.notes
    ]
    assert any("let one of them do it" in text for text in said)


@given(st.data())
def test_a_message_of_a_stranger_is_refused_or_harmless(harbour_piece, data):
    header = Header(format=FORMAT, queue="0" * 32, number=1, first=1)
    raw = bytearray(message(header, body_of(Heard("a", "capture", "", harbour_piece))))
    if data.draw(st.booleans()):  # what is packed, changed before it is packed
        import zstandard

        line, _, body = bytes(raw).partition(b"\n")
        text = bytearray(zstandard.decompress(body))
        _damage(text, data)
        raw = bytearray(line + b"\n" + zstandard.compress(bytes(text)))
    else:
        _damage(raw, data)
    try:
        heard = heard_from(split(bytes(raw))[1])
    except WireError:
        return
    assert heard.piece.records >= 0
    assert (heard.piece.sightings.announcement < max(len(heard.piece.announcements), 1)).all()


def _damage(raw, data):
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(raw) - 1))
        raw[at] = data.draw(st.integers(0, 255))
    if data.draw(st.booleans()):
        del raw[data.draw(st.integers(0, len(raw))) :]


def test_strangers_on_the_broker_change_nothing(broker, tmp_path, harbour_piece):
    path = made_case(tmp_path / "a.kettle")
    from paho.mqtt import publish

    collecting = Collecting(path, broker.uri)
    publisher, thread = feed(broker.uri, tmp_path, "p", harbour_piece, START_S + np.arange(5), 0.1)
    huge = b"[" * 100_000
    lies = [
        json.dumps({"queue": publisher._queue.id, "number": n}).encode() for n in (10**30, -1, True, None)
    ]
    for topic, payload in [
        ("site/p/heard", huge), ("site/\x1b[2J/heard", b"{}"), ("site/p/stored", huge),
        *(("site/p/stored", lie) for lie in lies),
        ("site/p/heard", b'{"format":"gray-kettle/probe/9","queue":"' + b"0" * 32 + b'","number":1,"first":1}\n'),
    ]:  # fmt: skip
        publish.single(topic, payload, hostname="127.0.0.1", port=broker.port)
    thread.join()
    publisher.drain(20, lambda: False)
    publisher.close()
    (result,) = collecting.end()
    assert result.records == 5
    with Case.open(path) as case:
        assert load_session(case).assessment is not None


@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")  # the client leaves a socket
def test_users_are_checked_and_the_way_is_encrypted(tmp_path, monkeypatch):
    folder, name = tmp_path, "probe-user"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2",
         "-keyout", folder / "key.pem", "-out", folder / "ca.pem", "-subj", "/CN=broker",
         "-addext", "subjectAltName=IP:127.0.0.1"],
        check=True, capture_output=True,
    )  # fmt: skip
    subprocess.run(["mosquitto_passwd", "-b", "-c", folder / "users", name, "right"], check=True)
    for file in folder.iterdir():
        file.chmod(0o644)
    folder.chmod(0o755)
    path = made_case(tmp_path / "a.kettle")
    lines = (f"password_file {folder}/users", f"cafile {folder}/ca.pem", f"certfile {folder}/ca.pem",
             f"keyfile {folder}/key.pem", "allow_anonymous false", "user root")  # fmt: skip
    with running_broker(folder, *lines) as broker:
        address = f"mqtts://{name}@127.0.0.1:{broker.port}/site"
        trusted = f"{address}?ca={folder}/ca.pem"
        for uri, password, why in (
            (address, "right", "certificate is not trusted"),
            (trusted, "wrong", "Not authorized|Bad user name or password"),
            (address.replace("@", ":right@"), "", f"set it as {PASSWORD_VARIABLE}"),
        ):
            monkeypatch.setenv(PASSWORD_VARIABLE, password)
            with Case.open(path) as case, pytest.raises(KettleError, match=why):
                take_from(case, uri, Wish(seconds=30))
        environment = {**os.environ, PASSWORD_VARIABLE: "right"}
        program = Path(sys.executable).with_name("gray-kettle")
        probe = subprocess.Popen(
            [program, "probe", "sim:pier?speed=60", "--to", trusted, "--name", "pier", "--spot", "pier",
             "--queue", folder / "q", "--for", "30s"], env=environment, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        take = [program, "take", path, trusted, "--for", "5s", "--json"]
        answer = subprocess.run(
            take, check=False, env=environment, capture_output=True, text=True, timeout=60
        )
        probe.send_signal(signal.SIGINT)
        said = probe.communicate(timeout=20)[1]
    assert probe.returncode == 130
    assert "connected" in said
    (found,) = json.loads(answer.stdout)["inputs"]
    assert found["records"] > 3
    assert "right" not in answer.stdout + said


def test_a_probe_says_what_is_wrong_with_how_it_is_called(capsys, tmp_path):
    for words, why in (
        (["wifi:", "--to", "http://broker/x"], "--to is a broker"),
        (["sim:", "--to", "mqtt://broker"], "a topic"),
        (["sim:", "--to", "mqtt://broker/a/#"], "a topic"),
        (["sim:", "--to", "mqtt://broker/a", "--name", "a/b"], "no name of a probe"),
        (["sim:", "--to", "mqtt://broker/a", "--for", "soon"], "--for is a duration"),
    ):
        assert main(["probe", *words, "--queue", str(tmp_path / "q")]) in (1, 2)
        assert why in capsys.readouterr().err
