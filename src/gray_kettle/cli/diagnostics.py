"""The commands about the installation: `doctor`, `support` and `config`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, Force
from gray_kettle.errors import KettleError

_MARKS = {"ok": "·", "missing": "◇", "problem": "▲"}


def doctor() -> None:
    """Check this machine: versions, terminal, colours, signs, folders, and what can be collected from here."""
    from gray_kettle.diagnostics import checks

    problems = 0
    for check in checks():
        print(f"{_MARKS[check.state]} {check.topic}: {check.text}")
        if check.remedy:
            print(f"    {check.remedy}")
        problems += check.state == "problem"
    if problems:
        raise KettleError(f"{problems} {'problem was' if problems == 1 else 'problems were'} found.")


def support(
    case: CasePath,
    output: Annotated[Path, typer.Option("--output", "-o", help="FILE.zip to write.")],
    force: Force = False,
) -> None:
    """Write a support file: log, versions, settings and a summary of the case; addresses and names are masked."""
    from gray_kettle.diagnostics import write_support

    write_support(case, output, force)
    print(f"{output} written. Addresses and foreign names are masked; check it before you send it.")


def config(
    init: Annotated[bool, typer.Option("--init", help="Write a commented file to start from.")] = False,
    keys: Annotated[bool, typer.Option("--keys", help="List the binding ids that [keys] can set.")] = False,
) -> None:
    """Show where the configuration is and what is set."""
    from dataclasses import fields

    from gray_kettle import configuration

    file = configuration.path()
    if init:
        if file.exists():
            raise KettleError(f"{file} already exists: edit it.")
        from gray_kettle.export.files import write_file

        try:
            file.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise KettleError(f"{file.parent} cannot be made: {error.strerror}.") from error
        write_file(file, configuration.TEMPLATE)
        print(f"{file} written.")
        return
    if keys:
        from gray_kettle.tui.key_ids import binding_ids

        for name, key in binding_ids():
            print(f"{name} = {key}")
        return
    loaded = configuration.load()
    print(f"{file}{'' if file.exists() else ' (does not exist: all defaults)'}")
    for field in fields(loaded):
        value = getattr(loaded, field.name)
        print(f"  {field.name}: {value or '(default)'}")
