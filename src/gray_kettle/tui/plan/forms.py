"""Forms of the plan: its preferences, and when a step was carried out."""

from datetime import datetime
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
from gray_kettle.site_timezone import SiteTime
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import FORM_KEYS, show_error, start_at_top


class PreferencesForm(Modal[Setup | None]):
    """Limits of clients and of this radio, its weight, hours, DFS channels, number and cost of changes."""

    CSS = "PreferencesForm { align: center middle; }"
    BINDINGS: ClassVar = [*FORM_KEYS, Binding("escape", "cancel", "cancel", id="preferences.cancel")]

    def __init__(self, radio: Radio, setup: Setup) -> None:
        super().__init__()
        self._radio, self._setup = radio, setup

    def compose(self) -> ComposeResult:
        setup, preferences, radio = self._setup, self._setup.preferences, self._radio
        limits = "; ".join(text for owner, text in preferences.offers if owner == radio.id)
        name = f"{radio.name} {radio.band} GHz"
        own_load = dict(preferences.loads).get(radio.id)
        most = "" if preferences.most_moves is None else str(preferences.most_moves)
        fields = (
            (
                f"Client limits, separated by semicolons, for example {EXAMPLES}",
                "clients",
                "; ".join(setup.clients),
            ),
            (f"{name} can be set to, for example 36-64; 40MHz (empty: anything)", "offers", limits),
            (
                f"Weight of the throughput of {name} (default 1)",
                "weight",
                f"{dict(preferences.weights).get(radio.id, 1.0):g}",
            ),
            (
                "Hours of the day that count, local time, for example 8-16 (empty: all)",
                "hours",
                preferences.hours,
            ),
            ("DFS channels: avoid, allow or prefer", "radar", preferences.radar),
            ("Largest number of changes (empty: any)", "moves", most),
            (
                "What a change must gain: 0.1 is about 10 % more throughput",
                "cost",
                f"{preferences.change_cost:g}",
            ),
            (
                f"Load of {name} in the busy hour, per cent of the air (empty: {100 * preferences.design_load:.0f})",
                "load",
                f"{100 * own_load:.0f}" if own_load is not None else "",
            ),
        )
        with Vertical(classes="form"):
            yield Static("Plan preferences", classes="form-title", markup=False)
            for label, field, value in fields:
                yield Label(label, markup=False)
                yield Input(value, id=f"preferences-{field}")
            yield Static("", classes="form-error", markup=False)
            with Horizontal(classes="form-buttons"):
                yield Button("Plan again", variant="primary", id="preferences-done")
                yield Button("Cancel", id="preferences-cancel")

    def on_mount(self) -> None:
        start_at_top(self)

    @on(Input.Submitted)
    @on(Button.Pressed, "#preferences-done")
    def _done(self) -> None:
        try:
            self.dismiss(self._changed())
        except InvalidInput as error:
            show_error(self, str(error))

    def _changed(self) -> Setup:
        def text(field: str) -> str:
            return self.query_one(f"#preferences-{field}", Input).value.strip()

        radio, setup = self._radio, self._setup
        limits = [part.strip() for part in text("offers").split(";") if part.strip()]
        setup = edit.with_client_limits(setup, parse_limits(text("clients")))
        setup = edit.with_radio_limits(setup, radio.id, limits, radio.band)
        setup = edit.with_weight(setup, radio.id, text("weight"))
        setup = edit.with_design_load(setup, text("load"), radio.id)
        setup = edit.with_hours(setup, text("hours"))
        setup = edit.with_radar(setup, text("radar"))
        setup = edit.with_most_moves(setup, text("moves"))
        return edit.with_change_cost(setup, text("cost"))

    @on(Button.Pressed, "#preferences-cancel")
    def action_cancel(self) -> None:
        self.dismiss(None)


class DoneForm(Modal[float | None]):
    """When a step was carried out; gives seconds since the epoch, -1 for "it was not"."""

    CSS = "DoneForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="done.cancel")]
    _FORM = "%Y-%m-%d %H:%M"

    def __init__(self, title: str, site_time: SiteTime, proposed_s: float) -> None:
        super().__init__()
        self._title, self._site_time, self._proposed_s = title, site_time, proposed_s

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(f"Done: {self._title}", classes="form-title", markup=False)
            yield Label(f"When, in {self._site_time.name} (empty: it was not done)", markup=False)
            yield Input(f"{self._site_time.minute(self._proposed_s):{self._FORM}}", id="done-time")
            yield Static("", classes="form-error", markup=False)

    @on(Input.Submitted)
    def _done(self, event: Input.Submitted) -> None:
        text = event.value.strip()
        if not text:
            self.dismiss(-1.0)
            return
        try:
            moment = datetime.strptime(text, self._FORM).replace(tzinfo=self._site_time.zone)
        except ValueError:
            show_error(self, "Write it as 2026-11-13 12:40.")
            return
        self.dismiss(moment.timestamp())

    def action_cancel(self) -> None:
        self.dismiss(None)
