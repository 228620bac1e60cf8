"""The main screen: the frame around the chosen view of one case. It routes; controllers do the work."""

import asyncio
import gc
import importlib
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.screen import Screen
from textual.widgets import ContentSwitcher, Static

from gray_kettle.tui.commands import KettleCommands
from gray_kettle.tui.controllers import window as windows
from gray_kettle.tui.controllers.alerting import Alerting
from gray_kettle.tui.controllers.capture import Capture
from gray_kettle.tui.controllers.exporting import Exporter
from gray_kettle.tui.controllers.followed import Followed
from gray_kettle.tui.controllers.following import Follower
from gray_kettle.tui.controllers.loading import WHOLE, Loader, Window
from gray_kettle.tui.controllers.on_site import OnSite
from gray_kettle.tui.controllers.setup_edits import SetupEdits
from gray_kettle.tui.frame.timeline import Timeline
from gray_kettle.tui.frame.title_line import VIEWS, ClickLine, KeyHints, Rule, TitleLine, ViewTabs
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.help import HelpScreen
from gray_kettle.tui.messages import (
    AlertsBegan,
    AnnotateEmitter,
    CaseGrew,
    EditPreferences,
    Follow,
    GiveName,
    JoinRadios,
    Jump,
    LiveDetections,
    MarkDone,
    MarkOwn,
    SeparateBssids,
    SetupChanged,
    Shown,
    SightingsReceived,
    SweepReceived,
    TakeEnded,
    TakeGrew,
    ToWindow,
    WorkProgress,
)
from gray_kettle.tui.view_state import BANDS, ViewState

_WAITING = "waiting"


class MainScreen(Screen[None]):
    """Works on one case. Loading, assessing and planning run in workers; the views only show."""

    CSS = """
    MainScreen { layout: vertical; }
    MainScreen ContentSwitcher { height: 1fr; }
    MainScreen ContentSwitcher > * { height: 1fr; }
    """
    COMMANDS: ClassVar = {KettleCommands}
    BINDINGS: ClassVar = [
        *(
            Binding(key, f"view('{name}')", title, show=False, id=f"view.{name}")
            for key, (name, title) in VIEWS.items()
        ),
        Binding("b", "band", "band", id="main.band"),
        Binding("left_square_bracket", "shift(-1)", "window back", id="main.back"),
        Binding("right_square_bracket", "shift(1)", "window forward", id="main.forward"),
        Binding("left_curly_bracket", "stretch(0.5)", "window shorter", id="main.shorter"),
        Binding("right_curly_bracket", "stretch(2)", "window longer", id="main.longer"),
        Binding("w", "zoom", "hour, day, all", id="main.zoom"),
        *(Binding(key, f"to_time('{where}')", where, id=f"main.{name}") for key, name, where in windows.KEYS),
        Binding("r", "reference", "reference", id="main.reference"),
        Binding("i", "explain", "where a figure comes from", id="main.explain"),
        Binding("t", "take", "take", id="main.take"),
        Binding("T", "takes", "takes", id="main.takes"),
        Binding("P", "pause", "pause the take", id="main.pause"),
        Binding("W", "on_site('walk')", "walk", id="main.walk"),
        Binding("M", "mark", "mark this moment", id="main.mark"),
        Binding("N", "on_site('since')", "what is new", id="main.since"),
        Binding("A", "on_site('alerts')", "alerts", id="main.alerts"),
        Binding("L", "on_site('spot')", "spot of the take", id="main.spot"),
        Binding("R", "on_site('rescan')", "scan now", id="main.rescan"),
        Binding("x", "export", "export", id="main.export"),
        Binding("X", "on_site('hand_over')", "hand over", id="main.hand-over"),
        Binding("o", "own", "own networks", id="main.own"),
        Binding("F", "alone", "only what is followed", show=False, id="main.alone"),
        Binding("question_mark", "help", "help", id="main.help"),
        Binding("ctrl+z", "undo", "undo", id="main.undo"),
    ]

    def __init__(self, path: Path, fresh: bool = False, window: Window = WHOLE) -> None:
        super().__init__()
        self._path, self._fresh = path, fresh
        self._state: ViewState | None = None
        self._views: dict[str, View] = {}  # empty until they are mounted
        self._wanted = "brief"
        self._stale: set[str] = set()  # views that do not show the newest state yet
        self._band = ""
        self._window = window
        self._busy: dict[str, list[float]] = {}
        self._followed = Followed(self, path)
        self._loader = Loader(self, path)
        self._edits = SetupEdits(self, path, lambda: self._state)
        self._capture = Capture(self, path, self._show_live, self._take_stored)
        self._follower = Follower(
            self,
            path,
            self._loader,
            lambda: self._state.session.observations.takes if self._state is not None else None,
        )
        self._alerting = Alerting(self, path, lambda: self._capture.is_live, lambda: self._state)
        self._exporter = Exporter(self, path)
        self._on_site = OnSite(self, self._capture, lambda: self._state)

    def compose(self) -> ComposeResult:
        yield TitleLine(id="title-line")
        yield ViewTabs(id="view-tabs")
        yield Rule()
        with ContentSwitcher(initial=_WAITING):
            yield Static(" Reading the case …", id=_WAITING)
        yield Rule()
        yield Timeline(id="timeline")
        yield KeyHints(id="hints")

    def on_mount(self) -> None:
        self._show_status("reading the case …")
        # Not after the refresh but a moment later: the frame must have reached the terminal.
        self.set_timer(0.05, self._mount_views)

    async def _mount_views(self) -> None:
        """Fill the frame once it is shown: the views need numerics, whose import takes as long as all before it."""
        made = await asyncio.to_thread(importlib.import_module, "gray_kettle.tui.views")
        self._views = {name: view(id=name) for name, view in made.VIEW_CLASSES.items()}
        for view in self._views.values():
            view.display = False  # until it is chosen
        await self.query_one(ContentSwitcher).mount(*self._views.values())
        self.action_view(self._wanted)
        self._loader.load(self._window, self._edits.unsaved)
        self._follower.start()
        self._alerting.start()
        self.set_interval(1.0, self._capture.tick)
        if self._fresh:
            self.action_take()

    # Loading

    def _show_status(self, text: str) -> None:
        self.query_one(TitleLine).status = text

    def _show_live(self, text: str) -> None:
        self.query_one(TitleLine).live = text

    @on(WorkProgress)
    def _show_progress(self, progress: WorkProgress) -> None:
        if self.query_one(TitleLine).status:  # else it came in after the end
            bar = "━" * int(12 * progress.done)
            self._show_status(f"{progress.what} {bar:┄<12}")

    @on(Shown)
    def _shown(self, shown: Shown) -> None:
        session = shown.session
        if shown.busy is not None:
            self._busy = shown.busy
        if not self._band:
            self._band = next((r.band for r in session.assessment.radios), "2.4")
        self._state = ViewState(
            session=session,
            assessment=session.assessment,
            proposal=session.proposal if shown.with_proposal else None,
            band=self._band,
            start_s=session.observations.start_s,
            end_s=session.observations.end_s,
            case_start_s=shown.span_s[0],
            case_end_s=shown.span_s[1],
            busy=self._busy,
            path=self._path,
            **self._followed.state(session.setup),  # type: ignore[arg-type]
        )
        if session.setup == self._edits.setup:
            self._edits.reset()
        self._show_status("" if shown.with_proposal else "computing the plan …")
        self._publish()
        self._on_site.assessed()
        if shown.with_proposal:
            # What is loaded by now stays: a full collection that walks it all takes 90 ms, and a key waits for it.
            gc.freeze()

    def _publish(self) -> None:
        """Hand the state to the frame and to the view that is shown; the others get it when they come up."""
        self.query_one(TitleLine).state = self._state
        self.query_one(Timeline).state = self._state
        self._stale = set(self._views)
        self._refresh_view()
        self._on_site.published()

    def _refresh_view(self) -> None:
        view = self._view
        if view is not None and self._state is not None and view.id in self._stale:
            self._stale.discard(view.id or "")
            view.show(self._state)
            if self.focused is None and self is self.app.screen:
                view.focus_first()

    def _change_state(self, **changes: object) -> None:
        if self._state is not None:
            self._state = replace(self._state, **changes)  # type: ignore[arg-type]
            self._publish()

    # Views

    @property
    def _view(self) -> View | None:
        return self._views.get(self.query_one(ContentSwitcher).current or "")

    def action_view(self, name: str) -> None:
        self._wanted = name
        self.query_one(ViewTabs).view = name
        if name not in self._views:
            return  # it comes up when it is mounted
        self.query_one(ContentSwitcher).current = name
        self.query_one(KeyHints).own = self._views[name].HINTS
        self._refresh_view()
        self._views[name].focus_first()

    @on(ClickLine.Clicked)
    def _clicked(self, clicked: ClickLine.Clicked) -> None:
        kind, _, what = clicked.word.partition("-")
        if kind == "view":
            self.action_view(what)
        else:
            self._to_band(what)

    @on(Jump)
    def _jump(self, jump: Jump) -> None:
        assessment = self._state.assessment if self._state else None
        about = assessment.radio(jump.about) or assessment.emitter(jump.about) if assessment else None
        if about is not None and about.band != self._band:
            self._to_band(about.band)
        self.action_view(jump.view)
        if jump.only:
            self.call_after_refresh(self._views[jump.view].apply_filter, jump.only, jump.back)
        if about is not None:
            self.call_after_refresh(self._views[jump.view].choose, about.id)

    def action_band(self) -> None:
        self._to_band(BANDS[(BANDS.index(self._band) + 1) % len(BANDS)] if self._band else BANDS[0])

    def _to_band(self, band: str) -> None:
        self._band = band
        self._change_state(band=band)

    @on(Follow)
    def _follow(self, follow: Follow) -> None:
        self._change_state(**self._followed.toggled(follow.radio.id))

    def action_alone(self) -> None:
        self._change_state(**self._followed.alone())

    # The window

    def action_shift(self, direction: int) -> None:
        if self._state is not None and not self._state.is_whole_case:
            self._to_window(*windows.shifted(self._state, direction))

    def action_stretch(self, factor: float) -> None:
        if self._state is not None:
            self._to_window(*windows.resized(self._state, factor))

    def action_zoom(self) -> None:
        """The next of one hour, six hours, a day and everything, around the middle of what is shown."""
        found = windows.next_zoom(self._state) if self._state else None
        if found is not None:
            self._to_window(*found)

    def action_to_time(self, where: str) -> None:
        found = windows.JUMPS[where](self._state) if self._state else None
        if found is None:
            self.notify("There is no such time in this case.", timeout=3)
        else:
            self._to_window(*found)

    @on(ToWindow)
    def _asked_window(self, asked: ToWindow) -> None:
        if self._state is not None:
            middle, length = (asked.start_s + asked.end_s) / 2, asked.end_s - asked.start_s
            self._to_window(*windows.around(self._state, middle, length))

    def _to_window(self, start_s: float, end_s: float) -> None:
        state = self._state
        assert state is not None
        self._window = WHOLE if windows.is_whole(state, start_s, end_s) else (start_s, end_s)
        # The brackets follow the key at once; the answers follow when they are computed.
        self._state = replace(state, start_s=start_s, end_s=end_s)
        self.query_one(Timeline).state = self._state
        self._show_status("assessing the window …")
        if self._view is not None:
            self._view.window_moved(self._state)
        self._loader.load(self._window, self._edits.unsaved)

    # Setup

    @on(SetupChanged)
    def _setup_changed(self, changed: SetupChanged) -> None:
        self._show_status("applying the change …")
        self._loader.apply(changed.setup, self._window)

    @on(MarkOwn)
    def _mark_own(self, asked: MarkOwn) -> None:
        self._edits.toggle_own(asked.radio)

    @on(GiveName)
    def _give_name(self, asked: GiveName) -> None:
        self._edits.ask_name(asked.radio, asked.client)

    @on(JoinRadios)
    def _join(self, asked: JoinRadios) -> None:
        self._edits.join(asked.radios)

    @on(SeparateBssids)
    def _separate(self, asked: SeparateBssids) -> None:
        self._edits.separate(asked.bssids)

    @on(AnnotateEmitter)
    def _annotate(self, asked: AnnotateEmitter) -> None:
        self._edits.annotate(asked)

    @on(EditPreferences)
    def _edit_preferences(self, asked: EditPreferences) -> None:
        self._edits.edit_preferences(asked)

    @on(MarkDone)
    def _mark_done(self, asked: MarkDone) -> None:
        self._edits.mark_done(asked)

    def action_undo(self) -> None:
        self._edits.undo()

    def action_reference(self) -> None:
        self._edits.toggle_reference()

    def action_own(self) -> None:
        self._edits.ask_own()

    def action_ask(self, what: str) -> None:
        {"site": self._edits.ask_site, "thresholds": self._edits.ask_thresholds}[what]()

    # Taking

    def action_take(self) -> None:
        self._capture.toggle()

    def action_pause(self) -> None:
        self._capture.pause()

    def action_mark(self) -> None:
        self._edits.ask_mark()

    def action_on_site(self, what: str) -> None:
        self._on_site.run(what)

    @on(SightingsReceived)
    def _sightings_received(self, received: SightingsReceived) -> None:
        self._on_site.heard(received.sightings)

    def action_takes(self) -> None:
        from gray_kettle.tui.start.takes_screen import TakesScreen

        self.app.push_screen(
            TakesScreen(self._path), lambda changed: self._take_stored() if changed else None
        )

    def _take_stored(self) -> None:
        """A take ended, or was set aside: read the case again. The window and band that were chosen stay."""
        if self._state is None or not self._state.session.observations.takes:
            self._band = ""  # the first take decides it
        self._loader.load(self._window, self._edits.unsaved)
        if self._fresh:
            self._fresh = False
            self.set_timer(0.1, self._ask_own)

    def _ask_own(self) -> None:
        """The third of the first three steps, as soon as it is known which radios there are."""
        if self._state is None or not self._state.session.observations.takes:
            self.set_timer(0.1, self._ask_own)  # the take is not in the state yet
        elif self._state.assessment.radios and not self._state.assessment.own:
            self.action_own()

    @on(SweepReceived)
    def _sweep_received(self, received: SweepReceived) -> None:
        for view in self._views.values():
            view.sweep_received(received.rows)

    @on(TakeGrew)
    def _take_grew(self, grew: TakeGrew) -> None:
        self._capture.grew(grew)

    @on(AlertsBegan)
    def _alerts_began(self, began: AlertsBegan) -> None:
        self._alerting.show(began.alerts)

    @on(CaseGrew)
    def _case_grew(self) -> None:
        """More was taken, here or by another process: what is chosen and shown stays."""
        if self._state is not None and not self._state.session.observations.takes:
            self._band = ""
        self._loader.load(self._window, self._edits.unsaved)

    @on(LiveDetections)
    def _live_detections(self, found: LiveDetections) -> None:
        if self._capture.is_live:
            for view in self._views.values():
                view.live_detections(found.emitters)

    @on(TakeEnded)
    def _take_ended(self, ended: TakeEnded) -> None:
        self._capture.ended(ended)
        if not self._capture.is_live:
            for view in self._views.values():
                view.live_ended()

    # Export, explanations, help

    def action_export(self) -> None:
        view = self._view
        if view is None or self._state is None:
            return
        if view.EXPORTS:
            self._exporter.export(view.EXPORTS, self._band, self._window)
        else:
            able = ", ".join(
                f"{key} {title}" for key, (name, title) in VIEWS.items() if self._views[name].EXPORTS
            )
            self.notify(f"This view has nothing to export. These have: {able}.", timeout=4)

    def action_explain(self) -> None:
        """Explain the figures of the row or channel under the cursor."""
        if self._view is None or self._state is None:
            return
        from gray_kettle.tui.explain import ExplainScreen

        found = self._view.explain()
        if found:
            self.app.push_screen(ExplainScreen(found))
        else:
            self.notify("Move the cursor to a row or channel first: its figures are explained.", timeout=4)

    def action_help(self) -> None:
        self.app.push_screen(HelpScreen(self._view.HELP if self._view else ""))
