"""The picture: presence above, waterfall below, and between them channels and radios."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from textual import events
from textual.binding import Binding
from textual.geometry import Region
from textual.message import Message
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.analysis.assessment import Radio
from gray_kettle.phy.channels import Channel
from gray_kettle.site_timezone import UTC_TIME, SiteTime
from gray_kettle.spectrum.views import LEVEL_DBM, Spectrogram
from gray_kettle.tui.sweep import axis, colours
from gray_kettle.tui.sweep.axis import Scale
from gray_kettle.tui.theme import Cell, ThemedWidget, fit

GUTTER = 11
SHOWN = ("peak", "mean", "share")
_TOP_DBM, _RANGE_DB = -22.0, 84.0
_LOW_LINES = 22
_LONG_S = 20 * 3600  # a window for which the day is shown, too


@dataclass(frozen=True)
class Marks:
    """What is drawn on the axis. duty: of the 20 MHz channels."""

    channels: tuple[Channel, ...] = ()
    duty: tuple[tuple[Channel, float], ...] = ()
    radios: tuple[Radio, ...] = ()
    site_time: SiteTime = UTC_TIME


@dataclass(frozen=True)
class Parts:
    """How the lines are shared out."""

    presence: int
    radios: int
    water: int
    legend: int

    @property
    def axis(self) -> int:
        return 3 + self.radios


def parts_for(height: int) -> Parts:
    """Presence about a third, three to seven lines of axis, the rest waterfall."""
    radios = 0 if height < _LOW_LINES else 2 if height < 34 else 4
    legend = int(radios > 0)
    room = height - 3 - radios - legend
    presence = max(3, round(room * 0.36))
    return Parts(presence, radios, max(room - presence, 2), legend)


class SweepPicture(ThemedWidget, Widget, can_focus=True):
    """Draws a view. The cursor is a column and a line of the waterfall."""

    DEFAULT_CSS = "SweepPicture { width: 1fr; height: 1fr; }"
    BINDINGS: ClassVar = [
        Binding("left,shift+left", "column(-1)", "frequency", show=False, id="picture.left"),
        Binding("right,shift+right", "column(1)", "frequency", show=False, id="picture.right"),
        Binding("ctrl+left", "column(-8)", show=False, id="picture.far-left"),
        Binding("ctrl+right", "column(8)", show=False, id="picture.far-right"),
        Binding("up", "row(-1)", "time", show=False, id="picture.up"),
        Binding("down", "row(1)", "time", show=False, id="picture.down"),
    ]
    column: reactive[int] = reactive(0, repaint=False)
    row: reactive[int] = reactive(0, repaint=False)

    @dataclass
    class Pointed(Message):
        """The cursor moved."""

        picture: "SweepPicture"

        def can_replace(self, message: Message) -> bool:
            return isinstance(message, SweepPicture.Pointed)

    @dataclass
    class Resized(Message):
        """There is room for another number of columns or lines."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.view: Spectrogram | None = None
        self.shown = "peak"
        self.remark = ""
        self._marks = Marks()
        self._presence: colours.Dots = np.zeros((0, 0), np.uint8)
        self._water: colours.Dots = np.zeros((0, 0), np.uint8)
        self._strips: dict[int, Strip] = {}
        self._styles: dict[tuple[str, str], colours.DotStyles] = {}
        self._spans: list[list[Cell]] = []
        self._left_out = 0
        self._keep: NDArray[np.bool_] | None = (
            None  # dots that belong to the chosen emitter; the rest recedes
        )
        self._plan = parts_for(24)

    # What is drawn

    @property
    def columns(self) -> int:
        return max(self.size.width - GUTTER - 1, 8)

    @property
    def lines(self) -> int:
        """Dots of the waterfall from top to bottom."""
        return 2 * self._plan.water

    @property
    def scale(self) -> Scale:
        frame = self.view.frame if self.view else None
        return (
            Scale(frame.low_hz, frame.high_hz, self.columns) if frame else Scale(2.4e9, 2.49e9, self.columns)
        )

    def show(self, view: Spectrogram | None, marks: Marks, remark: str = "") -> None:
        """remark: what to say where there is nothing to draw."""
        before = self.view.frame if self.view else None
        self.view, self._marks, self.remark = view, marks, remark
        if view is not None and (
            before is None or (before.low_hz, before.high_hz) != (view.frame.low_hz, view.frame.high_hz)
        ):
            self.column = self.columns // 2
        self.column, self.row = min(self.column, self.columns - 1), min(self.row, self._plan.water - 1)
        self.redraw()

    def redraw(self) -> None:
        self._strips.clear()
        view = self.view
        if view is not None and view.frame.columns == self.columns and view.frame.lines == self.lines:
            self._water = self._water_of(view)
            self._presence = self._presence_of(view)
            self._spans, self._left_out = axis.spans(self.scale, list(self._marks.radios), self._plan.radios)
        self.refresh()

    def scrolled(self, view: Spectrogram, marks: Marks, moved_lines: int) -> None:
        """The same picture some lines later: strips that were drawn move up."""
        counted_before = self.view is not None and view.presence is self.view.presence
        self.view, self._marks = view, marks
        self._water = self._water_of(view)
        first = self._plan.presence + self._plan.axis
        last = first + self._plan.water
        kept = (
            {y: strip for y, strip in self._strips.items() if y < first or y >= last}
            if counted_before
            else {}
        )
        if not counted_before:
            self._presence = self._presence_of(view)
        for y, strip in self._strips.items():
            # The cursor stays where it is, and the newest line goes on being filled.
            if (
                first <= y - moved_lines
                and first <= y < last - 1
                and self.row not in (y - first, y - first - moved_lines)
            ):
                kept[y - moved_lines] = strip
        self._strips = kept
        if moved_lines:
            self.refresh()
            return
        # What the terminal is sent costs most: only what is new.
        changed = [Region(0, last - 1, self.size.width, 1)]
        if not counted_before:
            changed.append(Region(0, 0, self.size.width, first))
        self.refresh(*changed)

    def reshow(self) -> None:
        """The waterfall shows something else; the drawing above it stays."""
        if self.view is not None and len(self._water):
            self._water = self._water_of(self.view)
        first = self._plan.presence + self._plan.axis
        self._strips = {y: strip for y, strip in self._strips.items() if y < first}
        self.refresh(Region(0, first, self.size.width, self.size.height - first))

    def light(self, keep: NDArray[np.bool_] | None) -> None:
        """Let all but some dots of the waterfall recede, and columns of the presence likewise; None: nothing does."""
        if keep is None and self._keep is None:
            return
        self._keep = keep
        self.redraw()

    def _water_of(self, view: Spectrogram) -> colours.Dots:
        if self.shown == "share":
            dots = colours.share_dots(view.share)
        else:
            dots = colours.water_dots(view.peak_dbm if self.shown == "peak" else view.mean_dbm)
        if self._keep is not None and self._keep.shape == dots.shape:
            return colours.receded(dots, self._keep)
        return dots

    def _presence_of(self, view: Spectrogram) -> colours.Dots:
        """Dots of the presence, with the lines of the highest and the mean level in them."""
        dots = 2 * self._plan.presence
        each_db = _RANGE_DB / dots
        edge_dbm = _TOP_DBM - each_db * np.arange(dots + 1)
        total = np.concatenate([np.zeros((1, view.presence.shape[1])), np.cumsum(view.presence, axis=0)])
        at = np.clip(edge_dbm - LEVEL_DBM[0], 0, len(LEVEL_DBM))
        whole = np.floor(at).astype(int)
        below = total[whole] + (at - whole)[:, None] * (
            total[np.minimum(whole + 1, len(LEVEL_DBM))] - total[whole]
        )
        out = colours.presence_dots(below[:-1] - below[1:])
        if self._keep is not None and self._keep.shape[1] == out.shape[1]:
            out = colours.receded(out, np.broadcast_to(self._keep.any(axis=0), out.shape))
        out[:, np.isnan(view.highest_dbm)] = colours.NOTHING
        for levels, dot in ((view.average_dbm, colours.MEAN_LINE), (view.highest_dbm, colours.HIGHEST_LINE)):
            line = np.clip(np.nan_to_num((_TOP_DBM - levels) / each_db, nan=-1), -1, dots - 1).astype(int)
            words = np.flatnonzero(line >= 0)
            out[line[words], words] = dot
        return out

    def cell_times(self) -> tuple[float, float]:
        """From when to when the cursor's line is."""
        assert self.view is not None
        frame = self.view.frame
        each_s = (frame.end_s - frame.start_s) / max(self._plan.water, 1)
        return frame.start_s + self.row * each_s, frame.start_s + (self.row + 1) * each_s

    # Drawing

    def on_resize(self, event: events.Resize) -> None:
        self._plan = parts_for(event.size.height)
        self._strips.clear()
        self.post_message(self.Resized())

    def notify_style_update(self) -> None:
        super().notify_style_update()
        if self.__dict__.get("_strips"):
            self._strips.clear()

    def render_lines(self, crop: Region) -> list[Strip]:
        if self.app.no_color:  # the app's own way takes the colours out
            return super().render_lines(crop)
        # Past the cache of styles, which would copy every strip: strips keep what the terminal was sent for them.
        return [self._strip(y) for y in range(crop.y, crop.bottom)]

    def render_line(self, y: int) -> Strip:
        return self._strip(y)

    def _strip(self, y: int) -> Strip:
        if y not in self._strips:
            self._strips[y] = self._made(y)
        return self._strips[y]

    def _made(self, y: int) -> Strip:
        view, plan = self.view, self._plan
        if view is None or view.is_empty:
            return self.cells([(f" {self.remark}" if y == 1 else "", "dim")], self.size.width)
        if view.frame.columns != self.columns or view.frame.lines != self.lines:
            return self.cells([], self.size.width)  # another one is on its way
        if y < plan.presence:
            return self._pictured(self._presence, 2 * y, self._level_label(y), "presence", None)
        y -= plan.presence
        if y < plan.axis:
            return self._axis(y)
        y -= plan.axis
        if y >= plan.water:
            return self._legend() if plan.legend else self.cells([], self.size.width)
        cursor = self.column if y == self.row else None
        return self._pictured(self._water, 2 * y, self._time_label(y), "water", cursor)

    def _pictured(self, dots: colours.Dots, at: int, label: Cell, kind: str, cursor: int | None) -> Strip:
        top, bottom = dots[at], dots[at + 1]
        parts = list(self.cells([label], GUTTER))
        if self.app.no_color:
            drawn = colours.plain(top, bottom, self.ink("text"))
        else:
            drawn = colours.coloured(top, bottom, self._dot_styles(kind))
        if cursor is not None:
            before, _, after = (
                list(s) for s in Strip(drawn, self.columns).divide([cursor, cursor + 1, self.columns])
            )
            drawn = [*before, *self.cells([("┼", "steam!")], 1), *after]
        rest = self.size.width - GUTTER - self.columns
        return Strip([*parts, *drawn, *self.cells([(" " * rest, "text")], rest)], self.size.width)

    def _legend(self) -> Strip:
        """The colours of the waterfall, from its lowest level to its highest."""
        low, high, what = (
            ("0", "100 %", "share of time over the floor by 10 dB")
            if self.shown == "share"
            else (
                f"−{-colours.LOWEST_DBM:.0f}",
                f"−{-colours.HIGHEST_DBM:.0f} dBm",
                "highest level in a bin" if self.shown == "peak" else "mean level in a bin",
            )
        )
        dots = np.arange(colours.LEVELS, dtype=np.uint8)
        ramp = (
            colours.plain(dots, dots, self.ink("text"))
            if self.app.no_color
            else colours.coloured(dots, dots, self._dot_styles("water"))
        )
        before = self.cells([(fit(f"{low} ", GUTTER, right=True), "dim")], GUTTER)
        rest = self.size.width - GUTTER - colours.LEVELS
        after = self.cells([(f" {high}  {what}; fixed scale, time runs down", "dim")], max(rest, 0))
        return Strip([*before, *ramp, *after]).adjust_cell_length(self.size.width)

    def _dot_styles(self, kind: str) -> colours.DotStyles:
        key = (self.app.theme, kind)
        if key not in self._styles:
            dark = self.app.current_theme.dark
            made = colours.water_colours(dark) if kind == "water" else colours.presence_colours(dark)
            if self.app.console.color_system != "truecolor":
                made = colours.in_256(made)
            self._styles[key] = colours.DotStyles(made)
        return self._styles[key]

    def _level_label(self, y: int) -> Cell:
        each_db = _RANGE_DB / self._plan.presence
        level = _TOP_DBM - each_db * y
        nearest = round(level / 20) * 20
        unit = " dBm" if nearest == -40 else ""
        words = abs(level - each_db / 2 - nearest) <= each_db / 2
        return (fit(f"−{-nearest:.0f}{unit} ", GUTTER, right=True) if words else " " * GUTTER, "dim")

    def _time_label(self, y: int) -> Cell:
        assert self.view is not None
        if y == self.row:
            return (fit(f"{self._clock(y)}▸", GUTTER, right=True), "steam!")
        if y % 4:
            return (" " * GUTTER, "dim")
        return (fit(f"{self._clock(y)} ", GUTTER, right=True), "dim")

    def _clock(self, y: int) -> str:
        assert self.view is not None
        frame = self.view.frame
        length_s = frame.end_s - frame.start_s
        time_s = frame.start_s + length_s * y / self._plan.water
        form = "%a %H:%M" if length_s > _LONG_S else "%H:%M:%S"
        return clock(time_s, self._marks.site_time, form)[: GUTTER - 1]

    def _axis(self, line: int) -> Strip:
        scale, marks = self.scale, self._marks
        chosen = self.channel_at_cursor()
        own = {r.channel.primary for r in marks.radios if r.own}
        title, cells = (
            (
                (" MHz", axis.frequencies(scale, self.column)),
                (" channel", axis.channel_numbers(scale, list(marks.channels), own, chosen)),
                (" % busy", axis.shares(scale, dict(marks.duty), chosen)),
            )[line]
            if line < 3
            else ("", [])
        )
        if line >= 3 and line - 3 < len(self._spans):
            last = line - 3 == len(self._spans) - 1
            title, cells = f" +{self._left_out}" if last and self._left_out else "", self._spans[line - 3]
        return self.cells([(fit(title, GUTTER), "dim"), *cells], self.size.width)

    # The cursor

    def channel_at_cursor(self) -> Channel | None:
        """The 20 MHz channel whose centre is nearest to the cursor."""
        hz = self.scale.hz(self.column)
        near = [c for c in self._marks.channels if abs(c.centre_hz - hz) <= 10e6]
        return min(near, key=lambda c: abs(c.centre_hz - hz), default=None)

    def point_at(self, hz: float) -> None:
        self.column = min(max(self.scale.column(hz), 0), self.columns - 1)

    def action_column(self, by: int) -> None:
        self.column = min(max(self.column + by, 0), self.columns - 1)

    def action_row(self, by: int) -> None:
        self.row = min(max(self.row + by, 0), self._plan.water - 1)

    def watch_column(self) -> None:
        self._moved()

    def watch_row(self, before: int) -> None:
        self._moved(before)

    def _moved(self, row_before: int | None = None) -> None:
        first = self._plan.presence + self._plan.axis
        stale = {first + self.row, *range(self._plan.presence, first)}
        if row_before is not None:
            stale.add(first + row_before)
        for y in stale:
            self._strips.pop(y, None)
        self.refresh(*(Region(0, y, self.size.width, 1) for y in sorted(stale)))
        self.post_message(self.Pointed(self))

    def on_click(self, event: events.Click) -> None:
        if event.x < GUTTER:
            return
        self.column = min(event.x - GUTTER, self.columns - 1)
        y = event.y - self._plan.presence - self._plan.axis
        if 0 <= y < self._plan.water:
            self.row = y


def clock(time_s: float, site_time: SiteTime, form: str) -> str:
    """Local time of the site."""
    nearest = 1.0 if "%S" in form else 60.0
    return site_time.moment(round(time_s / nearest) * nearest).strftime(form)
