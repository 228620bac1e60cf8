"""Forms about an emitter: a name, or its right kind."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Static

from gray_kettle.analysis.assessment import Emitter
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.findings import emitter_title
from gray_kettle.model.enums import EmitterKind
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import fit, percent


class EmitterNameForm(Modal[str | None]):
    """A name for an emitter."""

    CSS = "EmitterNameForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="emitter-name.cancel")]

    def __init__(self, emitter: Emitter) -> None:
        super().__init__()
        self._emitter = emitter

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(f"Name of the {emitter_title(self._emitter)}", classes="form-title", markup=False)
            yield Input(self._emitter.name, id="form-name", max_length=40)

    @on(Input.Submitted)
    def _done(self, event: Input.Submitted) -> None:
        self.dismiss(printable(event.value.strip()))

    def action_cancel(self) -> None:
        self.dismiss(None)


class KindForm(Modal[str | None]):
    """The right kind of an emitter; the likeliest kinds first."""

    CSS = "KindForm { align: center middle; } KindForm RowList { height: 14; background: $surface; margin-top: 1; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="emitter-kind.cancel")]

    def __init__(self, emitter: Emitter) -> None:
        super().__init__()
        self._emitter = emitter

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("What is it really?", classes="form-title", markup=False)
            yield Static("enter sets the kind, escape cancels", markup=False)
            yield RowList(id="emitter-kinds")

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(self._rows)
        rows.focus()

    def _rows(self, width: int) -> list[Row]:
        share = dict(self._emitter.likely)
        out = []
        for kind in sorted(EmitterKind, key=lambda k: -share.get(k, 0.0)):
            found = percent(share[kind]) if share.get(kind, 0.0) >= 0.01 else ""
            now = kind == self._emitter.kind
            cells = (
                ("▸ " if now else "  ", "steam"),
                (fit(ADVICE[kind].called, max(width - 12, 8)), "steam!" if now else "text"),
                (fit(found, 6, right=True), "dim"),
            )
            out.append(Row(kind, (cells,)))
        return out

    @on(RowList.Chosen)
    def _chosen(self, chosen: RowList.Chosen) -> None:
        self.dismiss(chosen.key)

    def action_cancel(self) -> None:
        self.dismiss(None)
