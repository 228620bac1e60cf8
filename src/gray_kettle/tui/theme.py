"""Colours by meaning, and text in cells. Drawings name a style; the theme says its colour.

Meaning never depends on colour alone: every ink has a shape or a word of its own where it is used.
"""

import re
from functools import lru_cache

from rich.cells import cell_len, set_cell_size
from rich.color import Color as RichColor
from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.strip import Strip
from textual.theme import Theme
from textual.widget import Widget

INKS = ("text", "dim", "faint", "own", "foreign", "steam", "act", "watch", "rule", "chosen", "emitter")
Cell = tuple[str, str]  # text and ink

KETTLE = Theme(
    name="kettle",
    primary="#c98a55",
    secondary="#8494a3",
    accent="#f2e6d4",
    foreground="#d3dae0",
    background="#12161a",
    surface="#171c21",
    panel="#20272e",
    warning="#d8b06c",
    error="#e2724a",
    success="#f2e6d4",
    dark=True,
    variables={
        "own": "#d9935a",
        "foreign": "#8fa0b0",
        "steam": "#f6ecdd",
        "faint": "#56626e",
        "dim": "#8694a1",
        "act": "#ee7d4f",
        "watch": "#d8b06c",
        "rule": "#2c353e",
        "chosen": "#29323b",
        "emitter": "#c9b8e0",
    },
)
KETTLE_LIGHT = Theme(
    name="kettle-light",
    primary="#a2561f",
    secondary="#5b6b7a",
    accent="#3a2a1c",
    foreground="#20272d",
    background="#f4f1ec",
    surface="#ece8e1",
    panel="#e0dbd2",
    warning="#8a6112",
    error="#b23c14",
    success="#3a2a1c",
    dark=False,
    variables={
        "own": "#a2561f",
        "foreign": "#566878",
        "steam": "#1c1712",
        "faint": "#a39c92",
        "dim": "#65707a",
        "act": "#b23c14",
        "watch": "#85600f",
        "rule": "#cfc8bc",
        "chosen": "#ded6c8",
        "emitter": "#5d4a86",
    },
)
VARIABLE_DEFAULTS = dict(KETTLE.variables)
CSS = "\n".join(
    f".ink--{name} {{ color: ${'foreground' if name == 'text' else name}; }}"
    for name in INKS
    if name != "chosen"
)
CSS += "\n.ink--chosen { color: $foreground; background: $chosen; }\n"


class ThemedWidget(Widget):
    """A widget that draws in inks.

    Styles are kept by theme. Textual reports a change of style whenever a view is shown; the colours of an
    ink depend on the theme alone.
    """

    COMPONENT_CLASSES = {f"ink--{name}" for name in INKS}  # noqa: RUF012 - Textual's own form

    def ink(self, name: str, chosen: bool = False, bold: bool = False) -> Style:
        """Style of an ink; on the ground of a chosen row when chosen."""
        cache = self.__dict__.setdefault("_ink_cache", {})
        key = (self.app.theme, name, chosen, bold)
        if key not in cache:
            style = self.get_component_rich_style(f"ink--{name}")
            if chosen:
                style += Style(bgcolor=self.get_component_rich_style("ink--chosen").bgcolor)
            cache[key] = style + Style(bold=True) if bold else style
        found: Style = cache[key]
        return found

    def wash(self, name: str, share: float) -> Style:
        """The ink's colour as a ground, mixed into the screen's own ground: 0 nothing of it, 1 all of it."""
        cache = self.__dict__.setdefault("_ink_cache", {})
        key = (self.app.theme, "wash", name, round(share * 24))
        if key not in cache:
            style = self.ink(name)
            ground = _textual(style.bgcolor) or Color.parse("#12161a")
            colour = _textual(style.color) or ground
            mixed = ground.blend(colour, key[3] / 24)
            text = mixed.get_contrast_text(1.0)
            cache[key] = Style(color=text.rich_color, bgcolor=mixed.rich_color)
        found: Style = cache[key]
        return found

    def cells(self, cells: list[Cell], width: int, chosen: bool = False) -> Strip:
        """A line of cells, filled or cut to the width. An ink that ends in "!" is bold."""
        segments = []
        for text, name in cells:
            segments.append(Segment(text, self.ink(name.rstrip("!"), chosen, name.endswith("!"))))
        ground = self.ink("text", chosen)
        return Strip(segments).adjust_cell_length(width, ground)


def _textual(colour: RichColor | None) -> Color | None:
    return None if colour is None or colour.is_default else Color.from_rich_color(colour)


@lru_cache(maxsize=4096)
def fit(text: str, width: int, right: bool = False) -> str:
    """Text cut (with an ellipsis) or filled to a width in cells."""
    if width <= 0:
        return ""
    if cell_len(text) > width:
        return set_cell_size(text, width - 1) + "…"
    return " " * (width - cell_len(text)) + text if right else set_cell_size(text, width)


_BREAK = re.compile(r"(?<!✶)\s+(?!(?:%|dBm|dB|MHz|GHz|Mb/s)(?:\W|$))")


def wrap(text: str, width: int, most: int = 99) -> list[str]:
    """Words in lines of at most a width; the last line allowed ends in an ellipsis where more follows.

    A number stays with its unit.
    """
    lines: list[str] = []
    line = ""
    for word in _BREAK.split(text.strip()):
        joined = f"{line} {word}" if line else word
        if cell_len(joined) <= width or not line:
            line = joined
        else:
            lines.append(line)
            line = word
    if line:
        lines.append(line)
    if len(lines) > most:
        lines = [*lines[: most - 1], fit(" ".join(lines[most - 1 :]), width).rstrip()]
    return lines


def runs(glyphs: list[str], inks: list[str]) -> list[Cell]:
    """Glyphs with an ink each, put together to cells of one ink: a line of few segments draws fast."""
    out: list[Cell] = []
    start = 0
    for at in range(1, len(glyphs) + 1):
        if at == len(glyphs) or inks[at] != inks[start]:
            out.append(("".join(glyphs[start:at]), inks[start]))
            start = at
    return out


def percent(share: float | None) -> str:
    return "–" if share is None else f"{100 * share:.0f} %"


def minus(value: float | None) -> str:
    """A level or difference in whole decibels, with a true minus sign."""
    return "–" if value is None else f"{value:.0f}".replace("-", "−")


BARS = " ▁▂▃▄▅▆▇█"


def bar_glyphs(shares: "list[float | None]") -> str:
    """One block a value between 0 and 1, a dashed line where there is none."""
    return "".join("┄" if s is None else BARS[max(1, min(8, round(s * 8)))] for s in shares)
