"""Sweep: what the radio cannot tell. The picture, what the cursor stands on, and the newest rows while one collects."""

import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

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
from gray_kettle.tui.sweep.cursor_panel import cursor_lines, explanations, place_lines, side_lines
from gray_kettle.tui.sweep.emitter_panel import Lines, chosen_in_short, chosen_lines, list_lines, lit
from gray_kettle.tui.sweep.live import LivePicture, LiveRows, Snapshot, composed, continued
from gray_kettle.tui.sweep.picture import SHOWN, Marks, SweepPicture
from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.store.sweeps import Run

_BAND_HZ = {"2.4": (2399e6, 2488e6), "5": (5150e6, 5895e6), "6": (5925e6, 7125e6)}
_AROUND_HZ = 5e6  # of a place, to each side, when it is looked at alone
_NARROWEST_HZ = 2e6
_LIVE_EVERY_S = 0.2
_COUNT_EVERY_S = 1.0  # presence and shares of time: slower than the waterfall


@dataclass(frozen=True)
class Wanted:
    """A picture to be made: of a stretch of the case."""

    path: Path
    frame: Frame
    spot: str | None
    is_whole_band: bool


def _trimmed(wanted: Wanted, runs: "tuple[Run, ...]") -> Frame:
    """Without the edges of the band that were never swept."""
    frame = wanted.frame
    edges = [
        (run.span.start_hz - run.span.step_hz / 2, run.span.end_hz + run.span.step_hz / 2)
        for run in runs
        if run.span.end_hz > frame.low_hz and run.span.start_hz < frame.high_hz
    ]
    if not wanted.is_whole_band or not edges:
        return frame
    low, high = min(e[0] for e in edges), max(e[1] for e in edges)
    return replace(frame, low_hz=max(frame.low_hz, low), high_hz=min(frame.high_hz, high))


class SweepView(View):
    """Presence over waterfall, and beside them what they say."""

    DEFAULT_CSS = """
    SweepView { layout: vertical; }
    SweepView #sweep-columns { height: 1fr; }
    SweepView #sweep-side { width: 44; border-left: solid $rule; }
    SweepView.-mid #sweep-side { width: 36; }
    SweepView.-narrow #sweep-columns { layout: vertical; }
    SweepView.-narrow #sweep-side { width: 100%; height: 3; border-left: none; border-top: solid $rule; }
    """
    BINDINGS: ClassVar = [
        Binding("enter,z", "zoom", "zoom to the place", id="sweep.zoom"),
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
        Binding("n", "tell('name')", "name the emitter", id="sweep.name"),
        Binding("k", "tell('kind')", "correct its kind", id="sweep.kind"),
        Binding("d", "tell('dismiss')", "dismiss it, or take it back", id="sweep.dismiss"),
    ]
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
        self._look: ViewState | None = None
        self._range: dict[str, tuple[float, float]] = {}  # looked at, where it is not the whole band
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

    def show(self, look: ViewState) -> None:
        radios = look.assessment.radios
        if radios:  # a window of seconds has no scans: what was heard before still sits there
            self._remembered = radios
        self._look = look
        self._ask()

    def window_moved(self, look: ViewState) -> None:
        """The picture does not wait for the judgement."""
        self._look = look
        self._ask()

    def focus_first(self) -> None:
        self._picture.focus()

    def choose(self, radio_id: str) -> None:
        """Zoom to where a radio sits, or light an emitter."""
        if any(e.id == radio_id for e in self._emitters()):
            self._light(radio_id)
            return
        radio = next((r for r in self._remembered if r.id == radio_id), None)
        if radio is not None and self._look is not None:
            half = radio.channel.width_mhz * 0.5e6 + _AROUND_HZ
            self._range[radio.band] = (radio.channel.centre_hz - half, radio.channel.centre_hz + half)
            self._ask()

    # Pictures

    def _edges(self) -> tuple[float, float]:
        assert self._look is not None
        return self._range.get(self._look.band, _BAND_HZ[self._look.band])

    def _ask(self) -> None:
        look, picture = self._look, self._picture
        if look is None or look.path is None or not picture.size.width or (self._is_live and not self._held):
            return
        frame = Frame(*self._edges(), picture.columns, look.start_s, look.end_s, picture.lines)
        self._make(Wanted(look.path, frame, self._spot, look.band not in self._range))

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
                view = case.sweeps.view(_trimmed(wanted, case.sweeps.runs()), spot)
        except KettleError as error:
            self.app.notify(str(error), title="Cannot read the sweeps", severity="error", markup=False)
        else:
            if not worker.is_cancelled:
                self.post_message(self.Ready(view, spots, spot))

    @on(Ready)
    def _ready(self, ready: Ready) -> None:
        look = self._look
        if look is None or ready.is_live != (self._is_live and not self._held):
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
            nothing = f"No sweep of {look.band} GHz in this window. Take a sweep file, or an analyser: t"
            picture.show(ready.view, self._marks(ready.live_duty), nothing)
        self._tell()

    def _marks(self, live: tuple[tuple[Channel, float], ...] | None) -> Marks:
        look = self._look
        assert look is not None
        places = tuple(narrow(look.band, n) for n in numbers(look.band) if n != 14)
        duty: dict[Channel, tuple[float, float]] = {}
        for swept in look.assessment.swept:
            channel = swept.channel
            if (
                channel.width_mhz == 20
                and channel.band == look.band
                and (swept.seconds > duty.get(channel, (0.0, -1.0))[1])
            ):
                duty[channel] = (swept.duty, swept.seconds)
        radios = sorted(
            (r for r in self._remembered if r.band == look.band),
            key=lambda r: (not r.own, -(r.level_dbm if r.level_dbm is not None else -200)),
        )
        shares = live if live is not None else tuple((channel, share) for channel, (share, _) in duty.items())
        return Marks(places, shares, tuple(radios), look.setup.country)

    def _tell(self) -> None:
        self.query_one("#sweep-side", RowList).show(self._side_rows)

    def _side_rows(self, width: int) -> list[Row]:
        look, picture = self._look, self._picture
        if look is None or picture.view is None or picture.view.is_empty:
            return []
        emitter = self._emitter()
        if self.has_class("-narrow") and emitter is not None:
            short = chosen_in_short(emitter, width - 2, look)
        elif self.has_class("-narrow"):
            place = picture.place_at_cursor()
            lines = cursor_lines(picture, picture.view, look)
            told = place_lines(place, look, self._live_duty)[0] if place else []
            short = [[*lines[0], ("  ", "dim"), *told], [*lines[1], *lines[4]]]
        else:
            radios = tuple(r for r in self._remembered if r.band == look.band)
            short = self._found_lines(width - 2)
            short += side_lines(picture, look, self._spot or "", self._state, radios, self._live_duty)
        return [Row("side", tuple(tuple(line) for line in short), fixed=True)]

    @property
    def _state(self) -> str:
        if not self._is_live:
            return ""
        return "held: space goes on" if self._held else "live"

    @on(SweepPicture.Pointed)
    def _pointed(self, pointed: SweepPicture.Pointed) -> None:
        pointed.stop()
        self._tell()

    @on(SweepPicture.Resized)
    def _resized(self, resized: SweepPicture.Resized) -> None:
        resized.stop()
        self._ask()

    # Live

    def came(self, rows: SweepRows) -> None:
        """A live row arrived."""
        self._live.add(rows)
        if not self._is_live:
            self._is_live = True
            self._clock.resume()

    def found_live(self, emitters: tuple[Emitter, ...]) -> None:
        """What the newest rows show of emitters."""
        self._live_emitters = emitters
        if self._is_live:
            self._tell()

    def live_ended(self) -> None:
        self._live_emitters = ()
        self._is_live = self._held = False
        self._clock.pause()

    def _follow_live(self) -> None:
        look, picture, now = self._look, self._picture, self._live.snapshot()
        if look is None or now is None or self._held or not self.display or not picture.size.width:
            return
        span = now[0]
        low, high = self._range.get(
            look.band, (span.start_hz - span.step_hz / 2, span.end_hz + span.step_hz / 2)
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
            self._tell()

    # What is looked at

    def action_zoom(self) -> None:
        place, look = self._picture.place_at_cursor(), self._look
        if place is None or look is None:
            return
        hz = self._picture.scale.hz(self._picture.column)
        self._look_at(place.centre_hz - 10e6 - _AROUND_HZ, place.centre_hz + 10e6 + _AROUND_HZ, hz)

    def action_closer(self, factor: float) -> None:
        if self._look is None:
            return
        low, high = self._edges()
        hz = self._picture.scale.hz(self._picture.column)
        half = max((high - low) * factor / 2, _NARROWEST_HZ / 2)
        first, last = _BAND_HZ[self._look.band]
        if 2 * half >= last - first:
            self.action_whole()
        else:
            at = min(max(hz, first + half), last - half)
            self._look_at(at - half, at + half, hz)

    def _look_at(self, low_hz: float, high_hz: float, cursor_hz: float) -> None:
        assert self._look is not None
        self._range[self._look.band] = (low_hz, high_hz)
        self._picture.point_at(cursor_hz)
        self._ask()

    # What is not Wi-Fi

    def _emitters(self) -> tuple[Emitter, ...]:
        look = self._look
        if look is None:
            return ()
        found = self._live_emitters if self._is_live and not self._held else look.assessment.emitters
        return tuple(e for e in found if e.band == look.band)

    def _emitter(self) -> Emitter | None:
        return next((e for e in self._emitters() if e.id == self._chosen), None)

    def _found_lines(self, width: int) -> Lines:
        assert self._look is not None
        emitter = self._emitter()
        out = list_lines(self._emitters(), self._chosen, width, self._look)
        if emitter is not None:
            out += [[], *chosen_lines(emitter, width, self._look)]
        return [*out, []] if out else []

    def explain(self) -> tuple[Explanation, ...]:
        return explanations(self._picture.place_at_cursor(), self._emitter(), self._look)

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
        self._tell()

    def _light_up(self, view: Spectrogram) -> None:
        emitter = self._emitter()
        scale = Scale(view.frame.low_hz, view.frame.high_hz, view.frame.columns)
        self._picture.light(None if emitter is None else lit(emitter, view, scale))

    def action_tell(self, what: str) -> None:
        emitter = self._emitter()
        if emitter is not None:
            self.post_message(AnnotateEmitter(emitter, what))
        elif self._emitters():
            self.app.notify("Choose one of the emitters first: e", timeout=3)

    def action_whole(self) -> None:
        if self._chosen:
            self._light("")
        elif self._look is not None and self._range.pop(self._look.band, None) is not None:
            self._ask()

    def action_moment(self, factor: float) -> None:
        """A shorter or longer window around the time under the cursor."""
        look, picture = self._look, self._picture
        if look is None or picture.view is None or self._is_live:
            return
        # By the window, not by the picture, which may still be that of an earlier one.
        length_s = look.end_s - look.start_s
        middle_s = look.start_s + length_s * (2 * picture.row + 1) / picture.lines
        half_s = length_s * factor / 2
        start_s = max(middle_s - half_s, look.case_start_s)
        end_s = min(middle_s + half_s, look.case_end_s)
        self._look = replace(look, start_s=start_s, end_s=end_s)  # the next key may come before the answer
        self.post_message(ToWindow(middle_s - half_s, middle_s + half_s))
        if factor < 1:
            picture.row = picture.lines // 4  # the time is in the middle then

    def action_shown(self) -> None:
        picture = self._picture
        picture.shown = SHOWN[(SHOWN.index(picture.shown) + 1) % len(SHOWN)]
        picture.reshow()
        self._tell()

    def action_spot(self) -> None:
        if len(self._spots) > 1:
            at = self._spots.index(self._spot) if self._spot in self._spots else 0
            self._spot = sorted(self._spots)[
                (sorted(self._spots).index(self._spots[at]) + 1) % len(self._spots)
            ]
            self._ask()
