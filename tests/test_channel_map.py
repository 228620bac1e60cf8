"""The channel map: who is on each channel, how busy it is, and what speaks for or against it."""

import json

import pytest

from gray_kettle.cli.main import main
from gray_kettle.planner.best import best_answers
from gray_kettle.planner.channel_map import Mark, channel_map
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.terminal import PROGRAM


def rows_of(site, **setup):
    with Case.open(site) as case:
        session = load_session(case)
    answers = best_answers(session.proposal, session.assessment, session.setup)
    rows = channel_map(session.assessment, session.setup, answers)
    return {(r.channel.band, r.channel.primary): r for r in rows}, session.assessment, answers


def test_every_channel_has_its_radios_and_marks(site):
    rows, assessment, answers = rows_of(site)
    for radio in assessment.radios:
        row = rows[radio.band, radio.channel.primary]
        assert radio in (row.own if radio.own else row.foreign)
        for part in radio.channel.parts:
            here = rows[radio.band, part]
            assert radio in (*here.own, *here.foreign, *here.covering)
    assert sum(r.clients for r in rows.values()) == 3
    assert rows["2.4", 6].strongest_foreign_dbm == -58
    assert rows["2.4", 3].own or rows["2.4", 1].own
    assert rows["2.4", 8].utilisation.source == "sweep"
    assert rows["5", 40].non_wifi is None  # not swept: not known
    for key, row in rows.items():
        best = [a.best for a in answers if a.best and a.band == key[0] and key[1] in a.best.channel.parts]
        assert (Mark.BEST in row.marks) == bool(best)
    assert Mark.INDOOR in rows["5", 36].marks
    assert Mark.RADAR in rows["5", 60].marks
    assert rows["2.4", 1].most_eirp_dbm == 20


def test_the_command_sorts_and_takes_a_radio(site, capsys):
    assert main(["channels", str(site), "--sort", "busy", "--band", "2.4", "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    busy = [c["utilisation"] for c in answer["channels"]]
    assert busy == sorted(busy, key=lambda v: -1 if v is None else v, reverse=True)
    assert {c["band"] for c in answer["channels"]} == {"2.4"}
    assert main(["channels", str(site), "--radio", "02:00:00:00:00:10"]) == 0
    assert "recommended" in capsys.readouterr().out
    assert main(["channels", str(site), "--radio", "02:00:00:00:00:20"]) == 1
    assert main(["channels", str(site), "--only", "recommended", "--json"]) == 0
    marked = json.loads(capsys.readouterr().out)["channels"]
    assert marked
    assert all("recommended" in c["marks"] for c in marked)
    assert main(["channels", str(site), "--only", "blue"]) == 2
    assert main(["channels", str(site), "--sort", "colour"]) == 2


@pytest.mark.slow
def test_the_map_opens_lists_who_is_there_and_comes_back_to_the_row(terminal, demo_case):
    terminal.start(*PROGRAM, "open", str(demo_case), columns=80, lines=24)
    terminal.wait_for("What is wrong")
    terminal.keys("3")
    terminal.wait_for("seen by")
    terminal.keys("c")
    terminal.wait_for("Channel map, all bands", "2.4 GHz", "recommended")
    terminal.keys("b")
    terminal.wait_for("Channel map, 2.4 GHz")
    for _ in range(5):
        terminal.keys("Down")
    terminal.keys("Enter")
    terminal.wait_for("pier", "clients")
    terminal.keys("Escape")
    assert " 11 " in terminal.wait_without("clients")
    terminal.keys("s")
    terminal.wait_for("by busy")
    terminal.keys("m", "m", "m")
    terminal.wait_for("Channel map, 2.4 GHz, recommended only")
    terminal.keys("Escape")
    terminal.wait_for("seen by")
