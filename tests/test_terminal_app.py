"""The real program in a real terminal: every view, keys, sizes, hostile names."""

import re

import numpy as np
import pytest

from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.terminal import PROGRAM
from tests.test_safe_text import NAMES, hostile_case  # noqa: F401 - a fixture

pytestmark = pytest.mark.slow


def test_the_demo_from_screen_to_screen(terminal, own_demo, tmp_path):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47, folder=str(tmp_path))
    brief = terminal.wait_for(
        "Channel between 1, 6 and 11: hall 2.4 GHz", "Set 1/20: clear air", "Not known yet"
    )
    assert "Tern Quay ferry terminal" in brief
    assert "The ticket scanners drop when a boat is in" in brief
    assert re.search(r"■ hall 2\.4 +3/40 +clear air +\d+ %", brief)
    assert "6 Proof" in brief

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
    terminal.wait_for("3 radios", "MV Guillemot")
    terminal.wait_without("□ pumphouse")
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
        "Where these figures come from", "Channel between 1, 6 and 11: hall 2.4 GHz", "clear air on 3/40"
    )
    terminal.keys("Down")
    opened = terminal.wait_for("left by adjacent-channel radios", "“Clear air”")
    clear = float(re.search(r"clear air on 3/40 +([\d.]+) %", opened)[1])
    parts = [float(x) / 100 for x in re.findall(r"(?:left by|usable share).*?([\d.]+) %", opened)]
    assert len(parts) == 5
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
    terminal.wait_for("MV Guillemot guests", "06:7a:20:20:02:00", "present     Thu 08:06–08:39")
    terminal.keys("Escape")
    terminal.wait_for("seen by   ■ hall 2.4", "◂ 1/20 ▸")


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


@pytest.mark.parametrize("size", [(80, 24), (100, 30), (50, 14)])
def test_every_view_fits_a_small_terminal(terminal, demo_case, size):
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
    terminal.search_command("own netw")
    terminal.wait_for("Own networks")
    terminal.keys("Enter")
    terminal.wait_for("Which networks are ours?", "[bold]x")
    terminal.keys("Escape", "C-q")
    terminal.wait_for_end()


def test_own_and_foreign_differ_without_colour(terminal, demo_case):
    terminal.start("env", "NO_COLOR=1", *PROGRAM, "open", str(demo_case), columns=120)
    terminal.wait_for("▲", "◆", "What is wrong")
    terminal.keys("2")
    shown = terminal.wait_for("■ hall", "□ lifeboat-hall")
    assert "▸" in shown


def test_a_case_that_cannot_be_opened_is_reported_before_the_screen_starts(terminal, tmp_path):
    (tmp_path / "a.kettle").write_bytes(b"no case")
    terminal.start(*PROGRAM, "open", "a.kettle", folder=str(tmp_path))
    assert "is not a Gray Kettle case" in terminal.wait_for_end()


def test_a_keyboard_is_not_a_capture(terminal, tmp_path):
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
