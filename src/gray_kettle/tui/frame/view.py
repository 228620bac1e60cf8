"""A numbered place of the app: shows a Look, and folds where there is little room."""

from typing import TYPE_CHECKING, ClassVar

from textual import events
from textual.widget import Widget

from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Emitter
    from gray_kettle.analysis.explain import Explanation
    from gray_kettle.model.records import SweepRows

_NARROW_COLUMNS, _MIDDLE_COLUMNS, _LOW_LINES = 96, 130, 20


class View(Widget):
    """Base of the views. HINTS: keys that matter here, with a word each."""

    HINTS: ClassVar[tuple[tuple[str, str], ...]] = ()

    def show(self, look: ViewState) -> None:
        raise NotImplementedError

    def window_moved(self, look: ViewState) -> None:
        """The window moved; the answers for it are still being worked out."""

    def came(self, rows: "SweepRows") -> None:
        """A row of a live take arrived."""

    def found_live(self, emitters: "tuple[Emitter, ...]") -> None:
        """What the newest live rows show of emitters."""

    def live_ended(self) -> None:
        """The live take ended."""

    def focus_first(self) -> None:
        """Put the focus where the keys of this place work."""
        raise NotImplementedError

    def choose(self, radio_id: str) -> None:
        """Point at a radio, where the place has something to say of one."""

    def narrow(self, only: str, back: str) -> None:
        """Show only what meets a filter; back: the place to which leaving it leads."""

    def explain(self) -> "tuple[Explanation, ...]":
        """Where the figures come from that are pointed at."""
        return ()

    def on_resize(self, event: events.Resize) -> None:
        self.set_class(event.size.width < _NARROW_COLUMNS, "-narrow")
        self.set_class(event.size.width < _MIDDLE_COLUMNS, "-mid")
        self.set_class(event.size.height < _LOW_LINES, "-low")
