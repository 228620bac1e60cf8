"""The `trial` commands: runs of throughput with each setting, and which setting is best."""

import csv
import math
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath, Json, moment, print_json
from gray_kettle.cli.trial_measure import guide, measure
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.model.trial import TrialRun

trial = typer.Typer(no_args_is_help=True, help="Throughput with each setting: which one is best?")
trial.command()(measure)
trial.command()(guide)
_MOST_LINES, _MOST_BYTES = 10_000, 4 << 20
_NAMES = {"down_mbps": "download", "up_mbps": "upload", "idle_ms": "idle delay", "loaded_ms": "delay under load",
          "loss": "loss"}  # fmt: skip
Setting = Annotated[str, typer.Argument(metavar="SETTING", help="What was tried, for example 6/20.")]


@trial.command()
def add(
    case: CasePath,
    setting: Setting,
    down: Annotated[float, typer.Option("--down", help="Download, Mb/s.")] = math.nan,
    up: Annotated[float, typer.Option("--up", help="Upload, Mb/s.")] = math.nan,
    idle: Annotated[float, typer.Option("--idle", help="Delay without load, ms.")] = math.nan,
    loaded: Annotated[float, typer.Option("--loaded", help="Delay under load, ms.")] = math.nan,
    loss: Annotated[
        float, typer.Option("--loss", help="Share of packets that were lost, 0 to 1.")
    ] = math.nan,
    client: Annotated[str, typer.Option("--client", help="The device it was measured with.")] = "",
    spot: Annotated[str, typer.Option("--spot", help="Where it was measured.")] = "",
    time_: Annotated[str | None, typer.Option("--time", help="When; now, if not given.")] = None,
) -> None:
    """Keep one run that was measured by hand."""
    from gray_kettle.model.trial import TrialRun
    from gray_kettle.store import Case

    when_s = moment(time_)
    run = TrialRun(
        time.time() if when_s is None else when_s, setting, down, up, idle, loaded, loss, client, spot
    )
    _check(run)
    with Case.open(case) as opened:
        opened.trials.add([run])
        count = sum(known.setting == setting for known in opened.trials.all())
    print(f"{count} run{'s' * (count != 1)} with {setting}.")


@trial.command()
def read(case: CasePath, file: Annotated[Path, typer.Argument(metavar="FILE.csv")]) -> None:
    """Keep the runs of a table. Its columns: time, setting, down_mbps, up_mbps, idle_ms, loaded_ms, loss, client, spot;
    time and setting are needed, and one of the figures.
    """
    from gray_kettle.safe_text import printable
    from gray_kettle.store import Case

    try:
        if file.stat().st_size > _MOST_BYTES:
            raise KettleError(
                f"{printable(file.name)} is larger than a table of runs: {_MOST_BYTES >> 20} MB at most."
            )
        with file.open(newline="", encoding="utf-8-sig", errors="replace") as lines:
            rows = list(csv.DictReader(lines))[:_MOST_LINES]
    except (OSError, csv.Error) as error:
        raise KettleError(f"{printable(str(file))} cannot be read: {printable(str(error))}.") from error
    runs, skipped = [], []
    for number, row in enumerate(rows, 2):
        try:
            runs.append(_run_of(row))
        except (InvalidInput, ValueError, TypeError, OverflowError) as error:
            skipped.append(f"line {number}: {printable(str(error))}")
    if not runs:
        raise KettleError(
            f"{printable(file.name)} holds no runs. {skipped[0] if skipped else 'It is empty.'}"
        )
    with Case.open(case) as opened:
        known = set(opened.trials.all())
        new = [run for run in runs if run not in known and not _is_held(run, known)]
        opened.trials.add(new)
    print(f"{len(new)} runs were added, {len(runs) - len(new)} were in the case already.")
    for reason in skipped[:5]:
        print(f"  left out: {reason}")


@trial.command()
def order(
    settings: Annotated[list[str], typer.Argument(metavar="SETTING…")],
    runs: Annotated[int, typer.Option("--runs", help="Of each setting.")] = 5,
    seed: Annotated[int, typer.Option("--seed", help="Of the order.")] = 1,
) -> None:
    """An order in which to measure: each setting so often, mixed, so that what changes meanwhile falls on all."""
    from gray_kettle.proof.trials import mixed_order

    if not 1 <= runs <= 100 or len(set(settings)) != len(settings):
        raise InvalidInput("--runs lies between 1 and 100, and each setting is named once.")
    for number, setting in enumerate(mixed_order(settings, runs, seed), 1):
        print(
            f"{number:3}  set {setting}, wait a minute, measure: gray-kettle trial add CASE {setting} --down …"
        )


@trial.command()
def show(
    case: CasePath,
    figure: Annotated[str, typer.Option("--figure", help=f"By which: {', '.join(_NAMES)}.")] = "down_mbps",
    json: Json = False,
) -> None:
    """Which setting is best, or how many more runs would say so; each client at each spot by itself."""
    from gray_kettle.export.json_api.trials import trials_answer
    from gray_kettle.export.text import print_rich, trials_table
    from gray_kettle.proof import words
    from gray_kettle.proof.trials import judged_by_client
    from gray_kettle.store import Case

    if figure not in _NAMES:
        raise InvalidInput(f"--figure is one of {', '.join(_NAMES)}.")
    with Case.open(case) as opened:
        results = judged_by_client(opened.trials.all(), figure)
    if json:
        print_json(trials_answer(results, figure))
        return
    if not results:
        raise KettleError(
            f"No run with {_NAMES[figure]} was kept: `gray-kettle trial add CASE 6/20 --down 42`."
        )
    for result in results:
        print(
            " ".join(filter(None, [f"{_NAMES[figure].capitalize()},", words.measured_by(result)])).rstrip(",")
        )
        print_rich(trials_table(result))
        print(words.best(result))


def _run_of(row: dict[str, str]) -> "TrialRun":
    """Raises: InvalidInput, ValueError, TypeError."""
    from gray_kettle.model.trial import FIGURES, TrialRun

    when_s = moment(row["time"].strip()) if (row.get("time") or "").strip() else None
    if when_s is None:
        raise InvalidInput("it has no time")
    figures = {name: float(row[name]) for name in FIGURES if (row.get(name) or "").strip()}
    texts = {name: (row.get(name) or "").strip() for name in ("client", "spot")}
    run = TrialRun(when_s, (row.get("setting") or "").strip(), **figures, **texts)  # type: ignore[arg-type]
    _check(run)
    return run


def _check(run: "TrialRun") -> None:
    """Raises: InvalidInput, where it says nothing, or what cannot be."""
    from gray_kettle.model.records import LATEST_S
    from gray_kettle.model.trial import FIGURES

    known = [value for name in FIGURES if not math.isnan(value := getattr(run, name))]
    if not run.setting or not known:
        raise InvalidInput("A run has a setting and at least one figure, for example: 6/20 --down 42.")
    if not 0 <= run.time_s <= LATEST_S:
        raise InvalidInput("The time lies between 1970 and 2100.")
    if not all(0 <= value < 1e9 for value in known) or (not math.isnan(run.loss) and run.loss > 1):
        raise InvalidInput("Rates and delays are numbers from 0 on, and loss is a share from 0 to 1.")


def _is_held(run: "TrialRun", known: "set[TrialRun]") -> bool:
    """Whether the same run is there; figures that were not measured equal nothing, not even themselves."""
    return any(repr(run) == repr(other) for other in known)
