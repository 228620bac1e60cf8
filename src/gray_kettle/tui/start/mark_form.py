"""The form that asks for the word of a mark."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Label, Static

from gray_kettle.tui.modal import Modal


class MarkForm(Modal[str | None]):
    """What happens right now."""

    CSS = "MarkForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="mark.cancel")]

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Mark this moment", classes="form-title", markup=False)
            yield Label("In a word or two", markup=False)
            yield Input(placeholder="boat in", max_length=40, id="mark-word")

    @on(Input.Submitted)
    def _go(self, submitted: Input.Submitted) -> None:
        self.dismiss(submitted.value.strip() or None)

    def action_cancel(self) -> None:
        self.dismiss(None)
