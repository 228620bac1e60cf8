"""Sweep: the spectrum. The picture, the figures under the cursor, and the newest rows during a live take."""

import time
from dataclasses import dataclass, replace
from typing import ClassVar

from textual import on, work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal
from textual.message import Message
from textual.worker import get_current_worker

from gray_kettle.analysis.assessment import Emitter, Radio
from gray_kettle.analysis.explain import Explanation
from gray_kettle.errors import KettleError
from gray_kettle.model.records import SweepRows
from gray_kettle.phy.channels import Channel, narrow, numbers
from gray_kettle.spectrum.views import Frame, Spectrogram
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.messages import AnnotateEmitter, ToWindow
from gray_kettle.tui.sweep.axis import Scale
from gray_kettle.tui.sweep.cursor_panel import channel_lines, cursor_lines, explanations, side_lines
from gray_kettle.tui.sweep.emitter_panel import Lines, chosen_in_short, chosen_lines, list_lines, lit
from gray_kettle.tui.sweep.frame_request import BAND_HZ, Wanted, trimmed
from gray_kettle.tui.sweep.help_text import HELP
from gray_kettle.tui.sweep.live import LivePicture, LiveRows, Snapshot, composed, continued
from gray_kettle.tui.sweep.picture import SHOWN, Marks, SweepPicture
from gray_kettle.tui.view_state import ViewState

_AROUND_HZ = 5e6  # of a place, to each side, when it is zoomed to
_NARROWEST_HZ = 2e6
_LIVE_EVERY_S = 0.2
_COUNT_EVERY_S = 1.0  # presence and shares of time: slower than the waterfall


class SweepView(View):
    """Presence over waterfall, with figures beside them."""

    DEFAULT_CSS = """
    SweepView { layout: vertical; }
    SweepView #sweep-columns { height: 1fr; }
    SweepView #sweep-side { width: 44; border-left: solid $rule; }
    SweepView.-mid #sweep-side { width: 36; }
    SweepView.-narrow #sweep-columns { layout: vertical; }
    SweepView.-narrow #sweep-side { width: 100%; height: 4; border-left: none; border-top: solid $rule; }
    """
    BINDINGS: ClassVar = [
        Binding("enter,z", "zoom", "zoom to the channel", id="sweep.zoom"),
        Binding("plus,equals_sign", "closer(0.5)", "closer", show=False, id="sweep.closer"),
        Binding("minus", "closer(2)", "wider", show=False, id="sweep.wider"),
        Binding("backspace,escape", "whole", "whole band", id="sweep.whole"),
        Binding("g", "moment(0.25)", "go to the time", id="sweep.time"),
        Binding("u", "moment(4)", "and back", id="sweep.time-back"),
        Binding("m", "shown", "highest, mean, share", id="sweep.shown"),
        Binding("s", "spot", "spot", id="sweep.spot"),
        Binding("space", "hold", "hold", id="sweep.hold"),
        Binding("e", "emitter(1)", "next emitter", id="sweep.emitter"),
        Binding("E", "emitter(-1)", "emitter before", show=False, id="sweep.emitter-back"),
        Binding("n", "annotate('name')", "name the emitter", id="sweep.name"),
        Binding("k", "annotate('kind')", "correct its kind", id="sweep.kind"),
        Binding("d", "annotate('dismiss')", "dismiss it, or undo that", id="sweep.dismiss"),
    ]
    HELP = HELP
    EXPORTS = ("sweep", "waterfall")
    HINTS = (
        ("← → ↑ ↓", "cursor"),
        ("enter", "zoom"),
        ("backspace", "band"),
        ("e", "emitters"),
        ("g u", "time in, out"),
        ("m", "peak mean share"),
        ("space", "hold"),
        ("x", "export"),
    )

    @dataclass
    class Ready(Message):
        """A picture was made. spots: that swept in the window. live_duty: of places, None for a picture of the case."""

        view: Spectrogram
        spots: tuple[str, ...]
        spot: str
        live_duty: tuple[tuple[Channel, float], ...] | None = None

        @property
        def is_live(self) -> bool:
            return self.live_duty is not None

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._range: dict[str, tuple[float, float]] = {}  # shown, where it is not the whole band
        self._spots: tuple[str, ...] = ()
        self._spot: str | None = None  # None: the one that swept most
        self._remembered: tuple[Radio, ...] = ()
        self._live = LiveRows()
        self._is_live = self._held = False
        self._live_made: LivePicture | None = None
        self._counted_s = 0.0
        self._live_duty: dict[Channel, float] | None = None
        self._chosen = ""  # id of the emitter that is lit
        self._live_emitters: tuple[Emitter, ...] = ()

    def compose(self) -> ComposeResult:
        with Horizontal(id="sweep-columns"):
            yield SweepPicture(id="sweep-picture")
            yield RowList(id="sweep-side")

    def on_mount(self) -> None:
        self.query_one("#sweep-side", RowList).can_focus = False
        self._clock = self.set_interval(_LIVE_EVERY_S, self._follow_live, pause=True)

    @property
    def _picture(self) -> SweepPicture:
        return self.query_one(SweepPicture)

    def show(self, state: ViewState) -> None:
        radios = state.assessment.radios
        if radios:  # a window of seconds has no scans: what was heard before still sits there
            self._remembered = radios
        self._state = state
        self._ask()

    def window_moved(self, state: ViewState) -> None:
        """The picture does not wait for the assessment."""
        self._state = state
        self._ask()

    def focus_first(self) -> None:
        self._picture.focus()

    def choose(self, radio_id: str) -> None:
        """Zoom to where a radio sits, or light an emitter."""
        if any(e.id == radio_id for e in self._emitters()):
            self._light(radio_id)
            return
        radio = next((r for r in self._remembered if r.id == radio_id), None)
        if radio is not None and self._state is not None:
            half = radio.channel.width_mhz * 0.5e6 + _AROUND_HZ
            self._range[radio.band] = (radio.channel.centre_hz - half, radio.channel.centre_hz + half)
            self._ask()

    # Pictures

    def _edges(self) -> tuple[float, float]:
        assert self._state is not None
        return self._range.get(self._state.band, BAND_HZ[self._state.band])

    def _ask(self) -> None:
        state, picture = self._state, self._picture
        if (
            state is None
            or state.path is None
            or not picture.size.width
            or (self._is_live and not self._held)
        ):
            return
        frame = Frame(*self._edges(), picture.columns, state.start_s, state.end_s, picture.lines)
        self._make(Wanted(state.path, frame, self._spot, state.band not in self._range))

    @work(thread=True, exclusive=True, group="picture")
    def _make(self, wanted: Wanted) -> None:
        """Read the case off the interface's thread."""
        from gray_kettle.store import Case

        worker = get_current_worker()
        try:
            with Case.open(wanted.path) as case:
                low, high = wanted.frame.low_hz, wanted.frame.high_hz
                rows: dict[str, int] = {}
                for run in case.sweeps.runs(wanted.frame.start_s, wanted.frame.end_s):
                    if run.span.end_hz >= low and run.span.start_hz <= high:
                        rows[run.spot] = rows.get(run.spot, 0) + run.rows
                spots = tuple(sorted(rows, key=lambda s: (-rows[s], s)))
                spot = wanted.spot if wanted.spot in rows else next(iter(spots), "")
                if worker.is_cancelled:
                    return
                view = case.sweeps.view(trimmed(wanted, case.sweeps.runs()), spot)
        except KettleError as error:
            self.app.notify(str(error), title="Cannot read the sweeps", severity="error", markup=False)
        else:
            if not worker.is_cancelled:
                self.post_message(self.Ready(view, spots, spot))

    @on(Ready)
    def _ready(self, ready: Ready) -> None:
        state = self._state
        if state is None or ready.is_live != (self._is_live and not self._held):
            return
        self._live_duty = dict(ready.live_duty) if ready.live_duty is not None else None
        if not ready.is_live:
            self._spots, self._spot = ready.spots, ready.spot or None
        picture = self._picture
        before = picture.view.frame if picture.view else None
        frame = ready.view.frame
        if (
            ready.is_live
            and before is not None
            and (frame.lines, frame.columns) == (before.lines, before.columns)
        ):
            cell_s = 2 * (frame.end_s - frame.start_s) / frame.lines
            marks = self._marks(ready.live_duty)
            picture.scrolled(ready.view, marks, round((frame.end_s - before.end_s) / cell_s))
        else:
            self._light_up(ready.view)
            nothing = (
                f"No sweep of {state.band} GHz in this window. Press t to take a sweep file or an analyser."
            )
            picture.show(ready.view, self._marks(ready.live_duty), nothing)
        self._refresh_panel()

    def _marks(self, live: tuple[tuple[Channel, float], ...] | None) -> Marks:
        state = self._state
        assert state is not None
        channels = tuple(narrow(state.band, n) for n in numbers(state.band) if n != 14)
        duty: dict[Channel, tuple[float, float]] = {}
        for swept in state.assessment.swept:
            channel = swept.channel
            if (
                channel.width_mhz == 20
                and channel.band == state.band
                and (swept.seconds > duty.get(channel, (0.0, -1.0))[1])
            ):
                duty[channel] = (swept.duty, swept.seconds)
        radios = sorted(
            (r for r in self._remembered if r.band == state.band),
            key=lambda r: (not r.own, -(r.level_dbm if r.level_dbm is not None else -200)),
        )
        shares = live if live is not None else tuple((channel, share) for channel, (share, _) in duty.items())
        return Marks(channels, shares, tuple(radios), state.setup.site_time)

    def _refresh_panel(self) -> None:
        self.query_one("#sweep-side", RowList).show(self._side_rows)

    def _side_rows(self, width: int) -> list[Row]:
        state, picture = self._state, self._picture
        if state is None or picture.view is None or picture.view.is_empty:
            return []
        emitter = self._emitter()
        if self.has_class("-narrow") and emitter is not None:
            short = chosen_in_short(emitter, width - 2, state)
        elif self.has_class("-narrow"):
            channel_20 = picture.channel_at_cursor()
            lines = cursor_lines(picture, picture.view, state)
            words = channel_lines(channel_20, state, self._live_duty)[0] if channel_20 else []
            short = [[*lines[0], ("  ", "dim"), *words], [*lines[1], *lines[4]]]
        else:
            radios = tuple(r for r in self._remembered if r.band == state.band)
            short = self._found_lines(width - 2)
            short += side_lines(picture, state, self._spot or "", self._live_state, radios, self._live_duty)
        return [Row("side", tuple(tuple(line) for line in short), fixed=True)]

    @property
    def _live_state(self) -> str:
        if not self._is_live:
            return ""
        return "held: space continues" if self._held else "live"

    @on(SweepPicture.Pointed)
    def _pointed(self, pointed: SweepPicture.Pointed) -> None:
        pointed.stop()
        self._refresh_panel()

    @on(SweepPicture.Resized)
    def _resized(self, resized: SweepPicture.Resized) -> None:
        resized.stop()
        self._ask()

    # Live

    def sweep_received(self, rows: SweepRows) -> None:
        """A live row arrived."""
        self._live.add(rows)
        if not self._is_live:
            self._is_live = True
            self._clock.resume()

    def live_detections(self, emitters: tuple[Emitter, ...]) -> None:
        """What the newest rows show of emitters."""
        self._live_emitters = emitters
        if self._is_live:
            self._refresh_panel()

    def live_ended(self) -> None:
        self._live_emitters = ()
        self._is_live = self._held = False
        self._clock.pause()

    def _follow_live(self) -> None:
        state, picture, now = self._state, self._picture, self._live.snapshot()
        if state is None or now is None or self._held or not self.display or not picture.size.width:
            return
        span = now[0]
        low, high = self._range.get(
            state.band, (span.start_hz - span.step_hz / 2, span.end_hz + span.step_hz / 2)
        )
        frame = self._live.frame(low, high, picture.columns, picture.lines)
        before = self._live_made
        if before is not None:
            of = before.view.frame
            group_rows = (of.low_hz, of.high_hz, of.columns, of.lines) == (
                low,
                high,
                frame.columns,
                frame.lines,
            )
            if not group_rows or time.monotonic() - self._counted_s > _COUNT_EVERY_S:
                before = None
        if before is None:
            self._counted_s = time.monotonic()
        self._compose_live(frame, now, before)

    # With a description of its own: the usual one would print every row that is handed over.
    @work(thread=True, exclusive=True, group="picture", description="newest rows")
    def _compose_live(self, frame: Frame, now: Snapshot, before: LivePicture | None) -> None:
        made = composed(frame, now) if before is None else continued(frame, now, before)
        self._live_made = made
        self.post_message(self.Ready(made.view, (), "", made.duty))

    def action_hold(self) -> None:
        if self._is_live:
            self._held = not self._held
            self._refresh_panel()

    # The range shown

    def action_zoom(self) -> None:
        channel_20, state = self._picture.channel_at_cursor(), self._state
        if channel_20 is None or state is None:
            return
        hz = self._picture.scale.hz(self._picture.column)
        self._zoom_to(channel_20.centre_hz - 10e6 - _AROUND_HZ, channel_20.centre_hz + 10e6 + _AROUND_HZ, hz)

    def action_closer(self, factor: float) -> None:
        if self._state is None:
            return
        low, high = self._edges()
        hz = self._picture.scale.hz(self._picture.column)
        half = max((high - low) * factor / 2, _NARROWEST_HZ / 2)
        first, last = BAND_HZ[self._state.band]
        if 2 * half >= last - first:
            self.action_whole()
        else:
            at = min(max(hz, first + half), last - half)
            self._zoom_to(at - half, at + half, hz)

    def _zoom_to(self, low_hz: float, high_hz: float, cursor_hz: float) -> None:
        assert self._state is not None
        self._range[self._state.band] = (low_hz, high_hz)
        self._picture.point_at(cursor_hz)
        self._ask()

    # What is not Wi-Fi

    def _emitters(self) -> tuple[Emitter, ...]:
        state = self._state
        if state is None:
            return ()
        found = self._live_emitters if self._is_live and not self._held else state.assessment.emitters
        return tuple(e for e in found if e.band == state.band)

    def _emitter(self) -> Emitter | None:
        return next((e for e in self._emitters() if e.id == self._chosen), None)

    def _found_lines(self, width: int) -> Lines:
        assert self._state is not None
        emitter = self._emitter()
        out = list_lines(self._emitters(), self._chosen, width, self._state)
        if emitter is not None:
            out += [[], *chosen_lines(emitter, width, self._state)]
        return [*out, []] if out else []

    def explain(self) -> tuple[Explanation, ...]:
        return explanations(self._picture.channel_at_cursor(), self._emitter(), self._state)

    def action_emitter(self, step: int) -> None:
        """Light the next one; after the last none."""
        ids = ["", *(e.id for e in self._emitters())]
        at = ids.index(self._chosen) if self._chosen in ids else 0
        self._light(ids[(at + step) % len(ids)])

    def _light(self, emitter_id: str) -> None:
        self._chosen = emitter_id
        if self._picture.view is not None:
            self._light_up(self._picture.view)
        self.query_one("#sweep-side", RowList).scroll_home(animate=False)
        self._refresh_panel()

    def _light_up(self, view: Spectrogram) -> None:
        emitter = self._emitter()
        scale = Scale(view.frame.low_hz, view.frame.high_hz, view.frame.columns)
        self._picture.light(None if emitter is None else lit(emitter, view, scale))

    def action_annotate(self, what: str) -> None:
        emitter = self._emitter()
        if emitter is not None:
            self.post_message(AnnotateEmitter(emitter, what))
        elif self._emitters():
            self.app.notify("Choose an emitter first with e.", timeout=3)

    def action_whole(self) -> None:
        if self._chosen:
            self._light("")
        elif self._state is not None and self._range.pop(self._state.band, None) is not None:
            self._ask()

    def action_moment(self, factor: float) -> None:
        """A shorter or longer window around the time under the cursor."""
        state, picture = self._state, self._picture
        if state is None or picture.view is None or self._is_live:
            return
        # By the window, not by the picture, which may still be that of an earlier one.
        length_s = state.end_s - state.start_s
        middle_s = state.start_s + length_s * (2 * picture.row + 1) / picture.lines
        half_s = length_s * factor / 2
        start_s = max(middle_s - half_s, state.case_start_s)
        end_s = min(middle_s + half_s, state.case_end_s)
        self._state = replace(state, start_s=start_s, end_s=end_s)  # the next key may come before the answer
        self.post_message(ToWindow(middle_s - half_s, middle_s + half_s))
        if factor < 1:
            picture.row = picture.lines // 4  # the time is in the middle then

    def action_shown(self) -> None:
        picture = self._picture
        picture.shown = SHOWN[(SHOWN.index(picture.shown) + 1) % len(SHOWN)]
        picture.reshow()
        self._refresh_panel()

    def action_spot(self) -> None:
        if len(self._spots) > 1:
            at = self._spots.index(self._spot) if self._spot in self._spots else 0
            self._spot = sorted(self._spots)[
                (sorted(self._spots).index(self._spots[at]) + 1) % len(self._spots)
            ]
            self._ask()
