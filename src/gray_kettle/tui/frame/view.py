"""Base of the numbered views: shows a ViewState, and folds where there is little room."""

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
    """HINTS: keys that matter here, with a word each. HELP: its help text. EXPORTS: what `x` writes."""

    HINTS: ClassVar[tuple[tuple[str, str], ...]] = ()
    HELP: ClassVar[str] = ""
    EXPORTS: ClassVar[tuple[str, ...]] = ()

    def show(self, state: ViewState) -> None:
        raise NotImplementedError

    def focus_first(self) -> None:
        """Put the focus where the keys of this view work."""
        raise NotImplementedError

    def window_moved(self, state: ViewState) -> None:
        """The window moved; the answers for it are still being computed."""

    def sweep_received(self, rows: "SweepRows") -> None:
        """A row of a live take arrived."""

    def live_detections(self, emitters: "tuple[Emitter, ...]") -> None:
        """Emitters in the newest live rows."""

    def live_ended(self) -> None:
        """The live take ended."""

    def choose(self, radio_id: str) -> None:
        """Put the cursor on a radio or emitter, where the view shows it."""

    def apply_filter(self, only: str, back: str) -> None:
        """Show only what passes a filter; back: the view to return to when it is left."""

    def explain(self) -> "tuple[Explanation, ...]":
        """Explanations of the figures under the cursor."""
        return ()

    def on_resize(self, event: events.Resize) -> None:
        self.set_class(event.size.width < _NARROW_COLUMNS, "-narrow")
        self.set_class(event.size.width < _MIDDLE_COLUMNS, "-mid")
        self.set_class(event.size.height < _LOW_LINES, "-low")
