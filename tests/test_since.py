"""What is new since a moment, and moments that somebody marked."""

import json

import pytest

from gray_kettle.cli.main import main
from gray_kettle.model.setup import Setup
from gray_kettle.setup_editor import with_mark
from gray_kettle.store import Case

T0 = 1.79e9


def lines(*scans):
    """Scans of a log: (time, {last octet: (MHz, dBm)})."""
    return "\n".join(
        json.dumps(
            {
                "time": T0 + at,
                "bssid": f"02:00:00:00:00:{octet:02x}",
                "ssid": f"n{octet}",
                "frequency_mhz": mhz,
                "level_dbm": dbm,
            }
        )
        for at, heard in scans
        for octet, (mhz, dbm) in heard.items()
    )


LOUD, FAINT, STAYS, MOVES, NEW = 1, 2, 3, 4, 5
BEFORE = {LOUD: (2412, -50), FAINT: (2412, -88), STAYS: (2437, -60), MOVES: (2437, -61)}
AFTER = {STAYS: (2437, -60), MOVES: (2462, -61), NEW: (2462, -40)}


@pytest.mark.parametrize(("scans", "is_sure"), [(1, False), (4, True)])
def test_new_gone_and_moved_radios_are_named(tmp_path, case_of, capsys, scans, is_sure):
    first, second = tmp_path / "first.jsonl", tmp_path / "second.jsonl"
    first.write_text(lines(*((10 * k, BEFORE) for k in range(3))))
    second.write_text(lines(*((600 + 10 * k, AFTER) for k in range(scans))))
    case = case_of(first, second)
    assert main(["since", str(case), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["since"].startswith("2026-09-21T14:13:40")
    assert answer["scans"] == scans
    assert [r["name"] for r in answer["new"]] == ["n5"]
    assert [(r["name"], r["sure"]) for r in answer["missing"]] == [("n1", True), ("n2", is_sure)]
    assert [(r["name"], r["before"], r["channel"]) for r in answer["moved"]] == [
        ("n4", "6", "11")
    ]  # the log reports no width
    assert main(["since", str(case), "2026-09-21T14:00"]) == 0
    assert "5 new" in capsys.readouterr().out


def test_a_band_that_was_not_heard_since_has_no_missing_radios(tmp_path, case_of, capsys):
    (tmp_path / "a.jsonl").write_text(lines((0, BEFORE)))
    (tmp_path / "b.jsonl").write_text(lines((600, {NEW: (5180, -50)})))
    case = case_of(tmp_path / "a.jsonl", tmp_path / "b.jsonl")
    assert main(["since", str(case), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert (answer["missing"], len(answer["new"])) == ([], 1)


def test_marks_are_kept_in_order_cleaned_and_taken_away(tmp_path, capsys):
    path = tmp_path / "a.kettle"
    Case.create(path, Setup()).close()
    assert main(["mark", str(path), "boat \x1b[2Jin", "--at", "2026-11-30T12:00"]) == 0
    assert main(["mark", str(path), "boat out", "--at", "2026-11-30T11:00"]) == 0
    listed = capsys.readouterr().out.splitlines()
    assert [line.split("  ")[1] for line in listed[-2:]] == ["boat out", "boat �[2Jin"]
    assert main(["mark", str(path), "--remove", "--at", "2026-11-30T12:00"]) == 0
    with Case.open(path) as case:
        assert [word for _, word in case.setup().marks] == ["boat out"]
    assert with_mark(Setup(), 1.0, "x" * 99).marks == ((1.0, "x" * 40),)
