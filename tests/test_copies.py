"""Copies of cases: whole, cut, merged, and read back from an export."""

import json
import shutil
import threading
import zipfile
from dataclasses import fields

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.detection import detect_pending
from gray_kettle.errors import KettleError
from gray_kettle.export.data.read_back import read_back
from gray_kettle.model.records import Columns, Observations, Piece, SweepRows
from gray_kettle.store import Case
from gray_kettle.store.transfer import Selection, backed_up, copied, merged_cases
from gray_kettle.store.verify import verify
from tests.attacks import fingerprint
from tests.frames import START_S
from tests.site import CHANGED_S, SPAN


@pytest.fixture(scope="module")
def export(site, tmp_path_factory):
    folder = tmp_path_factory.mktemp("export") / "all"
    assert main(["export", str(site), "-o", str(folder), "--records-only"]) == 0
    return folder


def facts(path):
    """All that a case answers, and that nothing in it is damaged."""
    rows, damage = verify(path)
    assert rows > 10
    assert not damage
    with Case.open(path) as case:
        runs = case.sweeps.runs()
        sums = [case.sweeps.entries(r, k, -np.inf, np.inf).mean.tobytes() for r in runs for k in (1, 2, 3)]
        return fingerprint(path), case.alerts.all(), case.trials.all(), sums, case.detections.pending_rows()


def assert_same(path, wanted):
    """The same answers; sums of blocks that were cut may differ in their last bit."""
    with Case.open(path) as case:
        detect_pending(case)  # what lay over the cut
    with Case.open(path) as one, Case.open(wanted) as other:
        for field in fields(Observations):
            mine, theirs = (getattr(case.window(), field.name) for case in (one, other))
            if isinstance(mine, Columns):
                for column in fields(mine):
                    values = (getattr(table, column.name) for table in (mine, theirs))
                    np.testing.assert_allclose(*values, rtol=1e-12, err_msg=column.name)
            else:
                assert str(mine) == str(theirs), field.name  # NaN where nothing was measured
        assert one.setup() == other.setup()
        assert (one.alerts.all(), one.trials.all()) == (other.alerts.all(), other.trials.all())
        for mine, theirs in zip(one.sweeps.runs(), other.sweeps.runs(), strict=True):
            rows = (c.sweeps.rows(r, -np.inf, np.inf) for c, r in ((one, mine), (other, theirs)))
            assert len({r.codes.tobytes() for r in rows}) == 1


def test_a_copy_is_the_same_case(site, tmp_path):
    copied(site, tmp_path / "a.kettle")
    backed_up(site, tmp_path / "b.kettle")
    assert facts(tmp_path / "a.kettle") == facts(tmp_path / "b.kettle") == facts(site)
    with pytest.raises(KettleError, match="exists already"):
        copied(site, tmp_path / "a.kettle")


@pytest.mark.parametrize("at_s", [START_S + 31.0, CHANGED_S, START_S + 3607.05])
def test_halves_of_a_case_merge_to_the_whole(site, tmp_path, at_s):
    early, late, both = (tmp_path / f"{name}.kettle" for name in ("early", "late", "both"))
    copied(site, early, Selection(end_s=at_s))
    copied(site, late, Selection(start_s=at_s))
    for half in (early, late):
        assert not verify(half)[1]
        assert fingerprint(half) != fingerprint(site)
    assert main(["merge", str(both), str(late), str(early)]) == 0
    assert_same(both, site)
    merged_cases([both, site, early], tmp_path / "again.kettle")  # what is in several is there once
    assert_same(tmp_path / "again.kettle", site)


def test_what_two_people_took_from_one_file_counts_once(site, tmp_path):
    file = site.with_name("before.pcap")
    for name in ("mine", "theirs"):
        assert main(["new", str(tmp_path / f"{name}.kettle"), "--country", "GB"]) == 0
        assert main(["take", str(tmp_path / f"{name}.kettle"), str(file)]) == 0
    both = tmp_path / "both.kettle"
    merged_cases([tmp_path / "mine.kettle", tmp_path / "theirs.kettle"], both)
    with Case.open(both) as case, Case.open(tmp_path / "mine.kettle") as mine:
        assert [take.counts for take in case.take_list.all()] == [True, False]
        assert case.window().traffic.frames.sum() == mine.window().traffic.frames.sum()


def test_a_cut_case_says_what_it_lacks(site, tmp_path):
    cut = tmp_path / "cut.kettle"
    assert (
        main(["copy", str(site), str(cut), "--from", "2027-01-15T08:00:10", "--to", "2027-01-15T08:00:15"])
        == 0
    )
    with Case.open(cut) as case:
        start_s, end_s = case.span_s()
        assert START_S + 10 <= start_s <= end_s < START_S + 15
        assert all("is not in this case" in take.notes[-1] for take in case.take_list.all())


def test_compact_leaves_out_what_does_not_count(site, tmp_path):
    path, small = tmp_path / "a.kettle", tmp_path / "small.kettle"
    shutil.copy(site, path)
    with Case.open(path) as case:
        case.take_list.set_aside(2)
    assert main(["copy", str(path), str(small), "--compact"]) == 0
    with Case.open(path) as before, Case.open(small) as after:
        assert len(after.take_list.all()) == len(before.take_list.all()) - 1
        assert len(after.window().sightings) == len(before.window().sightings)


def test_a_copy_is_whole_while_a_take_runs(site, tmp_path):
    path, going = tmp_path / "live.kettle", threading.Event()
    shutil.copy(site, path)

    def take():
        with Case.open(path) as case:
            number = case.begin_take("sim", "sweep", "mast")
            for k in range(400):
                if going.is_set():
                    break
                case.append(number, Piece(sweeps=(_row(k),), records=1))

    thread = threading.Thread(target=take)
    thread.start()
    try:
        for k in range(5):
            backed_up(path, tmp_path / f"copy-{k}.kettle")
            assert not verify(tmp_path / f"copy-{k}.kettle")[1]
    finally:
        going.set()
        thread.join()


def _row(k):
    return SweepRows(SPAN, np.array([START_S + 9000 + k]), np.full((1, SPAN.bins), -90, np.float32))


def test_an_export_is_read_back_as_the_same_case(site, export, tmp_path):
    assert main(["import", str(export), str(tmp_path / "a.kettle")]) == 0
    assert facts(tmp_path / "a.kettle") == facts(site)
    assert main(["export", str(site), "-o", str(tmp_path / "all.zip"), "--records-only"]) == 0
    assert main(["import", str(tmp_path / "all.zip"), str(tmp_path / "b.kettle")]) == 0
    assert facts(tmp_path / "b.kettle") == facts(site)
    package = json.loads((export / "datapackage.json").read_text())
    for resource in package["resources"]:
        assert (export / resource["path"]).is_file()
        if resource["format"] == "csv":
            heads = (export / resource["path"]).read_text().splitlines()[0].split(",")
            assert heads == [field["name"] for field in resource["schema"]["fields"]]


@pytest.mark.parametrize(
    ("name", "damage", "said"),
    [
        ("records/format.json", lambda text: text.replace("export/1", "export/2"), "another version"),
        ("records/takes.jsonl", lambda text: text.replace('"notes"', '"notes', 1), "takes.jsonl, line 1"),
        (
            "records/takes.jsonl",
            lambda text: text.replace('"records": ', '"records": "x', 1),
            "takes.jsonl, line 1",
        ),
        ("records/sightings.csv", lambda text: text.replace("\r\n1,", "\r\nx,", 1), "records/sightings.csv"),
        ("records/sightings.csv", lambda text: text[: len(text) // 2], "records/sightings.csv"),
        ("records/traffic.csv", lambda text: text.replace("\r\n1,", "\r\n9,"), "take 9"),
        ("records/announcements.jsonl", lambda text: text.replace("fingerprint", "f", 1), "jsonl, line 1"),
        ("records/sweep-1-floors.csv", lambda text: text.splitlines()[0] + "\r\n", "records/sweep-1.csv"),
        ("records/sweeps.jsonl", lambda text: text.replace('"bins": 170', '"bins": 900000'), "sweeps.jsonl"),
        ("records/setup.json", lambda text: text[:-9], "setup"),
    ],
)
def test_a_damaged_export_is_refused_with_its_place(export, tmp_path, name, damage, said):
    folder = tmp_path / "all"
    shutil.copytree(export, folder)
    file = folder / name
    file.write_bytes(damage(file.read_bytes().decode()).encode())
    with pytest.raises(KettleError, match=said):
        read_back(folder, tmp_path / "a.kettle")
    assert not (tmp_path / "a.kettle").exists()


def test_what_is_no_export_is_refused(tmp_path, capsys):
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as made:
        made.writestr("x", "y")
    (tmp_path / "b.zip").write_bytes(b"PK nothing")
    for name in ("a.zip", "b.zip", "c.zip", "."):
        assert main(["import", str(tmp_path / name), str(tmp_path / "a.kettle")]) == 1
        assert "no export of a case" in capsys.readouterr().err
