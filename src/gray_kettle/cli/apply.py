"""The command `apply`: carry out the plan over RESTCONF, after a dry run and a question."""

import os
import time
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

if TYPE_CHECKING:
    from gray_kettle.restconf import Change

_PASSWORD_VARIABLE = "GRAY_KETTLE_PASSWORD"


def apply(
    case: Annotated[Path, typer.Argument(metavar="CASE", help="The case file, NAME.kettle.")],
    address: Annotated[
        str, typer.Argument(metavar="URL", help="The access point or controller: https://HOST:PORT.")
    ],
    yes: Annotated[bool, typer.Option("--yes", help="Write without asking.")] = False,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Show what would be written, and write nothing.")
    ] = False,
    user: Annotated[
        str, typer.Option("--user", help=f"User name; the password is read from {_PASSWORD_VARIABLE}.")
    ] = "",
) -> None:
    """Carry out the plan on access points that speak RESTCONF: a dry run, a question, writing, reading back."""
    from gray_kettle.model.plan_preferences import CompletedStep
    from gray_kettle.restconf import Restconf, changes_for
    from gray_kettle.session import load_session_detected
    from gray_kettle.store import Case

    with Case.open(case) as opened:
        proposal = load_session_detected(opened).proposal
        with Restconf(address, user, os.environ.get(_PASSWORD_VARIABLE, "")) as device:
            found = changes_for(proposal, device.radios())
            wanted = [c for c in found if c.device is not None and not c.settled]
            for change in found:
                print(_told(change))
            if not wanted:
                print("Nothing to write: every radio that was found has its proposed channel already.")
                return
            if dry_run or not (yes or typer.confirm(f"Write these {len(wanted)} settings?")):
                print("Nothing was written.")
                return
            failed = 0
            for change in wanted:
                move = change.move
                try:
                    assert change.device is not None
                    device.set_channel(change.device, move.target.primary, move.target.width_mhz)
                    if not next(c for c in changes_for(proposal, device.radios()) if c.move is move).settled:
                        raise KettleError("it was written, but reads back differently")
                except KettleError as error:
                    print(f"  {_name(change)}: not set: {error}")
                    failed += 1
                    continue
                print(f"  {_name(change)}: set to {move.target.label}, read back the same")
                if not move.stays:
                    text = f"{move.source.label} → {move.target.label}"
                    setup = opened.setup()
                    rest = tuple(d for d in setup.done if d.radio != move.radio.id)
                    opened.save_setup(
                        replace(setup, done=(*rest, CompletedStep(time.time(), move.radio.id, text)))
                    )
    if failed:
        raise KettleError(
            f"{failed} of {len(wanted)} settings failed; the others are written and marked as done."
        )


def _name(change: "Change") -> str:
    return f"{printable(change.move.radio.name)} {change.move.radio.band} GHz"


def _told(change: "Change") -> str:
    move, device = change.move, change.device
    if device is None:
        return f"  {_name(change)}: no radio with its BSSIDs on this access point; set it by hand"
    where = f"{printable(device.host)} radio {device.number}"
    now = f"{device.channel}/{device.width_mhz}{' automatic' if device.automatic else ''}"
    if change.settled:
        return f"  {_name(change)} ({where}): is {now} already"
    return f"  {_name(change)} ({where}): {now} → {move.target.label} fixed"
