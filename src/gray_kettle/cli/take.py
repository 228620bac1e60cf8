"""The command `take`: read files and live sources into a case."""

import math
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gray_kettle.cli.options import CasePath, Json, print_json
from gray_kettle.cli.progress import progress_bar
from gray_kettle.cli.stopping import INTERRUPTED, stop_on_signals
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.collect.files import SweepOptions
    from gray_kettle.collect.ingest import TakeResult
    from gray_kettle.store import Case

_LONGEST_LOCK_S = 120.0
_UNITS_S = {"s": 1.0, "m": 60.0, "h": 3600.0, "d": 86400.0}


def take(
    case: CasePath,
    sources: Annotated[
        list[str],
        typer.Argument(
            metavar="SOURCE…",
            help="Files, pipes, or - for standard input, recognised by their content; or "
            "scpi://host:port?start=…&stop=… for a spectrum analyser.",
        ),
    ],
    spot: Annotated[str, typer.Option("--spot", help="Where it was collected, for example “tea bar”.")] = "",
    layout: Annotated[
        str,
        typer.Option(
            "--layout",
            help="Columns of a sweep table, for example date,clock,low_hz,high_hz,step_hz,samples,dbm.",
        ),
    ] = "",
    for_: Annotated[
        str, typer.Option("--for", help="How long to collect from a live source, for example 90s, 10m, 2h.")
    ] = "",
    bin_hz: Annotated[float, typer.Option("--bin", help="Bin width for an I/Q recording, in Hz.")] = 0.0,
    full_scale: Annotated[
        float | None, typer.Option("--full-scale", help="Level of a full-scale I/Q sample, in dBm.")
    ] = None,
    json: Json = False,
) -> None:
    """Read captures, scan listings and spectrum sweeps into a case.

    A source that cannot be read is reported, and the others are still read.
    """
    from gray_kettle.collect.files import SweepOptions
    from gray_kettle.collect.ingest import TakeResult
    from gray_kettle.collect.scpi import SCHEME
    from gray_kettle.safe_text import printable
    from gray_kettle.store import Case

    if not 0 <= bin_hz < math.inf or not (full_scale is None or math.isfinite(full_scale)):
        raise InvalidInput("--bin is a width in Hz and --full-scale a level in dBm: finite numbers.")
    results: list[TakeResult] = []
    failed = 0
    options = SweepOptions(_layout(layout), bin_hz, full_scale)
    seconds = _seconds(for_)
    with stop_on_signals() as is_stopped, Case.open(case) as opened:
        opened.wait_for_locks(_LONGEST_LOCK_S, is_stopped)
        for name in sources:
            if is_stopped():
                break
            try:
                results.append(_read(opened, name, options, _Asked(spot, seconds, is_stopped)))
            except KettleError as error:
                failed += 1
                print(f"gray-kettle: {error}", file=sys.stderr)
                shown = printable(name if name.startswith(SCHEME) else Path(name).name)
                results.append(TakeResult(shown, "not read", 0, 0, (str(error),), None))
    if json:
        from gray_kettle.export.json_api.take import take_answer

        print_json(take_answer(results))
    else:
        for result in results:
            if result.kind == "not read":
                continue  # reported on stderr
            skipped = f", {result.skipped:,} skipped" if result.skipped else ""
            print(f"{result.source}: {result.count} read{skipped} ({result.kind})")
            for note in result.notes:
                print(f"  {note}")
    if is_stopped():
        raise typer.Exit(INTERRUPTED)
    if failed == len(sources):
        raise typer.Exit(1)


@dataclass(frozen=True)
class _Asked:
    spot: str
    seconds: float
    is_stopped: Callable[[], bool]


def _read(case: "Case", name: str, options: "SweepOptions", asked: _Asked) -> "TakeResult":
    """Take one source. Raises: KettleError."""
    from gray_kettle.collect.files import open_file
    from gray_kettle.collect.ingest import ingest, take_live
    from gray_kettle.collect.scpi import SCHEME, Analyser

    if name.startswith(SCHEME):
        analyser = Analyser(name)
        with progress_bar(analyser.name) as step:
            counter = _RowCounter(step)
            return take_live(
                case,
                analyser,
                asked.spot,
                seconds=asked.seconds,
                on_piece=counter.on_piece,
                is_cancelled=asked.is_stopped,
            )
    source = open_file(Path(name), options, asked.is_stopped)
    with progress_bar(source.input_stream.name) as step:
        return ingest(case, source, asked.spot, progress=step, is_cancelled=asked.is_stopped)


class _RowCounter:
    """Rows of a live take so far, for the progress bar."""

    def __init__(self, step: Any) -> None:
        self._step, self._rows = step, 0

    def on_piece(self, piece: Any) -> None:
        self._rows += piece.records
        self._step(self._rows, 0)


def _seconds(text: str) -> float:
    if not text:
        return math.inf
    unit = _UNITS_S.get(text[-1])
    try:
        found = float(text[:-1]) * unit if unit else float(text)
    except ValueError:
        found = 0.0
    if not 0 < found < math.inf:
        raise InvalidInput(f"“{text}” is not a duration: write for example 90s, 10m or 2h.")
    return found


def _layout(text: str) -> str:
    from gray_kettle.decode.sweeps.column_layout import parse_layout

    if text:
        parse_layout(text)
    return text
