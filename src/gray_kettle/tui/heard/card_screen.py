"""Cards over any view, with a trail: enter follows a row, escape goes back one step."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static
from textual.worker import get_current_worker

from gray_kettle.analysis.inventory.pivots import Pivots
from gray_kettle.analysis.utilisation.client_history import ClientHistory, client_history
from gray_kettle.errors import KettleError
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.heard import client_chart
from gray_kettle.tui.heard.cards import AnyRow, Card, card_of, card_rows
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.view_state import ViewState

_DAY_S = 86_400.0
_SPANS_S = (_DAY_S, 6 * 3600.0, 3600.0, 600.0)
_MOST_BINS = 120


class CardScreen(Modal[None]):
    """first: key of the card to begin with; back: what the trail calls the view below."""

    BINDINGS: ClassVar = [
        Binding("right_curly_bracket,plus", "zoom(-1)", "longer", show=False, id="card.longer"),
        Binding("left_curly_bracket,minus", "zoom(1)", "shorter", show=False, id="card.shorter"),
        Binding("right_square_bracket", "shift(0.5)", "later", show=False, id="card.later"),
        Binding("left_square_bracket", "shift(-0.5)", "earlier", show=False, id="card.earlier"),
        Binding("e", "frames", "frames", id="card.frames"),
        Binding("escape,backspace", "back", "back", id="card.back"),
    ]

    def __init__(self, state: ViewState, pivots: Pivots, first: str, back: str) -> None:
        super().__init__()
        self._state, self._pivots, self._view = state, pivots, back
        self._trail = [first]
        self._cursors: dict[str, str] = {}
        self._card: Card | None = None
        self._span = 0
        self._end_s = 0.0
        self._history: ClientHistory | None = None

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("", id="card-trail", markup=False)
            yield RowList(id="card", keeps_mark=True)
            yield Static("", id="card-hint", markup=False)

    def on_mount(self) -> None:
        self.query_one(RowList).focus()
        self._open()

    def _open(self) -> None:
        """Show the last card of the trail."""
        key = self._trail[-1]
        self._card = card_of(key, self._state, self._pivots)
        self._history = None
        titles = [self._view]
        for step in self._trail:
            card = card_of(step, self._state, self._pivots)
            titles.append(card.title if card else "not in this window")
        shown = titles if len(titles) <= 4 else [titles[0], "…", *titles[-3:]]
        self.query_one("#card-trail", Static).update(" › ".join(shown))
        if self._card is not None and self._card.client:
            self._span, self._end_s = 0, self._last_heard_s()
            self.call_after_refresh(self._read_history)  # as wide as the list is by then
        self._refill(keep=False)
        if key in self._cursors:
            self.query_one(RowList).point_at(self._cursors[key])

    def _last_heard_s(self) -> float:
        entry = self._pivots.client(self._card.client) if self._card else None
        return min(entry.span_s[1] + 3600.0, self._state.end_s) if entry else self._state.end_s

    def _refill(self, keep: bool = True) -> None:
        card = self._card
        hint = "⏎ follow   e frames   esc back"
        if card is not None and card.client:
            hint += "   { } shorter, longer   [ ] earlier, later"
        self.query_one("#card-hint", Static).update(hint)

        def build(width: int) -> list[AnyRow]:
            if card is None:
                return [Row("gone", (((" It was not heard in this window.", "dim"),),), fixed=True)]
            rows = card_rows(card, width)
            at = next((k for k, r in enumerate(rows) if r.key.startswith("heading")), len(rows))
            return [*rows[:at], *self._chart(width), *rows[at:]] if card.client else rows

        self.query_one(RowList).show(build, keep=keep)

    # The client over time

    def _bins(self, width: int) -> int:
        return max(min(width - client_chart.LABEL - client_chart.SCALE - 6, _MOST_BINS), 12)

    def _chart(self, width: int) -> list[Row]:
        hours = _SPANS_S[self._span] / 3600
        span = f"{hours:.0f} h" if hours >= 1 else f"{hours * 60:.0f} min"
        heading = Row("heading time", (((f" Over {span}", "steam!"),),), fixed=True)
        if self._history is None:
            return [heading, Row("reading", (((" reading …", "dim"),),), fixed=True)]
        return [
            heading,
            *client_chart.chart_rows(self._history, self._pivots, self._state.setup.site_time, width),
        ]

    def _read_history(self) -> None:
        self.run_worker(self._read, thread=True, exclusive=True, group="client", description="read a client")

    def _read(self) -> None:
        from gray_kettle.store import Case

        worker, card = get_current_worker(), self._card
        if card is None or self._state.path is None:
            return
        end_s = self._end_s
        start_s = end_s - _SPANS_S[self._span]
        bins = self._bins(self.query_one(RowList).scrollable_content_region.width)
        try:
            with Case.open(self._state.path) as case:
                traffic = case.traffic_by_second(start_s, end_s)
        except KettleError as error:
            self.app.call_from_thread(self.notify, str(error), severity="error", markup=False)
            return
        found = client_history(traffic, card.client, start_s, end_s, bins)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._show_history, card, found)

    def _show_history(self, card: Card, found: ClientHistory) -> None:
        if card is self._card:
            self._history = found
            self._refill()

    def action_zoom(self, step: int) -> None:
        """Shorter or longer around the same middle."""
        if self._card is None or not self._card.client:
            return
        middle_s = self._end_s - _SPANS_S[self._span] / 2
        self._span = max(0, min(self._span + step, len(_SPANS_S) - 1))
        self._end_s = middle_s + _SPANS_S[self._span] / 2
        self._read_history()

    def action_shift(self, by: float) -> None:
        if self._card is not None and self._card.client:
            self._end_s += by * _SPANS_S[self._span]
            self._read_history()

    # The trail

    @on(RowList.Chosen)
    def _follow(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        kind, _, name = chosen.key.partition(":")
        if kind == "frames":
            self._show_frames(name)
        elif card_of(chosen.key, self._state, self._pivots) is not None:
            self._cursors[self._trail[-1]] = chosen.key
            # A card that is on the trail already is gone back to.
            known = chosen.key in self._trail
            self._trail = (
                self._trail[: self._trail.index(chosen.key) + 1] if known else [*self._trail, chosen.key]
            )
            self._open()

    def action_back(self) -> None:
        if len(self._trail) > 1:
            self._trail.pop()
            self._open()
        else:
            self.dismiss(None)

    def action_frames(self) -> None:
        """Of the row under the cursor where it has an address, else of this card."""
        for key in (self.query_one(RowList).key, self._trail[-1]):
            kind, _, name = key.partition(":")
            if kind in ("radio", "bssid", "client", "frames", "ap"):
                self._show_frames(name)
                return

    def _show_frames(self, address: str) -> None:
        from gray_kettle.tui.heard.frames_screen import FramesScreen

        self.app.push_screen(FramesScreen(self._state, address, self._card.title if self._card else address))
