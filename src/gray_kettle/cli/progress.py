"""A progress bar for commands that take their time."""

import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

from gray_kettle.safe_output import terminal_stream
from gray_kettle.safe_text import printable


@contextmanager
def progress_bar(what: str) -> Iterator[Any]:
    """A progress bar on stderr where that is a terminal, and nothing where it is not."""
    if not sys.stderr.isatty():
        yield lambda done, total: None
        return
    from rich.console import Console
    from rich.markup import escape
    from rich.progress import BarColumn, Progress, TextColumn

    columns = (
        TextColumn("{task.description}"),
        BarColumn(complete_style="rgb(217,147,90)", pulse_style="rgb(217,147,90)"),
    )
    with Progress(*columns, console=Console(file=terminal_stream()), transient=True) as bar:
        task = bar.add_task(escape(printable(what)), total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total or None)


@contextmanager
def progress_bars() -> Iterator[Callable[[str, float], None]]:
    """A bar for what is being done, one after the other: it takes what, and how much of it is done (0 to 1)."""
    with ExitStack() as bars:
        shown: dict[str, Any] = {}

        def progress(what: str, share: float) -> None:
            if what not in shown:
                bars.pop_all().close()
                shown.clear()
                shown[what] = bars.enter_context(progress_bar(what))
            shown[what](share, 1.0)

        yield progress
