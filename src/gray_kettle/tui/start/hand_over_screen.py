"""Hand over: the report, the data or the change sheet of the whole case, written beside it."""

import logging
from collections.abc import Callable
from pathlib import Path
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static
from textual.worker import Worker, get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.masking import MaskOptions
from gray_kettle.tui.controllers.exporting import out_folder
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import show_error
from gray_kettle.tui.theme import fit

_CHOICES = (
    ("report", "pdf", "Report", "for the customer, and for a colleague: PDF"),
    ("first page", "pdf", "First page", "what was wrong, what was done, did it help: PDF"),
    ("web report", "html", "Report as HTML", "the same in one file for a browser"),
    ("sheet", "pdf", "Change sheet", "what to set on which access point, in which order: PDF"),
    ("data", "zip", "All data", "tables that others can use and read back: zip"),
    ("copy", "kettle", "The case", "a copy, or with masked names"),
)
_NAMES = {"report": "report", "first page": "summary", "web report": "report", "sheet": "changes", "data": "data",
          "copy": "copy"}  # fmt: skip
_MASKS = (
    ("addresses and names of clients are masked (reports alone)", MaskOptions("clients")),
    ("all addresses, and names of foreign networks and devices, are masked", MaskOptions("all")),
    ("nothing is masked", None),
)
_BAR = 32
_LOGGER = logging.getLogger(__name__)
Progress = Callable[[str, float], None]


class _Cancelled(Exception):
    """The person does not want it any more."""


class HandOverScreen(Modal[None]):
    """Writes in a worker, with its progress; escape stops what is being written."""

    CSS = """
    HandOverScreen { align: center middle; }
    HandOverScreen .form { width: 92; max-width: 98%; }
    HandOverScreen RowList { height: 6; background: $surface; margin-top: 1; }
    HandOverScreen #mask { color: $dim; margin-top: 1; height: auto; }
    HandOverScreen #state { margin-top: 1; height: auto; min-height: 1; }
    """
    BINDINGS: ClassVar = [
        Binding("m", "mask", "what is masked", id="hand-over.mask"),
        Binding("escape", "close", "close", id="hand-over.close"),
    ]

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path, self._mask = path, 0
        self._worker: Worker[None] | None = None

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Hand over", classes="form-title", markup=False)
            yield Static("enter writes, m changes what is masked, escape stops or closes", markup=False)
            yield RowList(id="choices", keeps_mark=True)
            yield Static("", id="mask", markup=False)
            yield Static("", id="state", markup=False)
            yield Static("", classes="form-error", markup=False)

    def on_mount(self) -> None:
        rows = self.query_one(RowList)
        rows.show(lambda width: [_row(choice, width) for choice in _CHOICES])
        rows.focus()
        self._show_mask()

    def _show_mask(self) -> None:
        self.query_one("#mask", Static).update(f"m  {_MASKS[self._mask][0]}")

    def action_mask(self) -> None:
        self._mask = (self._mask + 1) % len(_MASKS)
        self._show_mask()

    @property
    def _is_busy(self) -> bool:
        return self._worker is not None and self._worker.is_running

    @on(RowList.Chosen)
    def _write(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        if self._is_busy:
            return
        show_error(self, "")
        self._tell("starting", 0.0)
        masked, what = _MASKS[self._mask][1], chosen.key
        self._worker = self.run_worker(
            lambda: self._work(what, masked), thread=True, group="hand over", description="hand over"
        )

    def _work(self, what: str, masked: MaskOptions | None) -> None:
        worker = get_current_worker()

        def progress(doing: str, share: float) -> None:
            if worker.is_cancelled:
                raise _Cancelled
            self.app.call_from_thread(self._tell, doing, share)

        try:
            written = write(what, self._path, masked, progress)
        except _Cancelled:
            self.app.call_from_thread(self._ended, "Stopped: nothing was written.")
        except KettleError as error:
            _LOGGER.warning("hand over: %s", error)
            self.app.call_from_thread(self._ended, "")
            self.app.call_from_thread(show_error, self, str(error))
        else:
            self.app.call_from_thread(self._ended, f"Written: {written.name}\n{written.parent.absolute()}")

    def _tell(self, doing: str, share: float) -> None:
        if self.is_mounted:
            done = round(_BAR * min(max(share, 0.0), 1.0))
            bar = "━" * done + "─" * (_BAR - done)
            self.query_one("#state", Static).update(f"{doing:<20} {bar} {100 * share:3.0f} %")

    def _ended(self, text: str) -> None:
        if self.is_mounted:
            self.query_one("#state", Static).update(text)

    def action_close(self) -> None:
        if self._is_busy and self._worker is not None:
            self._worker.cancel()
            self._tell("stopping", 0.0)
        else:
            self.dismiss(None)


def _row(choice: tuple[str, str, str, str], width: int) -> Row:
    key, _, title, about = choice
    return Row(key, (((fit(title, 16), "text"), (fit(about, max(width - 18, 10)), "dim")),))


def write(what: str, case: Path, masked: MaskOptions | None, progress: Progress) -> Path:
    """Write one of the choices beside the case; where it is. Raises: KettleError, when it cannot be written."""
    from gray_kettle.export.case_drawings import beside, write_sheet

    ending = next(ending for key, ending, _, _ in _CHOICES if key == what)
    output = beside(out_folder(case), _NAMES[what], ending)
    whole = masked if masked is None or masked.scope == "all" else None
    if what in ("report", "web report", "first page"):
        from gray_kettle.export.report.write import write_report

        write_report(case, output, is_short=what == "first page", masked=masked, progress=progress)
    elif what == "sheet":
        write_sheet(case, output, masked=whole, progress=progress)
    elif what == "data":
        from gray_kettle.export.data.export import write_export

        write_export(case, output, masked=whole, progress=progress)
    else:
        from gray_kettle.store.transfer import WHOLE, backed_up, copied

        if whole is None:
            progress("copying", 0.0)
            backed_up(case, output)
        else:
            copied(case, output, WHOLE, whole, lambda done, total: progress("copying", done / max(total, 1)))
    return output
