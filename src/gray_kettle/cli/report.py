"""The command `report`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Force, KeepMaker, Mask, OwnOnly, Start, window_of
from gray_kettle.cli.progress import progress_bars


def report(
    case: CasePath,
    output: Annotated[
        Path | None,
        typer.Option("--output", "-o", help="FILE.pdf or .html; beside the case where it is left out."),
    ] = None,
    short: Annotated[bool, typer.Option("--short", help="The first page alone.")] = False,
    mask: Mask = False,
    keep_maker: KeepMaker = False,
    clients: Annotated[
        bool,
        typer.Option("--clients", help="Show addresses and names of clients, which are masked without it."),
    ] = False,
    own_only: OwnOnly = False,
    from_: Start = None,
    to: End = None,
    force: Force = False,
) -> None:
    """Write a report: a first page for the customer, the rest for a colleague who wants to check it."""
    from gray_kettle.errors import InvalidInput
    from gray_kettle.export.case_drawings import beside
    from gray_kettle.export.report.write import write_report
    from gray_kettle.masking import MaskOptions

    if mask and clients:
        raise InvalidInput("--mask replaces all addresses: it cannot go with --clients.")
    target = output or beside(case, "report", "pdf")
    masked = MaskOptions("all" if mask else "clients", keep_maker)
    with progress_bars() as progress:
        write_report(
            case,
            target,
            window_of(from_, to),
            is_short=short,
            masked=None if clients else masked,
            own_only=own_only,
            force=force,
            progress=progress,
        )
    print(f"{target} written.")
