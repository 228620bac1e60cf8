"""A figure opened: what went in, how it is computed, what it rests on, what would change it."""

from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static

from gray_kettle.analysis.explain import Explanation
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import Cell, fit, wrap


class ExplainScreen(Modal[None]):
    """Figures one under the other; the chosen one is open."""

    DEFAULT_CSS = """
    ExplainScreen { align: center middle; }
    ExplainScreen > Vertical { width: 104; max-width: 98%; height: auto; max-height: 90%; padding: 1 2;
        background: $surface; border: round $rule; }
    ExplainScreen .explain-title { color: $steam; text-style: bold; height: 2; }
    ExplainScreen RowList { background: $surface; height: 34; max-height: 70vh; }
    ExplainScreen .explain-keys { color: $dim; height: 1; margin-top: 1; }
    """
    BINDINGS: ClassVar = [Binding("escape,i,q", "close", "close", id="explain.close")]

    def __init__(self, found: tuple[Explanation, ...]) -> None:
        super().__init__()
        self._found = found
        self._open = 0

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static("Where these figures come from", classes="explain-title", markup=False)
            yield RowList(id="explained", keeps_mark=False)
            yield Static("↑ ↓ another figure   escape back", classes="explain-keys", markup=False)

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(self._rows)
        rows.focus()

    def on_row_list_moved(self, moved: RowList.Moved) -> None:
        moved.stop()
        number = int(moved.key or 0)
        if number != self._open:
            self._open = number
            self.query_one(RowList).show(self._rows)

    def _rows(self, width: int) -> list[Row]:
        return [
            Row(str(k), tuple(tuple(line) for line in _lines(one, width - 1, k == self._open)))
            for k, one in enumerate(self._found)
        ]

    def action_close(self) -> None:
        self.dismiss(None)


def _lines(one: Explanation, width: int, is_open: bool) -> list[list[Cell]]:
    title = fit(printable(one.title), max(width - 26, 20))
    lines: list[list[Cell]] = [
        [("▾ " if is_open else "▸ ", "dim"), (title + " ", "text!"), (fit(one.value, 20, True), "steam!")]
    ]
    if not is_open:
        return lines
    lines += [[("  ", "dim"), (line, "text")] for line in wrap(one.how, width - 4)]
    column = max(min(max((len(name) for name, _, _ in one.inputs), default=0), width // 2), 8)
    for name, value, source in one.inputs:
        if not value and not source:  # a sentence, not a figure
            lines += [
                [("  · " if k == 0 else "    ", "dim"), (line, "dim")]
                for k, line in enumerate(wrap(name, width - 6))
            ]
            continue
        room = max(width - column - 20, 10)
        for k, line in enumerate(wrap(source, room) or [""]):
            lines.append(
                [
                    ("  ", "dim"),
                    (fit(printable(name) if k == 0 else "", column) + " ", "dim"),
                    (
                        fit(printable(value) if k == 0 else "", max(14, min(len(value), 24)), True) + "  ",
                        "steam",
                    ),
                    (line, "dim"),
                ]
            )
    if one.changes:
        words = wrap(f"What would change it: {one.changes}", width - 4)
        lines += [[("  ", "dim"), (line, "own")] for line in words]
    lines += [[("  ", "dim"), (line, "faint")] for line in wrap(one.source, width - 4)]
    lines.append([])
    return lines
