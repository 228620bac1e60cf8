"""The real program in a real terminal, as a technician uses it."""

import re
import sys
import time

import numpy as np
import pytest

from gray_kettle.model.setup import Setup
from gray_kettle.simulator import tern_quay, tern_sweeps
from gray_kettle.simulator.analyser import SimulatedAnalyser
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, write_pcap
from tests.test_safe_text import NAMES, hostile_case  # noqa: F401 - a fixture
from tests.test_scan_text import NMCLI_TABLE

PROGRAM = (sys.executable, "-m", "gray_kettle")


@pytest.fixture
def own_demo(demo_case, tmp_path):
    """A copy of the demo case that may be changed."""
    path = tmp_path / "tern-quay.kettle"
    path.write_bytes(demo_case.read_bytes())
    return path


def test_the_demo_from_screen_to_screen(terminal, own_demo, tmp_path):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47, folder=str(tmp_path))
    brief = terminal.wait_for(
        "Channel between 1, 6 and 11: hall 2.4 GHz", "Set 1/20: clear air", "Not known yet"
    )
    assert "Tern Quay ferry terminal" in brief
    assert "The ticket scanners drop when a boat is in" in brief
    assert re.search(r"■ hall 2\.4 +3/40 +clear air +\d+ %", brief)
    assert "Proof" not in brief

    terminal.keys("3")
    terminal.wait_for("seen by   ■ hall 2.4", "◂ 3/40 ▸", "% adjacent", "MV Razorbill")
    terminal.keys("Left", "Left")
    terminal.keys("Down")
    terminal.wait_for("◂ 1/20 ▸", "→ 2")
    terminal.keys("b")
    terminal.wait_for("seen by   ■ hall 5", "◂ 149/80 ▸")
    terminal.keys("x")
    terminal.wait_for("Written: tern-quay-heatmap-5.svg")
    for view in ("lanes", "shares", "heatmap"):
        assert (tmp_path / f"tern-quay-{view}-5.svg").read_text().count("<svg") == 1

    terminal.keys("5")
    terminal.wait_for(
        "Why hall 2.4: 3/40 → 1/20", "Alternatives", "Other steps", "on every channel and width"
    )
    terminal.keys("?")
    terminal.wait_for("Plan: the best channel and width")
    terminal.keys("Escape")
    terminal.wait_without("Plan: the best channel and width")

    terminal.keys("1")
    terminal.wait_for("What is wrong")
    terminal.keys("Enter")
    terminal.wait_for("Why hall 2.4")
    terminal.keys("C-q")
    terminal.wait_for_end()


def test_heard_opens_filters_and_sorts(terminal, demo_case):
    terminal.start(*PROGRAM, "open", str(demo_case), columns=160, lines=47)
    terminal.wait_for("What is wrong")
    terminal.keys("2")
    heard = terminal.wait_for("15 radios, 24 BSSIDs", "dBm at ticket hall", "■ hall")
    assert re.search(r"■ hall +3/40 +−33 .*\+49 +\d+ % +2\d % +ax 2×2 +9 +02:7a:10:01:20:00", heard)
    terminal.keys("Enter")
    opened = terminal.wait_for("▾ ■ hall", "tern-gate", "WPA2-PSK", "06:7a:20:01:02:00")
    assert re.search(r"low rates +1, 2, 5.5, 11 Mb/s: beacons take \d % of the air", opened)
    assert re.search(
        r"off channel +received on 1, 2, 4, 5: \d+ frames, at most −\d+ dBm; it transmits on 3", opened
    )
    # A scanner ends at channel 11; a phone can use 5 GHz too.
    assert re.search(
        r"06:7a:20:01:02:00 +−\d\d dBm +\d+ frames +\d+ % retries +n 1×1 20 +2.4: 1–11 *$", opened, re.M
    )
    assert re.search(r"06:7a:20:01:02:04 .* ax 2×2 40 +2.4: 1–13 +5: 36–165", opened)
    assert re.search(r"sent at +up to 2 Mb/s \d+ % · up to 54 Mb/s \d+ %", opened)
    terminal.keys("Left")
    terminal.wait_without("06:7a:20:01:02:00")

    terminal.keys("/")
    terminal.type("foreign level>-72")
    filtered = terminal.wait_for("3 radios")
    assert "MV Guillemot" in filtered
    assert "□ pumphouse" not in filtered
    terminal.clear_field()
    terminal.type("hidden")
    terminal.wait_for("1 radio, 1 BSSID")
    terminal.leave_field()
    terminal.keys("Enter")
    terminal.wait_for("customs-shed", "its beacons hide the SSID; it is known from a probe response")
    terminal.keys("/")
    terminal.clear_field()
    terminal.leave_field()
    terminal.wait_for("15 radios")
    terminal.keys("s")
    terminal.wait_for("by radio", "radio▾")
    first = terminal.screen().index("customs-shed")
    assert first < terminal.screen().index("tea bar")
    terminal.keys("S")
    terminal.wait_for("radio▴")
    assert terminal.screen().index("tea bar") < terminal.screen().index("customs-shed")
    terminal.keys("/")
    terminal.type('(foreign channel<6) | ssid~"tern-till"')
    terminal.wait_for("5 radios")


def test_figures_are_opened_and_channels_followed_to_their_clients(terminal, own_demo):
    """`i` opens what is pointed at; from a channel to who is on it, to a client, and back."""
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Set 1/20")
    terminal.keys("i")
    opened = terminal.wait_for(
        "Where these figures come from", "hall 2.4 GHz (off-channel-plan)", "clear air on 3/40"
    )
    terminal.keys("Down")
    opened = terminal.wait_for("left by those that overlap", "“Clear air”")
    clear = float(re.search(r"clear air on 3/40 +([\d.]+) %", opened)[1])
    parts = [float(x) / 100 for x in re.findall(r"(?:left by|usable share).*?([\d.]+) %", opened)]
    assert len(parts) == 4
    assert np.prod(parts) * 100 == pytest.approx(clear, abs=0.3)
    terminal.keys("Escape")
    terminal.wait_without("Where these figures come from")
    terminal.keys("3")
    terminal.wait_for("seen by   ■ hall 2.4", "busy, by hour of the day")
    terminal.keys("Left", "Left", "Down")
    terminal.wait_for("◂ 1/20 ▸")
    terminal.keys("Enter")
    terminal.wait_for("on=1", "3 radios", "lifeboat-hall")
    terminal.keys("i")
    terminal.wait_for("level of MV Guillemot 2.4 GHz", "activity", "one radio")
    terminal.keys("Escape")
    terminal.wait_without("one radio ")
    terminal.keys("Enter")
    terminal.wait_for("MV Guillemot guests", "06:7a:20:20:02:00", "here       Thu 08:06–08:39")
    terminal.keys("Escape")
    terminal.wait_for("seen by   ■ hall 2.4", "◂ 1/20 ▸")


def test_thresholds_groups_and_the_reference_are_kept_and_undone(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Set 1/20", "▲ 6 act")
    terminal.keys("C-p")
    terminal.wait_for("Search for commands")
    terminal.type("thresholds")
    terminal.wait_for("When something counts as a finding in this case")
    terminal.keys("Enter")
    terminal.wait_for("Thresholds of findings", "act lost", "15 %")
    terminal.keys("Enter")
    terminal.type("900")
    terminal.leave_field()
    terminal.wait_for("does not do for act-lost: 0 to 100 %")
    terminal.clear_field()
    terminal.type("60")
    terminal.leave_field()
    terminal.wait_for("● act lost", "60 %")
    terminal.keys("C-s")
    terminal.wait_for("▲ 2 act")
    terminal.keys("C-z")
    terminal.wait_for("▲ 6 act")

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


def test_the_window_moves_and_the_answers_follow(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("(whole case)", "Set 1/20")
    terminal.keys("{", "{", "{")
    terminal.wait_for("window Thu 12 21:00 – Fri 13 03:00")
    terminal.wait_without("assessing")
    terminal.keys("2")
    terminal.wait_without("MV Guillemot")  # no boat at night
    for _ in range(4):
        terminal.keys("]")
    terminal.wait_for("window Fri 13 09:", "MV Guillemot")
    for _ in range(4):
        terminal.keys("}")
    terminal.wait_for("(whole case)")


def test_edits_can_be_undone_and_last(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("Set 1/20")
    terminal.keys("2")
    terminal.wait_for("□ MV Razorbill")
    terminal.keys("Down", "Down", "Down")
    terminal.keys("o")
    terminal.wait_for("■ MV Razorbill")
    terminal.keys("n")
    terminal.wait_for("Name of MV Razorbill")
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
    terminal.keys("Tab", "Tab")
    terminal.type("fast")
    terminal.keys("Enter")
    terminal.wait_for("is not a client limit")
    terminal.clear_field()
    terminal.type("2.4:1-11")
    terminal.keys("Enter")
    terminal.wait_for("Take: captures, scan listings, sweeps", "visit.pcap")
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
    assert setup == Setup(site="Harbour café", country="BR", own=("tern-guest",), clients=("2.4:1-11",))


def test_an_empty_case_says_what_to_do(terminal, tmp_path):
    Case.create(tmp_path / "a.kettle", Setup()).close()
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    terminal.wait_for(
        "No radio was observed in this window",
        "take captures or scan listings",
        "The case is empty",
    )
    for key, text in (
        ("2", "Nothing that was heard"),
        ("3", "No radio was heard"),
        ("5", "No own radio was heard"),
        ("]", "5 Plan"),
    ):
        terminal.keys(key)
        terminal.wait_for(text)
    terminal.keys("o")
    terminal.wait_for("Which networks are ours?")
    terminal.keys("Space", "Enter")
    terminal.keys("t")
    terminal.wait_for("Take: captures")
    terminal.keys("Escape")
    terminal.wait_without("Take: captures")
    terminal.keys("C-q")
    terminal.wait_for_end()


def test_a_broken_file_is_told_and_keeps_what_it_had(terminal, tmp_path):
    (tmp_path / "cut.pcap").write_bytes(pcap_bytes(busy_harbour())[:-7])
    Case.create(tmp_path / "a.kettle", Setup(country="GB", own=("tern-guest",))).close()
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    terminal.wait_for("No radio was observed")
    terminal.keys("t")
    terminal.wait_for("Take: captures")
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


@pytest.mark.parametrize("size", [(80, 24), (100, 30), (50, 14)])
def test_every_place_stands_in_a_small_terminal(terminal, demo_case, size):
    columns, lines = size
    terminal.start(*PROGRAM, "open", str(demo_case), columns=columns, lines=lines)
    terminal.wait_for("What is wrong", "▲")
    for key, text in (("2", "radio"), ("3", "hall"), ("5", "hall 2.4"), ("1", "What is wrong")):
        terminal.keys(key)
        shown = terminal.wait_for(text)
        assert max(map(len, shown.splitlines())) <= columns
    terminal.keys("C-q")
    terminal.wait_for_end()


def test_hostile_names_are_shown_harmlessly_on_every_screen(terminal, hostile_case):  # noqa: F811
    terminal.start(*PROGRAM, "open", str(hostile_case), columns=160, lines=47)
    terminal.wait_for("What is wrong", "hall 2.4")
    for key, text in (
        ("2", "[bold]x[/bold]"),
        ("3", "[bold]x[/bold"),
        ("5", "hall 2.4"),
        ("1", "What is wrong"),
    ):
        terminal.keys(key)
        shown = terminal.wait_for(text)
        assert "Traceback" not in shown
    terminal.keys("2")
    terminal.wait_for(f"{len(NAMES)} radios", "by level")
    terminal.keys("End", "Enter")
    terminal.wait_for("▾")
    terminal.keys("C-p")
    terminal.wait_for("Search for commands")
    terminal.type("own netw")
    terminal.wait_for("Own networks")
    terminal.keys("Enter")
    terminal.wait_for("Which networks are ours?", "[bold]x")
    terminal.keys("Escape", "C-q")
    terminal.wait_for_end()


def test_without_colour_the_signs_still_tell_own_from_foreign(terminal, demo_case):
    terminal.start("env", "NO_COLOR=1", *PROGRAM, "open", str(demo_case), columns=120)
    terminal.wait_for("▲", "◆", "What is wrong")
    terminal.keys("2")
    shown = terminal.wait_for("■ hall", "□ lifeboat-hall")
    assert "▸" in shown


def test_a_case_that_cannot_be_opened_is_told_before_the_screen_is_taken(terminal, tmp_path):
    (tmp_path / "a.kettle").write_bytes(b"no case")
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    assert "is not a Gray Kettle case" in terminal.wait_for_end()


def test_a_keyboard_is_no_capture(terminal, tmp_path):
    Case.create(tmp_path / "a.kettle", Setup()).close()
    terminal.start(*PROGRAM, "take", str(tmp_path / "a.kettle"), "-")
    assert "Standard input is the keyboard" in terminal.wait_for_end()


def test_the_sweeps_of_the_demo(terminal, own_demo, tmp_path):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47, folder=str(tmp_path))
    terminal.wait_for("What is wrong", "24 470 sweep rows")
    terminal.keys("4")
    shown = terminal.wait_for(
        "% busy", "radios on this frequency", "21 114 rows", "ticket hall", "highest level in a bin"
    )
    assert re.search(r"channel +1 +2 +3 +4 +5 +6 +7 +8 +9 +10 +11 +12 +13", shown)
    assert "■ hall ─" in shown
    assert re.search(r"channel 7 +\d+ % of the time busy", shown)
    before = re.search(r"(\d+\.\d+) MHz", shown)[1]
    terminal.keys("Right", "Right", "Right")
    terminal.wait_without(f"{before} MHz")
    terminal.keys("m")
    terminal.wait_for("mean level in a bin")
    terminal.keys("Enter")  # zoom to the channel under the cursor
    terminal.wait_for(" 2445 ")
    terminal.keys("BSpace")
    terminal.wait_for(" 2410 ")
    terminal.keys("Down", "Down", "Down", "Down", "Down", "g")  # around that time
    terminal.wait_for("window Thu 12 07:12 – 19:12")
    terminal.keys("g")
    terminal.wait_for("window Thu 12 12:00 – 15:00")
    terminal.keys("u", "u")
    terminal.wait_for("(whole case)")
    terminal.keys("b")
    terminal.wait_for(" 5600 ", "3 356 rows", "149")
    terminal.keys("x")
    terminal.wait_for("Written: tern-quay-waterfall-5.svg")
    assert "data:image/png" in (tmp_path / "tern-quay-waterfall-5.svg").read_text()
    terminal.keys("b")
    terminal.wait_for("No sweep of 6 GHz in this window")
    terminal.keys("b", "3")
    terminal.wait_for("source sweep, confidence medium")
    terminal.keys("4", "?")
    terminal.wait_for("Sweep: the spectrum")
    terminal.keys("Escape", "C-q")
    terminal.wait_for_end()


def test_an_emitter_lights_up_is_named_corrected_and_dismissed(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("What is wrong", "microwave oven at 24")
    terminal.keys("4")
    listed = ("microwave oven", "analogue video", "Bluetooth", "BLE advertising", "802.15.4")
    shown = terminal.wait_for(*(f"✶ {name}" for name in listed))
    for _ in range(shown[: shown.index("microwave oven")].count("✶")):
        terminal.keys("e")
    told = terminal.wait_for(
        "▸ microwave oven", "bursts synchronous with the mains", "50.00 Hz", "Heat a cup of water"
    )
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
    terminal.wait_for("% non-Wi-Fi", "✶ analogue video", "non-Wi-Fi")
    terminal.keys("4", "Escape")
    terminal.wait_without("▸ tea bar oven")
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(own_demo) as case:
        note = case.setup().emitters[-1]
    assert (note.found, note.name, note.is_dismissed) == ("microwave-oven", "tea bar oven", True)


@pytest.mark.parametrize(("columns", "lines"), [(100, 30), (80, 24)])
def test_sweeps_in_small_terminals_and_without_colour(terminal, demo_case, columns, lines):
    terminal.start("env", "NO_COLOR=1", *PROGRAM, "open", str(demo_case), columns=columns, lines=lines)
    terminal.wait_for("What is wrong")
    terminal.keys("4")
    shown = terminal.wait_for("% busy", "channel 7", "MHz")
    assert "░" in shown
    assert "▒" in shown
    assert "▀" not in shown  # two colours in a cell say nothing where there is no colour
    terminal.keys("e")
    terminal.wait_for("▸", "confidence", "bursts")
    terminal.keys("C-q")


def test_an_analyser_is_followed_live_and_the_rows_are_kept(terminal, tmp_path):
    case = tmp_path / "live.kettle"
    Case.create(case, Setup(site="Ferry", country="GB")).close()
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", "2.4", 1)
    with SimulatedAnalyser(scene, lambda: tern_quay.START_S + 43_800 + time.time() % 600) as analyser:
        terminal.start(*PROGRAM, "open", str(case), columns=160, lines=47)
        terminal.wait_for("The case is empty")
        terminal.keys("4", "t")
        terminal.wait_for("or an analyser")
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


def test_the_plan_is_tried_locked_compared_done_and_written(terminal, own_demo, tmp_path):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47, folder=str(tmp_path))
    terminal.wait_for("Not known yet")
    terminal.keys("5")
    plan = terminal.wait_for("Why hall 2.4: 3/40 → 1/20", "Mb/s for a typical radio", "proved best")
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
    terminal.wait_for("; at 8-9 h", "→ 11/20")
    terminal.keys("C-z")
    terminal.wait_for("Why hall 2.4: 3/40 → 1/20")

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
