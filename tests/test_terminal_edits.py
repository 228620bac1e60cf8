"""The real program in a real terminal: cases, takes, edits of the setup, live collection and the plan."""

import os
import re
import signal
import time
from pathlib import Path

import pytest

from gray_kettle.cli.main import main
from gray_kettle.model.setup import Setup
from gray_kettle.simulator import tern_quay, tern_sweeps
from gray_kettle.simulator.analyser import SimulatedAnalyser
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, write_pcap
from tests.terminal import PROGRAM
from tests.test_scan_text import NMCLI_TABLE
from tests.test_since import lines

pytestmark = pytest.mark.slow


def test_thresholds_groups_and_the_reference_are_kept_and_undone(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Set 1/20", "▲ 8 act")
    terminal.search_command("thresholds")
    terminal.wait_for("When something counts as a finding in this case")
    terminal.keys("Enter")
    terminal.wait_for("Thresholds of findings", "act lost", "15 %")
    terminal.open_field("act lost: a new value")
    terminal.type("900")
    terminal.leave_field()
    terminal.wait_for("does not do for act-lost: 0 to 100 %")
    terminal.clear_field()
    terminal.type("33")
    terminal.leave_field()
    terminal.wait_for("● act lost", "33 %")
    terminal.keys("C-s")
    terminal.wait_for("▲ 3 act")
    terminal.keys("C-z")
    terminal.wait_for("▲ 8 act")

    terminal.keys("2")
    terminal.wait_for("15 radios")
    terminal.keys("u")
    terminal.wait_for("17 radios")  # the three names of the hall, each by itself
    terminal.keys("g")
    terminal.wait_for("Move there and press g again")
    terminal.keys("Down")
    terminal.keys("g")
    terminal.wait_for("16 radios")
    terminal.keys("C-z")
    terminal.wait_for("17 radios")
    terminal.keys("C-z")
    terminal.wait_for("15 radios")

    terminal.keys("w")
    terminal.wait_for("window Thu 12 12:00 – Fri 13 12:00")
    terminal.keys("w")
    terminal.wait_for("window Thu 12 21:00 – Fri 13 03:00")
    terminal.wait_without("assessing")
    terminal.keys("r")
    terminal.wait_for("reference Thu 12 21:00 – Fri 13 03:00")
    terminal.keys("w", "w")
    terminal.wait_for("(whole case)", "⟦", "⟧")
    terminal.keys("1")
    terminal.wait_for("What is wrong", "⟧")
    terminal.press_until("End", "New radio")  # the list grows once the whole case is judged again
    with Case.open(own_demo) as case:
        assert case.setup().reference is not None


def test_edits_can_be_undone_and_last(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Set 1/20")
    terminal.keys("2")
    terminal.wait_for("□ MV Razorbill")
    terminal.keys("Down", "Down", "Down")
    terminal.keys("o")
    terminal.wait_for("■ MV Razorbill")
    terminal.keys("n")
    terminal.wait_for("Name of 02:7a:10:21:20:00")
    terminal.clear_field()
    terminal.type("our boat")
    terminal.keys("Enter")
    terminal.wait_for("■ our boat")
    terminal.keys("C-z")
    terminal.wait_for("■ MV Razorbill")
    terminal.keys("C-z")
    terminal.wait_for("□ MV Razorbill")
    terminal.keys("f")
    terminal.wait_for("□ MV Razorbill")
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(own_demo) as case:
        assert all("Razorbill" not in name for _, name in case.setup().names)


def test_from_nothing_to_the_brief_in_three_steps(terminal, tmp_path):
    write_pcap(tmp_path / "visit.pcap", busy_harbour())
    (tmp_path / "noise.bin").write_bytes(b"\x07" * 999)
    (tmp_path / "laptop.txt").write_text(NMCLI_TABLE)
    terminal.start(*PROGRAM, folder=str(tmp_path))
    terminal.wait_for("New case", "Demo")
    terminal.keys("n")
    terminal.wait_for("step 1 of 3")
    terminal.keys("Tab")
    terminal.type("Harbour café")
    terminal.keys("Tab")
    terminal.type("Britain")
    terminal.keys("Enter")
    terminal.wait_for("“Britain” is not a country")
    terminal.clear_field()
    terminal.type("gb")
    terminal.keys("Tab", "Tab", "Tab")
    terminal.type("fast")
    terminal.keys("Enter")
    terminal.wait_for("is not a client limit")
    terminal.clear_field()
    terminal.type("5:36-48,149; 2.4:1-11")
    terminal.keys("Enter")
    terminal.wait_for("Take: listen now, or read files", "visit.pcap")
    terminal.type("nothing.pcap")
    terminal.keys("Enter")
    terminal.wait_for("nothing.pcap does not exist")
    terminal.clear_field()
    terminal.type("noise.bin visit.pcap laptop.txt")
    terminal.keys("Enter")
    terminal.wait_for("Which networks are ours?", "tern-guest", "Not taken", "unknown format", "tea : bar")
    terminal.keys("Space")
    terminal.wait_for("■ tern-guest")
    terminal.keys("Enter")
    terminal.wait_for("Channel between 1, 6 and 11: tern-guest 2.4 GHz", "Set 11/20")
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(tmp_path / "visit.kettle") as case:
        setup = case.setup()
    assert setup == Setup(
        site="Harbour café", country="GB", own=("tern-guest",), clients=("5:36-48,149", "2.4:1-11")
    )


def test_an_empty_case_says_what_to_do(terminal, tmp_path):
    Case.create(tmp_path / "a.kettle", Setup()).close()
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    terminal.wait_for(
        "No radio was observed in this window",
        "listen now, or read captures and scans",
        "The case is empty",
    )
    for key, text in (
        ("2", "No radio was observed in 2.4 GHz"),
        ("3", "No radio was observed"),
        ("5", "No own radio in this window"),
        ("]", "5 Plan"),
    ):
        terminal.keys(key)
        terminal.wait_for(text)
    terminal.keys("o")
    terminal.wait_for("Which networks are ours?")
    terminal.keys("Space", "Enter")
    terminal.keys("t")
    terminal.wait_for("Take: listen now")
    terminal.keys("Escape")
    terminal.wait_without("Take: captures")
    terminal.keys("C-q")
    terminal.wait_for_end()


def test_a_broken_file_is_reported_and_what_it_had_is_kept(terminal, tmp_path):
    (tmp_path / "cut.pcap").write_bytes(pcap_bytes(busy_harbour())[:-7])
    Case.create(tmp_path / "a.kettle", Setup(country="GB", own=("tern-guest",))).close()
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    terminal.wait_for("No radio was observed")
    terminal.keys("t")
    terminal.wait_for("Take: listen now")
    terminal.type("cut.pcap")
    terminal.keys("Enter")
    terminal.wait_for("209 frames read")
    # What was read is judged, and the damage stays told after the message has gone.
    terminal.wait_for("Channel between 1, 6 and 11", "cut.pcap: The capture stops in the middle")
    # A band in which nothing was heard is shown as just that.
    terminal.keys("2")
    terminal.wait_for("by level")
    terminal.keys("b", "b")
    terminal.wait_for("0 radios, 0 BSSIDs")


def test_an_emitter_is_highlighted_named_corrected_and_dismissed(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("What is wrong", "▲ 8 act")
    terminal.keys("4")
    listed = ("microwave oven", "analogue video", "Bluetooth", "BLE advertising", "802.15.4")
    shown = terminal.wait_for(*(f"✶ {name}" for name in listed))
    for _ in range(shown[: shown.index("microwave oven")].count("✶")):
        terminal.keys("e")
    told = terminal.wait_for("▸ microwave oven", "bursts synchronous", "50.00 Hz", "Heat a cup of water")
    assert re.search(r"not since Fri 11:\d\d", told)
    terminal.keys("n")
    terminal.wait_for("Name of the microwave oven")
    terminal.type("tea bar oven")
    terminal.keys("Enter")
    terminal.wait_for("▸ tea bar oven")
    terminal.keys("k")
    terminal.wait_for("What is it really?", "▸ microwave oven", "point-to-point link")
    terminal.keys("Down", "Enter")
    terminal.wait_for("set by hand")
    terminal.keys("C-z")
    terminal.wait_without("set by hand")
    terminal.keys("d")
    terminal.wait_for("dismissed: d undoes that")
    terminal.keys("1")
    terminal.wait_without("tea bar oven at")
    terminal.keys("3")
    terminal.wait_for("% other", "✶ analogue video", "non-Wi-Fi")
    terminal.keys("4", "Escape")
    terminal.wait_without("▸ tea bar oven")
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(own_demo) as case:
        note = case.setup().emitters[-1]
    assert (note.found, note.name, note.is_dismissed) == ("microwave-oven", "tea bar oven", True)


def test_an_analyser_is_followed_live_and_the_rows_are_kept(terminal, tmp_path):
    case = tmp_path / "live.kettle"
    Case.create(case, Setup(site="Ferry", country="GB")).close()
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", "2.4", 1)
    with SimulatedAnalyser(scene, lambda: tern_quay.START_S + 43_800 + time.time() % 600) as analyser:
        terminal.start(*PROGRAM, "open", str(case), columns=160, lines=47)
        terminal.wait_for("The case is empty")
        terminal.keys("4", "t")
        terminal.wait_for("A spectrum analyser")
        terminal.type(f"scpi://127.0.0.1:{analyser.port}?start=2400MHz&stop=2488MHz&points=441")
        terminal.leave_field()
        terminal.wait_for("● live  rows", "busy in the last 40 s", "time runs down")
        terminal.keys("Space")
        terminal.wait_for("held: space continues")
        terminal.keys("Space")
        terminal.wait_without("held: space continues")
        terminal.wait_for("non-Wi-Fi", "analogue video")  # it has looked at what came so far
        terminal.keys("t")
        terminal.wait_for("sweep rows read", "of the time busy")
        terminal.keys("C-q")
        terminal.wait_for_end()
    with Case.open(case) as opened:
        (take,) = opened.takes()
        assert take.records == opened.sweeps.runs()[0].rows > 0


def test_the_app_follows_what_is_taken_here_and_by_others_and_moves_nothing(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Not known yet")
    terminal.keys("2", "w", "b")
    terminal.wait_for("window Thu 12", "by level")
    before = terminal.wait_without("(whole case)")
    terminal.keys("t")
    terminal.wait_for("Take: listen now", "A simulated site")
    terminal.type("sim:pier?speed=60&seed=3")
    terminal.keys("Tab", "Tab")
    terminal.type("pier")
    terminal.keys("Enter")
    terminal.wait_for("● pier", "scans 1")
    terminal.keys("t")
    terminal.wait_for("Taken", "simulation (pier)")
    line = next(line for line in before.splitlines() if "window Thu" in line)
    terminal.wait_for(line.strip()[:30])
    assert main(["take", str(own_demo), "sim:office?speed=60", "--for", "2s", "--spot", "attic"]) == 0
    with Case.open(own_demo) as opened:
        scans = sum(take.records for take in opened.takes() if "scan" in take.kind)
    terminal.wait_for(f"{scans:,} scans".replace(",", " "))  # in the title, without a key
    terminal.keys("T")
    terminal.wait_for("Takes", "attic")


def scans(terminal):
    """How many the title counts."""
    found = re.search(r"(\d[\d ]*) scans", terminal.screen())
    return int(found[1].replace(" ", "")) if found else 0


def test_what_is_new_and_what_begins_is_said_while_listening(terminal, tmp_path):
    case = tmp_path / "visit.kettle"
    Case.create(case, Setup(site="Ferry", country="GB", own=("tern-crew",))).close()
    (tmp_path / "first.jsonl").write_text(lines((0, {1: (2412, -50)})))
    assert main(["take", str(case), str(tmp_path / "first.jsonl")]) == 0
    terminal.start(*PROGRAM, "open", str(case), columns=120, lines=36)
    terminal.wait_for("What is wrong")
    terminal.keys("t")
    terminal.wait_for("A simulated site")
    terminal.type("'sim:ticket hall?speed=60'")
    terminal.keys("Enter")
    terminal.wait_for("● live", "scans")
    terminal.keys("M")
    terminal.wait_for("Mark this moment")
    terminal.type("boat in")
    terminal.keys("Enter")
    terminal.wait_without("Mark this moment")  # on the time line an alert may be over it
    terminal.keys("L")
    terminal.wait_for("Where the receiver is now")
    terminal.type("hall")
    terminal.keys("Enter")
    terminal.wait_for("● hall")
    terminal.wait_for("new radio", "New radio:", "!")
    terminal.keys("t")
    terminal.wait_for("Taken")
    terminal.keys("N")
    terminal.wait_for("new,", "moved since", "R scans now")
    before = scans(terminal)
    terminal.keys("R")  # one scan of a simulation is over in a moment
    end_s = time.monotonic() + 40
    while scans(terminal) <= before and time.monotonic() < end_s:
        time.sleep(0.1)
    assert scans(terminal) > before, terminal.screen()
    terminal.wait_for("gone,", "moved since")
    terminal.keys("Escape")
    terminal.wait_without("R scans now")
    terminal.keys("A")
    terminal.wait_for("alert", "enter shows the half hour", "new radio")
    terminal.keys("Enter")
    terminal.wait_without("enter shows the half hour")


def test_a_walk_shows_the_level_and_names_spots(terminal, tmp_path):
    case = tmp_path / "visit.kettle"
    Case.create(case, Setup(site="Ferry", country="GB", own=("tern-crew",))).close()
    terminal.start(*PROGRAM, "open", str(case), columns=100, lines=30)
    terminal.wait_for("The case is empty")
    terminal.keys("t")
    terminal.wait_for("A simulated site")
    terminal.type("sim:pier?speed=60&seed=3")
    terminal.keys("Tab", "Tab")
    terminal.type("gate")
    terminal.keys("Enter")
    terminal.wait_for("● gate", "scans")
    terminal.keys("W")
    terminal.wait_for("Walk", "tern-crew", "██████", "covered", "loudest other here", "gate")
    terminal.keys("Space")
    terminal.wait_for("name of this spot")
    terminal.type("end of the pier")
    terminal.keys("Enter")
    terminal.wait_for("GHz  6/20   end of the pier", "● end of the pier", "● gate")
    terminal.keys("Right", "Escape")
    terminal.wait_without("name this spot")
    terminal.keys("P")
    terminal.wait_for("‖ paused")
    terminal.keys("P", "t")
    terminal.wait_for("Taken")
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(case) as opened:
        assert [take.spot for take in opened.takes()] == ["gate", "end of the pier"]


def test_the_plan_is_tried_locked_compared_done_and_written(terminal, own_demo, tmp_path):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47, folder=str(tmp_path))
    terminal.wait_for("Not known yet")
    terminal.keys("5")
    plan = terminal.wait_for("Why hall 2.4: 3/40 → 1/20", "typical radio", "proved best")
    assert re.search(r"■ hall 2\.4 +3/40 +1/20 +·\d", plan)

    # By hand: the hall on the next channel, and everybody's figures follow.
    terminal.keys("c")
    terminal.wait_for("kept plan")
    terminal.keys("Right")
    hypothetical_plan = terminal.wait_for("By hand:", "◆")
    assert not re.search(r"■ hall 2\.4 +3/40 +1/20", hypothetical_plan)
    terminal.keys("BSpace")
    terminal.wait_without("By hand:")

    # Locked it stays; unlocked again by undo.
    terminal.keys("l")
    terminal.wait_for("stay, locked")
    terminal.keys("C-z")
    terminal.wait_for("Why hall 2.4: 3/40 → 1/20")

    # Hours that count, and a limit that makes no sense.
    terminal.keys("e")
    terminal.wait_for("Plan preferences", "Hours of the day")
    terminal.keys("Tab", "Tab", "Tab")
    terminal.clear_field()
    terminal.type("8 to 9")
    terminal.keys("Enter")
    terminal.wait_for("are no hours of the day")
    terminal.clear_field()
    terminal.type("8-9")
    terminal.leave_field()
    terminal.wait_for("; at 8-9 h", "89 → 112")
    terminal.keys("C-z")
    terminal.wait_for("Why hall 2.4: 3/40 → 1/20", "208 → 203")

    terminal.keys("d")
    terminal.wait_for("Done: hall 2.4 GHz 3/40 → 1/20")
    terminal.leave_field()
    terminal.wait_for("✓ ")
    terminal.keys("x")
    terminal.wait_for("Written: tern-quay-changes.csv")
    assert "hall 2.4 GHz: 3/40 -> 1/20" in (tmp_path / "tern-quay-changes.txt").read_text()
    assert (tmp_path / "tern-quay-changes.pdf").read_bytes().startswith(b"%PDF")
    assert (tmp_path / "tern-quay-changes.csv").read_text().startswith("step,radio")
    with Case.open(own_demo) as case:
        assert [d.text for d in case.setup().done] == ["3/40 → 1/20"]


def test_a_form_that_is_higher_than_the_terminal_shows_where_one_is_and_what_is_wrong(terminal, demo_case):
    terminal.start(*PROGRAM, "open", str(demo_case), columns=80, lines=24)
    terminal.wait_for("What is wrong")
    terminal.keys("5")
    terminal.wait_for("Why hall 2.4")
    terminal.keys("e")
    terminal.wait_for("Client limits")
    for _ in range(5):
        terminal.keys("Tab")
        time.sleep(0.1)
    terminal.wait_for("Largest number of changes")
    terminal.type("many")
    terminal.keys("Enter")
    terminal.wait_for("The number of changes is a number from 0 to 999.", "many")


def test_takes_are_listed_set_aside_and_brought_back(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo))
    terminal.wait_for("What is wrong")
    terminal.keys("T")
    terminal.wait_for("Takes", "walk-1.pcapng", "complete")
    terminal.keys("Down", "Enter")
    terminal.wait_for("□ tea-bar-scans.txt", "set aside")
    with Case.open(own_demo) as case:
        assert 2 not in {take.number for take in case.takes()}
    terminal.keys("Enter")
    terminal.wait_for("■ tea-bar-scans.txt")
    terminal.keys("Escape")
    terminal.wait_without("Takes")


@pytest.mark.parametrize("sign", [signal.SIGTERM, None], ids=["terminated", "terminal closed"])
def test_the_end_of_the_app_keeps_a_live_take(terminal, tmp_path, sign):
    case = tmp_path / "visit.kettle"
    Case.create(case, Setup(site="Ferry", country="GB")).close()
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", "2.4", tern_quay.SEED)
    with SimulatedAnalyser(scene, lambda: tern_quay.START_S + 43_800 + time.time() % 600) as analyser:
        terminal.start(*PROGRAM, "open", str(case))
        terminal.wait_for("The case is empty")
        terminal.keys("4", "t")
        terminal.wait_for("A spectrum analyser")
        terminal.type(f"scpi://127.0.0.1:{analyser.port}?start=2400MHz&stop=2488MHz&points=441")
        terminal.leave_field()
        terminal.wait_for("● live  rows", "busy in the last")
        process = terminal.process()
        if sign is None:
            terminal.stop()
        else:
            os.kill(process, sign)
            terminal.wait_for_end()
        until_s = time.monotonic() + 20
        while Path(f"/proc/{process}/exe").exists():
            assert time.monotonic() < until_s, "the app goes on"
            time.sleep(0.1)
    with Case.open(case) as opened:
        (take,) = opened.take_list.all()
        assert take.state == "complete"
        assert take.records == opened.sweeps.runs()[0].rows > 0
