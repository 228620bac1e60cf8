"""The timeline: reported utilisation of the band over the whole case, with the window in brackets."""

import math

from rich.cells import cell_len
from textual import events
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.safe_text import printable
from gray_kettle.tui.messages import ToWindow
from gray_kettle.tui.theme import BARS, Cell, ThemedWidget
from gray_kettle.tui.view_state import ViewState

BINS = 400


class Timeline(ThemedWidget, Widget):
    """Three lines: utilisation, days, the window in words."""

    DEFAULT_CSS = "Timeline { height: 3; } Timeline.-low { height: 2; }"
    state: reactive[ViewState | None] = reactive(None)
    _held: int | None = None  # column where the mouse went down

    def on_mouse_down(self, event: events.MouseDown) -> None:
        if self.state is not None and self.state.case_end_s > 0:
            self._held = event.x
            self.capture_mouse()

    def on_mouse_up(self, event: events.MouseUp) -> None:
        """A drag chooses a window; a click moves the one there is."""
        state, held = self.state, self._held
        self._held = None
        self.release_mouse()
        if state is None or held is None:
            return
        first, last = sorted((held, min(max(event.x, 0), self.size.width - 1)))
        if last > first:
            start_s, end_s = self._time_of(first), self._time_of(last)
        else:
            half_s = (state.end_s - state.start_s) / 2
            start_s, end_s = self._time_of(first) - half_s, self._time_of(first) + half_s
        self.post_message(ToWindow(start_s, end_s))

    def _time_of(self, column: int) -> float:
        assert self.state is not None
        share = column / max(self.size.width - 1, 1)
        return self.state.case_start_s + share * (self.state.case_end_s - self.state.case_start_s)

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        if self.state is None:
            return self.cells([("" if y else " loading …", "dim")], width)
        if self.state.case_end_s <= 0:
            return self.cells(
                [("" if y else " The case is empty: press t to listen, or to read files.", "dim")], width
            )
        if y == 0:
            return self.cells(self._busy(width), width)
        if y == self.size.height - 1:
            return self.cells(self._words(width), width)
        return self.cells(self._days(width), width)

    def _column(self, time_s: float, width: int) -> int:
        assert self.state is not None
        span = max(self.state.case_end_s - self.state.case_start_s, 1.0)
        return round((time_s - self.state.case_start_s) / span * (width - 1))

    def _busy(self, width: int) -> list[Cell]:
        state = self.state
        assert state is not None
        busy = state.busy.get(state.band) or [math.nan]
        inner = max(width - 2, 1)
        out: list[Cell] = []
        left, right = self._column(state.start_s, width), self._column(state.end_s, width)
        left, right = (0, width - 1) if state.is_whole_case else (left, max(right, left + 1))
        reference = state.setup.reference
        compared = [self._column(t, width) for t in reference] if reference else []
        done = {self._column(d.time_s, width) for d in state.setup.done}
        marks = {self._column(time_s, width) for time_s, _ in state.setup.marks}
        alerts = {self._column(alert.time_s, width) for alert in state.session.alerts}
        for x in range(width):
            if x in alerts:
                out.append(("!", "act!"))
                continue
            if x in marks:
                out.append(("▿", "steam!"))
                continue
            if x in done:
                out.append(("▾", "act!"))
                continue
            if x in (left, right):
                out.append(("[" if x == left else "]", "steam!"))
                continue
            if x in compared:
                out.append(("⟦" if x == compared[0] else "⟧", "watch"))
                continue
            k = min(max(x - 1, 0), inner - 1)
            first = k * len(busy) // inner
            part = busy[first : max((k + 1) * len(busy) // inner, first + 1)]
            ink = "own" if left < x < right else "faint"
            words = [share for share in part if not math.isnan(share)]
            out.append(
                ("┄", "faint") if not words else (BARS[1 + min(7, int(sum(words) / len(words) * 12))], ink)
            )
        return out

    def _days(self, width: int) -> list[Cell]:
        state = self.state
        assert state is not None
        text = [" "] * width
        span_s = state.case_end_s - state.case_start_s
        step_s, form = (
            (86400, "%a %d")
            if span_s > 36 * 3600
            else (3600, "%H:%M")
            if span_s > 3 * 3600
            else (60, "%H:%M")
        )
        while span_s / step_s > width / 9:
            step_s *= 2
        first = state.setup.site_time.minute(state.case_start_s)
        offset_s = first.utcoffset()
        shift = offset_s.total_seconds() if offset_s else 0.0
        tick = math.ceil((state.case_start_s + shift) / step_s) * step_s - shift
        ticks = [tick + n * step_s for n in range(max(0, math.ceil((state.case_end_s - tick) / step_s)))]
        for time_s, word in state.setup.marks:
            if state.case_start_s <= time_s <= state.case_end_s:
                plain = "".join(sign if cell_len(sign) == 1 else "·" for sign in printable(word))
                self._put(text, self._column(time_s, width), plain)
        for time_s in [*ticks, state.case_start_s]:
            label = state.setup.site_time.minute(time_s).strftime(form)
            self._put(text, self._column(time_s, width), label)
        return [("".join(text), "dim")]

    @staticmethod
    def _put(text: list[str], x: int, label: str) -> None:
        """Write a label where there is room for all of it."""
        room = text[x : x + len(label) + 1]
        if len(room) > len(label) and not "".join(room).strip():
            text[x : x + len(label)] = label

    def _words(self, width: int) -> list[Cell]:
        state = self.state
        assert state is not None
        site_time = state.setup.site_time
        start, end = site_time.minute(state.start_s), site_time.minute(state.end_s)
        zone = site_time.suffix
        until = f"{end:%H:%M}" if start.date() == end.date() else f"{end:%a %d %H:%M}"
        whole = " (whole case)" if state.is_whole_case else ""
        text = f" window {start:%a %d %H:%M} – {until}{zone}{whole}"
        if state.setup.reference is not None:
            since, to = (site_time.minute(t) for t in state.setup.reference)
            text += f"   reference {since:%a %d %H:%M} – {to:%a %d %H:%M}"
        what = f"{state.band} GHz, utilisation reported by access points"
        room = width - len(text) - len(what) - 2
        return [(text, "steam"), (" " * max(room, 2) + what if room > 0 else "", "faint")]
