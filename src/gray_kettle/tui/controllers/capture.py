"""Taking files, and collecting from live instruments beside the rest of the work."""

import logging
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen
from textual.worker import get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.messages import LiveDetections, LiveEnded, SweepReceived
from gray_kettle.tui.unfinished import STORING

if TYPE_CHECKING:
    from gray_kettle.model.records import Piece
    from gray_kettle.tui.start.take_forms import Chosen, TakeSummary

_DETECT_EVERY_S, _LIVE_S = 8, 300.0
_LOGGER = logging.getLogger(__name__)


class Capture:
    """stored: called when something new is in the case. status: shows a line in the title."""

    def __init__(
        self, screen: "Screen[None]", path: Path, status: Callable[[str], None], stored: Callable[[], None]
    ) -> None:
        self._screen, self._path, self._status, self._stored = screen, path, status, stored
        self._live_since_s, self._shown_s, self._spot = 0.0, -1, ""  # 0: nothing is being collected
        self._detected_s = 0

    @property
    def is_live(self) -> bool:
        return self._live_since_s > 0

    def toggle(self) -> None:
        """Ask what to take; while something is being collected, end that."""
        from gray_kettle.tui.start.take_forms import TakeForm

        if self.is_live:
            self._screen.workers.cancel_group(self._screen, "live")
            self._status("ending the take …")
        else:
            self._screen.app.push_screen(TakeForm(), self._begin)

    def _begin(self, chosen: "Chosen | None") -> None:
        from gray_kettle.tui.start.take_forms import TakeProgress

        if chosen is None:
            return
        if chosen.live:
            self._live_since_s, self._spot, self._detected_s = time.monotonic(), chosen.spot, 0
            self._status("connecting to the analyser …")
            self._screen.run_worker(
                lambda: self._collect(chosen.live, chosen.spot),
                thread=True,
                group="live",
                description="live take",
            )
        else:
            self._screen.app.push_screen(TakeProgress(self._path, chosen), self._finished)

    def _collect(self, uri: str, spot: str) -> None:
        """Collect until it is stopped; every row goes to the case and to the screen."""
        from gray_kettle.collect.ingest import take_live
        from gray_kettle.collect.live.scpi import Analyser
        from gray_kettle.store import Case

        worker = get_current_worker()
        count = 0

        def on_piece(piece: "Piece") -> None:
            nonlocal count
            for rows in piece.sweeps:
                count += len(rows)
                self._screen.post_message(SweepReceived(rows, count))

        try:
            with STORING, Case.open(self._path) as case:
                result = take_live(
                    case, Analyser(uri), spot, on_piece=on_piece, is_cancelled=lambda: worker.is_cancelled
                )
        except KettleError as error:
            _LOGGER.warning("live take: %s", error)
            self._screen.post_message(LiveEnded(str(error), True))
        else:
            notes = " ".join(result.notes)
            text = f"{result.source}: {result.count} read. {notes}".strip()
            self._screen.post_message(LiveEnded(text, False))

    def received(self, count: int) -> None:
        """A live row arrived, the so manieth of its take."""
        seconds = int(time.monotonic() - self._live_since_s)
        if seconds != self._shown_s:  # once a second is enough for the eye
            self._shown_s = seconds
            rows = f"{count:,}".replace(",", " ")
            length = f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
            self._status(f"● {printable(self._spot) or 'live'}  rows {rows}  {length}")
        if seconds - self._detected_s >= _DETECT_EVERY_S:
            self._detected_s = seconds
            self._screen.run_worker(
                self._detect, thread=True, exclusive=True, group="detect", description="detect emitters"
            )

    def _detect(self) -> None:
        """Detect emitters in the newest rows, beside the take. The cost does not grow with the length of the take."""
        from gray_kettle.analysis.emitters.tracking import find_emitters
        from gray_kettle.detection import detect_pending
        from gray_kettle.store import Case

        worker = get_current_worker()
        with suppress(KettleError), Case.open(self._path) as case:  # the take itself reports what is wrong
            detect_pending(case, is_cancelled=lambda: worker.is_cancelled)
            span_s = case.span_s()
            if span_s is not None and not worker.is_cancelled:
                observations = case.window(span_s[1] - _LIVE_S, span_s[1])
                self._screen.post_message(LiveDetections(find_emitters(observations, case.setup(), ())))

    def ended(self, ended: LiveEnded) -> None:
        self._live_since_s = 0.0
        self._status("")
        if ended.failed:
            self._screen.notify(ended.text, title="Not taken", severity="error", markup=False, timeout=20)
        else:
            self._report((ended.text,), ())

    def _finished(self, taken: "TakeSummary | None") -> None:
        if taken is not None:
            self._report(taken.read, taken.refused)

    def _report(self, read: tuple[str, ...], refused: tuple[str, ...]) -> None:
        for line in read:
            self._screen.notify(line, title="Taken", markup=False, timeout=8)
        for line in refused:
            self._screen.notify(line, title="Not taken", severity="error", markup=False, timeout=20)
        if read:
            self._stored()
