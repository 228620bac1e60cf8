"""The channel map: every 20 MHz channel of all bands in one list; enter lists who is on it, in place."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static

from gray_kettle.analysis.assessment import Radio
from gray_kettle.planner.channel_map import FILTERS, SORTS, MapRow, Mark, channel_map
from gray_kettle.safe_text import printable
from gray_kettle.tui.air.signs import SIGNS
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import Cell, fit, minus, percent
from gray_kettle.tui.view_state import ViewState

_BANDS = ("", "2.4", "5", "6")
_WIDE, _MIDDLE = 126, 96
_BAR, _BUSY_INK = 8, 0.5
_LEGEND = (
    "◎ recommended  × not permitted  r our radios, c a client cannot  D DFS  i indoor  2+1 on it + over it"
)


class ChannelMapScreen(Modal[None]):
    """Over any view; the cursor stays on its channel while rows open, close and change their order."""

    BINDINGS: ClassVar = [
        Binding("b", "band", "band", id="map.band"),
        Binding("s", "sort", "order", id="map.sort"),
        Binding("m", "filter", "only some", id="map.filter"),
        Binding("e", "frames", "example frames", id="map.frames"),
        Binding("escape", "close", "close", id="map.close"),
    ]

    def __init__(self, state: ViewState, seen_by: Radio | None = None) -> None:
        """seen_by: the own radio whose clear air is shown in its band."""
        super().__init__()
        self._state, self._seen_by = state, seen_by
        self._band, self._order, self._only = "", "channel", "all"
        self._open: set[str] = set()
        self._map: tuple[MapRow, ...] = ()

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("", id="map-head", markup=False)
            yield Static("", id="map-columns", markup=False)
            yield RowList(id="map", keeps_mark=True)
            yield Static(_LEGEND, id="map-legend", markup=False)

    def on_mount(self) -> None:
        state = self._state
        answers = state.session.best if state.proposal else ()
        self._map = channel_map(state.assessment, state.setup, answers, self._seen_by)
        self.query_one(RowList).focus()
        self._refresh()

    def _refresh(self) -> None:
        band = f"{self._band} GHz" if self._band else "all bands"
        whose = f", clear for {printable(self._seen_by.name)}" if self._seen_by else ""
        only = "" if self._only == "all" else f", {self._only} only"
        self.query_one("#map-head", Static).update(
            f"Channel map, {band}{only}{whose}, by {self._order}   "
            "⏎ who is on it   b band   m only some   s order   e frames   esc back"
        )
        self.query_one("#map", RowList).show(self._rows)

    def _rows(self, width: int) -> list[Row]:
        shown = (r for r in self._map if self._band in ("", r.channel.band) and FILTERS[self._only](r))
        chosen = sorted(shown, key=SORTS[self._order])
        if not chosen and self._map:
            return [Row("empty", (((f" No channel is {self._only}.", "dim"),),), fixed=True)]
        if not chosen:
            return [Row("empty", (((" Nothing was listened to in this window.", "dim"),),), fixed=True)]
        self.query_one("#map-columns", Static).update(_heads(width))
        out: list[Row] = []
        band = ""
        for row in chosen:
            if self._order == "channel" and row.channel.band != band:
                band = row.channel.band
                out.append(Row(f"band {band}", (((f" {band} GHz", "steam!"),),), fixed=True))
            key = f"{row.channel.band}/{row.channel.primary}"
            lines: list[tuple[Cell, ...]] = [_cells(row, width)]
            if key in self._open:
                lines += _who(row, width)
            out.append(Row(key, tuple(lines)))
        return out

    @on(RowList.Chosen)
    def _toggle(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self._open ^= {chosen.key}
        self._refresh()

    def action_frames(self) -> None:
        """Example frames of the channel under the cursor."""
        key = self.query_one(RowList).key
        if "/" in key and self._state.path is not None:
            from gray_kettle.tui.heard.frames_screen import FramesScreen

            band, number = key.split("/")
            title = f"channel {number}, {band} GHz"
            self.app.push_screen(FramesScreen(self._state, f"{band}:{number}", title))

    def action_band(self) -> None:
        self._band = _BANDS[(_BANDS.index(self._band) + 1) % len(_BANDS)]
        self._refresh()

    def action_filter(self) -> None:
        names = list(FILTERS)
        self._only = names[(names.index(self._only) + 1) % len(names)]
        self._refresh()

    def action_sort(self) -> None:
        orders = list(SORTS)
        self._order = orders[(orders.index(self._order) + 1) % len(orders)]
        self._refresh()

    def action_close(self) -> None:
        """First what is open closes, then the map."""
        if self._open:
            self._open.clear()
            self._refresh()
        else:
            self.dismiss(None)


def _heads(width: int) -> str:
    text = "    ch       busy                 clear ours others  cl."
    if width >= _MIDDLE:
        text += "  loudest  non-Wi-Fi  retries"
    if width >= _WIDE:
        text += "  noise  EIRP  known from"
    return text


def _cells(row: MapRow, width: int) -> tuple[Cell, ...]:
    used, clear = row.utilisation, row.clear_air
    bar = round(_BAR * min(used.value or 0.0, 1.0))
    is_best, is_busy = Mark.BEST in row.marks, (used.value or 0.0) > _BUSY_INK
    others = f"{len(row.foreign) or ''}{f'+{len(row.covering)}' if row.covering else ''}"
    cells: list[Cell] = [
        (f"{'◎' if is_best else ' '} {row.channel.primary:>3} ", "own" if is_best else "text!"),
        *_marks(row),
        ("█" * bar + "·" * (_BAR - bar) if used.value is not None else " " * _BAR, "foreign"),
        (fit(used.words if used.value is not None else "–", 11, True), "act" if is_busy else "text"),
        (f"{percent(clear):>7}", "dim" if clear is None else "text!"),
        (f"{len(row.own) or '':>5}", "own"),
        (f"{others:>7}", "foreign"),
        (f"{row.clients or '':>5}", "text"),
    ]
    if width >= _MIDDLE:
        retries = row.retry_share
        cells += [
            (f"{minus(row.strongest_foreign_dbm):>9}", "foreign"),
            (f"{percent(row.non_wifi):>11}", "emitter" if row.non_wifi else "dim"),
            (f"{percent(retries):>9}", "act" if retries is not None and retries > 0.2 else "dim"),
        ]
    if width >= _WIDE:
        source = f"{used.source}, {used.confidence}" if used.value is not None else "not measured"
        most = row.most_eirp_dbm
        cells += [
            (f"{minus(row.noise_dbm):>7}", "dim"),
            (f"{'–' if most is None else f'{most:.0f}':>6}", "dim"),
            (f"  {source}", "dim"),
        ]
    return tuple(cells)


def _marks(row: MapRow) -> list[Cell]:
    shown = [SIGNS[m] for m in SIGNS if m in row.marks and m is not Mark.BEST]
    return [*shown, (" " * (5 - len(shown)), "dim")]


def _who(row: MapRow, width: int) -> list[tuple[Cell, ...]]:
    """Who is on the channel, own radios first, then by level."""
    radios = [*row.own, *row.foreign, *row.covering]
    radios.sort(key=lambda r: (not r.own, -(r.level_dbm if r.level_dbm is not None else -200.0)))
    if not radios:
        return [(("        nobody was heard on it", "dim"),)]
    return [_radio_cells(r, r in row.covering, width) for r in radios]


def _radio_cells(radio: Radio, is_covering: bool, width: int) -> tuple[Cell, ...]:
    clients = sum(len(n.clients) for n in radio.networks)
    of = f"  {clients} {'client' if clients == 1 else 'clients'}" if clients else ""
    ink = "own" if radio.own else "foreign"
    return (
        (f"        {'■' if radio.own else '□'} ", ink),
        (fit(printable(radio.name), 24), ink),
        (f"{radio.channel.label:>8}", "text"),
        (f"{minus(radio.level_dbm):>6} dBm", "text"),
        ("  holds it, primary elsewhere" if is_covering else of, "dim"),
    )
