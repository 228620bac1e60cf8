"""Forms of the plan: what it keeps to, and when a step was carried out."""

from dataclasses import replace
from datetime import datetime
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.screen import ModalScreen
from textual.widgets import Button, Input, Label, Static

from gray_kettle.analysis.assessment import Radio
from gray_kettle.model.setup import Setup
from gray_kettle.planner.hours import hours_from
from gray_kettle.planner.limits import EXAMPLES, limit_of_radio, parse_limit
from gray_kettle.site_timezone import zone_name, zone_of
from gray_kettle.tui.frame.timeline import local
from gray_kettle.tui.start.style import FORM_KEYS, say_what_is_wrong


class PreferencesForm(ModalScreen[Setup | None]):
    """What the plan keeps to: limits of clients and of this radio, its weight, radar, how many changes, their cost."""

    CSS = "PreferencesForm { align: center middle; }"
    BINDINGS: ClassVar = [*FORM_KEYS, Binding("escape", "cancel", "cancel", id="wishes.cancel")]

    def __init__(self, radio: Radio, setup: Setup) -> None:
        super().__init__()
        self._radio, self._setup = radio, setup

    def compose(self) -> ComposeResult:
        setup, preferences, radio = self._setup, self._setup.preferences, self._radio
        offers = " ".join(text for owner, text in preferences.offers if owner == radio.id)
        with Vertical(classes="form"):
            yield Static("What the plan keeps to", classes="form-title", markup=False)
            yield Label(f"Limits of clients, for example {EXAMPLES}", markup=False)
            yield Input(" ".join(setup.clients), id="wish-clients")
            yield Label(
                f"{radio.name} {radio.band} GHz can be set to (36-64 40MHz; empty: anything)", markup=False
            )
            yield Input(offers, id="wish-offers")
            yield Label(
                f"How much the throughput of {radio.name} {radio.band} GHz counts (1 is usual)", markup=False
            )
            yield Input(f"{dict(preferences.weights).get(radio.id, 1.0):g}", id="wish-weight")
            yield Label("Hours of the day that count, local (8-16; empty: all)", markup=False)
            yield Input(preferences.hours, id="wish-hours")
            yield Label("Channels that must watch for radar: avoid, allow or prefer", markup=False)
            yield Input(preferences.radar, id="wish-radar")
            yield Label("At most so many changes (empty: any number)", markup=False)
            yield Input(
                "" if preferences.most_moves is None else str(preferences.most_moves), id="wish-moves"
            )
            yield Label("What a change must gain: 0.1 is about a tenth more throughput", markup=False)
            yield Input(f"{preferences.change_cost:g}", id="wish-cost")
            yield Static("", classes="form-wrong", markup=False)
            with Horizontal(classes="form-buttons"):
                yield Button("Plan again", variant="primary", id="wish-done")
                yield Button("Cancel", id="wish-cancel")

    @on(Input.Submitted)
    @on(Button.Pressed, "#wish-done")
    def _done(self) -> None:
        try:
            self.dismiss(self._read())
        except ValueError as error:
            say_what_is_wrong(self, str(error))

    def _read(self) -> Setup:
        words = {
            name: self.query_one(f"#wish-{name}", Input).value.strip()
            for name in ("clients", "offers", "weight", "hours", "radar", "moves", "cost")
        }
        preferences, key = self._setup.preferences, self._radio.id
        clients = tuple(words["clients"].split())
        for limit in clients:
            parse_limit(limit)
        offers = tuple((key, text) for text in words["offers"].split())
        for _, text in offers:
            limit_of_radio(text, self._radio.band)
        weight = _number(words["weight"], "The weight", 0.0, 100.0)
        weights = {k: v for k, v in preferences.weights if k != key} | (
            {key: weight} if weight != 1.0 else {}
        )
        if words["hours"]:
            hours_from(words["hours"])
        most = int(_number(words["moves"], "The number of changes", 0, 999)) if words["moves"] else None
        preferences = replace(
            preferences,
            offers=(*((k, t) for k, t in preferences.offers if k != key), *offers),
            weights=tuple(sorted(weights.items())),
            hours=words["hours"],
            radar=words["radar"],
            most_moves=most,
            change_cost=_number(words["cost"], "What a change must gain", 0.0, 5.0),
        )
        return replace(self._setup, clients=clients, preferences=preferences)

    @on(Button.Pressed, "#wish-cancel")
    def action_cancel(self) -> None:
        self.dismiss(None)


def _number(text: str, what: str, least: float, most: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = least - 1
    if not least <= value <= most:
        raise ValueError(f"{what} is a number from {least:g} to {most:g}.")
    return value


class DoneForm(ModalScreen[float | None]):
    """When a step was carried out; gives seconds since the epoch."""

    CSS = "DoneForm { align: center middle; }"
    BINDINGS: ClassVar = [Binding("escape", "cancel", "cancel", id="done.cancel")]
    _FORM = "%Y-%m-%d %H:%M"

    def __init__(self, title: str, country: str, proposed_s: float) -> None:
        super().__init__()
        self._title, self._country, self._proposed_s = title, country, proposed_s

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(f"Done: {self._title}", classes="form-title", markup=False)
            yield Label(f"When, {zone_name(self._country)} (empty: it was not done)", markup=False)
            yield Input(f"{local(self._proposed_s, self._country):{self._FORM}}", id="done-time")
            yield Static("", classes="form-wrong", markup=False)

    @on(Input.Submitted)
    def _done(self, event: Input.Submitted) -> None:
        text = event.value.strip()
        if not text:
            self.dismiss(-1.0)
            return
        try:
            moment = datetime.strptime(text, self._FORM).replace(tzinfo=zone_of(self._country))
        except ValueError:
            say_what_is_wrong(self, "Write it as 2026-11-13 12:40.")
            return
        self.dismiss(moment.timestamp())

    def action_cancel(self) -> None:
        self.dismiss(None)
