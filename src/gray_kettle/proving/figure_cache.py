"""Figures of windows that were assessed before, kept on this machine: a comparison assesses hundreds of them.

What they rest on is in the name of the file: what was observed, the setup, identities, and the code that computed them.
A file that is damaged, or of another state, is as good as none.
"""

import json
import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import platformdirs
from blake3 import blake3

import gray_kettle
from gray_kettle.configuration import APP
from gray_kettle.masking import Masking
from gray_kettle.model.setup import Setup
from gray_kettle.proof import measures
from gray_kettle.proof.window_figures import Figure, SiteChanges, WindowFigures
from gray_kettle.store import Case
from gray_kettle.store.documents import setup_text

_MOST_FILES = 24
_MOST_BYTES = 64 << 20
_KINDS = {kind.key: kind for kind in vars(measures).values() if isinstance(kind, measures.Kind)}


class FigureCache:
    """One file for a state of a case. Nothing here raises: without a cache the figures are computed."""

    def __init__(self, case: Case, masking: Masking | None) -> None:
        state = [case.state_digest(), _of_setup(case.setup()), _code_stamp()]
        state.append(f"{masking.options} {masking.address('02:00:00:00:00:01')}" if masking else "")
        name = blake3("\n".join(state).encode()).hexdigest(length=16)
        self._path = platformdirs.user_cache_path(APP) / "windows" / f"{name}.json"
        self._known: dict[str, Any] = {}
        self._is_changed = False
        with suppress(OSError, ValueError):
            if self._path.stat().st_size <= _MOST_BYTES:
                found = json.loads(self._path.read_text())
                self._known = found if isinstance(found, dict) else {}

    def get(
        self, start_s: float, end_s: float, changes: SiteChanges | None
    ) -> tuple[bool, WindowFigures | None]:
        """Whether a window is known, and its figures: None where nothing was heard in it."""
        held = self._known.get(_key(start_s, end_s, changes), False)
        if held is False:
            return False, None
        try:
            return True, None if held is None else WindowFigures(_read(held[0]), _read(held[1]))
        except (KeyError, IndexError, TypeError, ValueError):
            return False, None

    def put(
        self, start_s: float, end_s: float, changes: SiteChanges | None, found: WindowFigures | None
    ) -> None:
        held = None if found is None else [_written(found.figures), _written(found.expected)]
        self._known[_key(start_s, end_s, changes)] = held
        self._is_changed = True

    def save(self) -> None:
        """Write what was added; the oldest files go where there are many."""
        if not self._is_changed:
            return
        with suppress(OSError):
            folder = self._path.parent
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            work = self._path.with_suffix(f".{os.getpid()}")
            with os.fdopen(os.open(work, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "w") as file:
                json.dump(self._known, file)
            os.replace(work, self._path)
            files = sorted(folder.glob("*.json"), key=lambda path: path.stat().st_mtime, reverse=True)
            for old in files[_MOST_FILES:]:
                old.unlink(missing_ok=True)
        self._is_changed = False


def _key(start_s: float, end_s: float, changes: SiteChanges | None) -> str:
    new = "" if changes is None else f"{changes.channels} {sorted(changes.off)}"
    return f"{start_s!r} {end_s!r} {blake3(new.encode()).hexdigest(length=8) if new else ''}"


def _written(figures: Iterable[Figure]) -> list[list[Any]]:
    return [[kind.key, list(bssids), value] for kind, bssids, value in figures]


def _read(rows: list[list[Any]]) -> tuple[Figure, ...]:
    return tuple((_KINDS[key], tuple(str(b) for b in bssids), float(value)) for key, bssids, value in rows)


def _of_setup(setup: Setup) -> str:
    """Without what no assessment asks for."""
    bare = replace(
        setup, preferences=Setup().preferences, site="", complaint="", followed=(), marks=(), done=()
    )
    return setup_text(bare)


@lru_cache(maxsize=1)
def _code_stamp() -> str:
    """Of the program as it is: another version, or a changed file, computes anew."""
    root = Path(gray_kettle.__file__).parent
    files = [path.stat() for path in root.rglob("*.py")]
    newest = max((s.st_mtime_ns for s in files), default=0)
    return f"{gray_kettle.__version__} {newest} {sum(s.st_size for s in files)} {len(files)}"
