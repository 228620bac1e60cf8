"""The command `apply`: carry out the plan over RESTCONF, after a dry run and a question."""

import json
import os
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

if TYPE_CHECKING:
    from gray_kettle.restconf import Change, Restconf, Written
    from gray_kettle.store import Case

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
    via: Annotated[
        str,
        typer.Option(
            "--via", help="BSSID of the radio that this computer is connected through: it comes last."
        ),
    ] = "",
    rollback: Annotated[
        bool, typer.Option("--rollback", help="Write back what was set before, from the journal in the case.")
    ] = False,
) -> None:
    """Carry out the plan on access points that speak RESTCONF: a dry run, a question, writing, reading back.

    It ends at the first setting that does not read back as it was written.
    """
    from gray_kettle.restconf import Restconf, roll_back
    from gray_kettle.store import Case

    password = os.environ.get(_PASSWORD_VARIABLE, "")
    with Case.open(case) as opened, Restconf(address, user, password) as device:
        if opened.read_only:  # without a journal nothing can be taken back
            raise KettleError(f"{case} cannot be written ({opened.read_only}): there would be no journal.")
        if rollback:
            _roll_back(opened, address, yes, lambda: roll_back(device, opened.journal, address))
        else:
            _carry_out(opened, device, address, _Asked(yes, dry_run, via.strip().lower()))


@dataclass(frozen=True)
class _Asked:
    yes: bool
    dry_run: bool
    via: str


def _carry_out(opened: "Case", device: "Restconf", address: str, asked: _Asked) -> None:
    from gray_kettle.model.device_change import WriteResult
    from gray_kettle.model.plan_preferences import CompletedStep
    from gray_kettle.restconf import changes_for, write_changes
    from gray_kettle.session import load_session_detected
    from gray_kettle.setup_editor import with_completed

    session = load_session_detected(opened)
    carrying = session.assessment.radio(asked.via) if asked.via else None
    if asked.via and carrying is None:
        raise KettleError(f"No radio has the BSSID {printable(asked.via)} in this case.")
    found = changes_for(session.proposal, device.radios(), carrying.id if carrying else "")
    wanted = [c for c in found if c.device is not None and not c.settled]
    for change in found:
        print(_told(change))
    if not wanted:
        print("Nothing to write: every radio that was found has its proposed channel already.")
        return
    if asked.dry_run:
        for change in wanted:
            assert change.device is not None
            path, body = device.request_for(change.device, change.setting)
            print(f"  PATCH {printable(path)}\n        {json.dumps(body)}")
    if asked.dry_run or not (asked.yes or typer.confirm(f"Write these {len(wanted)} settings?")):
        print("Nothing was written.")
        return
    done = 0
    for written in write_changes(device, opened.journal, address, wanted):
        print(f"  {written.text}")
        if written.change.result is not WriteResult.SET:
            break
        done += 1
        move = written.source.move if written.source else None
        if move is not None and not move.stays:
            text = f"{move.source.label} → {move.target.label}"
            step = CompletedStep(time.time(), move.radio.id, text, move.promised)
            opened.edit_setup(partial(with_completed, step=step))
    if done < len(wanted):
        raise KettleError(
            f"{done} of {len(wanted)} settings are written and marked as done; the rest was not tried after the "
            "failure. `apply --rollback` writes the old settings back."
        )


def _roll_back(opened: "Case", address: str, yes: bool, roll: "Callable[[], Iterator[Written]]") -> None:
    from gray_kettle.model.device_change import WriteResult
    from gray_kettle.setup_editor import without_completed

    kept = (WriteResult.SET, WriteResult.UNKNOWN, WriteResult.OTHER)
    entries = [e for _, _, e in reversed(opened.journal.entries(address)) if e.result in kept]
    if not entries:
        print("Nothing to write back: the journal has no setting that was written to this address.")
        return
    for entry in entries:
        print(f"  {printable(entry.text)}: {entry.after.label} → {entry.before.label}")
    if not (yes or typer.confirm(f"Write these {len(entries)} settings back?")):
        print("Nothing was written.")
        return
    failed = 0
    for written in roll():
        print(f"  {printable(written.text)}")
        if written.change.result is WriteResult.ROLLED_BACK:
            opened.edit_setup(partial(without_completed, radio=written.change.radio))
        else:
            failed += 1
    if failed:
        raise KettleError("Not everything was written back: see above, and look at those radios.")


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
