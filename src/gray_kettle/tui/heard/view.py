"""Heard: the radios on the air as a tree that sorts and filters, and the level of the chosen one over time."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import ClassVar

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal
from textual.widgets import Input, Static

from gray_kettle.analysis.assessment import Assessment, Radio
from gray_kettle.analysis.explain import Explanation, of_radio
from gray_kettle.analysis.findings import count
from gray_kettle.analysis.inventory.filter_query import parse_filter
from gray_kettle.analysis.inventory.pivots import Entry, Pivots, passing
from gray_kettle.analysis.utilisation.history import levels_over_time
from gray_kettle.errors import InvalidInput
from gray_kettle.tui.frame.row_list import AnyRow, LazyRow, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.heard.filter_suggester import FilterSuggester
from gray_kettle.tui.heard.help_text import HELP_TEXT
from gray_kettle.tui.heard.levels import LevelChart
from gray_kettle.tui.heard.pivot_rows import PIVOTS, Pivot, pivot, pivot_rows, radio_of
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
from gray_kettle.tui.messages import Follow, GiveName, JoinRadios, Jump, MarkOwn, SeparateBssids
from gray_kettle.tui.view_state import ViewState

_EXAMPLE = "foreign level>-75 (ssid~harbour | width>=80) !gone"


def _everything(radio: Radio) -> bool:
    return True


_EVERYTHING: Callable[[Radio], bool] = _everything


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
    HeardView.-low #heard-levels, HeardView.-pivot #heard-levels { display: none; }
    """
    BINDINGS: ClassVar = [
        # With priority it is done before the next letter is handled, which then goes into the field.
        Binding("slash", "filter", "filter", priority=True, id="heard.filter"),
        Binding("s", "sort", "sort", id="heard.sort"),
        Binding("S,shift+s", "turn", "reverse order", show=False, id="heard.turn"),
        Binding("g", "join", "join", id="heard.join"),
        Binding("u", "separate", "separate", id="heard.separate"),
        Binding("right,l", "open(True)", "open", show=False, id="heard.open"),
        Binding("left,h", "open(False)", "close", show=False, id="heard.close"),
        Binding("o", "mark_own", "own or foreign", id="heard.own"),
        Binding("n", "name", "name it", id="heard.name"),
        Binding("f", "follow", "follow", id="heard.follow"),
        Binding("e", "frames", "example frames", id="heard.frames"),
        Binding("v", "pivot(1)", "networks, clients …", id="heard.pivot"),
        Binding("V,shift+v", "pivot(-1)", "back", show=False, id="heard.pivot-back"),
        Binding("a", "all_bands", "all bands", id="heard.all-bands"),
        Binding("escape", "leave_filter", show=False, id="heard.leave-filter"),
    ]
    HELP = HELP_TEXT
    EXPORTS = ("levels",)
    HINTS = (
        ("/", "filter"),
        ("s", "sort"),
        ("⏎", "open"),
        ("o", "own or foreign"),
        ("n", "name"),
        ("v", "networks, clients"),
        ("a", "all bands"),
    )

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._open: set[str] = set()
        self._sort = "level"
        self._backwards = False
        self._joining = ""  # id of the radio that waits for another to be joined with
        self._back = ""  # the view that led here with a filter
        self._condition = _EVERYTHING
        self._wrong = ""
        self._pivot = PIVOTS[0]
        self._orders: dict[str, str] = {}  # of the other lists, by name
        self._all_bands = False
        self._entries: dict[str, Entry] = {}
        self._made: dict[tuple[str, int], dict[str, LazyRow]] = {}  # rows of a list at a width, by key
        self._pivots: Pivots | None = None
        self._pivots_from: Assessment | None = None

    def compose(self) -> ComposeResult:
        with Horizontal(id="heard-top"):
            yield Static("filter:", id="heard-label", markup=False)
            yield Input(placeholder=_EXAMPLE, id="heard-filter", compact=True, suggester=FilterSuggester())
            yield Static("", id="heard-count", markup=False)
        yield Static("", id="heard-head", markup=False)
        yield RowList(id="heard-tree", keeps_mark=True, empty="")
        yield LevelChart(id="heard-levels")

    def show(self, state: ViewState) -> None:
        self._state = state
        self._made.clear()
        radios = self._radios_shown(state)
        bins = (state.session.observations, radios, HISTORY_BINS, state.start_s, state.end_s)
        self._history = dict(zip((r.id for r in radios), levels_over_time(*bins), strict=True))
        self._margins = _margins(radios)
        self.query_one(LevelChart).show(state)
        self._refill()

    def _radios_shown(self, state: ViewState) -> tuple[Radio, ...]:
        return state.assessment.radios if self._all_bands else state.radios

    def _pivots_of(self, state: ViewState) -> Pivots:
        return self._every_band(state) if self._all_bands else Pivots(state.radios)

    def _every_band(self, state: ViewState) -> Pivots:
        """Made once for an assessment: of thousands of clients it takes a moment."""
        if self._pivots is None or self._pivots_from is not state.assessment:
            self._pivots, self._pivots_from = Pivots(state.assessment.radios), state.assessment
        return self._pivots

    def focus_first(self) -> None:
        self.query_one(RowList).focus()

    def choose(self, radio_id: str) -> None:
        self.query_one(RowList).point_at(radio_id)

    def _refill(self) -> None:
        state = self._state
        if state is None:
            return
        self.query_one(RowList).empty = self._empty_text(state)
        self.set_class(self._pivot != PIVOTS[0], "-pivot")
        if self._pivot == PIVOTS[0]:
            self._show_radios(state)
        else:
            self._show_pivot(state, pivot(self._pivot))

    def _empty_text(self, state: ViewState) -> str:
        if self._wrong:
            return f" {self._wrong}"
        if self._radios_shown(state):
            elsewhere = 0 if self._all_bands else sum(map(self._condition, state.assessment.radios))
            if elsewhere:
                return f" None in {state.band} GHz passes the filter; {elsewhere} in other bands: a shows all bands."
            what = "radio" if self._pivot == PIVOTS[0] else pivot(self._pivot).noun
            return f" No {what} passes the filter."
        where = "" if self._all_bands else f" in {state.band} GHz"
        return f" No radio was observed{where} in this window."

    def _show_count(self, text: str, by: str) -> None:
        bands = " · all bands" if self._all_bands else ""
        self.query_one("#heard-count", Static).update(f"{text} · by {by}{bands}", layout=False)

    def _show_radios(self, state: ViewState) -> None:
        chosen = [] if self._wrong else [r for r in self._radios_shown(state) if self._condition(r)]
        chosen = in_order(chosen, self._sort, self._backwards, self._margins)
        names = sum(len(r.networks) for r in chosen)
        clients = sum(len(n.clients) for r in chosen for n in r.networks)
        parts = (count(len(chosen), "radio"), count(names, "BSSID"), count(clients, "client"))
        self._show_count(", ".join(parts), self._sort)

        def build(width: int) -> list[AnyRow]:
            head = heading(width, self._sort, self._backwards)
            self.query_one("#heard-head", Static).update(head, layout=False)
            rows: list[AnyRow] = []
            for radio in chosen:
                recedes = state.recedes(radio)
                is_open = radio.id in self._open
                history, margin = self._history[radio.id], self._margins[radio.id]
                shown = None if radio.id in state.followed else recedes
                label = f"{radio.band} {radio.channel.label}" if self._all_bands else ""
                draw = partial(
                    radio_row, radio, history, margin, is_open, shown, width, state.setup.site_time, label
                )
                rows.append(LazyRow(radio.id, draw))
                if is_open:
                    rows += network_rows(
                        radio, recedes, width, state.setup.site_time, state.assessment.radios
                    )
            return rows + link_rows(state.assessment.links, state.assessment.radios)

        self.query_one(RowList).show(build)

    def _show_pivot(self, state: ViewState, by: Pivot) -> None:
        every: Sequence[Entry] = by.entries(self._pivots_of(state))
        entries = list(every) if self._condition is _EVERYTHING else passing(every, self._condition)
        if self._wrong:
            entries = []
        order = self._order()
        entries.sort(key=by.orders[order], reverse=self._backwards)
        self._entries = {f"{by.card}:{e.key}": e for e in entries}
        self._show_count(count(len(entries), by.noun), order)

        def build(width: int) -> list[LazyRow]:
            self.query_one("#heard-head", Static).update(by.heading(width), layout=False)
            made = self._made.setdefault((by.card, width), {})  # in another order they are the same rows
            if len(made) < len(every):
                made.update((row.key, row) for row in pivot_rows(every, by, width, state.setup.site_time))
            return [made[key] for key in self._entries]

        self.query_one(RowList).show(build)

    def _order(self) -> str:
        return self._orders.get(self._pivot, next(iter(pivot(self._pivot).orders)))

    def _radio(self) -> Radio | None:
        key = self.query_one(RowList).key
        if ":" in key.split("/")[0][:8] and key in self._entries:
            return radio_of(self._entries[key])
        return self._state.assessment.radio(key.split("/")[0]) if self._state and key else None

    @on(RowList.Moved)
    def _moved(self, moved: RowList.Moved) -> None:
        moved.stop()
        radio = self._radio()
        self.query_one(LevelChart).radio_id = radio.id if radio else ""

    @on(RowList.Chosen)
    def _chosen(self, chosen: RowList.Chosen) -> None:
        """A radio opens and closes; of everything else its card opens."""
        chosen.stop()
        parts = chosen.key.split("/")
        if self._pivot != PIVOTS[0]:
            self._open_card(chosen.key)
        elif len(parts) == 1:
            self._toggle(chosen.key)
        elif parts[0] != "link":
            self._open_card(f"bssid:{parts[1]}" if len(parts) == 2 else f"client:{parts[2]}")

    def _open_card(self, key: str) -> None:
        from gray_kettle.tui.heard.card_screen import CardScreen

        if self._state is not None:
            everything = (
                self._pivots_of(self._state) if self._all_bands else Pivots(self._state.assessment.radios)
            )
            self.app.push_screen(CardScreen(self._state, everything, key, "Heard"))

    def action_pivot(self, step: int) -> None:
        """The next list; the others than that of radios are of all bands from the start."""
        was_first = self._pivot == PIVOTS[0]
        self._pivot = PIVOTS[(PIVOTS.index(self._pivot) + step) % len(PIVOTS)]
        self._backwards = False
        if was_first and not self._all_bands:
            self._all_bands = True
            self._reshow()
        else:
            self._refill()

    def action_all_bands(self) -> None:
        self._all_bands = not self._all_bands
        self._reshow()

    def _reshow(self) -> None:
        if self._state is not None:
            self.show(self._state)

    def _toggle(self, radio_id: str) -> None:
        self._open ^= {radio_id}
        self._refill()

    def action_open(self, wanted: bool) -> None:
        radio = self._radio()
        if radio is not None and (radio.id in self._open) != wanted:
            self.query_one(RowList).point_at(radio.id)
            self._toggle(radio.id)

    def action_sort(self) -> None:
        self._backwards = False
        if self._pivot == PIVOTS[0]:
            names = list(SORTS)
            self._sort = names[(names.index(self._sort) + 1) % len(names)]
        else:
            names = list(pivot(self._pivot).orders)
            self._orders[self._pivot] = names[(names.index(self._order()) + 1) % len(names)]
        self._refill()

    def action_turn(self) -> None:
        self._backwards = not self._backwards
        self._refill()

    @on(events.Click, "#heard-head")
    def _sort_by(self, event: events.Click) -> None:
        """A click on a heading sorts by it; another one turns the order round."""
        if self._pivot != PIVOTS[0]:
            return
        column = column_at(event.x, self.query_one(RowList).scrollable_content_region.width)
        if column:
            self._backwards = column == self._sort and not self._backwards
            self._sort = column
            self._refill()

    def action_join(self) -> None:
        """First on one radio, then on the other: they are one transmitter."""
        radio = self._radio()
        if radio is None or self._state is None:
            return
        first = self._state.assessment.radio(self._joining)
        if first is None or first.id == radio.id:
            self._joining = "" if first is not None else radio.id
            message = (
                "Not joined."
                if first is not None
                else f"Join {radio.name} with which radio? Move there and press g again."
            )
            self.notify(message, timeout=6, markup=False)
        elif first.band != radio.band:
            self.notify(
                "Radios in two bands cannot be one radio, though they may be in one access point.",
                severity="warning",
            )
        else:
            self._joining = ""
            self.post_message(JoinRadios((first, radio)))

    def action_separate(self) -> None:
        """The BSSID under the cursor is a radio of its own; on a radio: each of its BSSIDs."""
        radio, key = self._radio(), self.query_one(RowList).key.split("/")
        if radio is None or len(radio.networks) < 2:
            self.notify("It announces one network: there is nothing to separate.", timeout=4)
            return
        bssids = (key[1],) if len(key) > 1 else tuple(n.bssid for n in radio.networks[1:])
        self.post_message(SeparateBssids(bssids))

    def apply_filter(self, only: str, back: str) -> None:
        self._back = back
        self.query_one(Input).value = only
        self.query_one(RowList).focus()

    def explain(self) -> tuple[Explanation, ...]:
        radio = self._radio()
        return of_radio(radio, self._margins.get(radio.id)) if radio is not None else ()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """In the filter field a slash is a letter."""
        return not (action == "filter" and isinstance(self.screen.focused, Input))

    def action_filter(self) -> None:
        self.screen.set_focus(self.query_one(Input))

    def action_leave_filter(self) -> None:
        """Out of the field; then back to the view that led here."""
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
            self._condition = parse_filter(event.value) if event.value.strip() else _EVERYTHING
            self._wrong = ""
        except InvalidInput as error:
            self._wrong = str(error)
        self._refill()

    def action_mark_own(self) -> None:
        self._post(MarkOwn)

    def action_name(self) -> None:
        """Of the client under the cursor, else of the radio."""
        radio, key = self._radio(), self.query_one(RowList).key
        if radio is None or self._state is None:
            return
        mac = (
            key.removeprefix("client:")
            if key.startswith("client:")
            else key.split("/")[2]
            if key.count("/") == 2
            else ""
        )
        entry = self._every_band(self._state).client(mac) if mac else None
        self.post_message(GiveName(radio, (mac, entry.main.name) if entry else None))

    def action_frames(self) -> None:
        """Example frames of the BSSID or client under the cursor, else of the radio."""
        radio, key = self._radio(), self.query_one(RowList).key
        if radio is None or self._state is None or self._state.path is None:
            return
        from gray_kettle.tui.heard.frames_screen import FramesScreen

        kind, _, name = key.partition(":")
        wanted = name if kind in ("bssid", "client") else key.split("/")[-1] if "/" in key else radio.id
        title = radio.name if wanted == radio.id else f"{radio.name}, {wanted}"
        self.app.push_screen(FramesScreen(self._state, wanted, title))

    def action_follow(self) -> None:
        self._post(Follow)

    def _post(self, kind: type[MarkOwn | Follow]) -> None:
        radio = self._radio()
        if radio is not None:
            self.post_message(kind(radio))


def _margins(radios: tuple[Radio, ...]) -> dict[str, float | None]:
    """Level of each radio over the strongest other one on the same primary; None where there is none."""
    loudest: dict[tuple[str, int], list[tuple[float, str]]] = {}
    for radio in radios:
        if radio.level_dbm is not None:
            loudest.setdefault((radio.band, radio.channel.primary), []).append((radio.level_dbm, radio.id))
    two = {place: sorted(levels, reverse=True)[:2] for place, levels in loudest.items()}
    out: dict[str, float | None] = {}
    for radio in radios:
        rivals = [level for level, i in two.get((radio.band, radio.channel.primary), ()) if i != radio.id]
        out[radio.id] = radio.level_dbm - max(rivals) if rivals and radio.level_dbm is not None else None
    return out
