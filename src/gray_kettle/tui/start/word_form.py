"""The form that asks for a word or two: of a mark, or the name of a spot."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Label, Static

from gray_kettle.tui.modal import Modal


class WordForm(Modal[str | None]):
    """Answers with what was written, None for nothing."""

    CSS = "WordForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="word.cancel")]

    def __init__(self, title: str, label: str, example: str) -> None:
        super().__init__()
        self._title, self._label, self._example = title, label, example

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(self._title, classes="form-title", markup=False)
            yield Label(self._label, markup=False)
            yield Input(placeholder=self._example, max_length=40, id="word")

    @on(Input.Submitted)
    def _go(self, submitted: Input.Submitted) -> None:
        self.dismiss(submitted.value.strip() or None)

    def action_cancel(self) -> None:
        self.dismiss(None)
