"""The commands that open the app: `demo` and `open`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath
from gray_kettle.cli.progress import progress_bar
from gray_kettle.errors import InvalidInput, KettleError


def run(case: Path | None, is_demo: bool = False) -> None:
    """Open the app and leave with its return code."""
    from gray_kettle.tui.app import KettleApp

    shown = KettleApp(case, is_demo)
    shown.run()
    raise typer.Exit(shown.return_code or 0)


def demo(
    make: Annotated[
        Path | None, typer.Option("--make", help="Write the demo case to this file and exit.")
    ] = None,
    before: Annotated[
        bool, typer.Option("--before", help="With --make: as the technician finds it, before any change.")
    ] = False,
) -> None:
    """Open the demo case: Tern Quay, a fictional ferry terminal. It is made on first use."""
    from gray_kettle.demo_case import demo_path

    path = make or demo_path()
    if before and make is None:
        raise InvalidInput("--before goes with --make FILE.")
    if make is not None and path.exists():
        raise KettleError(f"{path} already exists: choose another name.")
    if not path.exists():
        from gray_kettle.simulator.demo import make_demo

        path.parent.mkdir(parents=True, exist_ok=True)
        with progress_bar("making the demo case") as step:
            make_demo(path, step, is_changed=not before)
    if make is None:
        run(path, is_demo=True)


def open_case(case: CasePath) -> None:
    """Open a case in the app."""
    from gray_kettle.store.header import check

    check(case)  # says what is wrong before the app takes the screen
    run(case)
