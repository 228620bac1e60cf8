"""What was taken, what became of it, and what counts: a take can be set aside, and brought back."""

from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static

from gray_kettle.errors import KettleError
from gray_kettle.export.utc import iso
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import show_error
from gray_kettle.tui.theme import Cell, fit

if TYPE_CHECKING:
    from gray_kettle.model.records import TakeInfo

_NUMBER, _STATE, _RECORDS, _BEGINS = 4, 17, 10, 18


class TakesScreen(Modal[bool]):
    """Answers whether anything was changed. Reading and writing the case happens in a worker."""

    CSS = """
    TakesScreen { align: center middle; }
    TakesScreen .form { width: 120; max-width: 98%; }
    TakesScreen RowList { height: 16; max-height: 60%; background: $surface; margin-top: 1; }
    TakesScreen #take-notes { color: $dim; margin-top: 1; height: auto; min-height: 2; max-height: 5; }
    """
    BINDINGS: ClassVar = [Binding("escape", "close", "close", id="takes.close")]

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path, self._changed = path, False
        self._takes: tuple[TakeInfo, ...] = ()

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Takes", classes="form-title", markup=False)
            yield Static(
                "■ counts, □ does not. enter sets a take aside or brings it back, escape closes", markup=False
            )
            yield RowList(id="takes", keeps_mark=True)
            yield Static("", id="take-notes", markup=False)
            yield Static("", classes="form-error", markup=False)

    def on_mount(self) -> None:
        self.query_one(RowList).focus()
        self.run_worker(lambda: self._work(None), thread=True, group="takes", description="takes")

    def _work(self, chosen: int | None) -> None:
        from gray_kettle.store import Case

        try:
            with Case.open(self._path) as case:
                if chosen is not None:
                    counts = next(t.counts for t in self._takes if t.number == chosen)
                    (case.take_list.set_aside if counts else case.take_list.bring_back)(chosen)
                takes = case.take_list.all()
        except KettleError as error:
            self.app.call_from_thread(show_error, self, str(error))
        else:
            self.app.call_from_thread(self._show, takes, chosen is not None)

    def _show(self, takes: "tuple[TakeInfo, ...]", changed: bool) -> None:
        self._takes = takes
        self._changed = self._changed or changed
        self.query_one(RowList).show(self._rows)
        self._show_notes()

    def _rows(self, width: int) -> list[Row]:
        out = []
        left = max(width - _NUMBER - _STATE - _RECORDS - _BEGINS - 5, 8)
        for take in self._takes:
            state = f"{take.state} by {take.superseded_by}" if take.superseded_by else str(take.state)
            plain = take.counts and take.state == "complete"
            begins = iso(take.start_s)[:16].replace("T", " ") if take.start_s else ""
            cells: tuple[Cell, ...] = (
                (fit(str(take.number), _NUMBER, True) + " ", "dim"),
                ("■ " if take.counts else "□ ", "own" if take.counts else "dim"),
                (fit(f"{take.source}  {take.spot}".rstrip(), left), "text" if take.counts else "dim"),
                (fit(state, _STATE), "dim" if plain else "watch"),
                (fit(f"{take.records:,}".replace(",", " "), _RECORDS, True) + "  ", "text"),
                (fit(begins, _BEGINS), "dim"),
            )
            out.append(Row(str(take.number), (cells,)))
        return out

    @on(RowList.Moved)
    def _show_notes(self) -> None:
        key = self.query_one(RowList).key
        take = next((t for t in self._takes if str(t.number) == key), None)
        text = "Nothing was taken yet: t in the main view." if not self._takes else ""
        self.query_one("#take-notes", Static).update(" ".join(take.notes) if take else text)

    @on(RowList.Chosen)
    def _toggle(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        show_error(self, "")
        number = int(chosen.key)
        self.run_worker(lambda: self._work(number), thread=True, group="takes", description="takes")

    def action_close(self) -> None:
        self.dismiss(self._changed)
