"""The time rail: how busy the band was over the whole case, with the window in brackets."""

import math
from datetime import datetime

from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.site_timezone import has_zone, zone_of
from gray_kettle.tui.theme import BARS, Cell, ThemedWidget
from gray_kettle.tui.view_state import ViewState

BINS = 400


def local(time_s: float, country: str) -> datetime:
    """The minute that is nearest: listings date what they saw some milliseconds before themselves."""
    return datetime.fromtimestamp(round(time_s / 60) * 60, zone_of(country))


class Timeline(ThemedWidget, Widget):
    """Three lines: busy time, days, window in words."""

    DEFAULT_CSS = "Timeline { height: 3; } Timeline.-low { height: 2; }"
    look: reactive[ViewState | None] = reactive(None)

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        if self.look is None or self.look.case_end_s <= 0:
            return self.cells([("" if y else " Nothing taken yet.", "dim")], width)
        if y == 0:
            return self.cells(self._busy(width), width)
        if y == self.size.height - 1:
            return self.cells(self._words(width), width)
        return self.cells(self._days(width), width)

    def _column(self, time_s: float, width: int) -> int:
        assert self.look is not None
        span = max(self.look.case_end_s - self.look.case_start_s, 1.0)
        return round((time_s - self.look.case_start_s) / span * (width - 1))

    def _busy(self, width: int) -> list[Cell]:
        look = self.look
        assert look is not None
        busy = look.busy.get(look.band) or [math.nan]
        inner = max(width - 2, 1)
        out: list[Cell] = []
        left, right = self._column(look.start_s, width), self._column(look.end_s, width)
        left, right = (0, width - 1) if look.is_whole_case else (left, max(right, left + 1))
        reference = look.setup.reference
        compared = [self._column(t, width) for t in reference] if reference else []
        done = {self._column(d.time_s, width) for d in look.setup.done}
        for x in range(width):
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
            told = [share for share in part if not math.isnan(share)]
            out.append(
                ("┄", "faint") if not told else (BARS[1 + min(7, int(sum(told) / len(told) * 12))], ink)
            )
        return out

    def _days(self, width: int) -> list[Cell]:
        look = self.look
        assert look is not None
        text = [" "] * width
        span_s = look.case_end_s - look.case_start_s
        step_s, form = (
            (86400, "%a %d")
            if span_s > 36 * 3600
            else (3600, "%H:%M")
            if span_s > 3 * 3600
            else (60, "%H:%M")
        )
        while span_s / step_s > width / 9:
            step_s *= 2
        first = local(look.case_start_s, look.setup.country)
        offset_s = first.utcoffset()
        shift = offset_s.total_seconds() if offset_s else 0.0
        tick = math.ceil((look.case_start_s + shift) / step_s) * step_s - shift
        ticks = [tick + n * step_s for n in range(max(0, math.ceil((look.case_end_s - tick) / step_s)))]
        for time_s in [*ticks, look.case_start_s]:
            label = local(time_s, look.setup.country).strftime(form)
            x = self._column(time_s, width)
            room = text[x : x + len(label) + 1]
            if len(room) > len(label) and not "".join(room).strip():
                text[x : x + len(label)] = label
        return [("".join(text), "dim")]

    def _words(self, width: int) -> list[Cell]:
        look = self.look
        assert look is not None
        country = look.setup.country
        start, end = local(look.start_s, country), local(look.end_s, country)
        zone = "" if has_zone(country) else " UTC"
        until = f"{end:%H:%M}" if start.date() == end.date() else f"{end:%a %d %H:%M}"
        whole = " (all of it)" if look.is_whole_case else ""
        text = f" window {start:%a %d %H:%M} – {until}{zone}{whole}"
        if look.setup.reference is not None:
            since, to = (local(t, country) for t in look.setup.reference)
            text += f"   reference {since:%a %d %H:%M} – {to:%a %d %H:%M}"
        what = f"{look.band} GHz, busy time told by access points"
        room = width - len(text) - len(what) - 2
        return [(text, "steam"), (" " * max(room, 2) + what if room > 0 else "", "faint")]
