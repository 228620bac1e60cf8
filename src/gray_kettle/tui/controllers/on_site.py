"""What a technician does on site while the app listens: walk, scan now, and see what is new."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from textual.screen import Screen

from gray_kettle.tui.messages import Jump, ToWindow
from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.tui.controllers.capture import Capture
    from gray_kettle.tui.walk.levels import Sighted
    from gray_kettle.tui.walk.screen import WalkScreen

_AROUND_S = 900.0


class OnSite:
    """state: what is shown, None while nothing was read."""

    def __init__(
        self, screen: "Screen[None]", capture: "Capture", state: Callable[[], ViewState | None]
    ) -> None:
        self._screen, self._capture, self._state = screen, capture, state
        self._walk: WalkScreen | None = None
        self._is_news_due = False

    def run(self, what: str) -> None:
        """What is asked for, by the name of a method."""
        choices = (self.walk, self.since, self.rescan, self.alerts, self.spot, self.hand_over)
        next(choice for choice in choices if choice.__name__ == what)()

    def hand_over(self) -> None:
        """The report, the data, the change sheet."""
        from gray_kettle.tui.start.hand_over_screen import HandOverScreen

        state = self._state()
        if state is not None and state.path is not None:
            self._screen.app.push_screen(HandOverScreen(state.path))

    def spot(self) -> None:
        """Name the spot that the running take is at from now on."""
        from gray_kettle.tui.start.word_form import WordForm

        if self._capture.control is None:
            self._screen.notify("Nothing is being collected: press t.", timeout=4)
            return
        form = WordForm(
            "Where the receiver is now", "What comes from now on belongs to this spot", "reception"
        )
        self._screen.app.push_screen(form, self._after_spot)

    def _after_spot(self, name: str | None) -> None:
        control = self._capture.control
        if name and control is not None:
            control.spot = name
            self._capture.tick()

    def alerts(self) -> None:
        """What began while somebody watched; the one that is chosen moves the window."""
        from gray_kettle.tui.start.alerts_screen import AlertsScreen

        if (state := self._state()) is not None:
            self._screen.app.push_screen(
                AlertsScreen(state.session.alerts, state.setup.site_time), self._after_alerts
            )

    def _after_alerts(self, chosen: float | None) -> None:
        if chosen is not None:
            self._screen.post_message(ToWindow(chosen - _AROUND_S, chosen + _AROUND_S))

    def walk(self) -> None:
        from gray_kettle.tui.walk.screen import WalkScreen

        self._walk = WalkScreen(self._state, lambda: self._capture.control)
        self._screen.app.push_screen(self._walk, self._walked)

    def _walked(self, _: None) -> None:
        self._walk = None

    def heard(self, sightings: "tuple[Sighted, ...]") -> None:
        """A scan or second of the live take."""
        if self._walk is not None:
            self._walk.heard(sightings)

    def published(self) -> None:
        """The state of the screen is another."""
        if self._walk is not None:
            self._walk.refresh_spots()

    def assessed(self) -> None:
        """The case was read again and assessed."""
        if self._is_news_due and not self._capture.is_live:
            self._is_news_due = False
            self._screen.call_after_refresh(self.since)

    def since(self) -> None:
        """What is new since before the newest take."""
        from gray_kettle.analysis.inventory.since import changes_since, moment_before
        from gray_kettle.tui.start.since_screen import SinceScreen

        state = self._state()
        moment_s = moment_before(state.session.observations.takes) if state is not None else None
        if state is None or moment_s is None:
            self._screen.notify("There is but one take so far: R scans now, t takes more.", timeout=5)
            return
        found = changes_since(state.assessment.radios, state.session.observations, moment_s)
        when = f"{state.setup.site_time.minute(moment_s):%a %d %H:%M}"
        self._screen.app.push_screen(SinceScreen(found, when), self._after_since)

    def _after_since(self, chosen: str | None) -> None:
        from gray_kettle.tui.start.since_screen import RESCAN

        if chosen == RESCAN:
            self.rescan()
        elif chosen:
            self._screen.post_message(Jump("heard", chosen))

    def rescan(self) -> None:
        """Scan once, and then say what is new."""
        self._is_news_due = self._capture.rescan()
