"""Writes what a view exports (drawings, the change sheet) in a worker."""

import logging
from pathlib import Path

from textual.screen import Screen

from gray_kettle.demo_case import demo_path
from gray_kettle.errors import KettleError
from gray_kettle.tui.controllers.loading import Window

CHANGE_SHEET = "change-sheet"
_SHEET_ENDINGS = ("pdf", "txt", "csv")
_LOGGER = logging.getLogger(__name__)


def out_folder(case: Path) -> Path:
    """The path beside which files about a case go."""
    return Path.cwd() / case.name if case == demo_path() else case


def where(path: Path) -> str:
    """A file that was written, as a person looks for it: short where it is in the folder that the app runs in."""
    return path.name if path.parent.absolute() == Path.cwd() else str(path)


class Exporter:
    """Files go beside the case; of the demo case, to the folder that the app was started in."""

    def __init__(self, screen: "Screen[None]", path: Path) -> None:
        self._screen, self._path = screen, path

    def export(self, names: tuple[str, ...], band: str, window: Window) -> None:
        """names: drawings (see export.case_drawings.VIEWS), or CHANGE_SHEET."""
        self._screen.run_worker(
            lambda: self._write(names, band, window),
            thread=True,
            exclusive=True,
            group="export",
            description="export",
        )

    def _write(self, names: tuple[str, ...], band: str, window: Window) -> None:
        from gray_kettle.export.case_drawings import beside, draw_view, write_sheet

        target = out_folder(self._path)
        for name in names:
            endings = _SHEET_ENDINGS if name == CHANGE_SHEET else ("svg",)
            for ending in endings:
                is_sheet = name == CHANGE_SHEET
                named = "changes" if is_sheet else name if name == "proof" else f"{name}-{band}"
                path = beside(target, named, ending)
                try:
                    if is_sheet:
                        write_sheet(self._path, path, *window)
                    else:
                        draw_view(name, self._path, band, path, *window)
                except KettleError as error:
                    _LOGGER.warning("export: %s", error)
                    self._screen.notify(str(error), title="Not exported", severity="error", markup=False)
                else:
                    self._screen.notify(f"Written: {where(path)}", title="Exported", markup=False)
