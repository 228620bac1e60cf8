"""The commands that write a file: `sheet` and `draw`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Force, Start, check_band, window_of
from gray_kettle.errors import InvalidInput


def sheet(
    case: CasePath,
    output: Annotated[Path, typer.Option("--output", "-o", help="FILE.pdf, FILE.txt or FILE.csv.")],
    from_: Start = None,
    to: End = None,
    force: Force = False,
) -> None:
    """The change sheet: what to set on which access point, in which order, by hand."""
    from gray_kettle.export.case_drawings import write_sheet

    write_sheet(case, output, *window_of(from_, to), force=force)


def draw(
    view: Annotated[
        str,
        typer.Argument(
            metavar="VIEW", help="What to draw: lanes, shares, levels, heatmap, sweep, waterfall."
        ),
    ],
    case: CasePath,
    output: Annotated[Path, typer.Option("--output", "-o", help="FILE.svg or FILE.pdf.")],
    band: Annotated[str, typer.Option("--band", help="2.4, 5 or 6.")] = "2.4",
    from_: Start = None,
    to: End = None,
    force: Force = False,
) -> None:
    """A vector drawing for a report."""
    from gray_kettle.export.case_drawings import VIEWS, draw_view

    if view not in VIEWS:
        raise InvalidInput(f"“{view}” is not a drawing: use {', '.join(VIEWS)}.")
    draw_view(view, case, check_band(band) or "2.4", output, *window_of(from_, to), force=force)
