"""The lanes: one line for each radio over the frequencies it uses; under them the table of channels."""

import itertools
from dataclasses import dataclass

import numpy as np
from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.geometry import Size
from textual.message import Message
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.analysis.assessment import ChannelAssessment, ChannelView, Emitter, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.findings import confidence_text
from gray_kettle.analysis.loss.channel_assessment import level_at
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.masks import SKIRT_BELOW_MASK_DB, mask_db
from gray_kettle.planner.channel_map import Mark
from gray_kettle.safe_text import network_name, printable
from gray_kettle.tui.air.scale import Scale, scale_for
from gray_kettle.tui.air.signs import SIGNS
from gray_kettle.tui.theme import BARS, Cell, ThemedWidget, fit, minus, percent, runs
from gray_kettle.tui.view_state import ViewState

_FLOOR_DBM, _TOP_DBM = -95.0, -35.0
_SHADES = " ░▒▓█"
_THIN = 0.25
_LOW_LINES = 24
_TITLES = {
    "": "",
    "bar": "clear air",
    "clear": "% clear",
    "shared": "% co-channel",
    "overlap": "% adjacent",
    "other": "% other",
    "place": "channel",
    "marks": "marks",
}
_SHARE_INKS = {
    "": "dim",
    "bar": "foreign",
    "clear": "text",
    "shared": "dim",
    "overlap": "dim",
    "other": "emitter",
    "place": "dim",
    "marks": "dim",
}


class Lanes(ThemedWidget, Widget, can_focus=True):
    """Lanes and channel table on one frequency axis, with a what-if channel that moves over both."""

    DEFAULT_CSS = "Lanes { width: 1fr; height: 1fr; }"

    what_if: reactive[Channel | None] = reactive(None)

    @dataclass
    class Pointed(Message):
        """A channel was clicked."""

        channel: Channel

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._channel_views: tuple[ChannelView, ...] = ()
        self._lanes: list[tuple[Radio | Emitter, FloatArray]] = []
        self._scale = Scale(1, 1)
        self._marks: dict[Channel, frozenset[Mark]] = {}
        self._is_to_scale = False
        self._measured_for = Size(0, 0)
        self._first = 0
        self._pitch = 8  # columns from one place to the next
        self._share_rows: tuple[str, ...] = ()
        self._spectra: dict[str, tuple[Strip, str]] = {}  # of each radio: its strip, and its glyphs

    def show(
        self,
        state: ViewState,
        channel_views: tuple[ChannelView, ...],
        marks: dict[Channel, frozenset[Mark]],
    ) -> None:
        """marks: of each 20 MHz channel, see planner.channel_map."""
        self._state, self._channel_views, self._marks = state, channel_views, marks
        self._measure()

    def turn_scale(self) -> bool:
        """Gaps between sub-bands folded, or as wide as they are; whether they are so now."""
        self._is_to_scale = not self._is_to_scale
        self._measure()
        return self._is_to_scale

    def on_resize(self, event: events.Resize) -> None:
        if event.size != self._measured_for:
            self._measure()

    def _measure(self) -> None:
        if self._state is None or not self.size.width:
            return
        radios = self._state.radios
        self._measured_for = self.size
        self._scale = scale_for(self._channel_views, radios, self.size.width, self._is_to_scale)
        emitters = [
            e for e in self._state.assessment.emitters if e.band == self._state.band and not e.is_dismissed
        ]
        self._lanes = [
            *((radio, self._density(radio)) for radio in radios),
            *((emitter, self._filled(emitter)) for emitter in emitters),
        ]
        self._spectra.clear()
        centres = sorted(self._scale.column(p.channel.centre_hz) for p in self._channel_views)
        self._pitch = min((b - a for a, b in itertools.pairwise(centres)), default=8)
        self._share_rows = self._kinds_for(self.size.height)
        self._first = min(self._first, max(0, len(self._lanes) - self._room))
        self.refresh()

    @property
    def _room(self) -> int:
        return max(self.size.height - len(self._share_rows) - 1, 1)

    @property
    def _lines_a_lane(self) -> int:
        """Two where there is room: the second has the names."""
        return 2 if 2 * len(self._lanes) <= self._room else 1

    def scroll_lanes(self, by: int) -> None:
        self._first = max(0, min(self._first + by, len(self._lanes) - self._room))
        self.refresh()

    def _density(self, radio: Radio) -> FloatArray:
        """Level of the radio's spectrum in each column as a share of the scale (0 to 1)."""
        kind = "dsss" if radio.generation == "b" else "ofdm"
        hz = self._scale.hz()
        best = np.full(len(hz), -300.0)
        for centre_hz, width_hz in radio.channel.segments:
            width = 20 if kind == "dsss" else round(width_hz / 1e6)
            best = np.maximum(best, mask_db(kind, width, hz - centre_hz, SKIRT_BELOW_MASK_DB[kind]))
        level = level_at(radio.stay, None) + best
        return np.clip((level - _FLOOR_DBM) / (_TOP_DBM - _FLOOR_DBM), 0.0, 1.0)

    def _filled(self, emitter: Emitter) -> FloatArray:
        """The same for an emitter: as wide as it was detected."""
        hz = self._scale.hz()
        half_hz = max(emitter.bandwidth_hz / 2, (hz[1] - hz[0]) / 2 if len(hz) > 1 else 0.0)
        share = (emitter.level_dbm - _FLOOR_DBM) / (_TOP_DBM - _FLOOR_DBM)
        return np.where(np.abs(hz - emitter.centre_hz) <= half_hz, max(min(share, 1.0), 0.15), 0.0)

    def render_line(self, y: int) -> Strip:  # noqa: PLR0911 - one return for each kind of line
        width, height = self.size
        if self._state is None:
            return self.cells([], width)
        if not self._lanes:
            text = f" No radio was observed in {self._state.band} GHz in this window." if y == 1 else ""
            return self.cells([(text, "dim")], width)
        share_line = y - (height - len(self._share_rows))
        if share_line >= 0:
            return self._share_table(share_line)
        if y == 0:
            return self._axis()
        if self._lines_a_lane == 2:
            number, second = divmod(y - 1, 2)
            if second:
                return self._names(self._lanes[number][0]) if number < len(self._lanes) else self._blank()
            return self._lane(*self._lanes[number]) if number < len(self._lanes) else self._blank()
        number = self._first + y - 1
        last = y == height - len(self._share_rows) - 1
        hidden = len(self._lanes) - self._first - self._room
        if last and hidden > 0:
            return self.cells(
                [(fit(f"  {hidden + 1} weaker ones: page down", self._scale.label + 40), "dim")], width
            )
        return self._lane(*self._lanes[number]) if number < len(self._lanes) else self._blank()

    def _axis(self) -> Strip:
        scale = self._scale
        line = [" "] * scale.columns
        for first_column, last in scale.gaps:
            line[first_column : last + 1] = "⋯" * (last - first_column + 1)
        step = next((s for s in (10, 20, 40, 80, 160) if s >= 9 * scale.hz_a_column / 1e6), 400)
        first = np.ceil(scale.low_hz / 1e6 / step) * step
        for mhz in np.arange(first, scale.high_hz / 1e6, step):
            label, at = f"{mhz:.0f}", scale.column(mhz * 1e6)
            room = line[max(at - 1, 0) : at + len(label) + 1]
            if at + len(label) <= scale.columns and not "".join(room).strip():
                line[at : at + len(label)] = label
        return self.cells([(fit(" MHz", scale.label), "dim"), ("".join(line), "faint")], self.size.width)

    def _what_if_columns(self) -> tuple[int, int]:
        channel = self.what_if
        if channel is None:
            return -1, -1
        half = channel.width_mhz * 1e6 / 2
        return self._scale.column(channel.centre_hz - half), self._scale.column(channel.centre_hz + half)

    def _blank(self) -> Strip:
        return self.cells([(" " * self._scale.label, "text"), *self._fences()], self.size.width)

    def _names(self, radio: Radio | Emitter) -> Strip:
        """The SSIDs of a radio under its lane; of an emitter the confidence in its kind."""
        if isinstance(radio, Emitter):
            words: list[Cell] = [("   " + fit(confidence_text(radio), self._scale.label - 4) + " ", "faint")]
            return self.cells([*words, *self._fences()], self.size.width)
        names = ", ".join(dict.fromkeys(network_name(n.ssid) for n in radio.networks))
        cells: list[Cell] = [("   " + fit(names, self._scale.label - 4) + " ", "faint"), *self._fences()]
        return self.cells(cells, self.size.width)

    def _fences(self) -> list[Cell]:
        """An empty interval of the drawing with the two edges of the what-if."""
        glyphs, inks = [" "] * self._scale.columns, ["text"] * self._scale.columns
        for x in self._what_if_columns():
            if 0 <= x < len(glyphs):
                glyphs[x], inks[x] = "╎", "watch"
        return runs(glyphs, inks)

    def _emitter_lane(self, emitter: Emitter, density: FloatArray) -> Strip:
        scale = self._scale
        room = scale.label - 8
        # A hopper is narrow at each of its frequencies.
        glyph = "▚" if emitter.burst_hz > _THIN * emitter.bandwidth_hz else "·"
        glyphs = [glyph if share > 0 else " " for share in density]
        inks = ["emitter" if share > 0 else "text" for share in density]
        for x in self._what_if_columns():
            if 0 <= x < len(glyphs) and glyphs[x] == " ":
                glyphs[x], inks[x] = "╎", "watch"
        wide = self.size.width - scale.label - scale.columns >= 12
        on = percent(emitter.duty) if emitter.duty >= 0.005 else "<1 %"
        name = printable(emitter.name) or ADVICE[emitter.kind].short
        cells: list[Cell] = [
            (" ✶ ", "emitter"), (fit(name, room - 1) + " ", "text"),
            (fit(minus(emitter.level_dbm), 4, True) + " ", "steam"),
            *runs(glyphs, inks), (f"  {on:>5}{' on' if wide else ''}", "dim"),
        ]  # fmt: skip
        return self.cells(cells, self.size.width)

    def _lane(self, radio: Radio | Emitter, density: FloatArray) -> Strip:
        if isinstance(radio, Emitter):
            return self._emitter_lane(radio, density)
        scale, state = self._scale, self._state
        assert state is not None
        recedes = state.recedes(radio)
        name_ink = "faint" if recedes else "own!" if radio.own else "text"
        ink = "faint" if recedes else "own" if radio.own else "foreign"
        room = scale.label - 8
        label = [
            Segment(" ■ " if radio.own else " □ ", self.ink(ink)),
            Segment(
                fit(radio.name, room - 1) + " ", self.ink(name_ink.rstrip("!"), bold=name_ink.endswith("!"))
            ),
            Segment(
                fit(minus(radio.level_dbm), 4, True) + " ", self.ink("steam" if not recedes else "faint")
            ),
        ]
        remark = percent(radio.air_share) if radio.air_share is not None else ""
        wide = self.size.width - scale.label - scale.columns >= 12
        words = f"  {remark:>5}{' air' if wide else ''}" if remark else ""
        if wide and radio.stay.presence < 0.6:
            words = f"  present {percent(radio.stay.presence)}"
        return Strip(
            [*label, *self._spectrum(radio, density, ink), Segment(words, self.ink("dim"))]
        ).adjust_cell_length(self.size.width, self.ink("text"))

    def _spectrum(self, radio: Radio, density: FloatArray, ink: str) -> list[Segment]:
        """The radio's lane, with the edges of the what-if where it is empty."""
        key = f"{self.app.theme} {radio.id} {ink}"
        if key not in self._spectra:
            self._spectra[key] = self._drawn(radio, density, ink)
        strip, glyphs = self._spectra[key]
        out, at = [], 0
        for x in sorted(self._what_if_columns()):
            if at <= x < len(glyphs) and glyphs[x] == " ":
                out += [*strip.crop(at, x), Segment("╎", self.ink("watch"))]
                at = x + 1
        return [*out, *strip.crop(at, self._scale.columns)]

    def _drawn(self, radio: Radio, density: FloatArray, ink: str) -> tuple[Strip, str]:
        scale = self._scale
        primary = radio.channel.primary_hz
        low, high = scale.column(primary - 9e6), scale.column(primary + 9e6)
        number = str(radio.channel.primary)
        middle = (low + high) // 2 - len(number) // 2
        beside = high - low < len(number)  # no room within: behind the channel
        if beside:
            end_hz = max(centre_hz + width_hz / 2 for centre_hz, width_hz in radio.channel.segments)
            middle = min(scale.column(end_hz) + 1, scale.columns - len(number))
        out = []
        for x in range(scale.columns):
            share = float(density[x])
            within = low <= x <= high
            if middle <= x < middle + len(number) and (within or beside):
                glyph = number[x - middle]
                style = (
                    self.wash(ink, max(share, 0.75)) if within else self.ink("own" if radio.own else "text")
                )
            elif within:
                glyph, style = "█", self._shade(ink, max(share, 0.45))
            elif share > 0.02:
                glyph, style = _SHADES[1 + min(2, int(share * 4.2))], self._shade(ink, share)
            else:
                glyph, style = " ", self.ink("text")
            out.append(Segment(glyph, style))
        return Strip(Segment.simplify(out)), "".join(segment.text for segment in out)

    def _shade(self, ink: str, share: float) -> Style:
        """The ink itself, dimmer where there is less."""
        ground = self.wash(ink, 0.25 + 0.75 * share)
        return self.ink("text") + Style(color=ground.bgcolor)

    def _kinds_for(self, height: int) -> tuple[str, ...]:
        """What each line under the lanes holds; where channels are too close for numbers, bars take their lines."""
        numbers = self._pitch >= 3
        if height < _LOW_LINES:
            return ("bar", "bar", "clear" if numbers else "bar", "marks", "place")
        return (
            ("", *["bar"] * 4, "clear", "shared", "overlap", "other", "marks", "place")
            if numbers
            else ("", *["bar"] * 7, "marks", "place")
        )

    def _share_table(self, line: int) -> Strip:
        scale, kinds = self._scale, self._share_rows
        kind = kinds[line]
        first_bar = kind == "bar" and kinds.index("bar") == line
        title = _TITLES[kind] if kind != "bar" or first_bar else ""
        text, inks = [" "] * scale.columns, ["text"] * scale.columns
        for channel_view in self._by_weight() if kind else ():
            ink = self._share_ink(kind, channel_view)
            at = scale.column(channel_view.channel.centre_hz)
            if kind == "bar":
                below = sum(1 for k in kinds[line + 1 :] if k == "bar")
                glyph = _bar_glyph(channel_view.assessed, below, kinds.count("bar"))
                half = max(0, min(2, self._pitch // 2 - 1))
                start, word = at - half, glyph * (2 * half + 1)
            else:
                word = self._ledger_word(kind, channel_view)
                start = max(min(at - len(word) // 2, scale.columns - len(word)), 0)
                beside = kind != "marks"  # of one sign each; numbers need a space between them
                around = text[max(start - beside, 0) : start + len(word) + beside]
                if "".join(around).strip():
                    continue  # there is no room beside one that matters more
            for k, glyph in enumerate(word):
                if 0 <= start + k < scale.columns:
                    text[start + k], inks[start + k] = glyph, ink
        cells: list[Cell] = [(fit(" " + title, scale.label), "dim"), *runs(text, inks)]
        return self.cells(cells, self.size.width)

    def _by_weight(self) -> list[ChannelView]:
        """Those that are an answer first: what-if, recommended, in use by us; then 1, 6 and 11; then the others."""
        ours = {radio.channel.primary for radio in self._own()}

        def weight(view: ChannelView) -> tuple[int, float]:
            number = view.channel.primary
            if self.what_if is not None and number == self.what_if.primary:
                return 0, view.channel.centre_hz
            if Mark.BEST in self._marks.get(view.channel, ()) and number in self._firsts:
                return 1, view.channel.centre_hz
            if number in ours:
                return 2, view.channel.centre_hz
            usual = (view.channel.band == "2.4" and number in (1, 6, 11)) or number % 16 == 4
            return (3 if usual else 4), view.channel.centre_hz

        return sorted(self._channel_views, key=weight)

    @property
    def _firsts(self) -> set[int]:
        """Numbers of recommended channels whose lower neighbour is not recommended."""
        best = sorted(
            c.primary for c, marks in self._marks.items() if Mark.BEST in marks and self._is_shown(c)
        )
        return {n for n in best if n - 4 not in best}

    def _is_shown(self, channel: Channel) -> bool:
        return self._state is not None and channel.band == self._state.band

    def _share_ink(self, kind: str, channel_view: ChannelView) -> str:
        if kind == "marks":
            marks = self._marks.get(channel_view.channel, frozenset())
            return next((ink for mark, (_, ink) in SIGNS.items() if mark in marks), "dim")
        if self.what_if is not None and channel_view.channel.primary in self.what_if.parts:
            return "steam!"
        return "own" if self._is_own(channel_view) and kind in ("bar", "place") else _SHARE_INKS[kind]

    def _ledger_word(self, kind: str, channel_view: ChannelView) -> str:
        standing = channel_view.assessed
        if kind == "place":
            return str(channel_view.channel.primary)
        if kind == "marks":
            marks = self._marks.get(channel_view.channel, frozenset())
            return next((sign for mark, (sign, _) in SIGNS.items() if mark in marks), " ")
        swept = self._state is not None and channel_view.channel.band in self._state.assessment.swept_bands
        if standing is None or (kind == "other" and not swept and not standing.unidentified_lost):
            return "–"
        share = {
            "clear": standing.clear_air,
            "shared": standing.co_channel_lost,
            "overlap": standing.adjacent_lost,
            "other": 1 - (1 - standing.non_wifi_lost) * (1 - standing.unidentified_lost),
        }[kind]
        word = f"{100 * share:.0f}"
        return word if len(word) < self._pitch else "··"  # 100 where only two digits fit

    def _is_own(self, channel_view: ChannelView) -> bool:
        return any(radio.channel.primary == channel_view.channel.primary for radio in self._own())

    def _own(self) -> list[Radio]:
        return [radio for radio, _ in self._lanes if isinstance(radio, Radio) and radio.own]

    def on_click(self, event: events.Click) -> None:
        hz = self._scale.hz_at(event.x - self._scale.label)
        if self._channel_views and event.x >= self._scale.label:
            nearest = min(self._channel_views, key=lambda p: abs(p.channel.centre_hz - hz))
            self.post_message(self.Pointed(nearest.channel))

    def watch_what_if(self) -> None:
        self.refresh()


def _bar_glyph(standing: ChannelAssessment | None, lines_below: int, lines: int) -> str:
    """The piece of a bar of so many lines that is over lines_below others; a question mark at the foot for None."""
    if standing is None:
        return " " if lines_below else "?"
    eighths = round(standing.clear_air * 8 * lines) - 8 * lines_below
    if eighths <= 0:
        return " " if lines_below else "▁"
    return BARS[min(8, eighths)]
