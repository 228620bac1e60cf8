"""The assessment of many short windows of a case."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from multiprocessing import parent_process
from pathlib import Path

from gray_kettle.processes import in_processes
from gray_kettle.proof.window_figures import SiteChanges, WindowFigures, figures_of
from gray_kettle.session import load_session
from gray_kettle.store import Case

_FEWEST_WINDOWS = 16  # from which several processes are worth their start


@dataclass(frozen=True)
class AssessedWindow:
    """A window of a case. changes: what is expected of it with them is wanted too."""

    path: Path
    start_s: float
    end_s: float
    changes: SiteChanges | None = None


def figures_by_window(
    windows: Sequence[AssessedWindow],
    progress: Callable[[int, int], None],
    is_cancelled: Callable[[], bool],
) -> Iterator[tuple[float, WindowFigures]]:
    """The figures of each window in which anything was heard, with its start. Ends where it is cancelled."""
    for number, (window, found) in enumerate(in_processes(_figures, windows, _FEWEST_WINDOWS), 1):
        if is_cancelled():
            return
        progress(number, len(windows))
        if found is not None:
            yield window.start_s, found


_CASES: dict[Path, Case] = {}  # stay open in a process that does nothing else


def _figures(window: AssessedWindow) -> WindowFigures | None:
    if parent_process() is None:
        with Case.open(window.path) as case:
            return _figures_in(case, window)
    if window.path not in _CASES:
        _CASES[window.path] = Case.open(window.path)
    return _figures_in(_CASES[window.path], window)


def _figures_in(case: Case, window: AssessedWindow) -> WindowFigures | None:
    session = load_session(case, window.start_s, window.end_s)
    if not len(session.observations.sightings) and not len(session.observations.traffic):
        return None
    return figures_of(session.assessment, window.changes)
