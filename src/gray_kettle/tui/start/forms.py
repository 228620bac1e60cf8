"""Forms about the site: a new case and its setup, the name of a radio, the own networks."""

import os
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Button, Input, Label, Static

from gray_kettle import setup_editor as edit
from gray_kettle.analysis.assessment import Radio
from gray_kettle.errors import InvalidInput
from gray_kettle.model.setup import Setup
from gray_kettle.planner.limits import EXAMPLES, parse_limits
from gray_kettle.safe_text import is_hidden, network_name, printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import FORM_KEYS, show_error, start_at_top
from gray_kettle.tui.theme import Cell, fit, minus


class CaseForm(Modal[tuple[Path, Setup] | None]):
    """A new case, or the setup of an existing one (path given)."""

    CSS = "CaseForm { align: center middle; }"
    BINDINGS: ClassVar = [*FORM_KEYS, Binding("escape", "cancel", "cancel", id="form.cancel")]

    def __init__(self, setup: Setup, path: Path | None = None) -> None:
        super().__init__()
        self._setup, self._path = setup, path

    def compose(self) -> ComposeResult:
        setup = self._setup
        with Vertical(classes="form"):
            yield Static(
                "The site" if self._path else "New case, step 1 of 3: the site",
                classes="form-title",
                markup=False,
            )
            if self._path is None:
                yield Label("Case file", markup=False)
                yield Input("visit.kettle", id="form-file")
            yield Label("Site", markup=False)
            yield Input(setup.site, id="form-site")
            yield Label("Country, two letters (its rules apply to the plan)", markup=False)
            yield Input(setup.country, id="form-country")
            yield Label("Time zone, for example Europe/London (empty: that of the country)", markup=False)
            yield Input(setup.time_zone, id="form-zone")
            yield Label("Complaint, in the customer's words", markup=False)
            yield Input(setup.complaint, id="form-complaint")
            yield Label(f"Client limits, separated by semicolons, for example {EXAMPLES}", markup=False)
            yield Input("; ".join(setup.clients), id="form-clients")
            yield Static("", classes="form-error", markup=False)
            with Horizontal(classes="form-buttons"):
                yield Button("Continue", variant="primary", id="form-done")
                yield Button("Cancel", id="form-cancel")

    def on_mount(self) -> None:
        start_at_top(self)

    @on(Input.Submitted)
    @on(Button.Pressed, "#form-done")
    def _done(self) -> None:
        def text(field: str) -> str:
            return self.query_one(f"#form-{field}", Input).value.strip()

        try:
            path = self._path or self._new_path(text("file"))
            setup = edit.with_country(self._setup, text("country"))
            setup = edit.with_time_zone(setup, text("zone"))
            setup = edit.with_client_limits(setup, parse_limits(text("clients")))
        except InvalidInput as error:
            show_error(self, str(error))
            return
        self.dismiss((path, replace(setup, site=text("site"), complaint=text("complaint"))))

    def _new_path(self, name: str) -> Path:
        if not name:
            raise InvalidInput("Enter a file name for the case.")
        path = Path(os.path.expanduser(name))
        path = path if path.suffix else path.with_suffix(".kettle")
        if path.exists():
            raise InvalidInput(f"{printable(str(path))} already exists: choose another name.")
        if not path.parent.is_dir():
            raise InvalidInput(f"The folder {printable(str(path.parent))} does not exist.")
        return path

    @on(Button.Pressed, "#form-cancel")
    def action_cancel(self) -> None:
        self.dismiss(None)


class NameForm(Modal[str | None]):
    """A name for a radio or a client."""

    CSS = "NameForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="name.cancel")]

    def __init__(self, title: str, name: str) -> None:
        super().__init__()
        self._title, self._name_now = title, name

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(self._title, classes="form-title", markup=False)
            yield Input(self._name_now, id="form-name", max_length=40)

    @on(Input.Submitted)
    def _done(self, event: Input.Submitted) -> None:
        self.dismiss(printable(event.value.strip()))

    def action_cancel(self) -> None:
        self.dismiss(None)


_CONNECTED = "  ← this computer is connected to it"


class OwnForm(Modal[tuple[str, ...] | None]):
    """Which of the observed networks are ours."""

    CSS = "OwnForm { align: center middle; } OwnForm RowList { height: 16; background: $surface; margin-top: 1; }"
    BINDINGS: ClassVar = [
        Binding("escape", "cancel", "cancel", id="own.cancel"),
        Binding("space", "mark", "mark", priority=True, id="own.toggle"),
        Binding("enter", "done", "done", priority=True, id="own.done"),
    ]

    def __init__(self, radios: tuple[Radio, ...], own: tuple[str, ...]) -> None:
        super().__init__()
        self._names = _names_heard(radios)
        self._before = own
        self._chosen = {value for value, _, _, _ in self._names if value in own}
        self._connected = ""  # the network that this computer is connected to

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Which networks are ours?", classes="form-title", markup=False)
            yield Static("space marks a network as ours ■, enter saves, escape cancels", markup=False)
            yield RowList(id="own-names", keeps_mark=True)

    def on_mount(self) -> None:
        self.query_one(RowList).show(self._rows)
        self.query_one(RowList).focus()
        self.run_worker(self._ask_system, thread=True, group="connected", description="connected network")

    def _ask_system(self) -> None:
        from gray_kettle.collect.live.system_wifi import connected_network

        if name := connected_network():
            self.app.call_from_thread(self._offer, name)

    def _offer(self, name: str) -> None:
        """What this computer is connected to is likely ours: it is said, and the mark is left to the person."""
        rows = self.query_one(RowList)
        has_moved = rows.cursor > 0
        self._connected = name
        rows.show(self._rows)
        if not has_moved and not self._chosen and any(value == name for value, _, _, _ in self._names):
            rows.point_at(name)

    def _rows(self, width: int) -> list[Row]:
        out = []
        for value, name, level, count in self._names:
            mine = value in self._chosen
            cells: tuple[Cell, ...] = (
                (" ■ " if mine else " □ ", "own" if mine else "foreign"),
                (
                    fit(name + _CONNECTED * (value == self._connected), max(width - 30, 8)),
                    "own!" if mine else "text",
                ),
                (fit(minus(level), 5, True) + " dBm", "dim"),
                (fit(f"{count} radio{'s' * (count > 1)}", 12, True), "dim"),
            )
            out.append(Row(value, (cells,)))
        return out

    @on(RowList.Chosen)
    def action_mark(self) -> None:
        rows = self.query_one(RowList)
        if rows.key:
            self._chosen ^= {rows.key}
            rows.show(self._rows)

    def action_done(self) -> None:
        shown = {value for value, _, _, _ in self._names}
        # What was named before and is not heard now stays ours.
        kept = tuple(name for name in self._before if name not in shown or name in self._chosen)
        self.dismiss((*kept, *sorted(self._chosen - set(kept))))

    def action_cancel(self) -> None:
        self.dismiss(None)


def _names_heard(radios: tuple[Radio, ...]) -> list[tuple[str, str, float, int]]:
    """(value to keep, name to show, best level, radios), strongest first.

    A name that is no text goes by its address.
    """
    found: dict[str, tuple[str, float, set[str]]] = {}
    for radio in radios:
        for network in radio.networks:
            if is_hidden(network.ssid):
                continue
            text = network.ssid.decode("utf-8", "replace")
            value = text if text.encode() == network.ssid else network.bssid
            _, level, ids = found.get(value, ("", -200.0, set()))
            level = max(level, radio.level_dbm if radio.level_dbm is not None else -200.0)
            found[value] = (network_name(network.ssid), level, ids | {radio.id})
    ordered = sorted(found.items(), key=lambda item: (-item[1][1], item[0]))
    return [(value, name, level, len(ids)) for value, (name, level, ids) in ordered]
