"""The commands that write a file: `sheet` and `draw`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Force, KeepMaker, Mask, Start, check_band, window_of
from gray_kettle.cli.progress import progress_bars
from gray_kettle.errors import InvalidInput


def sheet(
    case: CasePath,
    output: Annotated[
        Path | None,
        typer.Option("--output", "-o", help="FILE.pdf, .txt or .csv; beside the case where it is left out."),
    ] = None,
    from_: Start = None,
    to: End = None,
    mask: Mask = False,
    keep_maker: KeepMaker = False,
    force: Force = False,
) -> None:
    """The change sheet: what to set on which access point, in which order, by hand."""
    from gray_kettle.export.case_drawings import beside, write_sheet
    from gray_kettle.masking import MaskOptions

    target = output or beside(case, "changes", "pdf")
    masked = MaskOptions("all", keep_maker) if mask else None
    with progress_bars() as progress:
        write_sheet(case, target, *window_of(from_, to), masked=masked, force=force, progress=progress)
    if output is None:
        print(f"{target} written.")


def draw(
    view: Annotated[
        str,
        typer.Argument(
            metavar="VIEW", help="What to draw: lanes, shares, levels, heatmap, sweep, waterfall, proof."
        ),
    ],
    case: CasePath,
    output: Annotated[
        Path | None,
        typer.Option("--output", "-o", help="FILE.svg, .pdf or .png; beside the case where it is left out."),
    ] = None,
    band: Annotated[str, typer.Option("--band", help="2.4, 5 or 6.")] = "2.4",
    from_: Start = None,
    to: End = None,
    mask: Mask = False,
    keep_maker: KeepMaker = False,
    force: Force = False,
) -> None:
    """A drawing for a report."""
    from gray_kettle.export.case_drawings import VIEWS, beside, draw_view
    from gray_kettle.masking import MaskOptions

    if view not in VIEWS:
        raise InvalidInput(f"“{view}” is not a drawing: use {', '.join(VIEWS)}.")
    chosen = check_band(band) or "2.4"
    target = output or beside(case, view if view == "proof" else f"{view}-{chosen}", "svg")
    masked = MaskOptions("all", keep_maker) if mask else None
    with progress_bars() as progress:
        draw_view(
            view, case, chosen, target, *window_of(from_, to), masked=masked, force=force, progress=progress
        )
    if output is None:
        print(f"{target} written.")
