"""The app follows its case: what is taken, here or by another process, shows within two seconds."""

import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen

from gray_kettle.errors import KettleError
from gray_kettle.tui.messages import CaseGrew

if TYPE_CHECKING:
    from gray_kettle.model.records import TakeInfo
    from gray_kettle.tui.controllers.loading import Loader

_LOOK_EVERY_S = 0.5
_LEAST_PAUSE_S = 1.0
_PAUSE_OF_LOAD = 1.0  # times as long as the last load took: half of the time is left for the person

Mark = tuple[tuple[int, int], ...]


class Follower:
    """Posts CaseGrew when takes differ from those that are shown. shown: those, None before the first."""

    def __init__(
        self,
        screen: "Screen[None]",
        path: Path,
        loader: "Loader",
        shown: "Callable[[], tuple[TakeInfo, ...] | None]",
    ) -> None:
        self._screen, self._path, self._loader, self._shown = screen, path, loader, shown
        self._mark: Mark = ()
        self._is_looking = False

    def start(self) -> None:
        self._screen.set_interval(_LOOK_EVERY_S, self._look)

    def _look(self) -> None:
        """Cheap, as it is done all the time: only the times of the files."""
        mark, shown = _mark_of(self._path), self._shown()
        pause_s = max(_LEAST_PAUSE_S, self._loader.took_s * _PAUSE_OF_LOAD)
        if shown is None or self._is_looking or mark == self._mark or self._loader.is_busy:
            return
        if time.monotonic() - self._loader.ended_s < pause_s:
            return
        self._mark, self._is_looking = mark, True
        self._screen.run_worker(
            lambda: self._compare(shown), thread=True, group="follow", description="look at the case"
        )

    def _compare(self, shown: "tuple[TakeInfo, ...]") -> None:
        from gray_kettle.store import Case

        try:
            with suppress(KettleError), Case.open(self._path) as case:
                if _known(case.takes()) != _known(shown):
                    self._screen.post_message(CaseGrew())
        finally:
            self._is_looking = False


def _known(takes: "tuple[TakeInfo, ...]") -> list[tuple[int, int, str]]:
    return [(take.number, take.records, str(take.state)) for take in takes]


def _mark_of(path: Path) -> Mark:
    """What changes when anything is written to a case."""
    out = []
    for file in (path, path.with_name(path.name + "-wal")):
        with suppress(OSError):
            status = file.stat()
            out.append((status.st_mtime_ns, status.st_size))
    return tuple(out)
