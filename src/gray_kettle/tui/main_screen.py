"""The screen that one works on: the frame around the chosen place. Knows the case and the window."""

import asyncio
import gc
import importlib
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from textual import on, work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import ContentSwitcher, Static
from textual.worker import Worker, WorkerCancelled, get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.tui.commands import KettleCommands
from gray_kettle.tui.edits import Editing
from gray_kettle.tui.frame.timeline import BINS, Timeline
from gray_kettle.tui.frame.title_line import VIEWS, KeyHints, Rule, TitleLine, ViewTabs, _Line
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.help import HelpScreen
from gray_kettle.tui.messages import Follow, Jump, Shown, ToWindow, WorkProgress
from gray_kettle.tui.view_state import BANDS, ViewState

if TYPE_CHECKING:
    from gray_kettle.session import Session

_SHORTEST_S, _CLOSE_S = 5.0, 1e-3
_ZOOMS_S = (3600.0, 6 * 3600.0, 24 * 3600.0)
_WAITING = "waiting"


class MainScreen(Editing):
    """Works on one case. Reading and judging run in a worker; the places only show."""

    CSS = """
    MainScreen { layout: vertical; }
    MainScreen ContentSwitcher { height: 1fr; }
    MainScreen ContentSwitcher > * { height: 1fr; }
    """
    COMMANDS: ClassVar = {KettleCommands}
    BINDINGS: ClassVar = [
        *(
            Binding(key, f"place('{name}')", title, show=False, id=f"place.{name}")
            for key, (name, title) in VIEWS.items()
        ),
        Binding("b", "band", "band", id="work.band"),
        Binding("left_square_bracket", "shift(-1)", "window back", id="work.back"),
        Binding("right_square_bracket", "shift(1)", "window on", id="work.on"),
        Binding("left_curly_bracket", "stretch(0.5)", "window shorter", id="work.shorter"),
        Binding("right_curly_bracket", "stretch(2)", "window longer", id="work.longer"),
        Binding("w", "zoom", "hour, day, all", id="work.zoom"),
        Binding("r", "reference", "reference", id="work.reference"),
        Binding("i", "explain", "where a figure comes from", id="work.explain"),
        Binding("t", "take", "take", id="work.take"),
        Binding("x", "export", "export", id="work.export"),
        Binding("o", "own", "own networks", id="work.own"),
        Binding("question_mark", "help", "help", id="work.help"),
        Binding("ctrl+z", "undo", "undo", id="work.undo"),
    ]

    def __init__(self, path: Path, fresh: bool = False) -> None:
        super().__init__(path)
        self._fresh = fresh
        self._band = ""
        self._window: tuple[float | None, float | None] = (None, None)
        self._busy: dict[str, list[float]] = {}
        self._wanted = "brief"
        self._followed: frozenset[str] = frozenset()
        self._stale: set[str] = set()  # places that do not show the newest look yet

    def compose(self) -> ComposeResult:
        yield TitleLine(id="title-line")
        yield ViewTabs(id="places-line")
        yield Rule()
        with ContentSwitcher(initial=_WAITING):
            yield Static(" Reading the case …", id=_WAITING)
        yield Rule()
        yield Timeline(id="rail")
        yield KeyHints(id="hints")

    def on_mount(self) -> None:
        self.query_one(TitleLine).status = "reading the case …"
        # Not after the refresh but a moment later: the frame must have reached the terminal.
        self.set_timer(0.05, self._bring_places)

    async def _bring_places(self) -> None:
        """Fill the frame, once it stands: the places need numerics, whose import takes as long as all before it."""
        made = await asyncio.to_thread(importlib.import_module, "gray_kettle.tui.views")
        self._views = {name: view(id=name) for name, view in made.VIEW_CLASSES.items()}
        for view in self._views.values():
            view.display = False  # until it is chosen
        await self.query_one(ContentSwitcher).mount(*self._views.values())
        self.action_place(self._wanted)
        self._reload()
        if self._fresh:
            self.action_take()

    # Reading

    def judge_again(self) -> None:
        self._reload()

    @work(thread=True, exclusive=True, group="read")
    def _reload(self) -> None:
        """Read, judge and plan off the interface's thread."""
        from gray_kettle.detection import detect_pending
        from gray_kettle.session import read
        from gray_kettle.store import Case

        worker = get_current_worker()
        try:
            with Case.open(self._path) as case:
                span_s = case.span_s() or (0.0, 0.0)
                session = read(case, *self._window)
                busy = _busy(session, span_s) if self._window == (None, None) else None
                if session.observations.rows_pending:  # what is known so far first; looking takes seconds
                    _ = session.assessment
                    self.post_message(Shown(session, span_s, busy, False))
                    if not detect_pending(case, self._looking, lambda: worker.is_cancelled):
                        return
                    session = read(case, *self._window)
            session.planning = lambda done: self._planning(done, worker)
            for with_proposal in (False, True):
                _ = session.proposal if with_proposal else session.assessment
                if worker.is_cancelled:
                    return
                self.post_message(Shown(session, span_s, busy, with_proposal))
        except WorkerCancelled:
            return  # another window was asked for while the plan was worked out
        except KettleError as error:
            self.notify(str(error), title="Cannot read the case", severity="error", markup=False, timeout=30)

    def _looking(self, done: int, total: int) -> None:
        """From the worker: how far the sweeps are looked through."""
        self.post_message(WorkProgress("looking for emitters", done / max(total, 1)))

    def _planning(self, done: float, worker: "Worker[None]") -> None:
        """From the worker: how far the plan is."""
        if worker.is_cancelled:
            raise WorkerCancelled
        if done > 0:
            self.post_message(WorkProgress("working out the plan", done))

    @on(WorkProgress)
    def _tell_working(self, working: WorkProgress) -> None:
        if not self.query_one(TitleLine).status:
            return  # it came in after the end
        bar = "━" * int(12 * working.done)
        self.query_one(TitleLine).status = f"{working.what} {bar:┄<12}"

    @on(Shown)
    def _shown(self, shown: Shown) -> None:
        observations = shown.session.observations
        start_s, end_s = shown.span_s
        if shown.busy is not None:
            self._busy = shown.busy
        assessment = shown.session.assessment
        if not self._band:
            self._band = next((r.band for r in assessment.radios), "2.4")
        self._look = ViewState(
            session=shown.session,
            assessment=assessment,
            proposal=shown.session.proposal if shown.with_proposal else None,
            band=self._band,
            start_s=observations.start_s,
            end_s=observations.end_s,
            case_start_s=start_s,
            case_end_s=end_s,
            busy=self._busy,
            followed=self._followed,
            path=self._path,
        )
        self.query_one(TitleLine).status = "" if shown.with_proposal else "working out the plan …"
        self._spread()
        if shown.with_proposal:
            # What is loaded by now stays: a full collection that walks it all takes 90 ms, and a key waits for it.
            gc.freeze()

    def _spread(self) -> None:
        """Hand the look to the frame and to the place that is shown; the others get it when they come up."""
        self.query_one(TitleLine).look = self._look
        self.query_one(Timeline).look = self._look
        self._stale = set(self._views)
        self._freshen()

    def _freshen(self) -> None:
        place = self._place
        if place is not None and self._look is not None and place.id in self._stale:
            self._stale.discard(place.id or "")
            place.show(self._look)
            if self.focused is None and self is self.app.screen:
                place.focus_first()

    @property
    def _place(self) -> View | None:
        return self._views.get(self.query_one(ContentSwitcher).current or "")

    # Places

    def action_place(self, name: str) -> None:
        self._wanted = name
        self.query_one(ViewTabs).place = name
        if name not in self._views:
            return  # it will come up when it is there
        self.query_one(ContentSwitcher).current = name
        self.query_one(KeyHints).own = self._views[name].HINTS
        self._freshen()
        self._views[name].focus_first()

    @on(_Line.Clicked)
    def _clicked(self, clicked: _Line.Clicked) -> None:
        kind, _, what = clicked.word.partition("-")
        if kind == "place":
            self.action_place(what)
        else:
            self._to_band(what)

    @on(Jump)
    def _jump(self, jump: Jump) -> None:
        assessment = self._look.assessment if self._look else None
        about = assessment.radio(jump.about) or assessment.emitter(jump.about) if assessment else None
        if about is not None and about.band != self._band:
            self._to_band(about.band)
        self.action_place(jump.place)
        if jump.only:
            self.call_after_refresh(self._views[jump.place].narrow, jump.only, jump.back)
        if about is not None:
            self.call_after_refresh(self._views[jump.place].choose, about.id)

    def action_band(self) -> None:
        self._to_band(BANDS[(BANDS.index(self._band) + 1) % len(BANDS)] if self._band else BANDS[0])

    def _to_band(self, band: str) -> None:
        self._band = band
        if self._look is not None:
            self._look = replace(self._look, band=band)
            self._spread()

    # The window

    def action_shift(self, direction: int) -> None:
        look = self._look
        if look is None or look.is_whole_case:
            return
        length = look.end_s - look.start_s
        start = min(max(look.start_s + direction * length / 2, look.case_start_s), look.case_end_s - length)
        self._to_window(start, start + length)

    def action_stretch(self, factor: float) -> None:
        look = self._look
        if look is None:
            return
        self._stretch_to((look.start_s + look.end_s) / 2, (look.end_s - look.start_s) * factor)

    def _stretch_to(self, middle: float, length: float) -> None:
        look = self._look
        assert look is not None
        length = max(length, _SHORTEST_S)
        start, end = max(middle - length / 2, look.case_start_s), min(middle + length / 2, look.case_end_s)
        if end - start < length:  # at an edge of the case: grow the other way
            start, end = max(end - length, look.case_start_s), min(start + length, look.case_end_s)
        self._to_window(start, end)

    def action_zoom(self) -> None:
        """The next of one hour, six, a day and everything, about the middle of what is shown."""
        look = self._look
        if look is None:
            return
        whole, length = look.case_end_s - look.case_start_s, look.end_s - look.start_s
        steps = [s for s in _ZOOMS_S if s < whole]
        shorter = [s for s in steps if s < length * 0.99]
        if not steps:
            return
        middle = (look.start_s + look.end_s) / 2
        self._stretch_to(middle, max(shorter) if shorter else whole)

    @on(ToWindow)
    def _asked_window(self, asked: ToWindow) -> None:
        if self._look is not None:
            self._stretch_to((asked.start_s + asked.end_s) / 2, asked.end_s - asked.start_s)

    def _to_window(self, start_s: float, end_s: float) -> None:
        look = self._look
        assert look is not None
        whole = start_s <= look.case_start_s + _CLOSE_S and end_s >= look.case_end_s - _CLOSE_S
        self._window = (None, None) if whole else (start_s, end_s)
        # The brackets follow the key at once; the answers follow when they are worked out.
        self._look = replace(look, start_s=start_s, end_s=end_s)
        self.query_one(Timeline).look = self._look
        self.query_one(TitleLine).status = "judging the window …"
        if self._place is not None:
            self._place.window_moved(self._look)
        self._reload()

    @on(Follow)
    def _follow(self, follow: Follow) -> None:
        self._followed ^= {follow.radio.id}
        if self._look is not None:
            self._look = replace(self._look, followed=self._followed)
            self._spread()

    # Taking and exporting

    def took(self) -> None:
        """Something new is in the case: judge all of it."""
        self._window, self._band = (None, None), ""
        self._reload()
        if self._fresh:
            self._fresh = False
            self.set_timer(0.1, self._ask_own)

    def _ask_own(self) -> None:
        """The third of the first three steps, as soon as it is known what was heard."""
        if self._look is None or not self._look.session.observations.takes:
            self.set_timer(0.1, self._ask_own)  # the take is not in the look yet
        elif self._look.assessment.radios and not self._look.assessment.own:
            self.action_own()

    def action_export(self) -> None:
        views = {
            "heard": ("levels",),
            "air": ("lanes", "ledger", "field"),
            "sweep": ("sweep", "waterfall"),
        }.get(self._wanted)
        if self._wanted == "plan" and self._look is not None:
            self._export_sheet(*self._window)
        elif views is None:
            self.notify("This place has no drawing: 2 Heard, 3 Air, 4 Sweep and 5 Plan have.", timeout=4)
        elif self._look is not None:
            self._export(views, self._band, *self._window)

    @work(thread=True, exclusive=True, group="export")
    def _export(self, views: tuple[str, ...], band: str, start_s: float | None, end_s: float | None) -> None:
        from gray_kettle.export.case_drawings import draw_view

        for view in views:
            path = Path(f"{self._path.stem}-{view}-{band}.svg")
            try:
                draw_view(view, self._path, band, path, start_s, end_s)
            except KettleError as error:
                self.notify(str(error), title="Not exported", severity="error", markup=False)
            else:
                self.notify(f"Written: {path}", title="Exported", markup=False)

    @work(thread=True, exclusive=True, group="export")
    def _export_sheet(self, start_s: float | None, end_s: float | None) -> None:
        from gray_kettle.export.case_drawings import write_sheet

        for ending in ("pdf", "txt", "csv"):
            path = Path(f"{self._path.stem}-changes.{ending}")
            try:
                write_sheet(self._path, path, start_s, end_s)
            except KettleError as error:
                self.notify(str(error), title="Not written", severity="error", markup=False)
            else:
                self.notify(f"Written: {path}", title="Change sheet", markup=False)

    def action_explain(self) -> None:
        """Open the figures of the row or place that is pointed at."""
        if self._place is None or self._look is None:
            return
        from gray_kettle.tui.explain import ExplainScreen

        found = self._place.explain()
        if found:
            self.app.push_screen(ExplainScreen(found))
        else:
            self.notify("Point at something first: its figures are explained.", timeout=4)

    def action_help(self) -> None:
        self.app.push_screen(HelpScreen(self._wanted))


def _busy(session: "Session", span_s: tuple[float, float]) -> dict[str, list[float]]:
    """Busy share of each band over the whole case, for the rail."""
    from gray_kettle.analysis.utilisation.history import busy_over_time, telling_bins

    bins = telling_bins(session.observations, BINS, *span_s)
    return {band: busy_over_time(session.observations, band, bins, *span_s).tolist() for band in BANDS}
