"""The change sheet on paper: one page a few radios, with boxes to tick and room for the time."""

from collections.abc import Iterator
from textwrap import wrap

from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, literal
from gray_kettle.planner.change_sheet import (
    CONNECTION_LOST,
    Line,
    Sheet,
    check_of,
    notes_of,
    old_settings_of,
    one_at_a_time,
    settings_of,
)

_WIDTH_IN, _HEIGHT_IN, _MARGIN_IN = 8.27, 11.69, 0.7
_LINE_IN, _COLUMNS = 0.2, 98
_Text = tuple[str, float, str, float]  # what, size, colour, indent in inches


def sheet_pages(sheet: Sheet) -> list[Figure]:
    """A4 pages in order."""
    pages: list[Figure] = []
    figure, at_in = _page(pages, sheet)
    for block in _blocks(sheet):
        needs_in = sum(_height(text) for text, _ in block)
        if at_in - needs_in < _MARGIN_IN:
            figure, at_in = _page(pages, sheet)
        for text, box in block:
            at_in -= _height(text)
            _write(figure, text, at_in)
            if box:
                _tick(figure, at_in)
    for number, page in enumerate(pages, 1):
        page.text(
            1 - _MARGIN_IN / _WIDTH_IN, 0.035, f"{number} of {len(pages)}", ha="right", size=8, color=FOREIGN
        )
    return pages


def _page(pages: list[Figure], sheet: Sheet) -> tuple[Figure, float]:
    figure = Figure(figsize=(_WIDTH_IN, _HEIGHT_IN), facecolor=PAPER)
    top_in = _HEIGHT_IN - _MARGIN_IN
    figure.text(
        _MARGIN_IN / _WIDTH_IN,
        top_in / _HEIGHT_IN,
        literal(f"{sheet.site}: what to change"),
        size=16,
        color=INK,
    )
    pages.append(figure)
    return figure, top_in - 0.25


def _blocks(sheet: Sheet) -> Iterator[list[tuple[_Text, bool]]]:
    """What must stay together on a page; with whether a box to tick is beside it."""
    if not sheet.changes:
        yield [(("No radio needs another channel.", 11, INK, 0.0), False)]
    if one_at_a_time(sheet):
        yield [(text, False) for text in _lines(one_at_a_time(sheet), 9.5, INK, 0.0)]
    band = ""
    for line in sheet.changes:
        if line.band != band:
            band = line.band
            yield [(("", 6, INK, 0.0), False), ((f"{band} GHz, in this order", 12, OWN, 0.0), False)]
        yield _block(line)
    if sheet.changes:
        yield [
            (("", 6, INK, 0.0), False),
            (("When the connection is lost after a step", 12, OWN, 0.0), False),
            *((t, False) for text in CONNECTION_LOST for t in _lines(text, 9.5, INK, 0.3)),
        ]
    if sheet.conflicts:
        yield [
            (("No channel is available for", 12, OWN, 0.0), False),
            *((t, False) for c in sheet.conflicts for t in _lines(c, 9.5, INK, 0.0)),
        ]
    if sheet.stays:
        yield [
            (("", 6, INK, 0.0), False),
            (("Unchanged; set as fixed channels", 12, OWN, 0.0), False),
        ]
        for line in sheet.stays:
            where = f"{line.radio}: {settings_of(line)}"
            yield [(text, k == 0) for k, text in enumerate(_lines(where, 9.5, INK, 0.3))]
    if sheet.other:
        yield [(("", 6, INK, 0.0), False), (("Other steps", 12, OWN, 0.0), False)]
        for what, gain, effort in sheet.other:
            yield [
                (text, k == 0)
                for k, text in enumerate(
                    [
                        *_lines(what, 9.5, INK, 0.3),
                        *_lines(f"{gain.rstrip('.')}; {effort}", 8.5, FOREIGN, 0.3),
                    ]
                )
            ]


def _block(line: Line) -> list[tuple[_Text, bool]]:
    head = f"{line.step}.  {line.radio}: {line.now.label} → {line.to.label}"
    known = line.before is not None and line.after is not None
    gain = (
        f"expected {line.before.expected_mbps:.0f} → {line.after.expected_mbps:.0f} Mb/s, clear air "
        f"{100 * line.before.clear_air:.0f} → {100 * line.after.clear_air:.0f} %"
        if known and line.before and line.after
        else ""
    )
    out: list[tuple[_Text, bool]] = [(("", 4, INK, 0.0), False), ((head, 11, INK, 0.3), True)]
    out += [(t, False) for t in _lines(f"Set: {settings_of(line)}", 9.5, INK, 0.3)]
    for text in (
        ", ".join(notes_of(line)),
        gain,
        line.why,
        f"{', '.join(line.networks)}; {', '.join(line.bssids)}",
        f"Check: {check_of(line)}.",
        f"Back: {old_settings_of(line)}.",
    ):
        out += [(t, False) for t in _lines(text, 8.5, FOREIGN, 0.3)]
    out.append((("done at  ____ : ____      clients are back   [  ]", 8.5, FOREIGN, 0.3), False))
    return out


def _lines(text: str, size: float, colour: str, indent_in: float) -> list[_Text]:
    return [(part, size, colour, indent_in) for part in wrap(text, round(_COLUMNS * 9.5 / size))]


def _height(text: _Text) -> float:
    return _LINE_IN * text[1] / 9.5 + (0.06 if text[1] > 10 else 0.0)


def _write(figure: Figure, text: _Text, at_in: float) -> None:
    words, size, colour, indent_in = text
    figure.text(
        (_MARGIN_IN + indent_in) / _WIDTH_IN, at_in / _HEIGHT_IN, literal(words), size=size, color=colour
    )


def _tick(figure: Figure, at_in: float) -> None:
    side = 0.13
    box = Rectangle(
        (_MARGIN_IN / _WIDTH_IN, at_in / _HEIGHT_IN - 0.001),
        side / _WIDTH_IN,
        side / _HEIGHT_IN,
        transform=figure.transFigure,
        fill=False,
        edgecolor=INK,
        linewidth=0.8,
    )
    figure.add_artist(box)
