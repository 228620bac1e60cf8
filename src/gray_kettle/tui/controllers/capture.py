"""Taking files and collecting from live sources, beside the rest of the work: never behind a dialog."""

import logging
import shutil
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen
from textual.worker import get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.messages import LiveDetections, SightingsReceived, SweepReceived, TakeEnded, TakeGrew
from gray_kettle.tui.unfinished import STORING

if TYPE_CHECKING:
    from gray_kettle.collect.live.source import TakeControl
    from gray_kettle.model.records import Piece
    from gray_kettle.tui.start.take_forms import Chosen
    from gray_kettle.tui.walk.levels import Sighted

_DETECT_EVERY_S, _LIVE_S = 8, 300.0
_SILENT_S = 6.0
_LITTLE_ROOM = 1_000_000_000  # bytes
_RESCAN_S = 8.0  # a scan of all channels takes three to six
_LONGEST_LOCK_S = 120.0
_LOGGER = logging.getLogger(__name__)


@dataclass
class _Running:
    """What of one take is known so far. last_s: when something came (monotonic)."""

    scans: int = 0
    frames: int = 0
    rows: int = 0
    share: float = 0.0  # of a file
    is_file: bool = False
    last_s: float = field(default_factory=time.monotonic)


class Capture:
    """stored: called when a take ended with something new in the case. status: shows a line in the title."""

    def __init__(
        self, screen: "Screen[None]", path: Path, status: Callable[[str], None], stored: Callable[[], None]
    ) -> None:
        self._screen, self._path, self._status, self._stored = screen, path, status, stored
        self._running: dict[str, _Running] = {}
        self._since_s = self._detected_s = 0.0
        self._control: TakeControl | None = None
        self._ending = False
        self._last_live: tuple[str, ...] = ()

    @property
    def is_live(self) -> bool:
        return bool(self._running)

    @property
    def control(self) -> "TakeControl | None":
        """Of the live take that runs."""
        return self._control if any(not r.is_file for r in self._running.values()) else None

    def pause(self) -> None:
        """Leave out what comes from now on, or go on."""
        control = self.control
        if control is None:
            self._screen.notify("Nothing is being collected: press t.", timeout=4)
            return
        control.is_paused = not control.is_paused
        self.tick()

    def rescan(self) -> bool:
        """Scan once, with the source that was used last, else with this computer's Wi-Fi; whether that began."""
        from gray_kettle.sources import check
        from gray_kettle.tui.start.take_forms import Chosen

        if self._running:
            self._screen.notify("A take is running: it scans by itself.", timeout=4)
            return False
        names = self._last_live or ("wifi:",)
        try:
            for name in names:
                check(name)
        except KettleError as error:
            self._screen.notify(str(error), title="Not scanned", severity="error", markup=False, timeout=12)
            return False
        spot = self._control.spot if self._control is not None else ""
        self._begin(Chosen((), names, spot, _RESCAN_S))
        return True

    def toggle(self) -> None:
        """Ask what to take; while something is being taken, end that."""
        from gray_kettle.tui.start.take_forms import TakeForm

        if self._running:
            self._ending = True
            self._screen.workers.cancel_group(self._screen, "take")
            self.tick()
        else:
            self._screen.app.push_screen(TakeForm(), self._begin)

    def _begin(self, chosen: "Chosen | None") -> None:
        from gray_kettle.collect.live.source import TakeControl

        if chosen is None:
            return
        self._since_s, self._detected_s = time.monotonic(), 0.0
        self._control, self._ending = TakeControl(chosen.spot), False
        self._last_live = chosen.live or self._last_live
        together = (chosen.files, *((name,) for name in chosen.live))
        for names in filter(None, together):
            for name in names:
                self._running[name] = _Running(is_file=names is chosen.files)
            self._screen.run_worker(
                lambda names=names: self._take(names, chosen),
                thread=True,
                group="take",
                description="take",
            )
        self.tick()

    def _take(self, names: tuple[str, ...], chosen: "Chosen") -> None:
        """Take these one after the other; everything goes to the case, sweeps to the screen too."""
        from gray_kettle.collect.files import SweepOptions
        from gray_kettle.sources import Wish, take_from
        from gray_kettle.store import Case

        worker = get_current_worker()
        sweeps = SweepOptions(chosen.layout)
        for name in names:
            reporter = _Reporter(self._screen, name, is_file=names is chosen.files)
            read: list[str] = []
            refused: list[str] = []
            try:
                with STORING, Case.open(self._path) as case:
                    if not worker.is_cancelled:
                        case.wait_for_locks(_LONGEST_LOCK_S, lambda: worker.is_cancelled)
                        wish = Wish(
                            chosen.spot,
                            chosen.seconds,
                            sweeps,
                            lambda: worker.is_cancelled,
                            reporter.on_piece,
                            reporter.progress,
                            self._control,
                        )
                        for result in take_from(case, name, wish):
                            notes = " ".join(result.notes)
                            if result.kind == "not read":
                                refused.append(notes)
                            else:
                                read.append(
                                    f"{result.source}: {result.count} read ({result.kind}). {notes}".strip()
                                )
            except KettleError as error:
                _LOGGER.warning("take: %s", error)
                refused.append(str(error))
            self._screen.post_message(TakeEnded(name, tuple(read), tuple(refused)))

    def grew(self, grew: TakeGrew) -> None:
        """Something came in."""
        running = self._running.get(grew.name)
        if running is None:
            return
        running.scans, running.frames, running.rows = grew.scans, grew.frames, grew.rows
        running.share = grew.share
        running.last_s = time.monotonic()
        if grew.rows and time.monotonic() - self._since_s - self._detected_s >= _DETECT_EVERY_S:
            self._detected_s = time.monotonic() - self._since_s
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

    def tick(self) -> None:
        """Show how it goes; once a second is enough for the eye."""
        if not self._running:
            self._status("")
            return
        if self._ending:
            self._status("ending the take …")
            return
        running = self._running.values()
        seconds = int(time.monotonic() - self._since_s)
        length = f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
        if all(r.is_file for r in running):
            name = next(iter(self._running))
            share = self._running[name].share
            self._status(f"reading {printable(Path(name).name)} {share:.0%}" if share else "reading …")
            return
        counts = ((sum(getattr(r, what) for r in running), what) for what in ("scans", "frames", "rows"))
        said = " · ".join(f"{what} {n:,}".replace(",", " ") for n, what in counts if n) or "connecting …"
        silent_s = time.monotonic() - max(r.last_s for r in running)
        late = f"  last {silent_s:.0f} s ago" if silent_s > _SILENT_S else ""
        control = self._control
        spot = printable(control.spot) if control is not None else ""
        is_paused = control is not None and control.is_paused
        self._status(
            f"{'‖ paused' if is_paused else '●'} {spot or 'live'}  {said}  {length}{late}{self._room()}"
        )

    def _room(self) -> str:
        """How much the disk still takes, where that is little."""
        try:
            free = shutil.disk_usage(self._path.parent).free
        except OSError:
            return ""
        return f"  disk: {free / 1e6:,.0f} MB left" if free < _LITTLE_ROOM else ""

    def ended(self, ended: TakeEnded) -> None:
        self._running.pop(ended.name, None)
        self.tick()
        for line in ended.read:
            self._screen.notify(line, title="Taken", markup=False, timeout=8)
        for line in ended.refused:
            self._screen.notify(line, title="Not taken", severity="error", markup=False, timeout=20)
        if ended.read and not self._running:
            self._stored()


class _Reporter:
    """Counts what comes in a worker, and reports it to the screen a few times a second."""

    _EVERY_S = 0.25

    def __init__(self, screen: "Screen[None]", name: str, *, is_file: bool) -> None:
        self._screen, self._name, self._is_file = screen, name, is_file
        self._scans = self._frames = self._rows = 0
        self._share = self._said_s = 0.0

    def on_piece(self, piece: "Piece") -> None:
        rows = sum(len(r) for r in piece.sweeps)
        self._rows += rows
        if not rows:
            if len(piece.traffic) or len(piece.listening):
                self._frames += piece.records
            else:
                self._scans += piece.records
        if not self._is_file:
            for swept in piece.sweeps:
                self._screen.post_message(SweepReceived(swept, self._rows))
            if piece.announcements:
                self._screen.post_message(SightingsReceived(sighted_in(piece)))
        self._report()

    def progress(self, done: int, total: int) -> None:
        self._share = done / total if total else 0.0
        self._report()

    def _report(self) -> None:
        if time.monotonic() - self._said_s >= self._EVERY_S:
            self._said_s = time.monotonic()
            self._screen.post_message(
                TakeGrew(self._name, self._scans, self._frames, self._rows, self._share)
            )


def sighted_in(piece: "Piece") -> "tuple[Sighted, ...]":
    """The last level of every announcement in a piece."""
    import numpy as np

    from gray_kettle.tui.walk.levels import Sighted

    rows = piece.sightings
    last: dict[int, float] = {}
    for k in np.flatnonzero(rows.levels > 0).tolist():
        last[int(rows.announcement[k])] = float(10 * np.log10(rows.level_mw[k] / rows.levels[k]))
    known = piece.announcements
    return tuple(Sighted(known[n].bssid, known[n].channel, level) for n, level in last.items())
