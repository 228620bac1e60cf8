"""The walk: one of our radios, as it is heard right here; spots are named on the way."""

import math
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.reactive import reactive
from textual.screen import Screen
from textual.strip import Strip
from textual.widget import Widget
from textual.widgets import Input

from gray_kettle.analysis.spots import SpotBand, coverage_of, spot_table
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.model.enums import SpotCoverage
from gray_kettle.safe_text import network_name, printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.title_line import KeyHints
from gray_kettle.tui.theme import Cell, ThemedWidget, fit, minus
from gray_kettle.tui.walk.digits import HEIGHT, large
from gray_kettle.tui.walk.levels import Sighted, WalkLevels

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Radio
    from gray_kettle.collect.live.source import TakeControl
    from gray_kettle.tui.view_state import ViewState

_LOWEST_DBM, _HIGHEST_DBM = -95.0, -25.0
_LOW_LINES = 30
_MARKS = {SpotCoverage.COVERED: "●", SpotCoverage.THIN: "◐", SpotCoverage.NOT_COVERED: "○"}
_INKS = {SpotCoverage.COVERED: "text", SpotCoverage.THIN: "watch", SpotCoverage.NOT_COVERED: "act"}


class WalkPanel(ThemedWidget, Widget):
    """The figures of the walk."""

    DEFAULT_CSS = "WalkPanel { height: 13; }"

    def __init__(self, screen: "WalkScreen", *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._walk = screen

    def render_line(self, y: int) -> Strip:
        lines = self._walk.lines(self.size.width)
        return self.cells(lines[y] if y < len(lines) else [], self.size.width)


class WalkScreen(Screen[None]):
    """Follows one own radio by the pieces of the live take. control: of that take; it gets the spots that are named."""

    CSS = """
    WalkScreen { layout: vertical; padding: 0 1; }
    WalkScreen Input { border: none; height: 1; margin-top: 1; padding: 0 1; background: $panel; display: none; }
    WalkScreen.-asking Input { display: block; }
    WalkScreen RowList { height: 1fr; margin-top: 1; }
    """
    BINDINGS: ClassVar = [
        Binding("left", "turn(-1)", "radio before", id="walk.before"),
        Binding("right", "turn(1)", "next radio", id="walk.next"),
        Binding("space", "spot", "name this spot", id="walk.spot"),
        Binding("escape", "leave", "close", id="walk.close"),
    ]
    radio_id: reactive[str] = reactive("")

    def __init__(
        self, state: "Callable[[], ViewState | None]", control: "Callable[[], TakeControl | None]"
    ) -> None:
        """state: what is known of the case by now; control: of the take that runs, None while there is none."""
        super().__init__()
        self._known, self._control = state, control
        self._levels = WalkLevels()
        self._is_turned = False

    def compose(self) -> ComposeResult:
        yield WalkPanel(self, id="walk-panel")
        yield Input(placeholder="name of this spot, then enter", id="walk-name")
        yield RowList(id="walk-spots", empty="Spots that you name with space are listed here, worst first.")
        hints = KeyHints(id="walk-hints")
        hints.ALWAYS, hints.HINT_OF_HELP = (), ("esc", "back")
        hints.own = (("space", "name this spot"), ("← →", "another radio"))
        yield hints

    def on_mount(self) -> None:
        self._choose_first()
        self.refresh_spots()
        self.set_interval(0.5, self._tick)
        self.query_one(RowList).focus()

    def _tick(self) -> None:
        if not self.radio_id:
            self._choose_first()
        self.query_one(WalkPanel).refresh()

    # What comes in

    def heard(self, sightings: tuple[Sighted, ...]) -> None:
        """A scan or second of the live take."""
        self._levels.add(sightings)
        if not self._is_turned:  # until the person chooses: the one that a client here would choose
            levels = {s.bssid: s.level_dbm for s in sightings}
            ours = [(levels[n.bssid], r.id) for r in self._radios() for n in r.networks if n.bssid in levels]
            state = self._known()
            here = [o for o in ours if state is not None and self._band_of(o[1]) == state.band]
            if here or ours:
                self.radio_id = max(here or ours)[1]
                self._is_turned = True
                self._levels.add(sightings)
        self._refresh_panel()

    def _refresh_panel(self) -> None:
        if self.is_mounted:
            self.query_one(WalkPanel).refresh()

    def refresh_spots(self) -> None:
        """The case has more: the table of spots anew."""
        if self.is_mounted:
            self.query_one(RowList).show(self._rows)

    # Which radio

    def _radios(self) -> "list[Radio]":
        """Ours, or all where none is ours; of every band, the strongest first."""
        state = self._known()
        radios = state.assessment.radios if state is not None else ()
        return sorted([r for r in radios if r.own] or radios, key=lambda r: (r.name, r.band))

    def _choose_first(self) -> None:
        """The radio that is followed already, else the strongest of ours in the band that is shown."""
        state, radios = self._known(), self._radios()
        if state is None or not radios:
            return
        followed = [r for r in radios if r.id in state.followed]
        here = [r for r in radios if r.band == state.band] or radios
        self.radio_id = (followed or sorted(here, key=lambda r: -(r.level_dbm or -200.0)))[0].id

    def watch_radio_id(self) -> None:
        radio = self._radio
        if radio is not None:
            self._levels.follow(frozenset(n.bssid for n in radio.networks))

    @property
    def _radio(self) -> "Radio | None":
        return next((r for r in self._radios() if r.id == self.radio_id), None)

    def _band_of(self, radio_id: str) -> str:
        return next((r.band for r in self._radios() if r.id == radio_id), "")

    def action_turn(self, step: int) -> None:
        self._is_turned = True
        ids = [r.id for r in self._radios()]
        if self.radio_id in ids:
            self.radio_id = ids[(ids.index(self.radio_id) + step) % len(ids)]
        self.query_one(WalkPanel).refresh()

    # Spots

    def action_spot(self) -> None:
        if self._control() is None:
            self.notify("Nothing is being taken: close this with escape, then press t to listen.", timeout=5)
            return
        self.add_class("-asking")
        self.query_one(Input).focus()

    @on(Input.Submitted)
    def _name_spot(self, submitted: Input.Submitted) -> None:
        submitted.stop()
        control, name = self._control(), submitted.value.strip()
        if control is not None and name:
            control.spot = name
            self._levels.begin_spot()
        self._end_asking()

    def _end_asking(self) -> None:
        self.query_one(Input).value = ""
        self.remove_class("-asking")
        self.query_one(RowList).focus()

    def action_leave(self) -> None:
        if self.has_class("-asking"):
            self._end_asking()
        elif self.app.screen is self:
            self.dismiss(None)

    # What it looks like

    def lines(self, width: int) -> list[list[Cell]]:
        """The panel: whom, the level in large digits, best and worst, the bar, the rival."""
        now_s, radio, control = time.monotonic(), self._radio, self._control()
        if radio is None:
            return [[("Walk", "steam!")], [], [("No radio was heard yet: press t to listen.", "dim")]]
        level = self._levels.now_dbm(now_s)
        state = self._known()
        assert state is not None
        limits = thresholds_of(state.setup)
        coverage = None if level is None else coverage_of(level, limits)
        ink = "faint" if coverage is None else _INKS[coverage]
        where = printable(control.spot) if control is not None and control.spot else "spot not named"
        head: list[Cell] = [
            ("Walk  ", "dim"),
            (f"{'■' if radio.own else '□'} {printable(radio.name)}", "own!" if radio.own else "steam!"),
            (f"  {radio.band} GHz  {radio.channel.label}   ", "dim"),
            (where, "steam!"),
            ("" if control is not None else "   nothing is being taken: t", "act"),
        ]
        digits = large("− −" if level is None else minus(level))
        beside = self._beside(level, coverage, limits.coverage_dbm, radio)
        out: list[list[Cell]] = [head, []]
        for line in range(HEIGHT):
            side = beside[line] if line < len(beside) else []
            out.append([(f" {digits[line]}   ", f"{ink}!" if ink != "faint" else ink), *side])
        out += [[], self._bar(width, limits.coverage_dbm), self._scale(width)]
        return out

    def _beside(
        self, level: float | None, coverage: SpotCoverage | None, limit_dbm: float, radio: "Radio"
    ) -> list[list[Cell]]:
        """Figures on the right of the digits."""
        levels, trend = self._levels, self._levels.trend_db()
        course = "▲ rising" if trend > 0 else "▼ falling" if trend < 0 else "· steady"
        rival = levels.rival(time.monotonic())
        known = not math.isinf(levels.best_dbm)
        extremes = (
            f"best {minus(levels.best_dbm)}  worst {minus(levels.worst_dbm)}"
            if known
            else "not heard here yet"
        )
        verdict: list[Cell] = []
        if coverage is not None:
            limit = f"  limit {minus(limit_dbm)} dBm"
            verdict = [(f"{_MARKS[coverage]} {coverage}", f"{_INKS[coverage]}!"), (limit, "dim")]
        out: list[list[Cell]] = [
            [("dBm  ", "dim"), (f"{course} {abs(trend):.0f} dB" if trend else course, "steam")],
            [(extremes, "dim")],
            verdict,
            [],
        ]
        if rival is not None:
            margin = "" if level is None else f"  margin {minus(level - rival.level_dbm)} dB"
            out.append([(f"loudest other here {minus(rival.level_dbm)} dBm{margin}", "foreign")])
            out.append([(f"  {self._name_of(rival)}  {rival.channel.label}", "dim")])
        if radio.retry_share is not None:
            out.append([(f"retries {100 * radio.retry_share:.0f} %", "dim")])
        return out

    def _name_of(self, rival: Sighted) -> str:
        state = self._known()
        radio = state.assessment.radio(rival.bssid) if state is not None else None
        return printable(radio.name) if radio is not None else network_name(rival.bssid.encode())

    def _bar(self, width: int, limit_dbm: float) -> list[Cell]:
        """Where the level lies, with the best and the worst so far, and the limit."""
        inner = max(width - 2, 10)

        def column(dbm: float) -> int:
            share = (dbm - _LOWEST_DBM) / (_HIGHEST_DBM - _LOWEST_DBM)
            return min(max(round(share * (inner - 1)), 0), inner - 1)

        level = self._levels.now_dbm(time.monotonic())
        filled = -1 if level is None else column(level)
        cells: list[Cell] = [(" ", "text")]
        for x in range(inner):
            glyph, ink = ("█", "own") if x <= filled else ("·", "faint")
            if x == column(limit_dbm):
                glyph, ink = "│", "steam!"
            elif not math.isinf(self._levels.best_dbm) and x in (
                column(self._levels.best_dbm),
                column(self._levels.worst_dbm),
            ):
                glyph, ink = "┃", "watch"
            cells.append((glyph, ink))
        return cells

    def _scale(self, width: int) -> list[Cell]:
        inner = max(width - 2, 10)
        text = [" "] * inner
        for dbm in range(-90, -29, 20):
            at = round((dbm - _LOWEST_DBM) / (_HIGHEST_DBM - _LOWEST_DBM) * (inner - 1))
            label = minus(dbm)
            text[max(at - 1, 0) : max(at - 1, 0) + len(label)] = label
        return [(" " + "".join(text)[:inner], "dim")]

    def _rows(self, width: int) -> list[Row]:
        state = self._known()
        table = spot_table(state.assessment.radios, thresholds_of(state.setup)) if state is not None else ()
        if not table:
            return []
        room = max(width - 68, 6)
        titles = (
            fit("   spot", 23),
            fit("band", 6),
            fit("dBm", 6, right=True),
            fit("  best of ours", 22),
            fit("margin", 8, right=True),
            fit("  loudest other", room + 2),
        )
        head = "".join(titles)
        return [
            Row("head", (((head, "dim"),),), fixed=True),
            *(Row(f"{s.spot}|{s.band}", (_spot_cells(s, room),)) for s in table),
        ]


def _spot_cells(row: SpotBand, room: int) -> tuple[Cell, ...]:
    ink = _INKS[row.coverage]
    best = row.own[0].radio if row.own else None
    rival = f"{printable(row.rival.radio.name)} {minus(row.rival.level_dbm)}" if row.rival else "–"
    return (
        (f" {_MARKS[row.coverage]} ", ink),
        (fit(printable(row.spot), 20), "text"),
        (fit(row.band, 6), "dim"),
        (fit(minus(row.level_dbm) if row.level_dbm is not None else "–", 6, right=True), f"{ink}!"),
        (f"  {fit(printable(best.name) + ' ' + best.channel.label if best else 'none heard', 20)}", "text"),
        (fit(minus(row.margin_db) if row.margin_db is not None else "–", 8, right=True), "dim"),
        (f"  {fit(rival, room)}", "foreign"),
    )
