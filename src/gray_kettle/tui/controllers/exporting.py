"""Writes what a view exports (drawings, the change sheet) in a worker."""

import logging
from pathlib import Path

from textual.screen import Screen

from gray_kettle.errors import KettleError
from gray_kettle.tui.controllers.loading import Window

CHANGE_SHEET = "change-sheet"
_SHEET_ENDINGS = ("pdf", "txt", "csv")
_LOGGER = logging.getLogger(__name__)


class Exporter:
    """Files go to the folder that the app was started in."""

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
        from gray_kettle.export.case_drawings import draw_view, write_sheet
        from gray_kettle.export.files import free_name

        stem = self._path.stem
        for name in names:
            endings = _SHEET_ENDINGS if name == CHANGE_SHEET else ("svg",)
            for ending in endings:
                is_sheet = name == CHANGE_SHEET
                path = free_name(
                    Path(f"{stem}-changes.{ending}" if is_sheet else f"{stem}-{name}-{band}.{ending}")
                )
                try:
                    if is_sheet:
                        write_sheet(self._path, path, *window)
                    else:
                        draw_view(name, self._path, band, path, *window)
                except KettleError as error:
                    _LOGGER.warning("export: %s", error)
                    self._screen.notify(str(error), title="Not exported", severity="error", markup=False)
                else:
                    self._screen.notify(f"Written: {path}", title="Exported", markup=False)
