"""The thresholds of findings, each of which can be set for this case."""

from dataclasses import fields
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Static

from gray_kettle.analysis.thresholds import Thresholds, shown, threshold_from
from gray_kettle.errors import InvalidInput
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import show_error
from gray_kettle.tui.theme import Cell, fit

_FIELDS, _DEFAULTS = fields(Thresholds), Thresholds()
Overrides = tuple[tuple[str, float], ...]


class ThresholdForm(Modal[Overrides | None]):
    """Enter on a row changes it; an empty value restores the default."""

    CSS = """
    ThresholdForm { align: center middle; }
    ThresholdForm .form { width: 110; max-width: 98%; }
    ThresholdForm RowList { height: 20; max-height: 60%; background: $surface; margin-top: 1; }
    """
    BINDINGS: ClassVar = [
        Binding("escape", "cancel", "cancel", id="thresholds.cancel"),
        Binding("ctrl+s", "done", "keep", priority=True, id="thresholds.done"),
    ]

    def __init__(self, overrides: Overrides) -> None:
        super().__init__()
        self._overrides = dict(overrides)

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Thresholds of findings", classes="form-title", markup=False)
            yield Static(
                "enter changes a value (empty: the default), ctrl+s saves, escape cancels",
                markup=False,
            )
            yield RowList(id="thresholds", keeps_mark=True)
            yield Input(placeholder="a new value", id="threshold-value", disabled=True)
            yield Static("", classes="form-error", markup=False)

    def on_mount(self) -> None:
        self.query_one(RowList).show(self._rows)
        self.query_one(RowList).focus()

    def _rows(self, width: int) -> list[Row]:
        out = []
        for one in _FIELDS:
            value, is_own = (
                self._overrides.get(one.name, getattr(_DEFAULTS, one.name)),
                one.name in self._overrides,
            )
            cells: tuple[Cell, ...] = (
                (" ● " if is_own else "   ", "own"),
                (fit(one.name.replace("_", " "), 22), "own!" if is_own else "text"),
                (fit(shown(one.name, value), 10, True) + "  ", "steam"),
                (fit(str(one.metadata["meaning"]), max(width - 38, 8)), "dim"),
            )
            out.append(Row(one.name, (cells,)))
        return out

    @on(RowList.Chosen)
    def _choose(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        field = self.query_one(Input)
        field.disabled, field.value = False, ""
        field.placeholder = f"{chosen.key.replace('_', ' ')}: a new value"
        field.focus()

    @on(Input.Submitted)
    def _set(self, event: Input.Submitted) -> None:
        event.stop()
        name, wrong = self.query_one(RowList).key, ""
        if not event.value.strip():
            self._overrides.pop(name, None)
        else:
            try:
                key, value = threshold_from(f"{name}={event.value.strip()}")
                self._overrides[key] = value
            except InvalidInput as error:
                wrong = str(error)
        show_error(self, wrong)
        if not wrong:
            self.query_one(Input).disabled = True
            self.query_one(RowList).show(self._rows)
            self.query_one(RowList).focus()

    def action_done(self) -> None:
        self.dismiss(tuple(sorted(self._overrides.items())))

    def action_cancel(self) -> None:
        self.dismiss(None)
