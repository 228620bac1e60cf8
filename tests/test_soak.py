"""After a change: own radios that go silent or weak, the soak, each change on its own, and the demo's second half."""

from collections import Counter
from datetime import UTC, datetime

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.model.records import Piece, Sightings
from gray_kettle.model.setup import Setup
from gray_kettle.proving import prove_each
from gray_kettle.session import load_session
from gray_kettle.simulator.demo import continue_demo
from gray_kettle.store import Case
from tests.test_proof import START_S, announcement, proof


def site_case(path, minutes_off=(), drop=(), seed=3, hear=0.97):
    """Two days of scans each minute, one own radio and one foreign; off the air and 15 dB weaker at some minutes."""
    rng = np.random.default_rng(seed)
    ours, rival = "02:00:00:00:00:01", "02:00:00:00:00:02"
    known = (announcement(ours, b"ours", 6), announcement(rival, b"rival", 6))
    times = START_S + np.arange(0, 86400, 60.0)
    minute = np.arange(len(times))
    rows = Sightings.empty()
    for index, level in ((0, -50.0), (1, -60.0)):
        dbm = level + rng.normal(0, 2, len(times))
        heard = rng.random(len(times)) < hear
        if index == 0:
            for first, last in drop:
                dbm[(minute >= first) & (minute < last)] -= 15
            for first, last in minutes_off:
                heard &= (minute < first) | (minute >= last)
        count = int(heard.sum())
        whole, unknown = np.ones(count, np.int64), np.full(count, np.nan)
        tuned = known[index].channel.primary_hz * whole
        nothing = [0 * whole] * 4
        one = Sightings(
            whole * index, times[heard], tuned, 10 ** (dbm[heard] / 10), whole, unknown, unknown, unknown, whole,
            *nothing,
        )  # fmt: skip
        rows = Sightings.stacked([rows, one])
    with Case.create(path, Setup(country="GB", own=("ours",))) as case:
        take = case.begin_take("scans", "iw scan", "hall")
        case.append(take, Piece(known, rows, swept_bands=("2.4",), records=len(rows)))
        case.finish_take(take, ("2.4",), (), complete=True)
    return path, ours


@pytest.mark.parametrize(
    ("off", "drop", "kinds"),
    [
        ([], [], set()),
        ([(600, 604)], [], set()),  # shorter than minutes
        ([(600, 620), (900, 930)], [], {"own-silent"}),
        ([(1300, 1440)], [], {"own-silent"}),  # and not heard again
        ([], [(600, 640)], {"level-drop"}),
    ],
)
def test_an_own_radio_that_goes_silent_or_weak_is_a_finding(tmp_path, off, drop, kinds):
    path, ours = site_case(tmp_path / "a.kettle", off, drop)
    with Case.open(path) as case:
        session = load_session(case)
        found = {
            str(f.kind): f for f in session.assessment.findings if f.kind in ("own-silent", "level-drop")
        }
        assert set(found) == kinds
        (radio,) = (r for r in session.inventory.radios if r.own)
        assert len(radio.outages) == (len(off) if "own-silent" in kinds else 0)
        for (began_s, ended_s), (first, last) in zip(radio.outages, off, strict=False):
            assert abs(began_s - START_S - 60 * first) <= 300
            assert ended_s is None if last == 1440 else abs(ended_s - START_S - 60 * last) <= 300
        if off and off[-1][1] == 1440:  # somebody switched it off, and said so
            step = CompletedStep(START_S + 60 * off[-1][0], ours, "switched off")
            case.edit_setup(lambda setup: Setup(**{**vars(setup), "done": (step,)}))
            assert not load_session(case).assessment.radio(ours).outages


def test_a_radio_that_scans_often_miss_is_not_said_to_be_off(tmp_path):
    found = 0
    for seed in range(20):
        path, _ = site_case(tmp_path / f"{seed}.kettle", seed=seed, hear=0.4)
        with Case.open(path) as case:
            found += any(radio.outages for radio in load_session(case).inventory.radios)
    assert found <= 1


def test_a_soak_lists_what_happened_and_says_once_that_it_is_over(tmp_path, capsys):
    path, ours = site_case(tmp_path / "a.kettle", [(800, 830)], [(1000, 1030)])
    done_s = START_S + 300 * 60
    iso = datetime.fromtimestamp(done_s, UTC).isoformat()
    assert main(["done", str(path), "6/20 → 6/20 at full power", "--radio", ours, "--at", iso]) == 0
    assert "ours 2.4 GHz: 6/20 → 6/20 at full power" in capsys.readouterr().out
    soak = proof(path, capsys)["soak"]
    assert [event["kind"] for event in soak["events"]] == ["own radio off the air", "level drop"]
    assert (soak["planned_hours"], soak["is_over"]) == (24.0, False)
    assert 18.5 < soak["observed_hours"] <= 19.0
    assert len(soak["hours"]) >= 18
    watching = ["watch", str(path), "--for", "1s", "--every", "1s"]
    assert main(watching) == 0
    assert "Soak since" not in capsys.readouterr().out
    assert main(["set", str(path), "--threshold", "soak-h=12"]) == 0
    assert main(watching) == 0
    assert "What happened: own radio off the air, level drop." in capsys.readouterr().out
    assert main(watching) == 0  # another process, or the same after a restart
    assert "Soak since" not in capsys.readouterr().out
    assert main(["alerts", str(path)]) == 0
    assert "Soak since" in " ".join(capsys.readouterr().out.split())
    assert main(["done", str(path), "--remove", "--radio", ours, "--at", iso]) == 0
    assert "No change was recorded yet." in capsys.readouterr().out
    for words in (["done", str(path), "x", "--radio", "theirs"], ["done", str(path), "--remove"]):
        assert main(words) == 2


def test_each_change_is_compared_with_what_lay_between(tmp_path, capsys):
    path, ours = site_case(tmp_path / "a.kettle")
    with Case.open(path) as case:
        steps = tuple(
            CompletedStep(START_S + 3600 * hour, ours, text)
            for hour, text in ((6, "one"), (6.2, "two"), (14, "three"))
        )
        case.edit_setup(lambda setup: Setup(**{**vars(setup), "done": steps}))
        first, second = prove_each(case)
    assert [(p.before[0] - START_S) / 3600 for p in (first, second)] == [0.0, 6.2]
    assert [(p.after[1] - START_S) / 3600 for p in (first, second)] == [14.0, pytest.approx(24, abs=0.1)]
    assert len(first.together) == 2
    assert not second.together
    assert main(["proof", str(path), "--each"]) == 0
    assert "2 changes were made at one time" in capsys.readouterr().out


@pytest.fixture(scope="module")
def whole_demo(demo_case, tmp_path_factory):
    path = tmp_path_factory.mktemp("whole") / "tern-quay.kettle"
    path.write_bytes(demo_case.read_bytes())
    continue_demo(path)
    return path


@pytest.mark.slow
def test_the_demo_s_change_helped_most_and_not_at_lunch(whole_demo, capsys):
    capsys.readouterr()
    found = proof(whole_demo, capsys)
    by_name = {(m["radio"], m["band"], m["name"]): m for m in found["measures"]}
    for radio, band in (("hall", "2.4"), ("tea bar", "2.4"), ("pier", "2.4"), ("the site", "")):
        for name in ("clear_air", "expected_mbps"):
            assert by_name[radio, band, name]["verdict"] == "better"
    assert by_name["tea bar", "2.4", "non_wifi"]["verdict"] != "better"
    counts = Counter(m["verdict"] for m in found["measures"])
    assert counts["better"] > 2 * counts["worse"]
    assert all(c["carried_out"] for c in found["changes"] if c["time"] > "2026-11-16T05")
    assert found["absent"] == ["shed 2.4 GHz"]
    assert found["record"]["came"] >= 0.8 * found["record"]["expected"] >= 16
    soak = found["soak"]
    assert soak["is_over"]
    assert soak["worst_hour"]["start"][11:13] in ("11", "12", "13")
    assert ["oven" in event["text"] for event in soak["events"]] == [True]
    (trials,) = found["trials"]
    assert (trials["client"], trials["spot"], trials["best"]) == ("till 2", "tea bar", "11/20")
