"""Example frames of a BSSID, a client or a channel: the list above, the chosen one field by field below."""

from textwrap import wrap
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static
from textual.worker import get_current_worker

from gray_kettle.analysis.inventory.example_lookup import readings_for
from gray_kettle.decode.one_frame import FrameReading
from gray_kettle.errors import KettleError
from gray_kettle.export.frame_lines import FrameLine, frame_lines, list_line
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.theme import Cell, fit
from gray_kettle.tui.view_state import ViewState

_WIDE = 110
_BESIDE = 120
_NAME, _SHORT_NAME, _AT = 30, 12, 5


class FramesScreen(Modal[None]):
    """wanted: an address or a channel; title: what that is, in words."""

    BINDINGS: ClassVar = [
        Binding("tab", "other", "list or frame", id="frames.other"),
        Binding("escape", "close", "close", id="frames.close"),
    ]

    def __init__(self, state: ViewState, wanted: str, title: str) -> None:
        super().__init__()
        self._state, self._wanted, self._title = state, wanted, title
        self._readings: tuple[FrameReading, ...] = ()

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static(f"Frames of {printable(self._title)}: reading …", id="frames-title", markup=False)
            yield RowList(id="frames", keeps_mark=True, empty=" reading …")
            yield RowList(id="frame", empty="")

    def on_mount(self) -> None:
        self.query_one("#frames", RowList).focus()
        self.run_worker(self._read, thread=True, group="frames", description="read example frames")

    def _read(self) -> None:
        from gray_kettle.store import Case

        worker = get_current_worker()
        assert self._state.path is not None
        radios = self._state.assessment.radios
        try:
            with Case.open(self._state.path) as case:
                readings, empty = readings_for(self._wanted, case.example_frames.all(), radios), ""
        except KettleError as error:
            readings, empty = (), str(error)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._show, readings, empty)

    def _show(self, readings: tuple[FrameReading, ...], wrong: str) -> None:
        self._readings = readings
        listed = self.query_one("#frames", RowList)
        listed.empty = wrong or " No example frame of it is kept: frames come with captures, not with scans."
        hint = "   tab list or frame   ↑↓ choose   esc back" if readings else "   esc back"
        count = f"{len(readings)} kept" if readings else "none kept"
        self.query_one("#frames-title", Static).update(f"Frames of {printable(self._title)}: {count}{hint}")
        listed.show(lambda width: [self._list_row(k, r, width) for k, r in enumerate(readings)])

    def _list_row(self, number: int, reading: FrameReading, width: int) -> Row:
        kind, when, where, level, how = list_line(reading, self._state.setup.site_time)
        ink = "watch" if reading.off_channel else "text"
        cells: list[Cell] = [
            (fit(f" {kind}", 24), "text!"),
            (fit(when, 16), "dim"),
            (f" on {where:<6}", ink),
            (f"{level:>8}", "text"),
            (f"  {fit(how, 20)}", "dim"),
        ]
        if width >= _WIDE:
            cells.append((f" {reading.example.bssid or 'no BSSID'}", "dim"))
        return Row(str(number), (tuple(cells),))

    @on(RowList.Moved, "#frames")
    def _moved(self, moved: RowList.Moved) -> None:
        moved.stop()
        if moved.key and int(moved.key) < len(self._readings):
            lines = frame_lines(self._readings[int(moved.key)], self._state.setup.site_time)
            self.query_one("#frame", RowList).show(lambda width: _rows(lines, width), keep=False)

    @on(RowList.Chosen, "#frames")
    def _chosen(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self.query_one("#frame", RowList).focus()

    def action_other(self) -> None:
        lists = (self.query_one("#frames", RowList), self.query_one("#frame", RowList))
        lists[0 if lists[1].has_focus else 1].focus()

    def action_close(self) -> None:
        """From the frame to the list, then back to where this was opened."""
        if self.query_one("#frame", RowList).has_focus:
            self.query_one("#frames", RowList).focus()
        else:
            self.dismiss(None)


def _rows(lines: list[FrameLine], width: int) -> list[Row]:
    """What the receiver saw beside what the sender said where there is room, then the fields."""
    upto = next((k for k, line in enumerate(lines) if line.at is not None), len(lines)) - 1
    about, fields = lines[:upto], lines[upto:]
    heads = [k for k, line in enumerate(about) if line.is_heading]
    if width < _BESIDE or len(heads) < 2:
        return [_line_row(k, line, width) for k, line in enumerate(lines)]
    half = width // 2
    columns = [
        [cells for line in part for cells in _line_cells(line, half - 2)]
        for part in (about[: heads[1]], about[heads[1] :])
    ]
    rows = []
    for k in range(max(map(len, columns))):
        left, right = (column[k] if k < len(column) else () for column in columns)
        rest = half - sum(len(text) for text, _ in left)
        rows.append(Row(f"about {k}", ((*left, (" " * max(rest, 1), "dim"), *right),), fixed=True))
    return rows + [_line_row(k, line, width) for k, line in enumerate(fields, upto)]


def _line_row(number: int, line: FrameLine, width: int) -> Row:
    return Row(str(number), tuple(_line_cells(line, width)), fixed=line.is_heading)


def _line_cells(line: FrameLine, width: int) -> list[tuple[Cell, ...]]:
    if line.is_heading:
        return [((f" {line.name}", "steam!"),)]
    at = "" if line.at is None else str(line.at)
    name = _SHORT_NAME if line.at is None else min(_NAME, max(width // 3, 12))
    ink = "watch" if line.is_fault else "text"
    # Hexadecimal has its own column where there is room for one, else its own line.
    beside = 56 if line.at is not None and width >= _WIDE else 0
    room = max(width - _AT - name - 3 - beside, 20)
    lines: list[tuple[Cell, ...]] = []
    for k, part in enumerate(wrap(line.words, room) or [""]):
        cells: list[Cell] = [
            (f"{at if not k else '':>{_AT}} ", "faint"),
            (fit(line.name if not k else "", name) + " ", "dim"),
            (fit(part, room) if beside else part, ink),
        ]
        if beside and not k:
            cells.append((f" {fit(line.hex, beside - 2)}", "faint"))
        lines.append(tuple(cells))
    if line.hex and not beside:
        more = wrap(line.hex, max(width - _AT - 3, 20))
        lines += [((" " * (_AT + 2), "dim"), (part, "faint")) for part in more]
    return lines
