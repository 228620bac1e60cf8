"""A live analyser over the real socket: good ones, and slow, broken, silent and vanishing ones."""

import json
import re
import subprocess
import sys
import time

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.collect.ingest import take_live
from gray_kettle.collect.live import scpi
from gray_kettle.collect.live.scpi import Analyser, parse_uri
from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.analyser import SimulatedAnalyser
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Scene
from gray_kettle.store import Case

SCENE = Scene((tx.carrier("line", -60, 2440e6),), seed=3)
ASKED = "start=2400MHz&stop=2480MHz&points=401&rbw=200kHz"


@pytest.fixture
def live_case(tmp_path):
    with Case.create(tmp_path / "live.kettle", Setup()) as case:
        yield case


def collect(case, fault="", pieces=25, seconds=40.0, asked=ASKED):
    """(result, source, rows as they came) of a live take that ends after so many pieces, or so long."""
    came, count = [], [0]

    def heard(piece):
        came.extend(piece.sweeps)
        count[0] += 1

    with SimulatedAnalyser(SCENE, time.time, rows_per_s=50.0, fault=fault) as analyser:
        source = Analyser(f"scpi://127.0.0.1:{analyser.port}?{asked}")
        ended = lambda: count[0] >= pieces  # noqa: E731
        result = take_live(case, source, "bench", seconds=seconds, on_piece=heard, is_cancelled=ended)
    return result, source, came


@pytest.mark.parametrize("fault", ["", "ascii"])
def test_every_row_reaches_the_case_and_the_watcher(live_case, fault):
    result, _, came = collect(live_case, fault)
    span = came[0].span
    assert (span.start_hz, span.step_hz, span.bins, span.rbw_hz) == (2400e6, 200e3, 401, 200e3)
    assert "Stand-in analyser" in span.instrument
    assert result.records == len(came) >= 20
    (run,) = live_case.sweeps.runs()
    assert (run.rows, run.spot) == (result.records, "bench")
    kept = live_case.sweeps.rows(run, -np.inf, np.inf)
    assert np.abs(kept.time_s - [r.time_s[0] for r in came]).max() < 1e-6
    assert int(np.bincount(kept.codes.argmax(axis=1)).argmax()) == 200  # the line, in its bin


def test_what_the_analyser_has_set_is_taken_where_nothing_is_asked(live_case):
    _, _, came = collect(live_case, pieces=3, asked="")
    assert came[0].span.bins == 361


def test_a_broken_one_costs_the_broken_traces_only(live_case):
    result, source, _ = collect(live_case, "broken")
    notes = " ".join(source.notes)
    assert result.records > result.skipped > 3
    assert "A trace of 200 points arrived instead of 401; skipped." in notes


def test_its_errors_are_reported(live_case, monkeypatch):
    monkeypatch.setattr(scpi, "_ROWS_A_CHECK", 4)
    _, source, _ = collect(live_case, "broken")
    assert "The analyser reports error -350 (Queue overflow) after a sweep." in source.notes


def test_one_that_drops_the_line_is_reached_again(live_case, monkeypatch):
    monkeypatch.setattr(scpi, "TIMEOUT_S", 0.3)
    result, source, _ = collect(live_case, "drops", pieces=7)
    assert result.records > 4
    assert any(re.match(r"Lost at .* UTC; restored after", note) for note in source.notes)


def test_a_slow_one_gives_what_it_can_and_the_take_ends_in_time(live_case):
    began_s = time.monotonic()
    result, _, _ = collect(live_case, "slow", seconds=1.0)
    assert 1 <= result.records <= 3  # 0.8 s a sweep
    assert time.monotonic() - began_s < 15


def test_one_that_knows_few_questions_is_used_all_the_same(live_case, monkeypatch):
    monkeypatch.setattr(scpi, "TIMEOUT_S", 0.2)
    result, _, came = collect(live_case, "terse", pieces=6)
    assert result.records > 5
    assert (came[0].span.detector, came[0].span.rbw_hz) == ("sample", 0.0)


@pytest.mark.parametrize(
    ("answer", "detector"),
    [
        ("POS", "max"),
        ("NEGATIVE", "min"),
        ("AVERage", "mean"),
        ("RMS", "mean"),
        ("SAMP", "sample"),
        ("?", "sample"),
    ],
)
def test_detectors_are_known_by_their_long_and_short_names(answer, detector):
    assert scpi._detector(answer) == detector


@pytest.mark.slow
def test_a_silent_one_is_said_and_leaves_no_take(live_case, monkeypatch):
    monkeypatch.setattr(scpi, "TIMEOUT_S", 0.2)
    with pytest.raises(KettleError, match="does not answer"):
        collect(live_case, "silent", seconds=30)
    assert live_case.takes() == ()


def test_nobody_there_is_said(live_case, monkeypatch):
    monkeypatch.setattr(scpi, "TIMEOUT_S", 0.2)
    with pytest.raises(KettleError, match="cannot be used"):
        take_live(live_case, Analyser("scpi://127.0.0.1:9?start=2.4GHz&stop=2.5GHz"), seconds=30)


@pytest.mark.parametrize(
    ("uri", "said"),
    [
        ("scpi://:5025", "host or the number of points"),
        ("scpi://192.0.2.7:99999", "Port out of range"),
        ("scpi://192.0.2.7?start=fast", "is not a frequency"),
        ("scpi://192.0.2.7?start=2.5GHz&stop=2.4GHz", "start must lie below stop"),
        ("scpi://192.0.2.7?points=-3", "host or the number of points"),
        ("scpi://192.0.2.7?colour=blue", "“colour” is not known"),
    ],
)
def test_an_address_that_is_none_says_how_one_blocks(uri, said):
    with pytest.raises(KettleError, match=said) as error:
        parse_uri(uri)
    assert "Write for example scpi://192.0.2.7:5025?start=2400MHz" in str(error.value)


def test_an_address_is_read_with_its_units():
    wanted = parse_uri("scpi://192.0.2.7:5555?start=2.4GHz&stop=2490M&points=901&rbw=100kHz")
    assert (wanted.start_hz, wanted.stop_hz, wanted.points, wanted.rbw_hz) == (2.4e9, 2.49e9, 901, 1e5)


@pytest.mark.slow
def test_the_are_in_serves_a_take_on_the_command_line(tmp_path, capsys):
    command = [sys.executable, "-m", "gray_kettle", "stand-in", "analyser", "--port", "0"]
    case = str(tmp_path / "a.kettle")
    assert main(["new", case]) == 0
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:
        line = server.stdout.readline()
        uri = line[line.index("scpi://") :].strip().rstrip("'")
        assert main(["take", case, uri, "--for", "3s", "--json"]) == 0
        server.terminate()
    (told,) = json.loads(capsys.readouterr().out)["inputs"]
    assert told["kind"] == "sweep live"
    assert told["records"] > 0


def test_a_made_table_comes_with_what_really_was_on_the_air(tmp_path):
    """What the sweep says of a place agrees with the truth beside it."""
    table, case = tmp_path / "lunch.csv", tmp_path / "a.kettle"
    assert main(["stand-in", "sweeps", str(table), "--minutes", "4", "--hour", "10"]) == 0
    truth = json.loads((tmp_path / "lunch.truth.json").read_text())
    assert {"wi-fi", "bluetooth", "802.15.4"} <= {t["kind"] for t in truth}
    assert main(["new", str(case)]) == 0
    assert main(["take", str(case), str(table)]) == 0
    with Case.open(case) as opened:
        found = {s.channel.label: s.duty for s in opened.sweeps.swept(-np.inf, np.inf)}
    on_six = [{n: d for _, n, d in t["channels"]}.get(6, 0.0) for t in truth if t["level_dbm"] > -80]
    assert max(on_six) - 0.03 < found["6/20"] < sum(on_six) + 0.03
    assert main(["stand-in", "sweeps", str(table)]) == 1  # nothing is written over
