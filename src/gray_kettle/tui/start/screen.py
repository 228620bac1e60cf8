"""The start screen: the cases of this folder, a new one, or the demo."""

from pathlib import Path
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.screen import Screen
from textual.widgets import Static

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.messages import OpenCase, OpenDemo
from gray_kettle.tui.theme import Cell

_STEPS = (
    "1  the site: its name and country",
    "2  files: captures in monitor mode, or scan listings",
    "3  which networks are ours; then the Brief shows what is wrong",
)


class StartScreen(Screen[None]):
    """Choose a case."""

    CSS = """
    StartScreen { align: center middle; }
    StartScreen > Vertical { width: 76; max-width: 96%; height: auto; max-height: 96%; }
    StartScreen #start-title { color: $own; text-style: bold; height: 1; }
    StartScreen #start-words { color: $dim; margin-bottom: 1; }
    StartScreen RowList { height: 16; }
    """
    BINDINGS: ClassVar = [
        Binding("n", "new", "new case", id="start.new"),
        Binding("q", "app.quit", "quit", id="start.quit"),
    ]

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static("gray kettle", id="start-title", markup=False)
            yield Static(
                "what is wrong on the air, and what to change",
                id="start-words",
                markup=False,
            )
            yield RowList(id="start-list")

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(self._rows)
        rows.focus()

    def _rows(self, width: int) -> list[Row]:
        steps = [_line(("   " + step, "dim")) for step in _STEPS]
        out = [
            Row("new", (_line(("New case", "steam!"), ("   n", "own")), *steps, ())),
            Row("demo", (_line(("Demo", "steam!"), ("   Tern Quay, a fictional ferry terminal", "dim")), ())),
        ]
        cases = sorted(Path().glob("*.kettle"), key=lambda p: -p.stat().st_mtime)[:20]
        if cases:
            out.append(Row("heading", (_line(("Cases in this folder", "dim")),), fixed=True))
        out += [Row(f"case:{p}", (_line(("■ ", "own"), (printable(p.name), "text")),)) for p in cases]
        return out

    @on(RowList.Chosen)
    def _chosen(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        if chosen.key == "new":
            self.action_new()
        elif chosen.key == "demo":
            self.post_message(OpenDemo())
        else:
            self.post_message(OpenCase(Path(chosen.key.removeprefix("case:")), False))

    def action_new(self) -> None:
        from gray_kettle.model.setup import Setup
        from gray_kettle.tui.start.forms import CaseForm

        def make(answer: "tuple[Path, Setup] | None") -> None:
            if answer is None:
                return
            from gray_kettle.store import Case

            try:
                Case.create(*answer).close()
            except KettleError as error:
                self.notify(str(error), title="Cannot make the case", severity="error", markup=False)
            else:
                self.post_message(OpenCase(answer[0], True))

        self.app.push_screen(CaseForm(Setup()), make)


def _line(*cells: Cell) -> tuple[Cell, ...]:
    return cells
