"""The assessment of many short windows of a case."""

import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from gray_kettle.masking import Masking
from gray_kettle.processes import in_processes
from gray_kettle.proof.window_figures import SiteChanges, WindowFigures, figures_of
from gray_kettle.proving.figure_cache import FigureCache
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.store.masked import opened_as


@dataclass(frozen=True)
class AssessedWindow:
    """A window of a case. changes: what is expected of it with them is wanted too. masking: as the
    case is open here.
    """

    path: Path
    start_s: float
    end_s: float
    changes: SiteChanges | None = None
    masking: Masking | None = None


def figures_by_window(
    case: Case,
    windows: Sequence[AssessedWindow],
    progress: Callable[[int, int], None],
    is_cancelled: Callable[[], bool],
) -> Iterator[tuple[float, WindowFigures]]:
    """The figures of each window in which anything was heard, with its start. Ends where it is cancelled."""
    _OPEN.case = case
    cache = FigureCache(case, windows[0].masking if windows else None)
    known = {w: cache.get(w.start_s, w.end_s, w.changes) for w in windows}
    wanted = [w for w in windows if not known[w][0]]
    fresh = in_processes(_figures, wanted)
    try:
        for number, window in enumerate(windows, 1):
            if is_cancelled():
                return
            is_known, found = known[window]
            if not is_known:
                _, found = next(fresh)
                cache.put(window.start_s, window.end_s, window.changes, found)
            progress(number, len(windows))
            if found is not None:
                yield window.start_s, found
    finally:
        fresh.close()
        cache.save()
        _OPEN.case = None


_OPEN = threading.local()  # the case that this thread, or a process of its own, reads from


def _figures(window: AssessedWindow) -> WindowFigures | None:
    case = getattr(_OPEN, "case", None)
    if case is None:
        case = _OPEN.case = opened_as(window.path, window.masking)  # in a process that does nothing else
    session = load_session(case, window.start_s, window.end_s)
    if not len(session.observations.sightings) and not len(session.observations.traffic):
        return None
    return figures_of(session.assessment, window.changes)
