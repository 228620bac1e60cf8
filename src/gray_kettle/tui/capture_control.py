"""Taking files, and collecting from live instruments while the work goes on."""

import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from textual import on, work
from textual.screen import Screen
from textual.worker import get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.title_line import TitleLine
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.messages import LiveDetections, LiveEnded, SweepReceived

if TYPE_CHECKING:
    from gray_kettle.model.records import Piece
    from gray_kettle.tui.start.take_forms import Chosen, TakeSummary

_LOOK_EVERY_S, _LIVE_S = 8, 300.0


class CaptureControl(Screen[None]):
    """A screen on a case that new observations come into. The screen itself says what follows (took)."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path = path
        self._views: dict[str, View] = {}  # empty until they have been brought in
        self._live_since_s, self._live_told_s, self._live_spot = 0.0, -1, ""  # 0: nothing is being collected
        self._looked_s = 0

    def took(self) -> None:
        """Something new is in the case."""
        raise NotImplementedError

    def action_take(self) -> None:
        if self._live_since_s:
            self.workers.cancel_group(self, "live")
            self.query_one(TitleLine).status = "ending the take …"
            return
        from gray_kettle.tui.start.take_forms import TakeForm

        self.app.push_screen(TakeForm(), self._begin_take)

    def _begin_take(self, chosen: "Chosen | None") -> None:
        from gray_kettle.tui.start.take_forms import TakeProgress

        if chosen is not None and chosen.live:
            self._live_since_s, self._live_spot, self._looked_s = time.monotonic(), chosen.spot, 0
            self.query_one(TitleLine).status = "reaching the analyser …"
            self._collect(chosen.live, chosen.spot)
        elif chosen is not None:
            self.app.push_screen(TakeProgress(self._path, chosen), self._taken)

    @work(thread=True, group="live")
    def _collect(self, uri: str, spot: str) -> None:
        """Collect until it is stopped; every row goes to the case and to the picture."""
        from gray_kettle.collect.ingest import take_live
        from gray_kettle.collect.scpi import Analyser
        from gray_kettle.store import Case

        worker = get_current_worker()
        count = 0

        def heard(piece: "Piece") -> None:
            nonlocal count
            for rows in piece.sweeps:
                count += len(rows)
                self.post_message(SweepReceived(rows, count))

        try:
            with Case.open(self._path) as case:
                result = take_live(
                    case, Analyser(uri), spot, heard=heard, is_cancelled=lambda: worker.is_cancelled
                )
        except KettleError as error:
            self.post_message(LiveEnded(str(error), True))
        else:
            notes = " ".join(result.notes)
            told = f"{result.source}: {result.records:,} {result.unit} read. {notes}".strip()
            self.post_message(LiveEnded(told, False))

    @on(SweepReceived)
    def _came(self, came: SweepReceived) -> None:
        sweep = self._views.get("sweep")
        if sweep is not None:
            sweep.came(came.rows)
        seconds = int(time.monotonic() - self._live_since_s)
        if seconds != self._live_told_s:  # once a second is enough for the eye
            self._live_told_s = seconds
            rows = f"{came.count:,}".replace(",", " ")
            length = f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
            self.query_one(
                TitleLine
            ).status = f"● {printable(self._live_spot) or 'live'}  rows {rows}  {length}"

        if seconds - self._looked_s >= _LOOK_EVERY_S:
            self._looked_s = seconds
            self._look_live()

    @work(thread=True, exclusive=True, group="look")
    def _look_live(self) -> None:
        """Look through what came, beside the take: what is told of an hour costs no more than that of a minute."""
        from gray_kettle.analysis.emitters.tracking import find_emitters
        from gray_kettle.detection import detect_pending
        from gray_kettle.store import Case

        worker = get_current_worker()
        with suppress(KettleError), Case.open(self._path) as case:  # the take itself tells what is wrong
            detect_pending(case, is_cancelled=lambda: worker.is_cancelled)
            span_s = case.span_s()
            if span_s is not None and not worker.is_cancelled:
                observations = case.window(span_s[1] - _LIVE_S, span_s[1])
                self.post_message(LiveDetections(find_emitters(observations, case.setup(), ())))

    @on(LiveDetections)
    def _found_live(self, found: LiveDetections) -> None:
        sweep = self._views.get("sweep")
        if sweep is not None and self._live_since_s:
            sweep.found_live(found.emitters)

    @on(LiveEnded)
    def _live_ended(self, ended: LiveEnded) -> None:
        self._live_since_s = 0.0
        self.query_one(TitleLine).status = ""
        sweep = self._views.get("sweep")
        if sweep is not None:
            sweep.live_ended()
        if ended.wrong:
            self.notify(ended.told, title="Not taken", severity="error", markup=False, timeout=20)
        else:
            self._emitter_loss((ended.told,), ())

    def _taken(self, taken: "TakeSummary | None") -> None:
        if taken is not None:
            self._emitter_loss(taken.read, taken.refused)

    def _emitter_loss(self, read: tuple[str, ...], refused: tuple[str, ...]) -> None:
        for line in read:
            self.notify(line, title="TakeSummary", markup=False, timeout=8)
        for line in refused:
            self.notify(line, title="Not taken", severity="error", markup=False, timeout=20)
        if read:
            self.took()
