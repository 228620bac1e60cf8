"""The commands. Each does what a screen does; results go to stdout, the rest to stderr.

Exit status: 0 done, 1 nothing usable, 2 wrong use.
"""

import math
import os
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gray_kettle import __version__
from gray_kettle.cli.apply import apply
from gray_kettle.cli.emitters import Dismissed, Kinds, Names, tell
from gray_kettle.cli.progress import progress_bar
from gray_kettle.cli.setup import CasePath, new, set_
from gray_kettle.cli.stand_in import stand_in
from gray_kettle.errors import KettleError

if TYPE_CHECKING:  # heavy: each command imports what it needs
    from gray_kettle.session import Session

app = typer.Typer(
    name="gray-kettle",
    help="Who and what is on the air, what to change, and proof that it helped. Without a command it opens the app.",
    no_args_is_help=False,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
app.add_typer(stand_in, name="stand-in")
app.command()(new)
app.command()(apply)
app.command(name="set")(set_)
Json = Annotated[bool, typer.Option("--json", help="Answer as JSON (docs/formats.md).")]
Band = Annotated[str | None, typer.Option("--band", help="2.4, 5 or 6: this band alone.")]
Start = Annotated[
    str | None, typer.Option("--from", help="Start of the window, ISO 8601 (UTC where no zone is given).")
]
End = Annotated[str | None, typer.Option("--to", help="End of the window.")]


def main(argv: list[str] | None = None) -> int:
    """Run one command and give its exit status."""
    words = sys.argv[1:] if argv is None else argv
    for stream in (sys.stdout, sys.stderr):  # names may hold anything; a pipe may be ASCII
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")
    try:
        result = typer.main.get_command(app).main(words, prog_name="gray-kettle", standalone_mode=False)
    except KettleError as error:
        print(f"gray-kettle: {error}", file=sys.stderr)
        return 1
    except typer.Abort:
        print("gray-kettle: stopped.", file=sys.stderr)
        return 1
    except typer.Exit as leaving:
        return int(leaving.exit_code)
    except Exception as error:
        if _is_usage(error):
            error.show()  # type: ignore[attr-defined]
            return 2
        raise
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    return result if isinstance(result, int) else 0


def _is_usage(error: Exception) -> bool:
    return hasattr(error, "show") and getattr(error, "exit_code", None) == 2


def run() -> None:
    sys.exit(main())


@app.callback(invoke_without_command=True)
def top(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Show the version and end.")] = False,
) -> None:
    if version:
        print(f"gray-kettle {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        _open_app(None)


def _open_app(case: Path | None) -> None:
    from gray_kettle.tui.app import KettleApp

    shown = KettleApp(case)
    shown.run()
    raise typer.Exit(shown.return_code or 0)


@app.command()
def demo(
    make: Annotated[
        Path | None, typer.Option("--make", help="Write the demo case to this file and end.")
    ] = None,
) -> None:
    """Open the demo case: Tern Quay, a made-up ferry terminal. It is made on first use."""
    from gray_kettle.simulator.demo_path import demo_path

    path = make or demo_path()
    if make is not None and path.exists():
        raise KettleError(f"{path} exists already: choose another name.")
    if not path.exists():
        from gray_kettle.simulator.demo import make_demo

        path.parent.mkdir(parents=True, exist_ok=True)
        with progress_bar("Making the demo case") as step:
            make_demo(path, step)
    if make is None:
        _open_app(path)


@app.command(name="open")
def open_(case: CasePath) -> None:
    """Open a case in the app."""
    from gray_kettle.store.header import check

    check(case)  # says what is wrong before the screen is taken
    _open_app(case)


@app.command()
def take(
    case: CasePath,
    sources: Annotated[
        list[str],
        typer.Argument(
            metavar="SOURCE…",
            help="Files, pipes, or - for standard input, told by their content; or scpi://host:port?start=…&stop=… "
            "for an analyser.",
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
    bin_hz: Annotated[float, typer.Option("--bin", help="Bin width of an I/Q recording, in Hz.")] = 0.0,
    full_scale: Annotated[
        float | None, typer.Option("--full-scale", help="Level of a full sample of an I/Q recording, in dBm.")
    ] = None,
    json: Json = False,
) -> None:
    """Read captures, scan listings and spectrum sweeps into a case.

    A source that cannot be read is said and does not keep the others from being read.
    """
    from gray_kettle.collect.files import SweepOptions, open_file
    from gray_kettle.collect.ingest import TakeResult, take_live
    from gray_kettle.collect.ingest import take as take_file
    from gray_kettle.collect.scpi import SCHEME, Analyser
    from gray_kettle.safe_text import printable
    from gray_kettle.store import Case

    results: list[TakeResult] = []
    failed = 0
    session = SweepOptions(_layout(layout), bin_hz, full_scale)
    seconds = _seconds(for_)
    with Case.open(case) as opened:
        for name in sources:
            try:
                if name.startswith(SCHEME):
                    analyser = Analyser(name)
                    with progress_bar(analyser.name) as step:
                        counted = _Counted(step)
                        results.append(
                            take_live(opened, analyser, spot, seconds=seconds, heard=counted.heard)
                        )
                else:
                    source = open_file(Path(name), session)
                    with progress_bar(source.input_stream.name) as step:
                        results.append(take_file(opened, source, spot, progress=step))
            except KettleError as error:
                failed += 1
                print(f"gray-kettle: {error}", file=sys.stderr)
                shown = printable(name if name.startswith(SCHEME) else Path(name).name)
                results.append(TakeResult(shown, "not read", 0, 0, (str(error),), None))
    if json:
        from gray_kettle.export.json_api import take_answer

        _print_json(take_answer(results))
    else:
        for result in results:
            if result.kind == "not read":
                continue  # said on stderr
            skipped = f", {result.skipped:,} skipped" if result.skipped else ""
            print(f"{result.source}: {result.records:,} {result.unit} read{skipped} ({result.kind})")
            for note in result.notes:
                print(f"  {note}")
    if failed == len(sources):
        raise typer.Exit(1)


@app.command()
def heard(case: CasePath, band: Band = None, from_: Start = None, to: End = None, json: Json = False) -> None:
    """Who is there: radios, their networks and clients."""
    from gray_kettle.export.json_api import heard_answer
    from gray_kettle.export.text import heard_table

    session = _read(case, from_, to)
    radios = tuple(r for r in session.assessment.radios if _band(band) in (None, r.band))
    if json:
        _print_json(heard_answer(radios, session.assessment.links))
    else:
        print(heard_table(radios) if radios else "Nothing was heard: take a scan or a capture.")


@app.command()
def air(
    case: CasePath,
    radio: Annotated[
        str | None, typer.Option("--radio", help="Seen from this own radio (its id or a BSSID).")
    ] = None,
    band: Band = None,
    from_: Start = None,
    to: End = None,
    json: Json = False,
) -> None:
    """How busy each place is, and what would be left there."""
    from gray_kettle.export.json_api import air_answer
    from gray_kettle.export.text import air_table

    assessment = _read(case, from_, to).assessment
    victim = assessment.radio(radio.lower()) if radio else None
    if radio and victim is None:
        raise KettleError(f"No radio {radio} was heard in this window: see `gray-kettle heard {case}`.")
    if json:
        _print_json(air_answer(assessment, victim, _band(band)))
    else:
        print(air_table(assessment, victim, _band(band)))


@app.command()
def emitters(
    case: CasePath,
    band: Band = None,
    from_: Start = None,
    to: End = None,
    name: Names = None,
    kind: Kinds = None,
    dismiss: Dismissed = None,
    json: Json = False,
) -> None:
    """What is not Wi-Fi: what it is most like, why, where, and when."""
    from gray_kettle.export.json_api import emitters_answer
    from gray_kettle.export.text import emitters_text

    session = _read(case, from_, to)
    if tell(case, session.assessment, name or [], kind or [], dismiss or []):
        session = _read(case, from_, to)
    if json:
        waiting = session.observations.rows_pending
        _print_json(emitters_answer(session.assessment, _band(band), waiting))
    else:
        print(emitters_text(session.assessment, _band(band)))


@app.command()
def brief(case: CasePath, from_: Start = None, to: End = None, json: Json = False) -> None:
    """What is wrong, worst first, with a first step for each."""
    from gray_kettle.export.json_api import brief_answer
    from gray_kettle.export.text import brief_text

    session = _read(case, from_, to)
    findings = session.proposal.findings
    if json:
        _print_json(brief_answer(session.assessment, findings))
    else:
        print(brief_text(session.assessment, findings))


@app.command()
def plan(case: CasePath, band: Band = None, from_: Start = None, to: End = None, json: Json = False) -> None:
    """Which channel and width each own radio should have, and why; and the other steps."""
    from gray_kettle.export.json_api import plan_answer
    from gray_kettle.export.text import plan_text

    session = _read(case, from_, to)
    with progress_bar("working out the plan") as progress:
        session.planning = lambda done: progress(done, 1.0)
        proposal = session.proposal
    if json:
        _print_json(plan_answer(proposal, _band(band)))
    else:
        print(plan_text(proposal, _band(band)))


@app.command()
def sheet(
    case: CasePath,
    output: Annotated[Path, typer.Option("--output", "-o", help="FILE.pdf, FILE.txt or FILE.csv.")],
    from_: Start = None,
    to: End = None,
) -> None:
    """The change sheet: what to set on which access point, in which order, by hand."""
    from gray_kettle.export.case_drawings import write_sheet

    write_sheet(case, output, _moment(from_), _moment(to))


@app.command()
def explain(
    case: CasePath,
    about: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[ABOUT]", help="Radios (id, BSSID or name), emitters (id), or findings (their kind)."
        ),
    ] = None,
    from_: Start = None,
    to: End = None,
    json: Json = False,
) -> None:
    """Where figures come from: what went in, how they are worked out, what would change them."""
    from gray_kettle.export.json_api.explain import explain_answer, explained
    from gray_kettle.export.text import explain_text

    found = explained(_read(case, from_, to), about or [])
    if json:
        _print_json(explain_answer(found))
    else:
        print(explain_text(found))


@app.command()
def draw(
    view: Annotated[
        str,
        typer.Argument(metavar="VIEW", help="What to draw: lanes, ledger, levels, field, sweep, waterfall."),
    ],
    case: CasePath,
    output: Annotated[Path, typer.Option("--output", "-o", help="FILE.svg or FILE.pdf.")],
    band: Annotated[str, typer.Option("--band", help="2.4, 5 or 6.")] = "2.4",
    from_: Start = None,
    to: End = None,
) -> None:
    """A drawing for a report: vector axes and text."""
    from gray_kettle.export.case_drawings import VIEWS, draw_view

    if view not in VIEWS:
        raise typer.BadParameter(f"“{view}” cannot be drawn: {', '.join(VIEWS)} can.")
    draw_view(view, case, _band(band) or "2.4", output, _moment(from_), _moment(to))


class _Counted:
    """Rows of a live take so far, for the progress bar."""

    def __init__(self, step: Any) -> None:
        self._step, self._rows = step, 0

    def heard(self, piece: Any) -> None:
        self._rows += piece.records
        self._step(self._rows, 0)


def _seconds(text: str) -> float:
    if not text:
        return math.inf
    unit = {"s": 1.0, "m": 60.0, "h": 3600.0, "d": 86400.0}.get(text[-1])
    try:
        found = float(text[:-1]) * unit if unit else float(text)
    except ValueError:
        found = 0.0
    if not 0 < found < math.inf:
        raise typer.BadParameter(f"“{text}” is no length of time: write for example 90s, 10m or 2h.")
    return found


def _layout(text: str) -> str:
    from gray_kettle.decode.sweeps.column_layout import parse_layout

    try:
        if text:
            parse_layout(text)
    except ValueError as error:
        raise typer.BadParameter(f"--layout: {error}.") from error
    return text


def _read(case: Path, start: str | None, end: str | None) -> "Session":
    from gray_kettle.session import load_session_detected
    from gray_kettle.store import Case

    with Case.open(case) as opened, progress_bar("looking for emitters") as progress:
        return load_session_detected(opened, _moment(start), _moment(end), progress)


def _moment(text: str | None) -> float | None:
    if text is None:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise typer.BadParameter(f"“{text}” is no time: write for example 2026-11-13T12:00.") from None
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def _band(band: str | None) -> str | None:
    if band not in (None, "2.4", "5", "6"):
        raise typer.BadParameter(f"“{band}” is no band: 2.4, 5 or 6.")
    return band


def _print_json(answer: Any) -> None:
    print(answer.model_dump_json(by_alias=True, indent=2))
