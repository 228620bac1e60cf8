"""Reads, assesses and plans in workers; the screen gets each result as a message as soon as it is ready."""

import logging
import time
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen
from textual.worker import Worker, WorkerCancelled, get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.tui.frame.timeline import BINS
from gray_kettle.tui.messages import Shown, WorkProgress
from gray_kettle.tui.view_state import BANDS

if TYPE_CHECKING:
    from gray_kettle.model.setup import Setup
    from gray_kettle.session import Session
    from gray_kettle.store import Case

Window = tuple[float | None, float | None]
WHOLE: Window = (None, None)
_LOGGER = logging.getLogger(__name__)


class Loader:
    """One load at a time: a newer one cancels the one before."""

    def __init__(self, screen: "Screen[None]", path: Path) -> None:
        self._screen, self._path = screen, path
        self._session: Session | None = None  # the newest that was shown
        self._span_s = (0.0, 0.0)
        self._has_busy = False
        self._worker: Worker[None] | None = None
        self.took_s = self.ended_s = 0.0  # of the last load (monotonic)

    @property
    def is_busy(self) -> bool:
        return self._worker is not None and not self._worker.is_finished

    def load(self, window: Window, setup: "Setup | None" = None) -> None:
        """Read a window from the case; under this setup where it may not be saved yet."""
        self._start(partial(self._load, window, setup))

    def apply(self, setup: "Setup", window: Window) -> None:
        """Answer anew for a changed setup, from the observations at hand where they do not depend on the change."""
        session = self._session
        if (
            session is None or setup.reference != session.setup.reference
        ):  # what was known before comes from the case
            self.load(window, setup)
        else:
            self._start(partial(self._answer, session.with_setup(setup), None))

    def _start(self, work: "partial[None]") -> None:
        def timed() -> None:
            began_s = time.monotonic()
            try:
                work()
            finally:
                self.ended_s = time.monotonic()
                self.took_s = self.ended_s - began_s

        self._worker = self._screen.run_worker(
            timed, thread=True, exclusive=True, group="load", description="load"
        )

    def _load(self, window: Window, setup: "Setup | None") -> None:
        from gray_kettle.detection import detect_pending
        from gray_kettle.session import load_session
        from gray_kettle.store import Case

        worker, began_s = get_current_worker(), time.monotonic()
        try:
            with Case.open(self._path) as case:
                self._span_s = case.span_s() or (0.0, 0.0)
                session = load_session(case, *window, setup=setup)
                busy = self._busy_of(case, session, window)
                if session.observations.rows_pending:  # show what is known first; detection takes seconds
                    _ = session.assessment
                    self._show(session, busy, False)
                    if not detect_pending(case, self._detected, lambda: worker.is_cancelled):
                        return
                    session = load_session(case, *window, setup=setup)
        except KettleError as error:
            _LOGGER.warning("load: %s", error)
            self._screen.notify(
                str(error), title="Cannot read the case", severity="error", markup=False, timeout=30
            )
            return
        self._answer(session, busy)
        _LOGGER.info("loaded and planned in %.2f s", time.monotonic() - began_s)

    def _busy_of(self, case: "Case", session: "Session", window: Window) -> dict[str, list[float]] | None:
        """For the timeline: of the whole case, so it is computed anew only when that is read."""
        from gray_kettle.session import load_session

        if window != WHOLE and self._has_busy:
            return None
        self._has_busy = True
        return _busy(session if window == WHOLE else load_session(case), self._span_s)

    def _answer(self, session: "Session", busy: dict[str, list[float]] | None) -> None:
        worker = get_current_worker()
        session.planning = lambda done: self._planned(done, worker)
        try:
            for with_proposal in (False, True):
                _ = session.proposal if with_proposal else session.assessment
                if worker.is_cancelled:
                    return
                self._show(session, busy, with_proposal)
        except WorkerCancelled:
            return  # another window was asked for while the plan was computed
        except KettleError as error:
            _LOGGER.warning("assess: %s", error)
            self._screen.notify(str(error), title="No plan", severity="error", markup=False, timeout=30)

    def _show(self, session: "Session", busy: dict[str, list[float]] | None, with_proposal: bool) -> None:
        self._session = session
        self._screen.post_message(Shown(session, self._span_s, busy, with_proposal))

    def _detected(self, done: int, total: int) -> None:
        self._screen.post_message(WorkProgress("detecting emitters", done / max(total, 1)))

    def _planned(self, done: float, worker: "Worker[None]") -> None:
        if worker.is_cancelled:
            raise WorkerCancelled
        if done > 0:
            self._screen.post_message(WorkProgress("computing the plan", done))


def _busy(session: "Session", span_s: tuple[float, float]) -> dict[str, list[float]]:
    """Reported utilisation of each band over the whole case, for the timeline."""
    from gray_kettle.analysis.utilisation.history import bins_without_gaps, busy_over_time

    bins = bins_without_gaps(session.observations, BINS, *span_s)
    return {band: busy_over_time(session.observations, band, bins, *span_s).tolist() for band in BANDS}
