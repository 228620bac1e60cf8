"""The command `done`: record a change that was carried out, whoever made it and wherever."""

import time
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath, moment
from gray_kettle.errors import InvalidInput

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Radio

_LONGEST = 120


def done(
    case: CasePath,
    text: Annotated[
        str | None, typer.Argument(metavar="[WHAT]", help="For example “6/20 → 1/20” or “oven replaced”.")
    ] = None,
    radio: Annotated[
        str, typer.Option("--radio", help="NAME@BAND (hall@2.4) or a BSSID of ours; none for the site.")
    ] = "",
    at: Annotated[str | None, typer.Option("--at", help="When, ISO 8601; now, where it is left out.")] = None,
    remove: Annotated[
        bool, typer.Option("--remove", help="Take away the change of --radio that is nearest to --at.")
    ] = False,
) -> None:
    """Record a change that was carried out; without WHAT, list those that are known.

    The proof compares the time before the last of them with the time after it. Record a channel other than the one
    that was proposed as it was set.
    """
    from gray_kettle.export.utc import iso
    from gray_kettle.model.plan_preferences import CompletedStep
    from gray_kettle.safe_text import printable
    from gray_kettle.session import load_session
    from gray_kettle.setup_editor import with_completed, without_step
    from gray_kettle.store import Case

    moment_s = moment(at) if at else time.time()
    assert moment_s is not None
    what = printable((text or "").strip())[:_LONGEST]
    with Case.open(case) as opened:
        own = {r.id: r for r in load_session(opened).inventory.radios if r.own}
        radio_id = _radio(radio, list(own.values())).id if radio else ""
        if remove:
            opened.edit_setup(lambda setup: without_step(setup, radio_id, moment_s))
        elif what:
            opened.edit_setup(lambda setup: with_completed(setup, CompletedStep(moment_s, radio_id, what)))
        steps = opened.setup().done
    for step in sorted(steps, key=lambda step: step.time_s):
        who = own.get(step.radio)
        name = f"{who.name} {who.band} GHz" if who is not None else step.radio or "the site"
        print(f"{iso(step.time_s)}  {name}: {step.text}")
    if not steps:
        print("No change was recorded yet.")


def _radio(word: str, own: "list[Radio]") -> "Radio":
    """Raises: InvalidInput."""
    from gray_kettle.safe_text import printable

    name, _, band = word.partition("@")
    found = [r for r in own if any(n.bssid == word.lower() for n in r.networks)]
    found = found or [r for r in own if r.name == name and band in ("", r.band)]
    if len(found) == 1:
        return found[0]
    listed = ", ".join(f"{r.name}@{r.band}" for r in own)
    which = "is not one of ours" if not found else "is ambiguous"
    raise InvalidInput(f"“{printable(word)}” {which}: {listed or 'no radio is marked as ours yet'}.")
