"""Help for the view that is shown: its keys, how to read it, and the keys that work everywhere."""

from typing import ClassVar

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, VerticalScroll
from textual.widgets import Static

from gray_kettle.tui.modal import Modal

_EVERYWHERE = """
Everywhere
  1 … 6       Brief, Heard, Air, Sweep, Plan, Proof
  b           next band
  [  ]        move the window back and forward, by half its length
  {  }        make the window shorter or longer;  w  one hour, six, a day, all
  ,  .        the take before, the next one;  y  the same hours of the day before
  !  0        the busiest quarter of an hour of the band;  0  the last hour
  (  )        up to the steps that were marked as done;  )  since then
  mouse       on the time line it drags a window, or moves it by a click
  r           make this window the reference: radios that were not observed in it
              are reported as new; once more, and there is no reference
  i           where the figures under the cursor come from
  t           take: listen now, or read captures, scan listings and sweeps into
              the case; once more ends that;  P  pause;  L  the spot changes;
              T  what was taken
  W           walk: the level of one of our radios in large digits; spots are
              named on the way, and listed by how well they are covered
  N  R        what is new, gone and moved since before the newest take;  R  scan now
  M           mark this moment with a word, for example when a boat comes in
  X           hand over: the report, all data, the change sheet, a copy of the case
  A           alerts: what began while the app took, or gray-kettle watch ran
  ctrl+z      undo the last edit
  ctrl+p      all commands, by name
  ctrl+q      quit

Signs
  ■ □         own radio, foreign radio
  ▲ ◆ ·       findings: act, watch, note
  ✶           non-Wi-Fi emitter
  ┄ –         no data at that time; not measured
"""
_TWO_COLUMNS = 150
_KEY_COLUMNS = 14  # a help text starts the words of a key line here


def _rendered(text: str) -> RenderableType:
    """A help text, wrapped to any width: lines that start with two spaces are a key and its words."""
    parts: list[RenderableType] = []
    rows: list[list[str]] = []
    paragraph: list[str] = []

    def finish() -> None:
        if rows:
            table = Table.grid(padding=(0, 2))
            for key, words in rows:
                table.add_row(Text(f"  {key}", no_wrap=True), Text(words))
            parts.append(table)
        if paragraph:
            parts.append(Text(" ".join(paragraph)))
        rows.clear()
        paragraph.clear()

    for line in text.strip("\n").split("\n"):
        key, words = line[:_KEY_COLUMNS].strip(), line[_KEY_COLUMNS:].strip()
        if not line.strip():
            finish()
            parts.append(Text(""))
        elif line.startswith(" ") and key:
            if paragraph:
                finish()
            rows.append([key, words])
        elif line.startswith(" ") and rows:
            rows[-1][1] += " " + words
        else:
            if rows:
                finish()
            paragraph.append(line)
    finish()
    return Group(*parts)


class HelpScreen(Modal[None]):
    """Closes with any of the usual keys."""

    DEFAULT_CSS = """
    HelpScreen { align: center middle; }
    HelpScreen > VerticalScroll { width: 84; max-width: 96%; height: auto; max-height: 90%; padding: 1 1 1 2;
        background: $surface; border: round $rule; }
    HelpScreen.-wide > VerticalScroll { width: 156; max-width: 98%; max-height: 96%; }
    HelpScreen Horizontal { height: auto; }
    HelpScreen Static { width: 100%; padding-right: 1; }
    HelpScreen.-wide Static { width: 1fr; padding-right: 2; }
    """
    BINDINGS: ClassVar = [Binding("escape,question_mark,q,enter", "close", "close", id="help.close")]

    def __init__(self, of_view: str) -> None:
        super().__init__()
        self._of_view = of_view

    def compose(self) -> ComposeResult:
        """Side by side where there is room: all of it is seen at once then."""
        self.set_class(self.app.size.width >= _TWO_COLUMNS, "-wide")
        with VerticalScroll():
            if self.app.size.width >= _TWO_COLUMNS:
                with Horizontal():
                    yield Static(_rendered(self._of_view), markup=False)
                    yield Static(_rendered(_EVERYWHERE), markup=False)
            else:
                yield Static(_rendered(self._of_view.strip("\n") + "\n" + _EVERYWHERE), markup=False)

    def action_close(self) -> None:
        self.dismiss(None)
