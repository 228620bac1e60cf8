"""Air: lanes and channel table, and what an own radio would get on any channel."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal

from gray_kettle.analysis.assess import TYPICAL_CLIENT, channels_seen_from
from gray_kettle.analysis.assessment import ChannelAssessment, ChannelView, LossCause, OwnView
from gray_kettle.analysis.explain import Explanation, of_assessment, of_channel
from gray_kettle.analysis.loss.channel_assessment import assess_channel, effect_on_own, victim_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.enums import LossKind
from gray_kettle.phy.channels import Channel, wide
from gray_kettle.phy.countries import is_allowed
from gray_kettle.planner.channel_map import Mark, channel_marks
from gray_kettle.planner.options import barred
from gray_kettle.tui.air.lanes import Lanes
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.hour_bars import hour_lines
from gray_kettle.tui.messages import Jump
from gray_kettle.tui.theme import Cell, fit, minus, percent, wrap
from gray_kettle.tui.view_state import ViewState

_KINDS = {
    LossKind.CO_CHANNEL: "co-chan.",
    LossKind.ADJACENT: "adjacent",
    LossKind.SECONDARY: "secondary",
    LossKind.NON_WIFI: "non-Wi-Fi",
    LossKind.UNIDENTIFIED: "measured",
}
_HELP = """
Air: each lane is a radio over the frequencies that it uses. The solid part
with the number is its primary channel, the shaded flanks are the skirts of its
spectral mask.
  ← →         move the what-if channel
  ↑ ↓         wider, narrower
  s           as seen by another own radio, or by the receiver
  enter       who uses that channel, in Heard
  c           the channel map: every channel of all bands, who is on it, and what
              speaks for or against it
  x           export the drawings as SVG
  g           gaps between the sub-bands folded, or to scale
  page down   more lanes

Marks  ◎ recommended  × not permitted here  r not for our radios  c not for all
clients  D DFS: radar has priority  i indoors only

Under the lanes, for every 20 MHz channel: clear air, and the share lost to
co-channel radios, to adjacent-channel radios, and to other causes: non-Wi-Fi emitters
(✶), and what was measured busy without a known cause.
"""


_WORTH_SAYING = 0.01


class LanesView(View):
    """Lanes and channel table, with the what-if beside them."""

    DEFAULT_CSS = """
    LanesView { layout: vertical; }
    LanesView #air-columns { height: 1fr; }
    LanesView #air-side { width: 44; border-left: solid $rule; }
    LanesView.-mid #air-side { width: 36; }
    LanesView.-narrow #air-columns { layout: vertical; }
    LanesView.-narrow #air-side { width: 100%; height: 4; border-left: none; border-top: solid $rule; }
    """
    BINDINGS: ClassVar = [
        Binding("left", "slide(-1)", "slide", id="air.left"),
        Binding("right", "slide(1)", "slide", show=False, id="air.right"),
        Binding("up", "width(1)", "wider", id="air.wider"),
        Binding("down", "width(-1)", "narrower", show=False, id="air.narrower"),
        Binding("s", "viewpoint", "seen by", id="air.viewpoint"),
        Binding("enter", "drill", "who is there", id="air.drill"),
        Binding("c", "channel_map", "channel map", id="air.map"),
        Binding("g", "to_scale", "gaps to scale", show=False, id="air.to-scale"),
        Binding("pagedown", "lanes(10)", show=False, id="air.down"),
        Binding("pageup", "lanes(-10)", show=False, id="air.up"),
    ]
    HELP = _HELP
    EXPORTS = ("lanes", "shares", "heatmap")
    HINTS = (
        ("← →", "what-if channel"),
        ("↑ ↓", "width"),
        ("⏎", "who is there"),
        ("c", "channel map"),
        ("s", "seen by"),
        ("i", "why"),
        ("x", "export"),
    )

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._channel_views: tuple[ChannelView, ...] = ()
        self._viewpoint = ""  # id of the own radio that the air is seen from, "" for the receiver
        self._what_if: Channel | None = None
        self._not_open: dict[Channel, str] = {}  # why channels are not open to the radio that it is seen from

    def compose(self) -> ComposeResult:
        with Horizontal(id="air-columns"):
            yield Lanes(id="air-lanes")
            yield RowList(id="air-side")

    def on_mount(self) -> None:
        self.query_one("#air-side", RowList).can_focus = False

    def show(self, state: ViewState) -> None:
        self._state = state
        viewpoints = [v.radio.id for v in self._own()]
        if self._viewpoint not in viewpoints:
            self.view_from(viewpoints[0] if viewpoints else "")
        else:
            self.view_from(self._viewpoint)

    @staticmethod
    def _marks(state: ViewState) -> dict[Channel, frozenset[Mark]]:
        """None where a limit in the setup cannot be read: the form that it came from says so."""
        try:
            return channel_marks(state.assessment, state.setup, state.session.best if state.proposal else ())
        except InvalidInput:
            return {}

    def action_to_scale(self) -> None:
        """Gaps between sub-bands folded, or as wide as they are."""
        if not self.query_one(Lanes).turn_scale():
            self.notify("Gaps without channels are folded.", timeout=2)

    def focus_first(self) -> None:
        self.query_one(Lanes).focus()

    def action_channel_map(self) -> None:
        from gray_kettle.tui.air.channel_map_screen import ChannelMapScreen

        if self._state is not None:
            view = self._view()
            self.app.push_screen(ChannelMapScreen(self._state, view.radio if view else None))

    def choose(self, radio_id: str) -> None:
        if any(v.radio.id == radio_id for v in self._own()):
            self.view_from(radio_id)

    def _own(self) -> list[OwnView]:
        state = self._state
        return [v for v in state.assessment.own if v.radio.band == state.band and v.now] if state else []

    def _view(self) -> OwnView | None:
        return next((v for v in self._own() if v.radio.id == self._viewpoint), None)

    def view_from(self, radio_id: str) -> None:
        """See the air from an own radio ("" for the receiver); the what-if begins where it is."""
        state = self._state
        if state is None:
            return
        self._viewpoint = radio_id
        view = self._view()
        channel_views = channels_seen_from(state.assessment, view.radio if view else None)
        self._channel_views = tuple(p for p in channel_views if p.channel.band == state.band)
        self._what_if = (
            view.radio.channel if view else self._channel_views[0].channel if self._channel_views else None
        )
        self._not_open = barred(view.radio, state.assessment, state.setup) if view else {}
        self.query_one(Lanes).show(state, self._channel_views, self._marks(state))
        self._refresh_panel()

    def _refresh_panel(self) -> None:
        self.query_one(Lanes).what_if = self._what_if
        self.query_one("#air-side", RowList).show(self._side_rows)

    def action_viewpoint(self) -> None:
        viewpoints = [*(v.radio.id for v in self._own()), ""]
        self.view_from(viewpoints[(viewpoints.index(self._viewpoint) + 1) % len(viewpoints)])

    def action_drill(self) -> None:
        """The radios on the primary channel of the what-if, in Heard; escape there comes back."""
        if self._what_if is not None:
            self.post_message(Jump("heard", "", f"on={self._what_if.primary}", "air"))

    def explain(self) -> tuple[Explanation, ...]:
        channel = self._what_if
        found = self._assessment(channel) if channel else None
        channel_view = next(
            (p for p in self._channel_views if channel and p.channel.primary == channel.primary), None
        )
        return (
            *(of_assessment(found, self._view()) if found else ()),
            *(of_channel(channel_view) if channel_view else ()),
        )

    def action_lanes(self, by: int) -> None:
        self.query_one(Lanes).scroll_lanes(by)

    def action_slide(self, step: int) -> None:
        """To the next channel of the present width."""
        if self._what_if is None or self._state is None:
            return
        now = self._what_if
        channels = self._channels(now.width_mhz)
        if not channels:
            return
        at = min(
            range(len(channels)), key=lambda k: (channels[k] != now, abs(channels[k].primary - now.primary))
        )
        self._what_if = channels[max(0, min(at + step, len(channels) - 1))]
        self._refresh_panel()

    def action_width(self, step: int) -> None:
        if self._what_if is None or self._state is None:
            return
        widths = [20, 40, 80, 160, 320]
        width = widths[max(0, min(widths.index(self._what_if.width_mhz) + step, 4))]
        found = [c for c in self._channels(width) if c.primary == self._what_if.primary]
        if found:
            self._what_if = found[0]
            self._refresh_panel()

    def _channels(self, width_mhz: int) -> list[Channel]:
        assert self._state is not None
        country = self._state.setup.country
        found = [c for p in self._channel_views for c in wide(p.channel.band, p.channel.primary, width_mhz)]
        return [c for c in found if is_allowed(country, c)] or found

    @on(Lanes.Pointed)
    def _pointed(self, pointed: Lanes.Pointed) -> None:
        pointed.stop()
        assert self._what_if is not None
        found = [c for c in self._channels(self._what_if.width_mhz) if c.primary == pointed.channel.primary]
        self._what_if = found[0] if found else pointed.channel
        self._refresh_panel()

    def _assessment(self, channel: Channel) -> ChannelAssessment | None:
        state, view = self._state, self._view()
        if state is None or (channel.band, channel.primary) not in state.assessment.covered:
            return None
        if view is None:
            channel_view = next((p for p in self._channel_views if p.channel == channel), None)
            return channel_view.assessed if channel_view else None
        victim, _ = victim_of(view.radio)
        found = state.assessment
        return assess_channel(channel, victim, found.radios, view.radio, found.emitters, found.unidentified)

    def _side_rows(self, width: int) -> list[Row]:
        state, view, channel = self._state, self._view(), self._what_if
        if state is None or channel is None:
            return []
        viewpoint = f"■ {view.radio.name} {view.radio.band}" if view else "the receiver"
        if self.has_class("-narrow"):
            return [Row("side", tuple(tuple(line) for line in self._short(viewpoint, channel)), fixed=True)]
        lines: list[list[Cell]] = [[("seen by   ", "dim"), (viewpoint, "own!" if view else "text!")], []]
        here = view is not None and channel == view.radio.channel
        lines.append(
            [
                ("what if   ", "dim"),
                (f"◂ {channel.label} ▸", "steam!"),
                ("  now" if here else "", "dim"),
            ]
        )
        if channel in self._not_open:
            lines += [
                [(line, "watch")] for line in wrap(f"not available: {self._not_open[channel]}", width - 2)
            ]
        found = self._assessment(channel)
        if found is None:
            lines += [[], [("not measured: no receiver listened there", "dim")]]
        else:
            lines += self._figures(found, view, here)
            lines += self._losses(found, width)
            lines += self._to_others(channel, view, here)
        lines += self._measured(channel, width)
        return [Row("side", tuple(tuple(line) for line in lines), fixed=True)]

    def _short(self, viewpoint: str, channel: Channel) -> list[list[Cell]]:
        """Three lines where there is no room for more."""
        found = self._assessment(channel)
        lines: list[list[Cell]] = [
            [
                ("seen by ", "dim"),
                (viewpoint, "own!"),
                ("   what if ", "dim"),
                (f"◂ {channel.label} ▸", "steam!"),
            ]
        ]
        if found is None:
            return [*lines, [("not measured: no receiver listened there", "dim")]]
        figures = f"{percent(found.clear_air)}   {found.expected_mbps:.0f} Mb/s expected"
        worst = (
            ", ".join(f"{h.name} {percent(h.share_lost)}" for h in found.losses[:3]) or "no observed radio"
        )
        return [*lines, [("clear air ", "dim"), (figures, "steam!")], [("lost to ", "dim"), (worst, "text")]]

    def _figures(self, found: ChannelAssessment, view: OwnView | None, here: bool) -> list[list[Cell]]:
        now = view.now if view else None
        before = (
            ("", "")
            if now is None or here
            else (f"{percent(now.clear_air)} → ", f"{now.expected_mbps:.0f} → ")
        )
        who = "" if view else f"  ({TYPICAL_CLIENT.generation}, {TYPICAL_CLIENT.streams} streams)"
        return [
            [],
            [("clear air ", "dim"), (before[0], "dim"), (percent(found.clear_air), "steam!")],
            [
                ("expected  ", "dim"),
                (before[1], "dim"),
                (f"{found.expected_mbps:.0f} Mb/s", "steam!"),
                (who, "dim"),
            ],
        ]

    def _losses(self, found: ChannelAssessment, width: int) -> list[list[Cell]]:
        if not found.losses:
            return [
                [],
                *(
                    [(line, "dim")]
                    for line in wrap("no observed radio or emitter takes any of it", width - 2)
                ),
            ]
        lines: list[list[Cell]] = [[], [("lost to", "dim")]]
        lines += [self._loss_cause(h, width) for h in found.losses[:8]]
        if len(found.losses) > 8:
            lines.append([(f"and {len(found.losses) - 8} more", "dim")])
        return lines

    def _to_others(self, channel: Channel, view: OwnView | None, here: bool) -> list[list[Cell]]:
        """What our other radios gain or lose: a channel that is good for one may cost another."""
        if view is None or here or self._state is None:
            return []
        words = [
            (radio, now, then)
            for radio, now, then in effect_on_own(channel, view, self._state.assessment)
            if abs(then - now) >= _WORTH_SAYING
        ]
        if not words:
            return []
        lines: list[list[Cell]] = [[], [("clear air of our other radios", "dim")]]
        for radio, now, then in sorted(words, key=lambda item: item[2] - item[1])[:5]:
            ink = "act" if then < now else "steam!"
            lines.append(
                [
                    ("■ ", "own"),
                    (fit(radio.name, 16), "text"),
                    (f"{100 * now:3.0f} → ", "dim"),
                    (percent(then), ink),
                ]
            )
        return lines

    def _loss_cause(self, loss_cause: LossCause, width: int) -> list[Cell]:
        tight = width < 40
        room = max(width - (22 if tight else 31), 6)
        return [
            (fit(percent(loss_cause.share_lost), 5, True) + "  ", "text!"),
            (fit(loss_cause.name, room if loss_cause.channel else room + 7) + " ", "text"),
            (fit(loss_cause.channel.label, 7) if loss_cause.channel else "", "dim"),
            (fit("–" if loss_cause.level_dbm is None else minus(loss_cause.level_dbm), 4, True), "dim"),
            ("" if tight else f" {_KINDS[loss_cause.kind]}", "dim"),
        ]

    def _measured(self, channel: Channel, width: int) -> list[list[Cell]]:
        channel_view = next((p for p in self._channel_views if p.channel.primary == channel.primary), None)
        if channel_view is None:
            return []
        used = channel_view.utilisation
        value = used.words if used.value is None else f"{used.words} busy"
        lines: list[list[Cell]] = [
            [],
            [("channel ", "dim"), (f"{channel.primary}: ", "dim"), (value, "text!")],
        ]
        if used.value is not None:
            words = f"source {used.source}, confidence {used.confidence}"
            if used.others:
                words += "; also " + ", ".join(f"{name} {percent(share)}" for name, share in used.others)
            lines += [[(line, "dim")] for line in wrap(words, width - 2)]
            shares = ((hour, share) for hour, _, share in used.by_hour)
            hours = hour_lines(shares, self._state, "busy, by hour of the day") if self._state else []
            lines += [[], *hours] if hours else []
        return lines
