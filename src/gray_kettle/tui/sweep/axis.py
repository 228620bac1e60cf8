"""The lines between presence and waterfall: frequencies, channels with their busy share, radios over their span."""

from dataclasses import dataclass

from gray_kettle.analysis.assessment import Radio
from gray_kettle.phy.channels import Channel
from gray_kettle.safe_text import printable
from gray_kettle.tui.theme import Cell, fit, runs


@dataclass(frozen=True)
class Scale:
    """Frequencies to columns."""

    low_hz: float
    high_hz: float
    columns: int

    def column(self, hz: float) -> int:
        return int((hz - self.low_hz) / (self.high_hz - self.low_hz) * self.columns)

    def hz(self, column: int) -> float:
        return self.low_hz + (column + 0.5) / self.columns * (self.high_hz - self.low_hz)


def frequencies(scale: Scale, cursor: int) -> list[Cell]:
    """Numbers in MHz, with the cursor's mark."""
    glyphs, inks = [" "] * scale.columns, ["faint"] * scale.columns
    span_mhz = (scale.high_hz - scale.low_hz) / 1e6
    step = next((s for s in (1, 2, 5, 10, 20, 40, 80, 160) if span_mhz / s <= scale.columns / 9), 400)
    mhz = -(-scale.low_hz / 1e6 // step) * step
    while mhz < scale.high_hz / 1e6:
        _put(glyphs, inks, scale.column(mhz * 1e6), f"{mhz:.0f}", "dim")
        mhz += step
    if 0 <= cursor < scale.columns:
        for step in (-1, 1):  # a number that the mark would cut goes
            at = cursor
            while 0 <= at < scale.columns and glyphs[at] != " ":
                glyphs[at] = " "
                at += step
        glyphs[cursor], inks[cursor] = "▼", "steam!"
    return runs(glyphs, inks)


def channel_numbers(
    scale: Scale, channels: list[Channel], own: set[int], chosen: Channel | None
) -> list[Cell]:
    """Numbers of the 20 MHz channels at their centres."""
    glyphs, inks = [" "] * scale.columns, ["dim"] * scale.columns
    for channel in sorted(channels, key=lambda c: (c != chosen, c.primary not in own, c.primary)):
        ink = "steam!" if channel == chosen else "own!" if channel.primary in own else "dim"
        word = str(channel.primary)
        at = scale.column(channel.centre_hz) - len(word) // 2
        if not "".join(glyphs[max(at - 1, 0) : at + len(word) + 1]).strip():
            _put(glyphs, inks, scale.column(channel.centre_hz), word, ink)
    return runs(glyphs, inks)


def shares(scale: Scale, duty: dict[Channel, float], chosen: Channel | None) -> list[Cell]:
    """Share of time that something was on each channel, in per cent, as far as there is room."""
    glyphs, inks = [" "] * scale.columns, ["text"] * scale.columns
    used_to = -2
    wanted = [c for c in duty if c.centre_hz > scale.low_hz]
    for channel in sorted(wanted, key=lambda c: c.centre_hz):
        word = f"{100 * duty[channel]:.0f}"
        at = scale.column(channel.centre_hz) - len(word) // 2
        if at > used_to + 1 and at + len(word) <= scale.columns:
            ink = "steam!" if channel == chosen else "act" if duty[channel] >= 0.5 else "text"
            _put(glyphs, inks, scale.column(channel.centre_hz), word, ink)
            used_to = at + len(word) - 1
    return runs(glyphs, inks)


def _put(glyphs: list[str], inks: list[str], centre: int, word: str, ink: str) -> None:
    at = centre - len(word) // 2
    if at < 0 or at + len(word) > len(glyphs):
        return
    for k, glyph in enumerate(word):
        glyphs[at + k], inks[at + k] = glyph, ink


def spans(scale: Scale, radios: list[Radio], lines: int) -> tuple[list[list[Cell]], int]:
    """Lines of bars over what radios fill, own ones first, and how many found no room."""
    rows = [([" "] * scale.columns, ["foreign"] * scale.columns) for _ in range(lines)]
    free_to = [[False] * scale.columns for _ in range(lines)]
    left_out = 0
    for radio in radios:
        edges = [
            (scale.column(hz - width / 2), scale.column(hz + width / 2))
            for hz, width in radio.channel.segments
        ]
        shown = [(max(a, 0), min(b, scale.columns - 1)) for a, b in edges if b > 0 and a < scale.columns - 1]
        if not shown:
            continue
        line = next((k for k in range(lines) if not any(any(free_to[k][a : b + 1]) for a, b in shown)), None)
        if line is None:
            left_out += 1
            continue
        for a, b in shown:
            _bar(*rows[line], a, b, radio)
            free_to[line][a : b + 2] = [True] * len(free_to[line][a : b + 2])
    return [runs(*row) for row in rows], left_out


def _bar(glyphs: list[str], inks: list[str], first: int, last: int, radio: Radio) -> None:
    ink = "own" if radio.own else "foreign"
    width = last - first + 1
    sign, name = "■" if radio.own else "□", printable(radio.name)
    room = width - 4  # ends and a blank to each side of the name
    words = f" {fit(f'{sign} {name}', min(room, len(name) + 2)).rstrip()} " if room >= 3 else ""
    text = f"├{words:─^{width - 2}}┤" if width >= 3 else "┼" * width
    for k, glyph in enumerate(text[:width]):
        glyphs[first + k], inks[first + k] = glyph, ink
