"""The command `take`: read files and live sources into a case."""

import math
import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gray_kettle.cli.options import CasePath, Json, print_json
from gray_kettle.cli.progress import progress_bar
from gray_kettle.cli.stopping import INTERRUPTED, stop_on_signals
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.collect.ingest import TakeResult
    from gray_kettle.sources import Wish
    from gray_kettle.store import Case

_LONGEST_LOCK_S = 120.0
NOT_READ = "not read"


def take(
    case: CasePath,
    sources: Annotated[
        list[str],
        typer.Argument(
            metavar="SOURCE…",
            help="Files, pipes, or - for standard input, recognised by their content; or live sources by URI, as "
            "`gray-kettle sources` lists them: wifi:, ssh://user@host/wlan0, scpi://host, sweep:PROGRAM, watch:FOLDER.",
        ),
    ],
    spot: Annotated[str, typer.Option("--spot", help="Where it was collected, for example “tea bar”.")] = "",
    layout: Annotated[
        str,
        typer.Option(
            "--layout",
            help="Columns of a sweep table, where the content leaves them open, for example "
            "date,clock,low_hz,high_hz,step_hz,samples,dbm.",
        ),
    ] = "",
    for_: Annotated[
        str, typer.Option("--for", help="How long to collect from live sources, for example 90s, 10m, 2h.")
    ] = "",
    bin_hz: Annotated[float, typer.Option("--bin", help="Bin width for an I/Q recording, in Hz.")] = 0.0,
    full_scale: Annotated[
        float | None, typer.Option("--full-scale", help="Level of a full-scale I/Q sample, in dBm.")
    ] = None,
    json: Json = False,
) -> None:
    """Read captures, scan listings and spectrum sweeps into a case, or collect them live.

    Files are read one after the other, then live sources are collected from side by side. A source that cannot be read
    is reported, and the others are still read.
    """
    from gray_kettle.collect.files import SweepOptions
    from gray_kettle.sources import Wish, kind_of

    if not 0 <= bin_hz < math.inf or not (full_scale is None or math.isfinite(full_scale)):
        raise InvalidInput("--bin is a width in Hz and --full-scale a level in dBm: finite numbers.")
    options = SweepOptions(_layout(layout), bin_hz, full_scale)
    seconds = _seconds(for_)
    with stop_on_signals() as is_stopped:
        wish = Wish(spot, seconds, options, is_stopped)
        live = [name for name in sources if kind_of(name) is not None]
        results = _one_by_one(case, [name for name in sources if name not in live], wish)
        if len(live) == 1:
            results += _one_by_one(case, live, wish)
        elif live and not is_stopped():
            results += _side_by_side(case, live, wish)
    if json:
        from gray_kettle.export.json_api.take import take_answer

        print_json(take_answer(results))
    else:
        for result in results:
            if result.kind == NOT_READ:
                continue  # reported on stderr
            skipped = f", {result.skipped:,} skipped" if result.skipped else ""
            print(f"{result.source}: {result.count} read{skipped} ({result.kind})")
            for note in result.notes:
                print(f"  {note}")
    if is_stopped():
        raise typer.Exit(INTERRUPTED)
    if all(result.kind == NOT_READ for result in results):
        raise typer.Exit(1)


def _one_by_one(path: Path, names: list[str], wish: "Wish") -> "list[TakeResult]":
    """Take sources with a progress bar for each. What cannot be read is reported on stderr."""
    from gray_kettle.sources import kind_of
    from gray_kettle.store import Case

    results: list[TakeResult] = []
    with Case.open(path) as case:
        case.wait_for_locks(_LONGEST_LOCK_S, wish.is_cancelled)
        for name in names:
            if wish.is_cancelled():
                break
            with progress_bar(_shown(name)) as step:
                is_live = kind_of(name) is not None
                shown = (
                    replace(wish, on_piece=_Counter(step).add) if is_live else replace(wish, progress=step)
                )
                results += _taken(case, name, shown)
    return results


def _side_by_side(path: Path, names: list[str], wish: "Wish") -> "list[TakeResult]":
    """Collect from several at once, each in a thread with the case opened for itself."""
    from concurrent.futures import ThreadPoolExecutor

    def collect(name: str) -> "list[TakeResult]":
        return collect_one(path, name, replace(wish, on_piece=counter.add))

    with progress_bar(f"{len(names)} sources") as step, ThreadPoolExecutor(len(names)) as pool:
        counter = _Counter(step)
        return [result for results in pool.map(collect, names) for result in results]


def collect_one(path: Path, name: str, wish: "Wish") -> "list[TakeResult]":
    """Take from one source, with the case opened for the thread that calls. What cannot be read is reported."""
    from gray_kettle.store import Case

    with Case.open(path) as case:
        case.wait_for_locks(_LONGEST_LOCK_S, wish.is_cancelled)
        return _taken(case, name, wish)


def _taken(case: "Case", name: str, wish: "Wish") -> "list[TakeResult]":
    """Take one source; one that cannot be read is reported, and is a result of its own."""
    from gray_kettle.collect.ingest import TakeResult
    from gray_kettle.sources import take_from

    try:
        results = take_from(case, name, wish)
    except KettleError as error:
        results = [TakeResult(_shown(name), NOT_READ, 0, 0, (str(error),), None)]
    for result in results:
        if result.kind == NOT_READ:
            print(f"gray-kettle: {result.notes[0]}", file=sys.stderr)
    return results


def _shown(name: str) -> str:
    from gray_kettle.safe_text import printable
    from gray_kettle.sources import kind_of

    return printable(name if kind_of(name) is not None else Path(name).name)


class _Counter:
    """Records of live takes so far, for the progress bar."""

    def __init__(self, step: Any) -> None:
        self._step, self._records = step, 0

    def add(self, piece: Any) -> None:
        self._records += piece.records
        self._step(self._records, 0)


def _seconds(text: str) -> float:
    from gray_kettle.collect.live.uri import duration_s

    found = duration_s(text) if text else math.inf
    if found is None:
        raise InvalidInput(f"“{text}” is not a duration: write for example 90s, 10m or 2h.")
    return found


def _layout(text: str) -> str:
    from gray_kettle.decode.sweeps.column_layout import parse_layout

    if text:
        parse_layout(text)
    return text
