"""Options that several commands share, and what they mean."""

import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gray_kettle.cli.progress import progress_bar
from gray_kettle.errors import InvalidInput
from gray_kettle.safe_text import printable

if TYPE_CHECKING:  # heavy: each command imports what it needs
    from gray_kettle.session import Session

CasePath = Annotated[Path, typer.Argument(metavar="CASE", help="The case file, NAME.kettle.")]
Json = Annotated[bool, typer.Option("--json", help="Answer as JSON (docs/formats.md).")]
Force = Annotated[bool, typer.Option("--force", help="Replace the file where it exists.")]
Band = Annotated[str | None, typer.Option("--band", help="Only this band: 2.4, 5 or 6.")]
Start = Annotated[
    str | None, typer.Option("--from", help="Start of the window, ISO 8601 (UTC where no zone is given).")
]
End = Annotated[str | None, typer.Option("--to", help="End of the window.")]

Mask = Annotated[bool, typer.Option("--mask", help="Replace all addresses, and foreign names.")]
KeepMaker = Annotated[
    bool, typer.Option("--keep-maker", help="Masked addresses keep the part that names the maker.")
]
OwnOnly = Annotated[
    bool, typer.Option("--own-only", help="List our own radios alone; foreign ones are counted.")
]


def load(case: Path, start: str | None, end: str | None, detect: bool = True) -> "Session":
    """A window of a case. detect: examine sweep rows that wait for it first, with a progress bar."""
    from gray_kettle.session import load_session, load_session_detected
    from gray_kettle.store import Case

    window = window_of(start, end)
    with Case.open(case) as opened:
        if not detect:
            return load_session(opened, *window)
        with progress_bar("detecting emitters") as progress:
            return load_session_detected(opened, *window, progress)


def moment(text: str | None) -> float | None:
    """Seconds since the epoch. Raises: InvalidInput."""
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise InvalidInput(
            f"“{printable(text)}” is not a time: write for example 2026-11-13T12:00."
        ) from None
    return (found if found.tzinfo else found.replace(tzinfo=UTC)).timestamp()


def window_of(start: str | None, end: str | None) -> tuple[float | None, float | None]:
    """The two ends of a window. Raises: InvalidInput, also where it ends before it begins."""
    start_s, end_s = moment(start), moment(end)
    if start_s is not None and end_s is not None and end_s < start_s:
        raise InvalidInput(
            f"The window ends ({printable(end or '')}) before it begins ({printable(start or '')})."
        )
    return start_s, end_s


def check_band(band: str | None) -> str | None:
    if band not in (None, "2.4", "5", "6"):
        raise InvalidInput(f"“{printable(band)}” is not a band: 2.4, 5 or 6.")
    return band


def print_json(answer: Any, session: "Session | None" = None) -> None:
    """session: what the answer is from; the answer says where it does not count all of the case."""
    if session is not None:
        answer.incomplete = list(session.incomplete)
    print(answer.model_dump_json(by_alias=True, indent=2))


def end(session: "Session") -> None:
    """Say on stderr what the answer does not count. Exit code 1 where that is more than damage."""
    for sentence in session.incomplete:
        print(f"gray-kettle: {sentence}", file=sys.stderr)
    if session.undetected:
        raise typer.Exit(1)
