"""What began while somebody watched, the newest first, each a row that leads to its time."""

from typing import TYPE_CHECKING, ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static

from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import Cell, fit

if TYPE_CHECKING:
    from gray_kettle.model.records import Alert
    from gray_kettle.site_timezone import SiteTime

_WHEN, _KIND, _WIDE = 13, 16, 84
_MOST = 500


class AlertsScreen(Modal[float]):
    """Answers with the time of the one that was chosen, None for none."""

    CSS = """
    AlertsScreen { align: center middle; }
    AlertsScreen .form { width: 110; max-width: 98%; }
    AlertsScreen RowList { height: 18; max-height: 70%; background: $surface; margin-top: 1; }
    """
    BINDINGS: ClassVar = [Binding("escape", "close", "close", id="alerts.close")]

    def __init__(self, alerts: "tuple[Alert, ...]", site_time: "SiteTime") -> None:
        super().__init__()
        self._alerts, self._site_time = alerts[::-1][:_MOST], site_time

    def compose(self) -> ComposeResult:
        count = len(self._alerts)
        with Vertical(classes="form"):
            yield Static(f"{count} alert{'s' * (count != 1)}", classes="form-title", markup=False)
            yield Static("enter shows the half hour around it, escape closes", markup=False)
            yield RowList(
                id="alerts", empty="Nothing was noticed. Alerts come while the app takes, or watch runs."
            )

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(self._rows)
        rows.focus()

    def _rows(self, width: int) -> list[Row]:
        kind_room = _KIND if width >= _WIDE else 0  # what it says names the kind too
        room = max(width - _WHEN - kind_room - 5, 8)
        out = []
        for number, alert in enumerate(self._alerts):
            cells: tuple[Cell, ...] = (
                ("! ", "act!"),
                (fit(f"{self._site_time.minute(alert.time_s):%a %d %H:%M}", _WHEN), "dim"),
                (fit(str(alert.kind), kind_room) if kind_room else "", "watch"),
                (fit(alert.text, room), "text"),
            )
            out.append(Row(str(number), (cells,)))
        return out

    @on(RowList.Chosen)
    def _choose(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self.dismiss(self._alerts[int(chosen.key)].time_s)

    def action_close(self) -> None:
        self.dismiss(None)
