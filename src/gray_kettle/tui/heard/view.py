"""Heard: who is on the air, as a tree that sorts and filters, and the level of the chosen one over time."""

from collections.abc import Callable
from typing import ClassVar

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal
from textual.widgets import Input, Static

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.explain import Explanation, of_radio
from gray_kettle.analysis.inventory.filter_query import parse_filter
from gray_kettle.analysis.utilisation.history import levels_over_time
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.heard.levels import LevelChart
from gray_kettle.tui.heard.tree import (
    HISTORY_BINS,
    SORTS,
    column_at,
    heading,
    in_order,
    link_rows,
    network_rows,
    radio_row,
)
from gray_kettle.tui.messages import Follow, GiveName, JoinRadios, Jump, MarkOwn, PartBssids
from gray_kettle.tui.view_state import ViewState

_EXAMPLE = "foreign level>-75 (ssid~harbour | width>=80) !gone"


class HeardView(View):
    """Filter line, tree, chart."""

    DEFAULT_CSS = """
    HeardView { layout: vertical; }
    HeardView #heard-top { height: 1; }
    HeardView #heard-filter { width: 1fr; border: none; height: 1; padding: 0; background: $background; }
    HeardView #heard-filter:focus { background: $chosen; }
    HeardView #heard-label { width: 9; color: $dim; padding-left: 1; }
    HeardView #heard-count { width: 2fr; color: $dim; padding-right: 1; text-align: right; height: 1; }
    HeardView #heard-head { height: 1; color: $faint; }
    HeardView #heard-tree { height: 3fr; }
    HeardView #heard-levels { height: 2fr; border-top: solid $rule; }
    HeardView.-low #heard-levels { display: none; }
    """
    BINDINGS: ClassVar = [
        # With priority it is done before the next letter is looked at, which then goes into the field.
        Binding("slash", "filter", "filter", priority=True, id="heard.filter"),
        Binding("s", "sort", "sort", id="heard.sort"),
        Binding("S,shift+s", "turn", "other way round", show=False, id="heard.turn"),
        Binding("g", "join", "join", id="heard.join"),
        Binding("u", "part", "part", id="heard.part"),
        Binding("right,l", "open(True)", "open", show=False, id="heard.open"),
        Binding("left,h", "open(False)", "close", show=False, id="heard.close"),
        Binding("o", "mark_own", "own or foreign", id="heard.own"),
        Binding("n", "name", "name it", id="heard.name"),
        Binding("f", "follow", "follow", id="heard.follow"),
        Binding("escape", "leave_filter", show=False, id="heard.leave-filter"),
    ]
    HINTS = (
        ("/", "filter"),
        ("s", "sort"),
        ("⏎", "open"),
        ("o", "own or foreign"),
        ("n", "name"),
        ("f", "follow"),
    )

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._look: ViewState | None = None
        self._open: set[str] = set()
        self._sort = "level"
        self._backwards = False
        self._joining = ""  # id of the radio that waits for another to be joined with
        self._back = ""  # the place that sent us here with a filter
        self._condition: Callable[[Radio], bool] = lambda radio: True
        self._wrong = ""

    def compose(self) -> ComposeResult:
        with Horizontal(id="heard-top"):
            yield Static("filter:", id="heard-label", markup=False)
            yield Input(placeholder=_EXAMPLE, id="heard-filter", compact=True)
            yield Static("", id="heard-count", markup=False)
        yield Static("", id="heard-head", markup=False)
        yield RowList(id="heard-tree", keeps_mark=True, empty=" Nothing that was heard meets the filter.")
        yield LevelChart(id="heard-levels")

    def show(self, look: ViewState) -> None:
        self._look = look
        bins = (look.session.observations, look.radios, HISTORY_BINS, look.start_s, look.end_s)
        self._history = dict(zip((r.id for r in look.radios), levels_over_time(*bins), strict=True))
        self._margins = _margins(look.radios)
        self.query_one(LevelChart).show(look)
        self._refill()

    def focus_first(self) -> None:
        self.query_one(RowList).focus()

    def choose(self, radio_id: str) -> None:
        self.query_one(RowList).point_at(radio_id)

    def _refill(self) -> None:
        look = self._look
        if look is None:
            return
        chosen = [r for r in look.radios if self._condition(r)]
        chosen = in_order(chosen, self._sort, self._backwards, self._margins)
        names = sum(len(r.networks) for r in chosen)
        clients = sum(len(n.clients) for r in chosen for n in r.networks)
        text = self._wrong or f"{len(chosen)} radios, {names} names, {clients} clients · by {self._sort}"
        self.query_one("#heard-count", Static).update(text, layout=False)

        def build(width: int) -> list[Row]:
            head = heading(width, self._sort, self._backwards)
            self.query_one("#heard-head", Static).update(head, layout=False)
            rows = []
            for radio in chosen:
                recedes = bool(look.followed) and radio.id not in look.followed and not radio.own
                is_open = radio.id in self._open
                history, margin = self._history[radio.id], self._margins[radio.id]
                shown = None if radio.id in look.followed else recedes
                rows.append(radio_row(radio, history, margin, is_open, shown, width, look.setup.country))
                if is_open:
                    rows += network_rows(radio, recedes, width, look.setup.country, look.assessment.radios)
            return rows + link_rows(look.assessment.links, look.assessment.radios)

        self.query_one(RowList).show(build)

    def _radio(self) -> Radio | None:
        key = self.query_one(RowList).key.split("/")[0]
        return self._look.assessment.radio(key) if self._look and key else None

    @on(RowList.Moved)
    def _moved(self, moved: RowList.Moved) -> None:
        moved.stop()
        self.query_one(LevelChart).radio_id = moved.key.split("/")[0]

    @on(RowList.Chosen)
    def _chosen(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self._toggle(chosen.key.split("/")[0])

    def _toggle(self, radio_id: str) -> None:
        self._open ^= {radio_id}
        self._refill()

    def action_open(self, wanted: bool) -> None:
        radio = self._radio()
        if radio is not None and (radio.id in self._open) != wanted:
            self.query_one(RowList).point_at(radio.id)
            self._toggle(radio.id)

    def action_sort(self) -> None:
        names = list(SORTS)
        self._sort, self._backwards = names[(names.index(self._sort) + 1) % len(names)], False
        self._refill()

    def action_turn(self) -> None:
        self._backwards = not self._backwards
        self._refill()

    @on(events.Click, "#heard-head")
    def _sort_by(self, event: events.Click) -> None:
        """A click on a heading sorts by it; another one turns the order round."""
        column = column_at(event.x, self.query_one(RowList).scrollable_content_region.width)
        if column:
            self._backwards = column == self._sort and not self._backwards
            self._sort = column
            self._refill()

    def action_join(self) -> None:
        """First on one radio, then on the other: they are one transmitter."""
        radio = self._radio()
        if radio is None or self._look is None:
            return
        first = self._look.assessment.radio(self._joining)
        if first is None or first.id == radio.id:
            self._joining = "" if first is not None else radio.id
            told = (
                "Not joined."
                if first is not None
                else f"Join {radio.name} with which? Go there and press g again."
            )
            self.notify(told, timeout=6, markup=False)
        elif first.band != radio.band:
            self.notify(
                "Radios of two bands are never one: they are of the same box at most.", severity="warning"
            )
        else:
            self._joining = ""
            self.post_message(JoinRadios((first, radio)))

    def action_part(self) -> None:
        """The network that is pointed at is a radio of its own; on a radio: each of its networks."""
        radio, key = self._radio(), self.query_one(RowList).key.split("/")
        if radio is None or len(radio.networks) < 2:
            self.notify("It announces one network: there is nothing to part.", timeout=4)
            return
        bssids = (key[1],) if len(key) > 1 else tuple(n.bssid for n in radio.networks[1:])
        self.post_message(PartBssids(bssids))

    def narrow(self, only: str, back: str) -> None:
        self._back = back
        self.query_one(Input).value = only
        self.query_one(RowList).focus()

    def explain(self) -> tuple[Explanation, ...]:
        radio = self._radio()
        return of_radio(radio, self._margins.get(radio.id)) if radio is not None else ()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """In the field a stroke is a letter."""
        return not (action == "filter" and isinstance(self.screen.focused, Input))

    def action_filter(self) -> None:
        self.screen.set_focus(self.query_one(Input))

    def action_leave_filter(self) -> None:
        """Out of the field; then, where a place sent us here, back to it."""
        if isinstance(self.screen.focused, Input):
            self.query_one(RowList).focus()
        elif self._back:
            back, self._back = self._back, ""
            self.query_one(Input).value = ""
            self.post_message(Jump(back, ""))

    @on(Input.Submitted, "#heard-filter")
    def _submitted(self, event: Input.Submitted) -> None:
        event.stop()
        self.query_one(RowList).focus()

    @on(Input.Changed, "#heard-filter")
    def _filter_changed(self, event: Input.Changed) -> None:
        event.stop()
        try:
            self._condition, self._wrong = parse_filter(event.value), ""
        except ValueError as error:
            self._wrong = str(error)
        self._refill()

    def action_mark_own(self) -> None:
        self._tell(MarkOwn)

    def action_name(self) -> None:
        self._tell(GiveName)

    def action_follow(self) -> None:
        self._tell(Follow)

    def _tell(self, kind: type[MarkOwn | GiveName | Follow]) -> None:
        radio = self._radio()
        if radio is not None:
            self.post_message(kind(radio))


def _margins(radios: tuple[Radio, ...]) -> dict[str, float | None]:
    """Level of each radio over the strongest other one on the same primary; None where there is none."""
    out: dict[str, float | None] = {}
    for radio in radios:
        rivals = [
            r.level_dbm
            for r in radios
            if r.id != radio.id and r.channel.primary == radio.channel.primary and r.level_dbm is not None
        ]
        out[radio.id] = radio.level_dbm - max(rivals) if rivals and radio.level_dbm is not None else None
    return out
