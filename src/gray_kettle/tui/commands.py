"""The command palette of the main screen: its views and actions, by name."""

from collections.abc import Awaitable, Callable
from contextlib import suppress

from textual.await_complete import AwaitComplete
from textual.command import CommandPalette, DiscoveryHit, Hit, Hits, Provider

from gray_kettle.tui.frame.title_line import VIEWS

_SUMMARIES = {
    "brief": "What is wrong, worst first",
    "heard": "Radios, networks and clients",
    "air": "Channels: who uses what, and what is left",
    "sweep": "Spectrum: presence, waterfall, emitters",
    "plan": "Channel and width for each own radio",
    "proof": "Did it help: before and after",
}
_ACTIONS = (
    ("Take", "screen.take", "Listen now, or read captures, scan listings and sweeps"),
    ("Takes", "screen.takes", "What was taken and what counts: set aside, bring back"),
    ("Own networks", "screen.own", "Which of the observed networks are ours"),
    (
        "Site, country, client limits",
        "screen.ask('site')",
        "Name, country, time zone, complaint, client limits",
    ),
    ("Export", "screen.export", "The drawings of this view as SVG, or the change sheet of Plan"),
    (
        "Hand over",
        "screen.on_site('hand_over')",
        "The report for the customer, all data, the change sheet",
    ),
    ("Where these figures come from", "screen.explain", "Explains the figures under the cursor"),
    ("Thresholds", "screen.ask('thresholds')", "When something counts as a finding in this case"),
    ("Reference window", "screen.reference", "Compare other windows with this one; once more: none"),
    ("Window: hour, day, all", "screen.zoom", "The next length of the window"),
    ("Window: next take", "screen.to_time('next take')", "When the next take was made"),
    ("Window: take before", "screen.to_time('take before')", "When the take before was made"),
    ("Window: day before", "screen.to_time('day before')", "The same hours of the day before"),
    (
        "Window: busiest quarter hour",
        "screen.to_time('busiest quarter hour')",
        "As access points of the band report it",
    ),
    ("Window: last hour", "screen.to_time('last hour')", "The newest that the case has"),
    ("Window: before the change", "screen.to_time('before the change')", "Up to the steps marked as done"),
    ("Window: since the change", "screen.to_time('since the change')", "From the steps marked as done on"),
    ("Walk", "screen.on_site('walk')", "The level of one of our radios, and spots named on the way"),
    ("What is new", "screen.on_site('since')", "New, gone and moved radios since before the newest take"),
    (
        "Scan now",
        "screen.on_site('rescan')",
        "With the source that was used last, else this computer's Wi-Fi",
    ),
    ("Alerts", "screen.on_site('alerts')", "What began while the app took or watch ran; enter goes there"),
    ("Mark this moment", "screen.mark", "A word on the time line"),
    ("Spot of the take", "screen.on_site('spot')", "Where the receiver is from now on"),
    ("Pause the take", "screen.pause", "What comes meanwhile is left out"),
    ("Undo the last edit", "screen.undo", "Own networks, names, site, plan preferences"),
    ("Help for this view", "screen.help", "Its keys, and how to read it"),
)


def _commands() -> list[tuple[str, str, str]]:
    views = [
        (f"View: {title}", f"screen.view('{name}')", _SUMMARIES.get(name, ""))
        for name, title in VIEWS.values()
    ]
    return [*views, *_ACTIONS]


class KettleCommands(Provider):
    """Commands of the main screen."""

    async def discover(self) -> Hits:
        for name, action, help_text in _commands():
            yield DiscoveryHit(name, self._runner(action), help=help_text)

    async def search(self, query: str) -> Hits:
        matcher = self.matcher(query)
        for name, action, help_text in _commands():
            score = matcher.match(name)
            if score > 0:
                yield Hit(score, matcher.highlight(name), self._runner(action), help=help_text)

    def _runner(self, action: str) -> Callable[[], Awaitable[None]]:
        async def run() -> None:
            await self.app.run_action(action)

        return run


class Palette(CommandPalette):
    """Textual's command palette; its list fails on a page key while it is being filled."""

    def dismiss(self, result: object = None) -> AwaitComplete:
        """Once only: a second key that would leave it does not leave the screen below."""
        return super().dismiss() if self.app.screen is self else AwaitComplete.nothing()  # type: ignore[no-untyped-call]

    def _action_command_list(self, action: str) -> None:
        with suppress(KeyError):  # the lines of what was just added are not known yet
            super()._action_command_list(action)
