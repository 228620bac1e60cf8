"""Alerts while something is taken: new radios, own ones that go or move, busy channels, retries, emitters."""

import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen
from textual.worker import get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.tui.messages import AlertsBegan
from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.analysis.alerts import AlertWatch
    from gray_kettle.model.records import Alert

_TICK_S, _EVERY_S, _WINDOW_S = 0.5, 10.0, 600.0


class Alerting:
    """is_live: whether something is taken here. state: what is shown, None while nothing was read."""

    def __init__(
        self,
        screen: "Screen[None]",
        path: Path,
        is_live: Callable[[], bool],
        state: Callable[[], ViewState | None],
    ) -> None:
        self._screen, self._path, self._is_live, self._state = screen, path, is_live, state
        self._watch: AlertWatch | None = None
        self._is_looking = False
        self._before: ViewState | None = None  # what was shown before the take began
        self._looked_s = 0.0
        self._has_bell = False

    def start(self) -> None:
        from gray_kettle import configuration

        with suppress(KettleError):  # what is wrong with it was said at the start
            self._has_bell = configuration.load().bell
        self._screen.set_interval(_TICK_S, self._look)

    def show(self, alerts: "tuple[Alert, ...]") -> None:
        """Say what began; the time line marks it as soon as the case is read again."""
        if self._has_bell:
            self._screen.app.bell()
        for alert in alerts:
            self._screen.notify(
                alert.text, title=str(alert.kind), severity="warning", markup=False, timeout=15
            )

    def _look(self) -> None:
        state = self._state()
        if not self._is_live():
            self._watch, self._before = None, state  # the next take begins with what is known then
            return
        if state is None or self._is_looking or time.monotonic() - self._looked_s < _EVERY_S:
            return
        self._looked_s = time.monotonic()
        if self._watch is None:
            from gray_kettle.analysis.alerts import AlertWatch
            from gray_kettle.analysis.thresholds import thresholds_of

            before = self._before or state
            known = {a.bssid for a in before.session.observations.announcements}
            self._watch = AlertWatch(thresholds_of(state.setup), known)
        watch, self._is_looking = self._watch, True
        self._screen.run_worker(
            lambda: self._find(watch), thread=True, group="alerts", description="look for alerts"
        )

    def _find(self, watch: "AlertWatch") -> None:
        from gray_kettle.session import load_session
        from gray_kettle.store import Case

        worker = get_current_worker()
        try:
            with (
                suppress(KettleError),
                Case.open(self._path) as case,
            ):  # the take itself reports what is wrong
                span_s = case.span_s()
                if span_s is None:
                    return
                session = load_session(case, span_s[1] - _WINDOW_S, span_s[1])
                found = watch.look(session.assessment, session.observations)
                if found and not worker.is_cancelled:
                    case.alerts.add(found)
                    self._screen.post_message(AlertsBegan(tuple(found)))
        finally:
            self._is_looking = False
