"""The colour maps of the sweep pictures, and pictures of two dots a cell.

Levels run from slate through copper to cream; presence runs from dark to light slate, so that the lines of the
highest and of the mean level stand out of it. In the light theme both begin at paper.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from rich.color import Color, ColorSystem
from rich.segment import Segment
from rich.style import Style

LEVELS = 32
LOWEST_DBM, HIGHEST_DBM = -112.0, -40.0  # the fixed scale of the waterfall
NOTHING = LEVELS  # a dot where nothing was measured
HIGHEST_LINE, MEAN_LINE = LEVELS + 1, LEVELS + 2
DOTS = LEVELS + 3
_RECEDES = 0.28  # of its level, where something else is highlighted
_RAMP = " ·░▒▓█"  # without colour
_WATER = {
    True: [(20, 25, 30), (42, 53, 64), (72, 80, 88), (140, 84, 52), (217, 147, 90), (252, 240, 218)],
    False: [(240, 236, 230), (196, 204, 210), (140, 150, 160), (196, 128, 80), (150, 74, 26), (40, 22, 10)],
}
_PRESENCE = {
    True: [(18, 22, 26), (40, 50, 60), (74, 90, 104), (122, 142, 160), (178, 194, 208)],
    False: [(244, 241, 236), (206, 210, 214), (160, 170, 180), (112, 126, 140), (62, 76, 90)],
}
_NOTHING = {True: (18, 22, 26), False: (244, 241, 236)}
_LINES = {True: ((246, 236, 221), (217, 147, 90)), False: ((28, 23, 18), (162, 86, 31))}
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
Dots = NDArray[np.uint8]
Rgb = tuple[int, int, int]


def ramp(stops: list[Rgb], count: int = LEVELS) -> list[Rgb]:
    """So many colours from the first stop to the last."""
    at = np.linspace(0, len(stops) - 1, count)
    table = np.stack([np.interp(at, range(len(stops)), [s[c] for s in stops]) for c in range(3)], axis=1)
    return [(int(r), int(g), int(b)) for r, g, b in table]


def water_colours(dark: bool) -> list[Rgb]:
    return [*ramp(_WATER[dark]), _NOTHING[dark], *_LINES[dark]]


def presence_colours(dark: bool) -> list[Rgb]:
    return [*ramp(_PRESENCE[dark]), _NOTHING[dark], *_LINES[dark]]


def in_256(colours: list[Rgb]) -> list[Rgb]:
    """The same from the 256 colours of older terminals: near, and in the same order of brightness.

    The nearest colour alone would show some levels darker than the ones below them.
    """
    cube = [0, 95, 135, 175, 215, 255]
    # Grays, and of the rest the warm ones: pink or teal would be conspicuous in maps that have neither.
    sent = [(r, g, b) for r in cube for g in cube for b in cube if r >= g > b and (r > g or r == 255)]
    sent += [(8 + 10 * k,) * 3 for k in range(24)]
    # What the terminal receives for each: the conversion has a way of its own with grays.
    shown = [Color.from_rgb(*rgb).downgrade(ColorSystem.EIGHT_BIT).get_truecolor() for rgb in sent]
    palette = np.array([tuple(rgb) for rgb in shown])
    light = palette @ _LUMINANCE
    rising = np.array(colours[LEVELS - 1]) @ _LUMINANCE > np.array(colours[0]) @ _LUMINANCE
    out: list[Rgb] = []
    bound = -np.inf if rising else np.inf
    for k, rgb in enumerate(colours):
        away = ((palette - np.array(rgb)) ** 2).sum(axis=1).astype(float)
        if k < LEVELS:
            away = np.where(light >= bound if rising else light <= bound, away, np.inf)
        best = int(away.argmin())
        bound = light[best]
        red, green, blue = (int(c) for c in sent[best])
        out.append((red, green, blue))
    return out


class DotStyles:
    """Styles of cells with two dots, made at first use."""

    def __init__(self, colours: list[Rgb]) -> None:
        self._colours = [Color.from_rgb(*rgb) for rgb in colours]
        self._made: dict[int, Style] = {}

    def __getitem__(self, pair: int) -> Style:
        if pair not in self._made:
            top, bottom = divmod(pair, DOTS)
            self._made[pair] = Style(color=self._colours[top], bgcolor=self._colours[bottom])
        return self._made[pair]


def water_dots(levels_dbm: NDArray[Any]) -> Dots:
    """Levels on the fixed scale; NOTHING where there is none."""
    scaled = (levels_dbm - LOWEST_DBM) * ((LEVELS - 1) / (HIGHEST_DBM - LOWEST_DBM))
    return _dots(scaled)


def share_dots(share: NDArray[Any]) -> Dots:
    """Shares of time, 0 to 1, evenly."""
    return _dots(share * (LEVELS - 1))


def presence_dots(share: NDArray[Any]) -> Dots:
    """Shares of time on a scale of magnitudes: a thousandth is just seen, a half is full."""
    with np.errstate(divide="ignore"):
        scaled = (np.log10(share) + 3.2) / 2.9 * (LEVELS - 1)
    return _dots(np.where(share > 0, np.maximum(scaled, 1), 0))


def _dots(scaled: NDArray[Any]) -> Dots:
    whole: Dots = np.clip(np.nan_to_num(scaled), 0, LEVELS - 1).astype(np.uint8)
    whole[np.isnan(scaled)] = NOTHING
    return whole


def receded(dots: Dots, keep: NDArray[np.bool_]) -> Dots:
    """The same with all but some dots darker."""
    faded = np.where(dots < LEVELS, (dots * _RECEDES).astype(np.uint8), dots)
    return np.where(keep, dots, faded).astype(np.uint8)


def coloured(top: Dots, bottom: Dots, styles: DotStyles) -> list[Segment]:
    """A line of cells of two dots each: one segment for each run of equal pairs."""
    pair = top.astype(np.int32) * DOTS + bottom
    starts = [0, *(np.flatnonzero(pair[1:] != pair[:-1]) + 1).tolist()]
    ends = [*starts[1:], len(pair)]
    return [
        Segment("▀" * (end - start), styles[kind])
        for start, end, kind in zip(starts, ends, pair[starts].tolist(), strict=True)
    ]


def plain(top: Dots, bottom: Dots, style: Style) -> list[Segment]:
    """The same without colour: shades of ink; ‾ and – for the lines."""
    text = []
    for a, b in zip(top.tolist(), bottom.tolist(), strict=True):
        if HIGHEST_LINE in (a, b):
            text.append("▔" if a == HIGHEST_LINE else "▂")
        elif MEAN_LINE in (a, b):
            text.append("╌")
        else:
            strongest = max(x if x < LEVELS else 0 for x in (a, b))
            text.append(_RAMP[round(strongest / (LEVELS - 1) * (len(_RAMP) - 1))])
    return [Segment("".join(text), style)]
