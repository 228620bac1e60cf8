"""Watching for hours: what begins is said once, and handed on within bounds."""

import json
import threading
from dataclasses import replace
from http.server import BaseHTTPRequestHandler, HTTPServer
from typing import ClassVar

import pytest

from gray_kettle.cli.main import main
from gray_kettle.cli.watch import _Watching
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.test_since import lines

QUIET, GOES, MOVES, NEW = 1, 2, 3, 4
FIRST = {QUIET: (2412, -60), GOES: (2437, -50), MOVES: (2437, -52)}
OWN = Setup(country="GB", own=("n2", "n3"))


def take(case_path, tmp_path, name, *scans):
    file = tmp_path / f"{name}.jsonl"
    file.write_text(lines(*scans))
    with Case.open(case_path) as case:
        ingest(case, open_file(file))


@pytest.fixture
def watched(tmp_path):
    path = tmp_path / "a.kettle"
    Case.create(path, OWN).close()
    take(path, tmp_path, "first", *((10 * k, FIRST) for k in range(4)))
    return path


def kinds(alerts):
    return sorted((str(alert.kind), alert.about[-2:]) for alert in alerts)


def test_what_begins_is_said_once(watched, tmp_path, capsys):
    watching = _Watching(watched)
    assert watching.look() == []
    assert watching.look() == []
    later = {QUIET: (2412, -60), MOVES: (2462, -52), NEW: (2412, -45)}
    take(watched, tmp_path, "second", *((60 + 10 * k, later) for k in range(4)))
    assert kinds(watching.look()) == [
        ("new radio", "04"),
        ("own radio gone", "02"),
        ("own radio moved", "03"),
    ]
    take(watched, tmp_path, "third", *((120 + 10 * k, later) for k in range(4)))
    assert watching.look() == []

    with Case.open(watched) as case:  # they stay, each once, whoever else watches
        stored = case.alerts.all()
        case.alerts.add(stored)
        case.alerts.add([replace(stored[0], time_s=stored[0].time_s + 3600)])
        assert len(case.alerts.all()) == len(stored) + 1 == 4
        assert case.alerts.all()[-1].time_s == stored[0].time_s + 3600
    capsys.readouterr()
    assert main(["alerts", str(watched), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert sorted(a["kind"] for a in found["alerts"][:3]) == [
        "new radio",
        "own radio gone",
        "own radio moved",
    ]
    assert main(["alerts", str(watched)]) == 0
    assert "moved from" in capsys.readouterr().out


class _Hook(BaseHTTPRequestHandler):
    came: ClassVar[list] = []

    def do_POST(self):
        self.came.append(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
        self.send_response(200 if len(self.came) < 2 else 500)
        self.end_headers()

    def log_message(self, *_):
        pass


def test_alerts_are_handed_to_a_webhook_and_a_program(tmp_path, capsys, monkeypatch):
    path = tmp_path / "a.kettle"
    Case.create(path, OWN).close()
    looks = iter(
        [(), ((0, FIRST),), ((60, {**FIRST, NEW: (2412, -45)}),), ((120, {**FIRST, 0x55: (2462, -44)}),)]
    )

    def looked(self, look=_Watching.look):
        if scans := next(looks, ()):
            take(path, tmp_path, str(scans[0][0]), *scans)
        return look(self)

    monkeypatch.setattr(_Watching, "look", looked)
    script = tmp_path / "tell"
    script.write_text(f'#!/bin/sh\necho "$1 $2" >> {tmp_path}/told\n')
    script.chmod(0o755)
    _Hook.came.clear()
    server = HTTPServer(("127.0.0.1", 0), _Hook)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    url = f"http://127.0.0.1:{server.server_port}/alerts"
    words = ["watch", str(path), "--for", "5s", "--every", "1s", "--webhook", url, "--run", f"{script} loud"]
    assert main([*words, "--json"]) == 0
    server.shutdown()
    server.server_close()
    said = capsys.readouterr()
    printed = [json.loads(line) for line in said.out.splitlines()]
    assert [alert["kind"] for alert in printed] == ["new radio", "new radio"]
    assert _Hook.came == printed
    assert said.err.count("The webhook did not take an alert") == 1
    assert (tmp_path / "told").read_text() == "".join(f"loud {alert['text']}\n" for alert in printed)


@pytest.mark.parametrize(
    "words", [["--for", "soon"], ["--every", "0.1s"], ["--webhook", "ftp://x"], ["--run", "'"]]
)
def test_odd_options_are_refused_in_words(watched, words, capsys):
    assert main(["watch", str(watched), *words]) == 2
    assert "gray-kettle:" in capsys.readouterr().err


def test_sources_are_collected_while_watching(tmp_path, capsys):
    path = tmp_path / "a.kettle"
    Case.create(path, Setup(country="GB", own=("tern-crew",))).close()
    assert (
        main(
            ["watch", str(path), "sim:pier?speed=30&seed=2", "--for", "3s", "--every", "1s", "--spot", "mast"]
        )
        == 0
    )
    with Case.open(path) as case:
        (taken,) = case.takes()
    assert taken.spot == "mast"
    assert taken.records > 3
