"""Copies and exports of cases whose details were thinned out: what is left of them goes along."""

import csv
import json

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.detection import detect_pending
from gray_kettle.export.data.read_back import read_back
from gray_kettle.masking import MaskOptions
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case
from gray_kettle.store.thinning import thin
from gray_kettle.store.transfer import WHOLE, Selection, backed_up, copied, merged_cases
from gray_kettle.store.verify import verify

_THINNED_H, _CUT_H = 40.0, 33.504  # into the day; the cut goes through a capture


def assert_same(one, other, start_s, end_s, masked=False):
    (mine, (my_duty, my_picture)), (theirs, (their_duty, their_picture)) = (
        facts(one, start_s, end_s),
        facts(other, start_s, end_s),
    )
    for mine_, theirs_ in list(zip(mine, theirs, strict=True))[masked:]:
        assert mine_ == theirs_
    assert my_duty == pytest.approx(their_duty, abs=0.01)  # parts of a tuned sweep are judged by themselves
    assert np.mean(np.abs(my_picture - their_picture) > 1) < 2 / 30  # lines with sums of another length


@pytest.fixture
def thinned(own_demo):
    """(the case, its first moment)"""
    with Case.open(own_demo) as case:
        detect_pending(case)
        start_s, _ = case.span_s()
        assert thin(case, start_s + _THINNED_H * 3600).sweep_rows > 10_000
    return own_demo, start_s


def facts(path, start_s, end_s):
    """What a case answers of an interval of time: airtime by network, rows of channels, a picture, what was found."""
    assert not verify(path)[1]
    with Case.open(path) as case:
        assert not case.detections.pending_rows()
        traffic = case.window(start_s, end_s).traffic
        airtime = {
            n: round(float(traffic.airtime_s[traffic.bssid == n].sum()), 6) for n in np.unique(traffic.bssid)
        }
        swept = case.sweeps.swept(start_s, end_s)
        rows = {(str(s.channel), s.spot): s.rows for s in swept}
        duty = [s.duty for s in swept]
        view = case.sweeps.view(Frame(2.4e9, 2.5e9, 50, start_s, end_s, 30))
        found = [
            (str(f.likely), round(f.low_hz), round(f.level_dbm, 3))
            for block in case.window(start_s, end_s).detection_blocks
            for f in block.detections
        ]
        return (airtime, rows, sorted(set(found))), (duty, np.nan_to_num(view.peak_dbm))


def test_halves_of_a_thinned_case_merge_to_the_whole(thinned, tmp_path):
    path, start_s = thinned
    early, late, both, again = (tmp_path / f"{name}.kettle" for name in ("early", "late", "both", "again"))
    cut_s = start_s + _CUT_H * 3600
    copied(path, early, Selection(end_s=cut_s))
    copied(path, late, Selection(start_s=cut_s))
    with Case.open(early) as first, Case.open(late) as second:
        assert first.span_s()[1] < cut_s + 3 * 3600
        assert second.span_s()[0] > cut_s - 3 * 3600
        assert any("thinned out" in note for take in second.take_list.all() for note in take.notes)
    hours = [(start_s, start_s + 30 * 3600), (start_s + 36 * 3600, start_s + 60 * 3600), (start_s, np.inf)]
    merged_cases([late, early], both)
    merged_cases([both, path, early], again)  # what is in several is there once
    for hour in hours[:2]:
        assert_same(early if hour[0] == start_s else late, path, *hour)
    for made in (both, again):
        for hour in hours:
            assert_same(made, path, *hour)


def test_details_that_another_case_still_has_are_kept(own_demo, tmp_path):
    whole, made = tmp_path / "whole.kettle", tmp_path / "made.kettle"
    with Case.open(own_demo) as case:
        detect_pending(case)
        start_s, _ = case.span_s()
    backed_up(own_demo, whole)
    with Case.open(own_demo) as case:
        thin(case, start_s + _THINNED_H * 3600)
    merged_cases([own_demo, whole], made)
    with Case.open(made) as one, Case.open(whole) as other:
        rows = [
            sum(len(c.sweeps.rows(run, -np.inf, np.inf).codes) for run in c.sweeps.runs())
            for c in (one, other)
        ]
        assert rows[0] == rows[1]
        assert not any("thinned out" in note for take in one.take_list.all() for note in take.notes)
        assert sum(run.rows for run in one.sweeps.runs()) == rows[1]
    assert_same(made, whole, start_s, np.inf)


def test_exports_and_masked_copies_hold_what_is_left(thinned, tmp_path, capsys):
    path, start_s = thinned
    back, masked, folder = tmp_path / "back.kettle", tmp_path / "masked.kettle", tmp_path / "all"
    assert main(["export", str(path), "-o", str(folder), "--records-only"]) == 0
    read_back(folder, back)
    assert_same(back, path, start_s, np.inf)
    copied(path, masked, WHOLE, MaskOptions())
    assert_same(masked, path, start_s, np.inf, masked=True)
    for table in ("airtime", "sweeps-summed"):
        assert main(["export", str(path), "-o", str(tmp_path / f"{table}.csv"), "--table", table]) == 0
    with (tmp_path / "airtime.csv").open() as file:
        rows = list(csv.DictReader(file))
    with Case.open(path) as case:
        assert sum(float(r["airtime_s"]) for r in rows) == pytest.approx(
            case.window().traffic.airtime_s.sum(), rel=1e-6
        )
    assert all(int(row["seconds"]) > 1 for row in rows)
    with (tmp_path / "sweeps-summed.csv").open() as file:
        summed = next(csv.DictReader(file))
    assert float(summed["peak_dbm"]) >= float(summed["mean_dbm"])
    lines = (folder / "records/thinned.jsonl").read_text().splitlines()
    first_rows = next(k for k, line in enumerate(lines) if json.loads(line).get("level") == 0)
    other = json.loads(lines[-1])["head"]  # of sums, in place of rows
    for at, wrong in ((-1, {"payload": "AAAA"}), (first_rows, {"head": other}), (0, {"start_s": -1e300})):
        damaged = list(lines)
        damaged[at] = json.dumps({**json.loads(lines[at]), **wrong})
        (folder / "records/thinned.jsonl").write_text("\n".join(damaged) + "\n")
        assert main(["import", str(folder), str(tmp_path / "x.kettle")]) == 1
        assert f"records/thinned.jsonl, line {at % len(lines) + 1}" in capsys.readouterr().err
        assert not (tmp_path / "x.kettle").exists()
