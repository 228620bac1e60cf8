"""The command line: the commands of all groups, errors and the exit status.

Results go to stdout, everything else to stderr. Exit status: 0 done, 1 nothing usable, 2 wrong usage,
130 interrupted.
"""

import errno
import os
import sys
from collections.abc import Callable
from contextlib import suppress
from typing import Annotated

import typer

from gray_kettle import __version__
from gray_kettle.cli import answers, diagnostics, files, open_app, setup
from gray_kettle.cli.apply import apply
from gray_kettle.cli.cases import copy, merge
from gray_kettle.cli.done import done
from gray_kettle.cli.export import export, import_
from gray_kettle.cli.frame import frame
from gray_kettle.cli.names import names
from gray_kettle.cli.probe import probe
from gray_kettle.cli.proof import proof
from gray_kettle.cli.report import report
from gray_kettle.cli.responder import responder
from gray_kettle.cli.sources import sources
from gray_kettle.cli.stand_in import stand_in
from gray_kettle.cli.stopping import INTERRUPTED
from gray_kettle.cli.take import take
from gray_kettle.cli.takes import alerts, check, takes, thin
from gray_kettle.cli.trial import trial
from gray_kettle.cli.watch import watch
from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.safe_output import printable_output

LOG_LEVELS = ("debug", "info", "warning", "error")

app = typer.Typer(
    name="gray-kettle",
    help="What is on the air, what is wrong, and what to change. Without a command it opens the app.",
    no_args_is_help=False,
    add_completion=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
_COMMANDS: dict[str, Callable[..., None]] = {
    "demo": open_app.demo,
    "open": open_app.open_case,
    "new": setup.new,
    "set": setup.set_,
    "mark": setup.mark,
    "names": names,
    "take": take,
    "takes": takes,
    "alerts": alerts,
    "thin": thin,
    "watch": watch,
    "probe": probe,
    "sources": sources,
    "check": check,
    "copy": copy,
    "merge": merge,
    "heard": answers.heard,
    "frame": frame,
    "air": answers.air,
    "channels": answers.channels,
    "spots": answers.spots,
    "since": answers.since,
    "emitters": answers.emitters,
    "brief": answers.brief,
    "plan": answers.plan,
    "best": answers.best,
    "done": done,
    "proof": proof,
    "responder": responder,
    "explain": answers.explain,
    "report": report,
    "export": export,
    "import": import_,
    "sheet": files.sheet,
    "draw": files.draw,
    "apply": apply,
    "doctor": diagnostics.doctor,
    "support": diagnostics.support,
    "config": diagnostics.config,
}
for name, command in _COMMANDS.items():
    app.command(name=name)(command)
app.add_typer(stand_in, name="stand-in")
app.add_typer(trial, name="trial")


@app.callback(invoke_without_command=True)
def top(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Show the version and exit.")] = False,
    log_level: Annotated[
        str, typer.Option("--log-level", help=f"How much goes to the log file: {', '.join(LOG_LEVELS)}.")
    ] = "",
) -> None:
    if version:
        print(f"gray-kettle {__version__}")
        raise typer.Exit
    if log_level not in ("", *LOG_LEVELS):
        raise typer.BadParameter(f"“{log_level}” is not a log level: {', '.join(LOG_LEVELS)}.")
    from gray_kettle import diagnostics_log

    diagnostics_log.start(log_level)
    if context.invoked_subcommand is None:
        open_app.run(None)


def main(argv: list[str] | None = None) -> int:
    """Run one command and return its exit status."""
    words = sys.argv[1:] if argv is None else argv
    with printable_output():
        try:
            return _run(words)
        except KettleError as error:
            return _failed(str(error), 2 if isinstance(error, InvalidInput) else 1)
        except (typer.Abort, KeyboardInterrupt) as error:
            by_hand = isinstance(error, KeyboardInterrupt) or isinstance(error.__context__, KeyboardInterrupt)
            return _failed("stopped.", INTERRUPTED if by_hand else 1)
        except OSError as error:
            if isinstance(error, BrokenPipeError) or error.errno == errno.EIO:  # nobody reads on
                os.dup2(os.open(os.devnull, os.O_WRONLY), sys.__stdout__.fileno() if sys.__stdout__ else 1)
                return 0
            name = f"{error.filename}: " if error.filename else ""
            return _failed(f"{name}{error.strerror or error}.", 1)
        except Exception as error:
            return _fault(error)


def _run(words: list[str]) -> int:
    try:
        result = typer.main.get_command(app).main(words, prog_name="gray-kettle", standalone_mode=False)
    except typer.Exit as leaving:
        return int(leaving.exit_code)
    except Exception as error:
        if not _is_usage(error):
            raise
        error.show()  # type: ignore[attr-defined]
        return 2
    return result if isinstance(result, int) else 0


def _failed(text: str, code: int) -> int:
    with suppress(OSError):  # a closed terminal
        print(f"gray-kettle: {text}", file=sys.stderr)
    return code


def _fault(error: Exception) -> int:
    """A fault of ours: where it happened goes to the log, which `support` hands over; nothing of it is lost."""
    from gray_kettle import diagnostics_log

    diagnostics_log.LOGGER.error("fault", exc_info=error)
    return _failed(
        f"This is a fault in Gray Kettle ({type(error).__name__}). Nothing that was stored is lost. "
        f"The log says where it happened: {diagnostics_log.path()}. `gray-kettle support` packs it for a report.",
        1,
    )


def _is_usage(error: Exception) -> bool:
    """Whether it is the command line library's own error about wrong usage."""
    return hasattr(error, "show") and getattr(error, "exit_code", None) == 2


def run() -> None:
    """The program. The version is printed without the parser, whose first use costs more than Python's start."""
    if sys.argv[1:] == ["--version"]:
        print(f"gray-kettle {__version__}")
        return
    sys.exit(main())
