"""A folder in which files arrive: each is handed out once, when nothing writes to it any more."""

import re
from collections.abc import Generator
from pathlib import Path

from gray_kettle.collect.live.source import IsCancelled, wait
from gray_kettle.collect.live.uri import Uri
from gray_kettle.errors import KettleError

_LOOK_S = 1.0
_QUIET_LOOKS = 2  # so often it was found unchanged
_UNFINISHED = re.compile(r"\.(part|tmp|crdownload|kettle)$|\.kettle-")
_MOST_FILES = 100_000


class WatchedFolder:
    """Files of a folder as they become complete; those that are there at first, too."""

    def __init__(self, uri: Uri) -> None:
        """`watch:FOLDER`. Raises: KettleError, where there is none."""
        uri.refuse_unknown()
        self.path = Path(uri.rest).expanduser()
        if not self.path.is_dir():
            raise KettleError(f"{uri.shown}: there is no such folder.")

    def files(self, is_cancelled: IsCancelled) -> Generator[Path]:
        """Until cancelled. A file that changes later is handed out again: the case says what of it is new."""
        seen: dict[Path, tuple[int, int]] = {}
        quiet: dict[Path, int] = {}
        given: dict[Path, tuple[int, int]] = {}
        while not is_cancelled():
            for path in self._there():
                try:
                    status = path.stat()
                except OSError:
                    continue  # gone meanwhile
                now = status.st_size, status.st_mtime_ns
                quiet[path] = quiet.get(path, 0) + 1 if seen.get(path) == now else 0
                seen[path] = now
                if quiet[path] >= _QUIET_LOOKS and given.get(path) != now and status.st_size:
                    given[path] = now
                    yield path
                    if is_cancelled():
                        return
            wait(_LOOK_S, is_cancelled)

    def _there(self) -> list[Path]:
        try:
            found = sorted(self.path.iterdir())[:_MOST_FILES]
        except OSError:
            return []  # it may come back, as a share of a network does
        return [
            p for p in found if not p.name.startswith(".") and not _UNFINISHED.search(p.name) and p.is_file()
        ]
