"""Did it help: what is compared, what is said, and how often that is right."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.model.records import Announcement, Piece, Sightings
from gray_kettle.model.setup import Setup
from gray_kettle.model.trial import TrialRun
from gray_kettle.phy.channels import Channel
from gray_kettle.proof.compare import Stretch, Verdict, adjusted, compared, verdict_of
from gray_kettle.proof.trials import judged_trials
from gray_kettle.proving import windows
from gray_kettle.store import Case
from tests.terminal import PROGRAM

START_S = 1_796_284_800.0  # Thursday 2026-12-03 08:00 UTC
DAY, HOUR = 288, 12


def stretch(first, count, value):
    slots = first + np.arange(count)
    return Stretch(slots, np.asarray(value, float) * np.ones(count), slots % DAY // HOUR)


def judged(before, after, least=0.05):
    found = compared(before, after)
    return found, verdict_of(found, float(adjusted([found.p])[0]), least, False)


@given(st.integers(0, 10**6), st.sampled_from([24, 60, 200]), st.floats(0.0, 0.9), st.floats(-0.3, 0.3))
def test_a_shift_of_all_that_came_after_shifts_the_answer(seed, count, correlation, shift):
    rng = np.random.default_rng(seed)
    noise = np.convolve(rng.normal(0, 0.03, 2 * count + 40), correlation ** np.arange(40), "valid")
    before, after = (
        stretch(96, count, 0.3 + noise[:count]),
        stretch(96 + 7 * DAY, count, 0.3 + noise[count : 2 * count]),
    )
    moved = Stretch(after.slot, after.value + shift, after.likeness)
    one, other = compared(before, after), compared(before, moved)
    assert other.difference - one.difference == pytest.approx(shift, abs=1e-6)
    assert (other.low - one.low, other.high - one.high) == pytest.approx((shift, shift), abs=1e-5)
    back = compared(moved, before)
    assert (back.low, back.high) == pytest.approx((-other.high, -other.low), abs=1e-5)
    assert other.low <= other.difference <= other.high


@pytest.mark.parametrize(
    ("after", "verdict"),
    [
        (stretch(96 + 7 * DAY, 24, 0.3), Verdict.NO_CHANGE),
        (stretch(96 + 7 * DAY, 24, 0.1), Verdict.BETTER),
        (stretch(96 + 7 * DAY, 24, 0.5), Verdict.WORSE),
        (stretch(96 + 7 * DAY + 60, 24, 0.1), Verdict.TOO_LITTLE),  # other hours
        (stretch(96 + 7 * DAY, 3, 0.1), Verdict.TOO_LITTLE),
        (stretch(96 + 7 * DAY, 0, 0.1), Verdict.TOO_LITTLE),
    ],
)
def test_what_is_said_of_figures_that_never_move(after, verdict):
    _, (said, hours) = judged(stretch(96, 24, 0.3), after)
    assert said is verdict
    assert (hours > 0) == (verdict is Verdict.TOO_LITTLE)


def test_more_hours_than_are_asked_for_settle_it():
    rng = np.random.default_rng(3)

    def noisy(first, days):
        parts = [stretch(first + d * DAY, 24, 0.3 + rng.normal(0, 0.25, 24)) for d in range(days)]
        return Stretch(
            *(np.concatenate([getattr(p, n) for p in parts]) for n in ("slot", "value", "likeness"))
        )

    _, (said, hours) = judged(noisy(96, 1), noisy(96 + 7 * DAY, 1))
    assert said is Verdict.TOO_LITTLE
    days = int(np.ceil(2 * hours / 2))
    _, (said, _) = judged(noisy(96, days), noisy(96 + 70 * DAY, days))
    assert said is not Verdict.TOO_LITTLE


def test_how_often_it_is_right():
    """A small part of benchmarks/proof.py: correlated slots of six hours, with and without a change."""
    rng = np.random.default_rng(5)
    wrong = found_it = covered = 0
    for k in range(160):
        shift = 0.1 * (k % 2)
        noise = np.convolve(rng.normal(0, 0.025, 300), 0.6 ** np.arange(30), "valid")
        found, (said, _) = judged(
            stretch(96, 72, 0.3 + noise[:72]), stretch(96 + 7 * DAY, 72, 0.3 + shift + noise[150:222])
        )
        says = said in (Verdict.BETTER, Verdict.WORSE)
        wrong += says and not shift
        found_it += says and shift > 0
        covered += found.low <= shift <= found.high
    assert wrong <= 4
    assert found_it >= 72
    assert covered >= 145


def test_of_many_figures_few_are_taken_for_changed():
    rng = np.random.default_rng(7)
    many = [adjusted(rng.uniform(0, 1, 40)).min() < 0.05 for _ in range(300)]
    assert sum(many) <= 30
    assert np.isnan(adjusted([np.nan, 0.01])[0])
    assert adjusted([0.01, 0.02, 0.9]).tolist() == pytest.approx([0.03, 0.03, 0.9])


def announcement(bssid, ssid, primary):
    channel = Channel("2.4", primary, 20, (2407 + 5 * primary) * 1e6)
    return Announcement(bssid, ssid, channel, "ax", 2, "WPA3", 100, (6.0,), "GB", "f" + bssid, 200)


@pytest.fixture
def changed_case(tmp_path):
    """Four hours on a Thursday on channel 6, beside a loud radio, and the same a week later on channel 11."""
    path = tmp_path / "a.kettle"
    rng = np.random.default_rng(11)
    ours, rival = "02:00:00:00:00:01", "02:00:00:00:00:02"
    with Case.create(path, Setup(country="GB", own=("ours",))) as case:
        for week, (primary, busy) in enumerate([(6, 0.55), (11, 0.2)]):
            known = (announcement(ours, b"ours", primary), announcement(rival, b"rival", 6))
            times = START_S + week * 7 * 86400 + np.arange(0, 4 * 3600, 60.0)
            count = len(times)
            load = np.clip(busy + np.repeat(rng.normal(0, 0.03, count // 5), 5), 0, 1)
            rows = Sightings.empty()
            for index, level, loads in ((0, -45, load), (1, -50, np.nan * load)):
                whole, unknown = np.ones(count, np.int64), np.full(count, np.nan)
                tuned, mw = known[index].channel.primary_hz * whole, 10 ** (level / 10) * whole
                nothing = [0 * whole] * 4
                one = Sightings(
                    whole * index, times, tuned, mw, whole, unknown, loads, unknown, whole, *nothing
                )
                rows = Sightings.stacked([rows, one])
            take = case.begin_take("scans", "iw scan", "hall")
            case.append(take, Piece(known, rows, swept_bands=("2.4",), records=count))
            case.finish_take(take, ("2.4",), (), complete=True)
    return path, ours


def proof(path, capsys, *words):
    assert main(["proof", str(path), "--json", *words]) == 0
    return json.loads(capsys.readouterr().out)


def test_a_change_that_helped_is_shown_with_what_it_was(changed_case, capsys):
    path, ours = changed_case
    found = proof(path, capsys)
    measures = {m["name"]: m for m in found["measures"]}
    assert {m["subject"] for m in found["measures"]} == {ours}  # one radio, on whichever channel
    busy = measures["utilisation"]
    assert (busy["verdict"], round(busy["before"], 1), round(busy["after"], 1)) == ("better", 0.5, 0.2)
    assert busy["low"] <= busy["difference"] <= busy["high"] < -0.2
    rivals = measures["co_channel_radios"]
    assert (rivals["verdict"], rivals["before"], rivals["after"]) == ("better", 1.0, 0.0)
    assert measures["level"]["verdict"] == "no change shown"
    (change,) = found["changes"]
    assert (change["text"], change["carried_out"]) == ("6/20 to 11/20", False)

    with Case.open(path) as case:  # the same, marked as done a few minutes before it was seen
        moment_s = START_S + 7 * 86400 - 600
        step = CompletedStep(
            moment_s, ours, "Set 11/20", (("clear_air", 0.9, 0.93), ("expected_mbps", 150.0, 250.0))
        )
        case.edit_setup(lambda setup: Setup(**{**vars(setup), "done": (step,)}))
    found = proof(path, capsys)
    (change,) = found["changes"]
    assert (change["text"], change["carried_out"]) == ("Set 11/20", True)
    expected = {m["name"]: m["promised"] for m in found["measures"] if m["promised"] is not None}
    assert expected == {"clear_air": 0.03, "expected_mbps": 100.0}
    assert main(["proof", str(path), "--all"]) == 0
    shown = capsys.readouterr().out
    assert "Of 4 differences that the model expected from the days before, 4 came so." in shown
    assert "better; expected −6, as it came" in shown
    assert main(["proof", str(path)]) == 0
    said = capsys.readouterr().out
    assert "ours 2.4 GHz: Set 11/20 (carried out)" in said
    assert "channel busy, reported" in said
    assert "better" in said
    assert "figures show no change: --all lists them." in said


def test_windows_are_assessed_once_and_anew_when_something_they_rest_on_changes(
    changed_case, capsys, monkeypatch, tmp_path
):
    path, _ = changed_case
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    assessed, compute = [], windows._figures
    monkeypatch.setattr(windows, "_figures", lambda window: (assessed.append(window), compute(window))[1])
    first = proof(path, capsys)
    count = len(assessed)
    assert count > 10
    assert proof(path, capsys) == first
    assert len(assessed) == count
    assert main(["mark", str(path), "boat in"]) == 0
    capsys.readouterr()
    assert proof(path, capsys) == first
    assert len(assessed) == count  # a mark changes no figure
    (kept,) = (tmp_path / "cache").rglob("*.json")
    kept.write_text('{"x": [1]}')  # a damaged file is as good as none
    assert proof(path, capsys) == first
    assert len(assessed) == 2 * count
    assert main(["set", str(path), "--own", "another"]) == 0
    capsys.readouterr()
    main(["proof", str(path), "--json"])
    assert len(assessed) > 2 * count or "No own radio" in capsys.readouterr().err


def test_the_drawing_names_every_figure_and_is_the_same_each_time(changed_case, tmp_path, capsys):
    path, _ = changed_case
    for name in ("a.svg", "b.svg"):
        assert main(["draw", "proof", str(path), "-o", str(tmp_path / name)]) == 0
    drawn = (tmp_path / "a.svg").read_text()
    assert drawn == (tmp_path / "b.svg").read_text()
    for text in ("did it help?", "ours 2.4 GHz: channel busy, reported   55 % → 21 %", "better", "worse"):
        assert text in drawn


def test_a_weekend_is_not_compared_with_a_weekday(changed_case, capsys):
    path, _ = changed_case
    with Case.open(path) as case:
        case.edit_setup(
            lambda setup: Setup(**{**vars(setup), "reference": (START_S - 5 * 86400, START_S - 4.5 * 86400)})
        )
    found = proof(path, capsys)
    assert {m["verdict"] for m in found["measures"]} <= {"too little data"}


def test_without_a_change_it_says_what_to_do(tmp_path, capsys):
    Case.create(tmp_path / "empty.kettle", Setup(country="GB")).close()
    assert main(["proof", str(tmp_path / "empty.kettle")]) == 2
    assert "collect before a change, and after it" in capsys.readouterr().err


@pytest.mark.slow
def test_two_days_of_the_demo_without_a_change_show_none(demo_case, capsys):
    found = proof(demo_case, capsys, "--since", "2026-11-13T00:00", "--to", "2026-11-13T05:00")
    assert len(found["measures"]) > 50
    assert not [m for m in found["measures"] if m["verdict"] in ("better", "worse")]


@pytest.mark.slow
def test_the_proof_is_drawn_and_explained(terminal, changed_case):
    path, _ = changed_case
    for setting, rate in (("6/20", 20), ("6/20", 22), ("11/20", 80), ("11/20", 84)):
        assert main(["trial", "add", str(path), setting, "--down", str(rate)]) == 0
    terminal.start(*PROGRAM, "open", str(path), columns=140, lines=36)
    terminal.wait_for("What is wrong")
    terminal.keys("6")
    terminal.wait_for("Did it help?", "better", "no change shown", "55 % → 21 %", "●", "moved by itself")
    terminal.wait_for("Trials, download", "Best: 11/20.", "82 Mb/s, 2 runs")
    terminal.keys("i")
    terminal.wait_for("covers the true one in 95 % of cases", "weekdays with weekdays")
    terminal.keys("Escape")
    terminal.wait_without("covers the true one")
    terminal.keys("C-q")
    terminal.wait_for_end()


def test_of_three_channels_the_best_is_named_when_the_runs_say_so(tmp_path, capsys):
    path = tmp_path / "a.kettle"
    Case.create(path, Setup(country="GB")).close()

    def trial(*words, code=0):
        assert main(["trial", *map(str, words)]) == code
        return capsys.readouterr()

    assert "No run with download" in trial("show", path, code=1).err
    for setting, values in {"1/20": (40,), "6/20": (44,), "11/20": (90,)}.items():
        for value in values:
            trial("add", path, setting, "--down", value, "--client", "till")
    assert "run 1 more of" in trial("show", path).out  # one run of each tells no spread
    trial("add", path, "6/20", "--loss", 0.1, "--client", "till\x1b[2J")
    rng = np.random.default_rng(4)
    table = tmp_path / "runs.csv"
    lines = ["time,setting,down_mbps,client"]
    for k in range(5):
        for setting, typical in (("1/20", 40), ("6/20", 44), ("11/20", 90)):
            rate = typical * np.exp(rng.normal(0, 0.1))
            lines.append(f"2026-11-30T10:{k}{len(lines) % 10}:00,{setting},{rate:.1f},till")
    lines += [
        "2026-11-30T11:00:00,6/20,fast,till",
        ",6/20,4,till",
        "2026-11-30T11:00:00,6/20,-4,till",
        "0001-01-01,6/20,4,till",
    ]
    table.write_text("\n".join(lines))
    said = trial("read", path, table).out
    assert "15 runs were added" in said
    assert said.count("left out") == 4
    assert "0 runs were added, 15 were in the case already" in trial("read", path, table).out
    assert "Best: 11/20." in trial("show", path).out
    found = json.loads(trial("show", path, "--json").out)
    (till,) = found["trials"]
    assert (till["best"], till["settings"][0]["runs"], till["runs_needed"]) == ("11/20", 6, 0)
    assert till["settings"][0]["chance_best"] > 0.95
    ordered = trial("order", "1/20", "6/20", "11/20", "--runs", "4").out
    assert [ordered.count(f"set {s},") for s in ("1/20", "6/20", "11/20")] == [4, 4, 4]
    with Case.open(path) as case:
        assert all("\x1b" not in run.client for run in case.trials.all())
    for words in (
        ("add", path, "6/20"),
        ("add", path, "6/20", "--down", "-3"),
        ("add", path, "", "--down", "3"),
    ):
        trial(*words, code=2)


def test_settings_that_differ_little_are_not_told_apart_by_few_runs():
    rng = np.random.default_rng(9)
    wrong = 0
    for _ in range(60):
        runs = [
            TrialRun(k, s, 50 * float(np.exp(rng.normal(0, 0.2)))) for k in range(5) for s in ("1", "6", "11")
        ]
        result = judged_trials(runs)
        wrong += bool(result.best)
        assert result.best or result.runs_needed >= 0
    assert wrong <= 8
    many = [
        TrialRun(k, f"channel {k % 3000}", 50.0 + k) for k in range(6000)
    ]  # of a table that somebody made up
    assert len(judged_trials(many).settings) <= 40
    less = [TrialRun(k, s, idle_ms=ms + k % 2) for k in range(4) for s, ms in (("1", 9.0), ("6", 30.0))]
    assert judged_trials(less, "idle_ms").best == "1"
