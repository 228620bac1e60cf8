"""Pieces of the interface on their own: rows, rail, inks, and the promises about crashes and themes."""

import threading

import pytest
from rich.cells import cell_len
from textual.app import App, ComposeResult
from textual.widgets import Input, Static

from gray_kettle.collect.live import system_wifi
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.tui import theme
from gray_kettle.tui.app import KettleApp
from gray_kettle.tui.crash import INTRODUCTION
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.main_screen import MainScreen
from gray_kettle.tui.start.forms import OwnForm
from gray_kettle.tui.start.take_forms import TakeForm
from gray_kettle.tui.theme import INKS, fit, wrap
from gray_kettle.tui.view_state import BANDS


class OneList(App[None]):
    CSS = theme.CSS

    def __init__(self) -> None:
        super().__init__()
        self.register_theme(theme.KETTLE)
        self.theme = "kettle"
        self.seen: list[str] = []

    def get_theme_variable_defaults(self) -> dict[str, str]:
        return dict(theme.VARIABLE_DEFAULTS)

    def compose(self) -> ComposeResult:
        yield RowList()

    def on_row_list_moved(self, moved: RowList.Moved) -> None:
        self.seen.append(moved.key)


def rows(count: int):
    def build(width: int) -> list[Row]:
        out = [Row("head", ((("heading", "dim"),),), fixed=True)]
        for k in range(count):
            lines = tuple(((f"row {k} line {n}", "text"),) for n in range(1 + k % 3))
            out.append(Row(str(k), lines))
        return out

    return build


async def test_the_cursor_walks_rows_of_any_height_and_skips_headings():
    app = OneList()
    async with app.run_test(size=(40, 10)) as pilot:
        listed = app.query_one(RowList)
        listed.focus()
        listed.show(rows(50))
        await pilot.pause()
        assert listed.key == "0"
        await pilot.press("up")
        assert listed.key == "0"
        await pilot.press("down", "down", "down")
        assert listed.key == "3"
        await pilot.press("end")
        await pilot.pause()
        assert listed.key == "49"
        assert "row 49 line 1" in str(listed.render_line(9).text) + str(listed.render_line(8).text)
        await pilot.press("home", "pagedown")
        assert 1 <= int(listed.key) <= 9


async def test_the_cursor_stays_on_its_row_when_the_list_is_built_anew():
    app = OneList()
    async with app.run_test(size=(40, 10)) as pilot:
        listed = app.query_one(RowList)
        listed.show(rows(9))
        listed.point_at("7")
        listed.show(lambda width: list(reversed(rows(9)(width))))
        await pilot.pause()
        assert listed.key == "7"
        listed.show(rows(3))
        assert listed.key in ("0", "1", "2")


async def test_each_move_is_reported_and_a_click_chooses_a_row():
    app = OneList()
    async with app.run_test(size=(40, 20)) as pilot:
        listed = app.query_one(RowList)
        listed.focus()
        listed.show(rows(5))
        await pilot.pause()
        await pilot.press("down")
        await pilot.click(RowList, offset=(3, 4))
        await pilot.pause()
        assert app.seen[-1] == listed.key == "2"


async def test_a_line_is_as_wide_as_the_list_whatever_is_in_it():
    app = OneList()
    names = ["x" * 200, "漢字" * 40, "short", "\ufffd\ufffd", "a b " * 60]
    async with app.run_test(size=(40, 12)):
        listed = app.query_one(RowList)
        listed.show(lambda width: [Row(n, (((n, "text"), ("tail", "dim")),)) for n in names])
        for y in range(len(names)):
            assert cell_len(listed.render_line(y).text) == listed.scrollable_content_region.width


@pytest.mark.parametrize(
    ("text", "width", "shown"),
    [("abc", 5, "abc  "), ("abcdef", 4, "abc…"), ("漢字漢字", 5, "漢字…"), ("x", 0, "")],
)
def test_text_is_fitted_in_cells(text, width, shown):
    assert fit(text, width) == shown
    assert cell_len(fit(text, width)) == width


def test_text_is_wrapped_at_words_and_ends_in_an_ellipsis_where_cut():
    text = "one two three four five six seven"
    assert wrap(text, 9) == ["one two", "three", "four five", "six seven"]
    assert wrap(text, 9, 2) == ["one two", "three fo…"]
    assert " ".join(wrap(text, 9)) == text


@pytest.mark.parametrize("theme", ["kettle", "kettle-light"])
@pytest.mark.slow
async def test_every_ink_has_a_colour_of_its_own_in_both_themes(theme, demo_case):
    app = KettleApp(demo_case)
    async with app.run_test(size=(120, 40)) as pilot:
        app.theme = theme
        await pilot.pause()
        listed = app.screen.query_one(RowList)
        colours = {name: listed.ink(name).color for name in INKS}
        assert len({str(c) for n, c in colours.items() if n not in ("chosen",)}) == len(INKS) - 1
        assert listed.ink("text", chosen=True).bgcolor != listed.ink("text").bgcolor


@pytest.mark.slow
async def test_each_band_and_channel_shows_in_every_order(demo_case):
    """Whatever is pressed, in whatever order, while the case is still being read too."""
    app = KettleApp(demo_case)
    async with app.run_test(size=(120, 40)) as pilot:
        for key in ("5", "b", "3", "right", "up", "b", "2", "enter", "3", "s", "s", "left", "pagedown", "1"):
            await pilot.press(key)
        await app.workers.wait_for_complete()
        await pilot.pause()
        for _ in BANDS:
            for key in (
                "2",
                "right",
                "s",
                "3",
                "s",
                "right",
                "down",
                "up",
                "5",
                "down",
                "tab",
                "1",
                "tab",
                "b",
            ):
                await pilot.press(key)
                assert [p.id for p in app.screen.query(View) if p.display] == [app.screen._wanted]
        screen = app.screen
        assert isinstance(screen, MainScreen)
        assert screen._state is not None
        assert screen._state.proposal is not None


async def shows(pilot, condition):
    """Wait until the state of the main screen meets a condition."""
    for _ in range(200):
        await pilot.pause(0.1)
        state = pilot.app.screen._state
        if state is not None and condition(state):
            return
    raise AssertionError("not shown within 20 s")


@pytest.mark.slow
async def test_a_change_counts_before_it_is_saved(own_demo, monkeypatch):
    """A case that is read anew while the change is still being written shows the change, not the case."""
    held = threading.Event()
    save = Case.save_setup
    monkeypatch.setattr(Case, "save_setup", lambda *given: (held.wait(60), save(*given))[1])
    app = KettleApp(own_demo)
    async with app.run_test(size=(120, 40)) as pilot:
        screen = app.screen
        assert isinstance(screen, MainScreen)
        await shows(pilot, lambda state: state.proposal is not None)
        screen.action_reference()
        await shows(pilot, lambda state: state.setup.reference is not None)
        held.set()
        await app.workers.wait_for_complete()
    with Case.open(own_demo) as case:
        assert case.setup().reference is not None


async def test_a_crash_prints_no_data(capsys):
    class Broken(KettleApp):
        def on_mount(self) -> None:
            secret = "customer's name"
            raise RuntimeError(f"a fault of {len(secret)}")

    app = Broken(None)
    with pytest.raises(RuntimeError, match="a fault"):
        async with app.run_test():
            pass
    printed = " ".join(capsys.readouterr().err.split())
    assert INTRODUCTION in printed
    assert "a fault of 15" in printed
    assert "customer's name" not in printed


AMBIGUOUS = "\n".join(
    f"03/04/2026,12:00:0{s},2400000000,2420000000,1000000," + ",".join(f"-{80 + k % 9}.5" for k in range(20))
    for s in range(4)
)


async def test_the_columns_of_a_sweep_table_are_shown_before_it_is_taken(tmp_path, monkeypatch):
    (tmp_path / "sweeps.txt").write_text(AMBIGUOUS + "\n")
    monkeypatch.chdir(tmp_path)
    app = OneList()
    async with app.run_test(size=(120, 50)) as pilot:
        form = TakeForm()
        await app.push_screen(form)
        form.query_one("#take-files", Input).value = "sweeps.txt"
        await pilot.pause(0.3)
        shown = form.query_one("#take-reading", Static)
        assert "several things" in str(shown.content)
        listed = form.query_one(RowList)
        listed.focus()
        await pilot.press("enter")
        await pilot.pause(0.3)
        layout = form.query_one("#take-layout", Input).value
        assert layout.startswith("date_")
        assert "First row: 2026-0" in str(shown.content)
        assert "centres 2,400" in str(shown.content)
        form.query_one("#take-layout", Input).value = "moment,low_hz,high_hz,dbm"
        await pilot.pause(0.3)
        assert "do not fit" in str(shown.content)


async def test_the_network_that_this_computer_uses_is_offered_as_ours(demo_case, monkeypatch):
    monkeypatch.setattr(system_wifi, "connected_network", lambda: "tern-crew")
    with Case.open(demo_case) as case:
        radios = load_session(case).inventory.radios
    app, chosen = OneList(), []
    async with app.run_test(size=(120, 50)) as pilot:
        form = OwnForm(radios, ())
        await app.push_screen(form, chosen.append)
        await pilot.pause(0.3)
        await app.workers.wait_for_complete()
        await pilot.pause()
        assert form.query_one(RowList).key == "tern-crew"
        await pilot.press("space", "enter")
        await pilot.pause()
    assert chosen == [("tern-crew",)]
