"""Spots: how well each is covered, and what a walk hears."""

import json

import pytest

from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.cli.main import main
from gray_kettle.phy.channels import narrow, wide
from gray_kettle.tui.walk.digits import HEIGHT, large
from gray_kettle.tui.walk.levels import RECENT_S, Sighted, WalkLevels


def test_each_band_at_each_spot_has_its_best_radio_and_its_loudest_rival(demo_case, capsys):
    assert main(["spots", str(demo_case), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["schema"] == "gray-kettle/spots/1"
    assert answer["limit_dbm"] == Thresholds().coverage_dbm
    rows = {(row["spot"], row["band"]): row for row in answer["spots"]}
    assert len(rows) == len(answer["spots"])
    levels = [row["own"][0]["level_dbm"] for row in answer["spots"] if row["own"]]
    assert levels == sorted(levels)
    for row in answer["spots"]:
        best = row["own"][0]["level_dbm"]
        expected = "covered" if best >= -70 else "thin" if best >= -78 else "not covered"
        assert row["coverage"] == expected
        if row["rival"]:
            assert row["margin_db"] == pytest.approx(best - row["rival"]["level_dbm"], abs=0.06)
    assert rows["pier", "6"]["coverage"] == "not covered"
    assert rows["pier", "2.4"]["own"][0]["name"] == "pier"


def test_a_walk_knows_now_best_worst_trend_and_rival():
    levels = WalkLevels()
    levels.follow(frozenset({"ours", "ours too"}))
    six, three_wide, eleven = narrow("2.4", 6), wide("2.4", 3, 40)[0], narrow("2.4", 11)
    for k in range(10):
        ours = (Sighted("ours", six, -70 + k), Sighted("ours too", six, -80))
        others = (Sighted("near", three_wide, -60 - k), Sighted("far away", eleven, -20))
        levels.add((*ours, *others), now_s=float(k))
    assert (levels.now_dbm(10), levels.best_dbm, levels.worst_dbm) == (-61, -61, -70)
    assert levels.trend_db() == pytest.approx(5)
    rival = levels.rival(10)
    assert rival is not None
    assert (rival.bssid, rival.level_dbm) == ("near", -69)
    assert levels.now_dbm(10 + RECENT_S) is None
    levels.begin_spot()
    assert levels.now_dbm(10) is None


@pytest.mark.parametrize("text", ["−67", "− −", "0", "-x7"])
def test_large_numbers_are_even(text):
    lines = large(text)
    assert len(lines) == HEIGHT
    assert len({len(line) for line in lines}) == 1
