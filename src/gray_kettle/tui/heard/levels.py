"""Level over time of the chosen radio and of those that share its channel."""

import numpy as np
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.utilisation.history import levels_over_time, main_spot
from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.safe_text import printable
from gray_kettle.tui.theme import Cell, ThemedWidget, fit, minus, runs
from gray_kettle.tui.view_state import ViewState

_HIGH_DBM, _LOW_DBM = -25.0, -95.0
_AXIS = 6
_MOST = 6


class LevelChart(ThemedWidget, Widget):
    """Half-block dots, two a cell in height; the chosen radio over the rest. The scale is fixed."""

    DEFAULT_CSS = "LevelChart { height: 11; }"
    radio_id: reactive[str] = reactive("")

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._drawn: tuple[str, int, int] | None = None
        self._levels: dict[str, FloatArray] | None = (
            None  # of every radio of the band, for this state and width
        )
        self._lines: list[list[Cell]] = []

    def show(self, state: ViewState) -> None:
        self._state, self._drawn, self._levels = state, None, None
        self.refresh()

    def watch_radio_id(self) -> None:
        self._drawn = None

    def render_line(self, y: int) -> Strip:
        key = (self.radio_id, *self.size)
        if self._drawn != key:
            self._lines, self._drawn = self._draw(), key
        return self.cells(self._lines[y] if y < len(self._lines) else [], self.size.width)

    def _draw(self) -> list[list[Cell]]:
        state, (width, height) = self._state, self.size
        radio = state.assessment.radio(self.radio_id) if state else None
        if state is None or radio is None or radio.band != state.band or height < 3:
            return []
        shown = self._sharing(state, radio)
        columns, rows = width - _AXIS, height - 2
        if self._levels is None or next(iter(self._levels.values())).shape != (columns,):
            bins = (columns, state.start_s, state.end_s)
            self._levels = dict(
                zip(
                    (r.id for r in state.radios),
                    levels_over_time(state.session.observations, state.radios, *bins),
                    strict=True,
                )
            )
        levels = [self._levels[r.id] for r in shown]
        # dots[row of half blocks, column]: 0 nothing, else 1 + index of the series; the chosen radio is drawn last.
        dots = np.zeros((2 * rows, columns), np.int64)
        for number in range(len(shown) - 1, -1, -1):
            line = levels[number]
            height_of = (_HIGH_DBM - line) / (_HIGH_DBM - _LOW_DBM) * (2 * rows - 1)
            there = ~np.isnan(line)
            row = np.clip(np.nan_to_num(np.round(height_of)), 0, 2 * rows - 1).astype(np.int64)
            dots[row[there], np.flatnonzero(there)] = number + 1
        out = [self._legend(shown, width)]
        for k in range(rows):
            out.append([(self._tick(k, rows), "dim"), *self._dots(dots[2 * k], dots[2 * k + 1], shown)])
        site_time = state.setup.site_time
        start, end = site_time.minute(state.start_s), site_time.minute(state.end_s)
        left, right = f"{start:%a %d %H:%M}", f"{end:%a %d %H:%M}"
        out.append([(" " * _AXIS + left + right.rjust(max(columns - len(left), 0)), "faint")])
        return out

    def _sharing(self, state: ViewState, radio: Radio) -> tuple[Radio, ...]:
        """The radio first, those that are followed, then the loudest of those whose channel overlaps its own."""
        parts = set(radio.channel.parts)
        followed = [r for r in state.radios if r.id in state.followed and r.id != radio.id]
        others = [
            r for r in state.radios if r.id != radio.id and parts & set(r.channel.parts) and r not in followed
        ]
        others.sort(key=lambda r: -(r.level_dbm or -200.0))
        others = [*followed, *others]
        return (radio, *others[: _MOST - 1])

    def _legend(self, shown: tuple[Radio, ...], width: int) -> list[Cell]:
        spot = printable(main_spot(self._state.session.observations)) if self._state else ""
        cells: list[Cell] = [(f" dBm{f' at {spot}' if spot else ''}   ", "dim")]
        for number, radio in enumerate(shown):
            mark = "■" if radio.own else "□"
            cells.append((f"{mark} {radio.name} {radio.channel.label}   ", self._series_ink(number, radio)))
        if len(shown) == 1:
            cells.append(("nobody shares its channel", "dim"))
        return cells

    def _series_ink(self, number: int, radio: Radio) -> str:
        if number == 0:
            return "own!" if radio.own else "steam!"
        if self._state is not None and radio.id in self._state.followed:
            return "steam"
        return "watch" if radio.own else "foreign" if number < 3 else "faint"

    def _tick(self, row: int, rows: int) -> str:
        step = (_HIGH_DBM - _LOW_DBM) / max(rows, 1)
        for level in (-30, -50, -70, -90):
            if round((_HIGH_DBM - level) / step - 0.5) == row:
                return fit(minus(level), _AXIS - 2, True) + " ┤"
        return " " * (_AXIS - 1) + "│"

    def _dots(self, upper: IntArray, lower: IntArray, shown: tuple[Radio, ...]) -> list[Cell]:
        """One line of cells from two rows of half blocks; where two radios cross, the first in the legend shows."""
        none = len(shown) + 1
        number = np.minimum(np.where(upper, upper, none), np.where(lower, lower, none)) - 1
        glyph = np.where(upper == lower, "█", np.where(upper == number + 1, "▀", "▄"))
        glyph = np.where(number == none - 1, " ", glyph)
        inks = [*(self._series_ink(k, radio) for k, radio in enumerate(shown)), "text"]
        return runs(glyph.tolist(), [inks[k] for k in number.tolist()])
