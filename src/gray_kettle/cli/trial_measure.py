"""The commands `trial measure` and `trial guide`: runs that are measured here, one or many in mixed order."""

import math
import os
import sys
import time
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath
from gray_kettle.cli.progress import progress_bar
from gray_kettle.cli.stopping import INTERRUPTED, stop_on_signals
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.model.trial import TrialRun
    from gray_kettle.throughput.measure import Speed, Target

TOKEN_VARIABLE = "GRAY_KETTLE_TOKEN"
Url = Annotated[
    str,
    typer.Option("--at", metavar="URL", help="A responder's, or of anything large that can be read by HTTP."),
]
Token = Annotated[
    str, typer.Option("--token", help=f"Of the responder; better in {TOKEN_VARIABLE}, where nobody sees it.")
]
Seconds = Annotated[float, typer.Option("--seconds", help="Of each direction, 2 to 60.")]
MostMb = Annotated[int, typer.Option("--most-mb", help="Data limit of each direction.")]
Client = Annotated[str, typer.Option("--client", help="The device that measures.")]
Spot = Annotated[str, typer.Option("--spot", help="Where it is.")]
Ca = Annotated[str, typer.Option("--ca", help="File with the certificate of a responder with TLS.")]


def measure(
    case: CasePath,
    setting: Annotated[str, typer.Argument(metavar="SETTING", help="What is set now, for example 6/20.")],
    at: Url,
    token: Token = "",
    seconds: Seconds = 8.0,
    most_mb: MostMb = 400,
    client: Client = "",
    spot: Spot = "",
    ca: Ca = "",
) -> None:
    """Measure one run from this device and keep it: delay, download, delay under load, upload, loss."""
    _check_case(case)
    run = _measured(_target(at, token, seconds, most_mb, ca), setting, client, spot)
    if run is None:
        raise typer.Exit(INTERRUPTED)
    _keep(case, run)


def guide(
    case: CasePath,
    settings: Annotated[list[str], typer.Argument(metavar="SETTING…", help="For example 1/20 6/20 11/20.")],
    at: Url,
    token: Token = "",
    runs: Annotated[int, typer.Option("--runs", help="Of each setting.")] = 5,
    seconds: Seconds = 8.0,
    most_mb: MostMb = 400,
    client: Client = "",
    spot: Spot = "",
    ca: Ca = "",
) -> None:
    """Go through the settings in mixed order: says what to set, measures when you press enter, and names the best.

    Runs that the case has already, of the same client and spot, count: it can be ended and taken up again.
    """
    from gray_kettle.proof.trials import mixed_order
    from gray_kettle.store import Case

    if not 1 <= runs <= 100 or len(set(settings)) != len(settings):
        raise InvalidInput("--runs lies between 1 and 100, and each setting is named once.")
    target = _target(at, token, seconds, most_mb, ca)
    _check_case(case)
    with Case.open(case) as opened:
        held = [r.setting for r in opened.trials.all() if (r.client, r.spot) == (client, spot)]
    order = left_of(mixed_order(settings, runs, len(settings)), held)
    if not order:
        print(f"The case has {runs} runs of each already: raise --runs for more.")
    for number, setting in enumerate(order, 1):
        wanted = (
            f"{number} of {len(order)}  set {setting}, wait until this device is connected again, and press enter "
            "(s skips, q ends): "
        )
        said = _asked(wanted)
        if said in ("q", None):
            break
        if said == "s":
            continue
        try:
            run = _measured(target, setting, client, spot)
        except KettleError as error:  # between two settings the network may be away for a while
            print(
                f"gray-kettle: {error} This run is left out; take the guide up again for it.", file=sys.stderr
            )
            continue
        if run is None:
            break
        _keep(case, run)


def left_of(order: tuple[str, ...], held: list[str]) -> list[str]:
    """The runs of an order that are left where some are there already."""
    there, out = Counter(held), []
    for setting in order:
        if there[setting] > 0:
            there[setting] -= 1
        else:
            out.append(setting)
    return out


def _target(url: str, token: str, seconds: float, most_mb: int, ca: str) -> "Target":
    from gray_kettle.throughput.measure import Target

    if ca and not Path(ca).is_file():
        raise InvalidInput(f"--ca: there is no file {ca}.")
    return Target(
        url, token or os.environ.get(TOKEN_VARIABLE, ""), seconds, most_octets=most_mb * 1_000_000, ca=ca
    )


def _check_case(path: Path) -> None:
    """Before anything is measured: it would be lost."""
    from gray_kettle.store import Case

    with Case.open(path) as case:
        if case.read_only:
            raise KettleError(f"{path} cannot be written: a run that is measured could not be kept.")


def _measured(target: "Target", setting: str, client: str, spot: str) -> "TrialRun | None":
    """One run; None where ctrl+c ended it."""
    from gray_kettle.model.trial import TrialRun
    from gray_kettle.throughput.measure import measure as measure_once

    with progress_bar(f"measuring {setting}") as bar, stop_on_signals() as is_stopped:
        found = measure_once(target, lambda what, share: bar(round(100 * share), 100), is_stopped)
    if found is None:
        return None
    print(f"{setting}: {_said(found)}")
    for note in found.notes:
        print(f"  {note}")
    if math.isnan(found.down_mbps) and math.isnan(found.up_mbps):
        raise KettleError("Neither direction was measured: nothing was kept.")
    return TrialRun(
        round(time.time(), 1),
        setting,
        round(found.down_mbps, 4),
        round(found.up_mbps, 4),
        round(found.idle_ms, 4),
        round(found.loaded_ms, 4),
        round(found.loss, 6),
        client,
        spot,
    )


def _said(speed: "Speed") -> str:
    from gray_kettle.proof import words

    parts = [
        ("down", speed.down_mbps, "Mb/s"),
        ("up", speed.up_mbps, "Mb/s"),
        ("delay", speed.idle_ms, "ms"),
        ("under load", speed.loaded_ms, "ms"),
        ("loss", 100 * speed.loss, "%"),
    ]
    return ", ".join(
        f"{name} {words.number(value)} {unit}" for name, value, unit in parts if not math.isnan(value)
    )


def _keep(path: Path, run: "TrialRun") -> None:
    """Keep a run, and say how the settings stand."""
    from gray_kettle.proof import words
    from gray_kettle.proof.trials import judged_trials
    from gray_kettle.store import Case

    with Case.open(path) as case:
        case.trials.add([run])
        same = [r for r in case.trials.all() if (r.client, r.spot) == (run.client, run.spot)]
    print(f"  kept. {words.trials(judged_trials(same))}", flush=True)


def _asked(text: str) -> str | None:
    """What was typed; None at the end of the input."""
    try:
        return input(text).strip().lower()
    except EOFError:
        print()
        return None
