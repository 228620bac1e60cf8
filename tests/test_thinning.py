"""A case is made smaller: what single rows said goes, what answers say stays."""

import json

import numpy as np

from gray_kettle.cli.main import main
from gray_kettle.cli.watch import _Watching
from gray_kettle.detection import detect_pending
from gray_kettle.session import load_session
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case
from gray_kettle.store.thinning import thin


def answer(capsys, *words):
    assert main([*map(str, words), "--json"]) == 0
    return json.loads(capsys.readouterr().out)


def test_a_thinned_case_is_small_and_answers_the_same(own_demo, capsys):
    names = ("emitters", "brief", "air")
    before = {name: answer(capsys, name, own_demo) for name in names}
    size = own_demo.stat().st_size
    went = answer(capsys, "thin", own_demo, "--older", "1h")
    assert went["sweep_rows"] > 20_000
    assert went["traffic_rows"] > 500
    assert own_demo.stat().st_size == size - went["freed"] < size / 2
    assert answer(capsys, "thin", own_demo, "--older", "1h")["sweep_rows"] == 0
    after = {name: answer(capsys, name, own_demo) for name in names}
    assert after["emitters"] == before["emitters"]
    assert after["brief"] == before["brief"]
    for one, other in zip(before["air"]["channels"], after["air"]["channels"], strict=True):
        for name in ("clear_air", "wifi_share", "non_wifi_share"):
            assert (one[name] is None) == (other[name] is None)
            assert one[name] is None or abs(one[name] - other[name]) <= 0.02
    assert main(["check", str(own_demo)]) == 0
    assert "nothing damaged" in capsys.readouterr().out
    notes = [note for take in answer(capsys, "takes", own_demo)["takes"] for note in take["notes"]]
    assert sum("were thinned out" in note for note in notes) == 4


def test_the_picture_of_thinned_rows_is_coarser_and_the_same(own_demo):
    with Case.open(own_demo) as case:
        run = max(case.sweeps.runs(), key=lambda r: r.rows)
        end_s = run.start_s + 6 * 3600
        hours = [
            Frame(run.span.start_hz, run.span.end_hz, 60, run.start_s, end_s, 40),
            Frame(run.span.start_hz, run.span.end_hz, 60, run.start_s, run.start_s + 900, 40),
        ]
        before = [case.sweeps.view(frame) for frame in hours]
        assert detect_pending(case)
        thin(case, end_s)
        after = [case.sweeps.view(frame) for frame in hours]
        peaks = [float(np.nanmax(view.peak_dbm)) for view in (before[0], after[0])]
        assert peaks[0] == peaks[1]
        assert np.isfinite(
            after[1].peak_dbm
        ).any()  # a quarter of an hour, from sums that reach over its ends
        rows = case.sweeps.rows(run, run.start_s, run.end_s)
        assert rows.time_s[0] > run.start_s + 3 * 3600  # what lies behind is untouched
        assert len(rows.codes) == len(rows.time_s)


def test_detections_of_an_older_version_stay_where_rows_were_thinned_out(own_demo):
    with Case.open(own_demo) as case:
        assert detect_pending(case)
        before = load_session(case).observations.detection_blocks
        middle_s = (before[0].start_s + before[-1].end_s) / 2
        thin(case, middle_s)
        case.detections.discard_older(999)
        left = load_session(case).observations.detection_blocks
        assert {b.start_s for b in left} == {b.start_s for b in before if b.end_s < middle_s}
        assert len(left) > 3
        assert case.detections.needs_detection(999)
        assert detect_pending(case)
        again = load_session(case).observations.detection_blocks
        assert [(b.start_s, b.rows) for b in again] == [(b.start_s, b.rows) for b in before]


def test_watch_keeps_a_case_small(own_demo):
    with Case.open(own_demo) as case:
        assert not case.sweeps.thin_until_s()
    _Watching(own_demo, 3600.0).look()
    with Case.open(own_demo) as case:
        end_s = case.span_s()[1]
        assert case.sweeps.thin_until_s()
        assert max(case.sweeps.thin_until_s().values()) < end_s - 3600
