"""What is new, gone and moved, each a row that leads to the radio."""

from typing import TYPE_CHECKING, ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static

from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import Cell, fit, minus

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Radio
    from gray_kettle.analysis.inventory.since import ChangesSince

RESCAN = "rescan"  # what is answered for that key
_NAME, _CHANNEL, _LEVEL = 26, 16, 5


class SinceScreen(Modal[str]):
    """Answers with the id of the radio that was chosen, "" for none."""

    CSS = """
    SinceScreen { align: center middle; }
    SinceScreen .form { width: 110; max-width: 98%; }
    SinceScreen RowList { height: 18; max-height: 70%; background: $surface; margin-top: 1; }
    """
    BINDINGS: ClassVar = [
        Binding("escape", "close", "close", id="since.close"),
        Binding("R", "rescan", "scan now", id="since.rescan"),
    ]

    def __init__(self, found: "ChangesSince", when: str) -> None:
        """when: the moment, in the time of the site."""
        super().__init__()
        self._found, self._when = found, when

    def compose(self) -> ComposeResult:
        found = self._found
        counts = (
            f"{len(found.new)} new, {len(found.missing)} gone, {len(found.moved)} moved since {self._when}"
        )
        with Vertical(classes="form"):
            yield Static(counts, classes="form-title", markup=False)
            yield Static("enter shows the radio, R scans now, escape closes", markup=False)
            yield RowList(id="since", empty="Everything is as it was.")

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(self._rows)
        rows.focus()

    def _rows(self, width: int) -> list[Row]:
        room = max(width - _NAME - _CHANNEL - _LEVEL - 10, 8)
        out = [_row("new  ", "steam!", r, "", room) for r in self._found.new]
        for gone in self._found.missing:
            doubt = "" if gone.is_sure else "; faint, it may have been missed"
            out.append(_row("gone ", "watch", gone.radio, f"missed {gone.scans} times{doubt}", room))
        for radio, change in self._found.moved:
            said = ", announced" if change.announced else ""
            out.append(_row("moved", "act", radio, f"from {change.before.label}{said}", room))
        return out

    @on(RowList.Chosen)
    def _choose(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self.dismiss(chosen.key)

    def action_rescan(self) -> None:
        self.dismiss(RESCAN)

    def action_close(self) -> None:
        self.dismiss("")


def _row(word: str, ink: str, radio: "Radio", note: str, room: int) -> Row:
    cells: tuple[Cell, ...] = (
        (f"{word} ", ink),
        ("■ " if radio.own else "□ ", "own" if radio.own else "dim"),
        (fit(printable(radio.name), _NAME), "text"),
        (fit(f"{radio.band} GHz {radio.channel.label}", _CHANNEL), "dim"),
        (fit(minus(radio.level_dbm), _LEVEL, right=True), "text"),
        (f"  {fit(note, room)}", "dim"),
    )
    return Row(radio.id, (cells,))
