"""The one answer: which channel on which band, from a bare scan too."""

import json

import pytest

from gray_kettle.cli.main import main
from gray_kettle.export.best_text import one_line
from gray_kettle.model.setup import Setup
from gray_kettle.planner.best import best_answers, which_band
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.frames import busy_harbour, write_full_scan, write_pcap

NETSH = """
SSID 1 : Cafe Roma
    Authentication          : WPA2-Personal
    BSSID 1                 : 02:11:22:33:44:01
         Signal             : 80%
         Radio type         : 802.11n
         Channel            : {0}
SSID 2 : Bakery
    Authentication          : WPA2-Personal
    BSSID 1                 : 02:11:22:33:45:01
         Signal             : 70%
         Radio type         : 802.11n
         Channel            : {1}
"""


def answers(path):
    with Case.open(path) as case:
        session = load_session(case)
    return best_answers(session.proposal, session.assessment, session.setup)


@pytest.mark.parametrize(("taken", "best"), [((6, 1), 11), ((1, 11), 6), ((11, 6), 1)])
def test_a_bare_scan_gives_the_free_channel_of_the_plan_and_says_what_is_wrong_with_others(
    case_of, tmp_path, capsys, taken, best
):
    scan = tmp_path / "scan.txt"
    scan.write_text(NETSH.format(*taken))
    case = case_of(scan)
    (answer,) = (a for a in answers(case) if a.band == "2.4")
    assert (answer.best.channel.primary, answer.best.channel.width_mhz) == (best, 20)
    assert answer.runner_up.channel.primary in taken
    assert (answer.radio, answer.now, answer.is_sure) == ("", None, "low")
    assert "sweep" in answer.settles
    wrong = dict(answer.not_these)
    assert "takes two of the channels" in wrong["40 MHz"]
    assert not {1, 6, 11} & {int(what) for what, why in wrong.items() if "lies between" in why}
    assert main(["best", str(case)]) == 0
    assert f"a radio here: {best}/20" in capsys.readouterr().out


def test_own_radios_get_the_answer_of_the_plan_and_the_right_one_is_left_alone(case_of, tmp_path, capsys):
    capture = write_pcap(tmp_path / "a.pcap", busy_harbour(20))
    case = case_of(
        capture, write_full_scan(tmp_path / "scan.txt"), setup=Setup(country="GB", own=("tern-guest",))
    )
    with Case.open(case) as opened:
        session = load_session(opened)
    found = best_answers(session.proposal, session.assessment, session.setup)
    moves = {m.radio.id: m for m in session.proposal.moves}
    assert {a.radio for a in found} >= set(moves)
    for answer in found:
        if answer.radio:
            assert answer.best.channel == moves[answer.radio].target
            assert answer.stays == moves[answer.radio].stays
    moved = [a for a in found if a.radio and not a.stays]
    assert moved
    assert all(f"{a.name} {a.best.channel.label}" in one_line(found) for a in moved)
    assert main(["best", str(case), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["schema"] == "gray-kettle/best/1"
    assert [a["radio"] or "" for a in answer["answers"]] == [a.radio for a in found]
    assert answer["which_band"] == which_band(found)


def test_a_full_low_band_sends_devices_to_the_empty_one(case_of, tmp_path, capsys):
    low = [(f"02:00:00:00:{k:02x}:00", f"n{k}", 2412 + 25 * (k % 3), -45.0) for k in range(45)]
    case = case_of(write_full_scan(tmp_path / "scan.txt", *low, ("02:00:00:00:99:00", "far", 5180, -80.0)))
    assert "use 5 GHz where devices can" in which_band(answers(case))
    assert main(["best", str(case), "--band", "2.4"]) == 0
    assert "5 GHz\n" not in capsys.readouterr().out


def test_nothing_heard_gives_no_channel(case_of, capsys):
    case = case_of()
    assert main(["best", str(case)]) == 0
    assert "Nothing was listened to" in capsys.readouterr().out
