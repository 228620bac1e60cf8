"""The responder and what is measured against it, over the loopback."""

import asyncio
import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

import httpx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gray_kettle.cli import trial_measure
from gray_kettle.cli.main import main
from gray_kettle.errors import KettleError
from gray_kettle.model.trial import TrialRun
from gray_kettle.proof.trials import judged_by_client
from gray_kettle.store import Case
from gray_kettle.throughput import responder as wire
from gray_kettle.throughput.echo import answer_to, question
from gray_kettle.throughput.load import rate_of
from gray_kettle.throughput.measure import Speed, Target, measure
from gray_kettle.throughput.responder import Bounds, Responder

TOKEN = "harbour-token"
AUTH = {"Authorization": f"Bearer {TOKEN}"}


@contextmanager
def answering(**bounds):
    """A responder in a thread, and the port of it."""
    made, ports, ended = Responder(TOKEN, Bounds(**bounds)), [], threading.Event()

    async def run():
        async with made.listening("127.0.0.1", 0) as port:
            ports.append(port)
            while not ended.is_set():
                await asyncio.sleep(0.02)

    thread = threading.Thread(target=lambda: asyncio.run(run()))
    thread.start()
    while not ports and thread.is_alive():
        time.sleep(0.01)
    try:
        yield made, ports[0]
    finally:
        ended.set()
        thread.join(5)
        assert not thread.is_alive()


@pytest.fixture(scope="module")
def answered():
    with answering() as pair:
        yield pair


def raw(port, data, timeout_s=2.0):
    """What comes back for octets that are sent as they are."""
    with socket.create_connection(("127.0.0.1", port), timeout_s) as line:
        line.sendall(data)
        line.shutdown(socket.SHUT_WR)
        out = b""
        while part := line.recv(65536):
            out += part
        return out


def test_a_run_measures_both_directions_delay_and_loss(answered):
    made, port = answered
    before = made.counts.octets
    told = []
    found = measure(
        Target(f"http://127.0.0.1:{port}/", TOKEN, seconds=2, streams=2, most_octets=60_000_000),
        lambda what, share: told.append((what, share)),
    )
    assert found.down_mbps > 20
    assert found.up_mbps > 20
    assert 0 < found.idle_ms < 500
    assert 0 <= found.loss <= 1
    assert not found.notes
    # Each stream may have one piece on its way when the limit is reached.
    assert 100_000_000 < made.counts.octets - before < 145_000_000
    assert {what for what, _ in told} == {"delay", "download", "upload"}


@pytest.mark.parametrize(("handed_over_s", "expected"), [(0.01, 1e7), (0.2, 1e7), (1.0, 1e7), (2.5, 1e7)])
def test_a_load_that_waits_for_its_answer_still_has_a_rate(handed_over_s, expected):
    """Octets are counted steadily until `handed_over_s`, and the answer comes after 0.3 s, or with the last of them."""

    class Line:
        start_s, last_s = 0.0, max(0.3, handed_over_s)

        def start(self):
            self.start_s = time.perf_counter()

        def stop(self):
            pass

        @property
        def octets(self):
            share = min((time.perf_counter() - self.start_s) / handed_over_s, 1)
            return int(share * expected * self.last_s)

        @property
        def is_running(self):
            return time.perf_counter() - self.start_s < self.last_s

    rate = rate_of(Line(), 5.0, 1.0, lambda share: None, lambda: False)
    assert 0.5 * expected < rate < 1.5 * expected


def test_a_run_that_is_cancelled_ends_at_once_and_says_nothing(answered):
    _, port = answered
    start_s = time.monotonic()
    found = measure(
        Target(f"http://127.0.0.1:{port}/", TOKEN), is_cancelled=lambda: time.monotonic() - start_s > 0.2
    )
    assert found is None
    assert time.monotonic() - start_s < 5


def test_a_stranger_gets_nothing(answered):
    made, port = answered
    octets, datagrams = made.counts.octets, made.counts.datagrams
    for path in ("/down?octets=1000000", "/echo", "/", "/up"):
        for headers in ({}, {"Authorization": "Bearer wrong"}, {"Authorization": TOKEN}):
            answer = httpx.get(f"http://127.0.0.1:{port}{path}", headers=headers)
            assert (answer.status_code, answer.content) == (401, b"")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as line:
        line.settimeout(0.3)
        for said in (
            b"",
            b"x" * 28,
            question("wrong-token", b"12345678", 1),
            question(TOKEN, b"12345678", 1) + b"x",
        ):
            line.sendto(said, ("127.0.0.1", port))
            with pytest.raises(TimeoutError):
                line.recv(100)
        line.sendto(question(TOKEN, b"12345678", 1), ("127.0.0.1", port))
        assert len(line.recv(100)) == len(question(TOKEN, b"12345678", 1))
    assert made.counts.octets == octets
    assert made.counts.datagrams == datagrams + 1
    assert answer_to(TOKEN, answer_to(TOKEN, question(TOKEN, b"12345678", 1))) is None  # none of an answer


@settings(max_examples=40)
@given(
    st.binary(max_size=300),
    st.sampled_from(["", "GET /down HTTP/1.1\r\n", "POST /up HTTP/1.1\r\nHost: a\r\n"]),
)
def test_garbage_is_refused_and_the_next_is_served(answered, garbage, head):
    _, port = answered
    raw(port, head.encode() + garbage)
    assert httpx.get(f"http://127.0.0.1:{port}/echo", headers=AUTH).status_code == 200


@pytest.mark.parametrize(
    ("request_", "status"),
    [("GET /nothing", 404), ("DELETE /up", 404), ("GET /down?octets=0", 200), ("GET /down?octets=-1", 200)],
)
def test_requests_are_bounded(request_, status):
    with answering(octets=1_000_000) as (made, port):
        method, path = request_.split()
        answer = httpx.request(method, f"http://127.0.0.1:{port}{path}", headers=AUTH)
        assert answer.status_code == status
        assert len(answer.content) <= 1_000_000
        sent = httpx.post(
            f"http://127.0.0.1:{port}/up", headers=AUTH, content=(b"x" * 100_000 for _ in range(50))
        )
        assert sent.status_code == 413
        assert made.counts.octets < 3_000_000


def test_fifty_clients_slow_ones_and_a_full_house(monkeypatch):
    monkeypatch.setattr(wire, "_HEAD_S", 1.0)
    with answering(connections=60, of_one_address=60) as (made, port):
        url = f"http://127.0.0.1:{port}/down?octets=2000000"
        slow = [socket.create_connection(("127.0.0.1", port)) for _ in range(8)]
        for line in slow:
            line.sendall(b"GET /down HT")  # and never the rest
        with ThreadPoolExecutor(50) as pool:
            sizes = list(pool.map(lambda _: len(httpx.get(url, headers=AUTH, timeout=30).content), range(50)))
        assert sizes == [2_000_000] * 50
        for line in slow:
            line.settimeout(5)
            assert line.recv(10) == b""  # they were closed
            line.close()
        held = [socket.create_connection(("127.0.0.1", port)) for _ in range(70)]
        time.sleep(0.3)
        assert made.counts.refused >= 10
        for line in held:
            line.close()
        time.sleep(0.3)
        assert httpx.get(f"http://127.0.0.1:{port}/echo", headers=AUTH).status_code == 200


def test_what_cannot_be_measured_against_is_said(answered):
    _, port = answered
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        nobody = free.getsockname()[1]
    for url, token, words in (
        (f"http://127.0.0.1:{nobody}/", TOKEN, "does not answer"),
        (f"http://127.0.0.1:{port}/", "wrong-token", "refuses the token"),
        (f"http://127.0.0.1:{port}/", "", "refuses the token"),
    ):
        with pytest.raises(KettleError, match=words):
            measure(Target(url, token))
    for url in ("ftp://a/", "nothing", "http:///"):
        with pytest.raises(KettleError, match="is not a URL"):
            Target(url)


def test_the_guide_goes_through_the_settings_and_is_taken_up_again(case_of, monkeypatch, capsys):
    case = case_of()
    words = ["trial", "guide", str(case), "1/20", "6/20", "--runs", "2", "--at", "http://10.0.0.9/", "--token", TOKEN,
             "--client", "till"]  # fmt: skip
    speed = Speed(41.5, 20.0, 5.0, 30.0, 0.0, ("Something was not measured.",))
    answers = iter([speed, KettleError("away"), speed, speed])

    def measured(*_):
        answer = next(answers)
        if isinstance(answer, KettleError):
            raise answer
        return answer

    monkeypatch.setattr("gray_kettle.throughput.measure.measure", measured)
    monkeypatch.setattr("builtins.input", lambda text: print(text) or next(said))
    said = iter(["", "", "", "q"])  # the second does not reach the responder
    assert main(words) == 0
    shown = capsys.readouterr()
    assert "1 of 4  set " in shown.out
    assert "Something was not measured." in shown.out
    assert "away This run is left out" in shown.err
    said = iter(["s", ""])
    assert main(words) == 0
    assert "2 of 2  set " in capsys.readouterr().out
    with Case.open(case) as opened:
        runs = opened.trials.all()
    assert [(run.down_mbps, run.client, run.loss) for run in runs] == [(41.5, "till", 0.0)] * 3
    assert trial_measure.left_of(("a", "b", "a"), ["a", "a", "c"]) == ["b"]


def test_runs_of_two_clients_are_never_compared_with_one_another():
    runs = [TrialRun(k, "6" if k % 2 else "11", 40.0 + k, client="till") for k in range(6)]
    runs += [TrialRun(k, "6", 400.0 + k, client="laptop") for k in range(3)]
    till, laptop = judged_by_client(runs)
    assert (till.client, laptop.client) == ("till", "laptop")
    assert max(setting.high for setting in till.settings) < 100
    without_loss = [TrialRun(k, "a", loss=0.0) for k in range(4)] + [
        TrialRun(k, "b", loss=0.1) for k in range(4)
    ]
    (judged,) = judged_by_client(without_loss, "loss")
    assert judged.settings[0].setting == "a"
    assert judged.settings[0].median == 0.0
