"""The lanes: one line a radio over the frequencies it fills; and under them what is left of each place."""

from dataclasses import dataclass

import numpy as np
from rich.segment import Segment
from textual import events
from textual.message import Message
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.air.channels import Channel
from gray_kettle.air.masks import SKIRT_BELOW_MASK_DB, mask_db
from gray_kettle.judge.assessment import PlaceView, Radio
from gray_kettle.records import FloatArray
from gray_kettle.screens.ink import BARS, Cell, Inked, cell_len, fit, minus, percent
from gray_kettle.screens.look import Look

_FLOOR_DBM, _TOP_DBM = -95.0, -35.0
_SHADES = " ░▒▓█"
_MARGIN_HZ = 12e6
LEDGER_LINES = 9
_BAR_LINES = 4


@dataclass(frozen=True)
class Scale:
    """Frequencies to columns. The label stands left of the drawing, remarks right of it."""

    low_hz: float
    high_hz: float
    label: int
    columns: int

    def column(self, hz: float) -> int:
        return int((hz - self.low_hz) / (self.high_hz - self.low_hz) * self.columns)

    def hz(self) -> FloatArray:
        """Centre of every column."""
        return np.asarray(self.low_hz + (np.arange(self.columns) + 0.5) / self.columns * (self.high_hz - self.low_hz))


def scale_for(places: tuple[PlaceView, ...], radios: tuple[Radio, ...], width: int) -> Scale:
    """The band's places from edge to edge, with room for labels."""
    centres = [p.channel.centre_hz for p in places] or [2412e6, 2472e6]
    edges = [hz + side * w / 2 for r in radios for hz, w in r.channel.segments for side in (-1, 1)]
    label = 26 if width >= 120 else 20 if width >= 80 else 16
    right = 18 if width >= 120 else 8 if width >= 80 else 1
    low, high = min([*centres, *edges]) - _MARGIN_HZ, max([*centres, *edges]) + _MARGIN_HZ
    return Scale(low, high, label, max(width - label - right, 10))


class Lanes(Inked, Widget, can_focus=True):
    """Lanes and ledger on one frequency axis, with a what-if channel that slides over both."""

    DEFAULT_CSS = "Lanes { height: 1fr; }"

    what_if: reactive[Channel | None] = reactive(None)

    @dataclass
    class Pointed(Message):
        """A place was clicked."""

        channel: Channel

    def __init__(self, *, id: str | None = None) -> None:  # noqa: A002 - Textual's own name
        super().__init__(id=id)
        self._look: Look | None = None
        self._places: tuple[PlaceView, ...] = ()
        self._lanes: list[tuple[Radio, FloatArray]] = []
        self._scale = Scale(0, 1, 1, 1)
        self._first = 0

    def show(self, look: Look, places: tuple[PlaceView, ...]) -> None:
        self._look, self._places = look, places
        self._measure()

    def on_resize(self) -> None:
        self._measure()

    def _measure(self) -> None:
        if self._look is None or not self.size.width:
            return
        radios = self._look.radios
        self._scale = scale_for(self._places, radios, self.size.width)
        self._lanes = [(radio, self._density(radio)) for radio in radios if radio.level_dbm is not None]
        self._first = min(self._first, max(0, len(self._lanes) - self._room))
        self.refresh()

    @property
    def _room(self) -> int:
        return max(self.size.height - LEDGER_LINES - 1, 1)

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
            best = np.maximum(best, mask_db(kind, width, hz - centre_hz, SKIRT_BELOW_MASK_DB))
        level = (radio.level_dbm or _FLOOR_DBM) + best
        return np.clip((level - _FLOOR_DBM) / (_TOP_DBM - _FLOOR_DBM), 0.0, 1.0)

    def render_line(self, y: int) -> Strip:
        width, height = self.size
        if self._look is None:
            return self.cells([], width)
        if not self._lanes:
            text = f" No radio was heard in {self._look.band} GHz in this window." if y == 1 else ""
            return self.cells([(text, "dim")], width)
        ledger = y - (height - LEDGER_LINES)
        if ledger >= 0:
            return self._ledger(ledger)
        if y == 0:
            return self._axis()
        number = self._first + y - 1
        last = y == height - LEDGER_LINES - 1
        hidden = len(self._lanes) - self._first - self._room
        if last and hidden > 0:
            return self.cells([(fit(f"  and {hidden + 1} weaker: page down", self._scale.label + 40), "dim")], width)
        return self._lane(*self._lanes[number]) if number < len(self._lanes) else self._blank()

    def _axis(self) -> Strip:
        scale = self._scale
        line = [" "] * scale.columns
        span_mhz = (scale.high_hz - scale.low_hz) / 1e6
        step = next(s for s in (10, 20, 40, 80, 160, 400) if span_mhz / s <= scale.columns / 9)
        first = np.ceil(scale.low_hz / 1e6 / step) * step
        for mhz in np.arange(first, scale.high_hz / 1e6, step):
            label, at = f"{mhz:.0f}", scale.column(mhz * 1e6)
            if at + len(label) <= scale.columns:
                line[at : at + len(label)] = label
        return self.cells([(fit(" MHz", scale.label), "dim"), ("".join(line), "faint")], self.size.width)

    def _what_if_columns(self) -> tuple[int, int]:
        channel = self.what_if
        if channel is None:
            return -1, -1
        half = channel.width_mhz * 1e6 / 2
        return self._scale.column(channel.centre_hz - half), self._scale.column(channel.centre_hz + half)

    def _blank(self) -> Strip:
        left, right = self._what_if_columns()
        cells: list[Cell] = [(" " * self._scale.label, "text")]
        cells += self._fences(" " * self._scale.columns, left, right, "text")
        return self.cells(cells, self.size.width)

    def _fences(self, text: str, left: int, right: int, ink: str) -> list[Cell]:
        """Text with the two edges of the what-if drawn over it."""
        out: list[Cell] = []
        for x, glyph in enumerate(text):
            if x in (left, right) and glyph == " ":
                out.append(("│", "steam"))
            else:
                out.append((glyph, ink))
        return out

    def _lane(self, radio: Radio, density: FloatArray) -> Strip:
        scale, look = self._scale, self._look
        assert look is not None
        recedes = bool(look.followed) and radio.id not in look.followed and not radio.own
        name_ink = "faint" if recedes else "own!" if radio.own else "text"
        ink = "faint" if recedes else "own" if radio.own else "foreign"
        room = scale.label - 8
        label = [
            Segment(" ■ " if radio.own else " □ ", self.ink(ink)),
            Segment(fit(radio.name, room - 1) + " ", self.ink(name_ink.rstrip("!"), bold=name_ink.endswith("!"))),
            Segment(fit(minus(radio.level_dbm), 4, True) + " ", self.ink("steam" if not recedes else "faint")),
        ]
        remark = percent(radio.air_share) if radio.air_share is not None else ""
        words = f"  {remark:>5} air" if remark else ""
        if self.size.width >= 120 and radio.stay.presence < 0.6:
            words = f"  here {percent(radio.stay.presence)}"
        return Strip([*label, *self._spectrum(radio, density, ink), Segment(words, self.ink("dim"))]).adjust_cell_length(
            self.size.width, self.ink("text")
        )

    def _spectrum(self, radio: Radio, density: FloatArray, ink: str) -> list[Segment]:
        scale = self._scale
        primary = radio.channel.primary_hz
        low, high = scale.column(primary - 9e6), scale.column(primary + 9e6)
        left, right = self._what_if_columns()
        number = str(radio.channel.primary)
        middle = (low + high) // 2 - len(number) // 2
        out = []
        for x in range(scale.columns):
            share = float(density[x])
            if middle <= x < middle + len(number) and low <= x <= high:
                out.append(Segment(number[x - middle], self.wash(ink, max(share, 0.75))))
            elif low <= x <= high:
                out.append(Segment("█", self._shade(ink, max(share, 0.45))))
            elif share > 0.02:
                out.append(Segment(_SHADES[1 + min(3, int(share * 4.2))], self._shade(ink, share)))
            elif x in (left, right):
                out.append(Segment("│", self.ink("steam")))
            else:
                out.append(Segment(" ", self.ink("text")))
        return list(Segment.simplify(out))

    def _shade(self, ink: str, share: float):  # type: ignore[no-untyped-def]
        """The ink itself, dimmer where there is less."""
        ground = self.wash(ink, 0.25 + 0.75 * share)
        return self.ink("text") + type(ground)(color=ground.bgcolor)

    def _ledger(self, line: int) -> Strip:
        scale = self._scale
        titles = ["", "clear air", "", "", "", "% clear", "% shared", "% overlap", "place"]
        text = [" "] * scale.columns
        inks = ["text"] * scale.columns
        chosen = self.what_if
        pitch = self._pitch()
        for place in self._places:
            at = scale.column(place.channel.centre_hz)
            mine = chosen is not None and place.channel.primary in chosen.parts
            self._ledger_cell(line, place, at, pitch, mine, text, inks)
        cells: list[Cell] = [(fit(" " + titles[line], scale.label), "dim")]
        cells += list(zip(text, inks, strict=True))
        return self.cells(cells, self.size.width)

    def _pitch(self) -> int:
        """Columns from one place to the next."""
        centres = sorted(self._scale.column(p.channel.centre_hz) for p in self._places)
        return min((b - a for a, b in zip(centres, centres[1:], strict=False)), default=8)

    def _ledger_cell(
        self, line: int, place: PlaceView, at: int, pitch: int, mine: bool, text: list[str], inks: list[str]
    ) -> None:
        standing = place.standing
        here = any((r.channel.band, r.channel.primary) == (place.channel.band, place.channel.primary) for r in self._own())
        if line == 0:
            return
        if line <= _BAR_LINES:
            half = max(0, min(2, pitch // 2 - 1))
            if standing is None:
                glyph = "?" if line == _BAR_LINES else " "
            else:
                eighths = round(standing.clear_air * 8 * _BAR_LINES) - 8 * (_BAR_LINES - line)
                glyph = BARS[max(0, min(8, eighths))]
                if line == _BAR_LINES and eighths <= 0:
                    glyph = "▁"
            ink = "steam!" if mine else "own" if here else "foreign"
            for x in range(at - half, at + half + 1):
                if 0 <= x < len(text):
                    text[x], inks[x] = glyph, ink
            return
        values = {
            5: None if standing is None else standing.clear_air,
            6: None if standing is None else standing.co_channel_lost,
            7: None if standing is None else standing.adjacent_lost,
        }
        if line == 8:
            word = str(place.channel.primary)
        else:
            value = values[line]
            word = "–" if value is None else f"{100 * value:.0f}"
        if len(word) >= pitch and (line < 8 or place.channel.primary % 8):
            word = "" if line == 8 else word[:2] if pitch > 2 else ""
        start = at - len(word) // 2
        for k, glyph in enumerate(word):
            if 0 <= start + k < len(text):
                text[start + k] = glyph
                inks[start + k] = "steam!" if mine else "own" if here and line == 8 else "text" if line == 5 else "dim"

    def _own(self) -> list[Radio]:
        return [radio for radio, _ in self._lanes if radio.own]

    def on_click(self, event: events.Click) -> None:
        hz = self._scale.low_hz + (event.x - self._scale.label) / self._scale.columns * (
            self._scale.high_hz - self._scale.low_hz
        )
        if self._places and event.x >= self._scale.label:
            nearest = min(self._places, key=lambda p: abs(p.channel.centre_hz - hz))
            self.post_message(self.Pointed(nearest.channel))

    def watch_what_if(self) -> None:
        self.refresh()


__all__ = ["Lanes", "Scale", "cell_len", "scale_for"]
