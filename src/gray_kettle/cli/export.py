"""The commands `export` and `import`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Force, KeepMaker, Mask, OwnOnly, Start, window_of
from gray_kettle.cli.progress import progress_bar, progress_bars


def export(
    case: CasePath,
    output: Annotated[
        Path,
        typer.Option("--output", "-o", help="FILE.csv, .json, .jsonl, .parquet; or all: FILE.zip, FOLDER."),
    ],
    table: Annotated[
        str,
        typer.Option(
            "--table",
            help="radios, bssids, clients, channels, emitters, findings, plan, proof, trials, takes; "
            "sightings, airtime, survey, links, sweeps, sweeps-long, sweeps-summed.",
        ),
    ] = "",
    form: Annotated[str, typer.Option("--format", help="Of the answers in a folder or zip file: csv.")] = "",
    records_only: Annotated[
        bool, typer.Option("--records-only", help="A folder or zip file without answers, which take memory.")
    ] = False,
    mask: Mask = False,
    keep_maker: KeepMaker = False,
    own_only: OwnOnly = False,
    from_: Start = None,
    to: End = None,
    force: Force = False,
) -> None:
    """Write data in open formats: a table with its dictionary, or all of a case so that it can be read back."""
    from gray_kettle.export.data.export import write_export
    from gray_kettle.masking import MaskOptions

    with progress_bars() as progress:
        written = write_export(
            case,
            output,
            table,
            window_of(from_, to),
            form=form,
            masked=MaskOptions("all", keep_maker) if mask else None,
            own_only=own_only,
            with_answers=not records_only,
            force=force,
            progress=progress,
        )
    for path in written:
        print(f"{path} written.")


def import_(
    source: Annotated[
        Path, typer.Argument(metavar="EXPORT", help="A folder or zip file that `export` wrote.")
    ],
    new: Annotated[Path, typer.Argument(metavar="NEW", help="The case to write, NAME.kettle.")],
) -> None:
    """Make a case of an export: the same case again."""
    from gray_kettle.export.data.read_back import read_back

    with progress_bar("reading") as progress:
        read_back(source, new, progress)
    print(f"{new} written, {new.stat().st_size / 1e6:,.1f} MB.")
