"""The takes of a case: what became of each, and which of them count.

Source: docs/reliability.md, "Takes".
"""

import json
import os
import socket
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.model.enums import TakeState
from gray_kettle.model.records import Piece, TakeInfo
from gray_kettle.safe_text import printable
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.seals import Damage, insert, rows_of, update

CHECKPOINT_DIGITS = 16
_SMALL_STEP, _STEP = 64 << 10, 1 << 20
_TABLE = schema.takes
_INTERRUPTED_NOTE = "It was interrupted: what was read until then is here, the rest of its source is not."
_IN_PROGRESS_NOTE = "It is still going on."


@dataclass(frozen=True)
class Input:
    """How far an input was read. digest: of its first `octets` bytes. checkpoints: see schema.takes.

    is_whole: to its end. counts: whether the take that it became counts.
    """

    octets: int
    digest: str
    checkpoints: str = ""
    is_whole: bool = False
    counts: bool = True


def checkpoint_after(octets: int) -> int:
    """Where the next checkpoint of an input is, which was read so far."""
    step = _SMALL_STEP if octets < _STEP else _STEP
    return octets // step * step + step


class ReadMeanwhile(KettleError):
    """Another process stored more of the same input."""


class Takes:
    """The table of takes. Rows of those that this process has open are kept at hand."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self.shown_as: Callable[[tuple[TakeInfo, ...]], tuple[TakeInfo, ...]] = lambda takes: takes
        self._open: dict[int, dict[str, Any]] = {}

    def begin(self, source: str, kind: str, spot: str) -> int:
        row = {
            "source": source,
            "kind": kind,
            "spot": spot,
            "digest": "",
            "taken_s": time.time(),
            "writer": f"{socket.gethostname()}:{os.getpid()}",
        }
        with self._database.writing() as db:
            number = insert(db, _TABLE, row)
        self._open[number] = {**row, "number": number}
        return number

    def grown(
        self, db: sa.Connection, number: int, chunks: int, sweep_chunks: int, piece: Piece, read: Input | None
    ) -> None:
        """More belongs to a take, written in the same transaction."""
        row = self._row(db, number)
        row["chunks_held"] = row.get("chunks_held", 0) + chunks
        row["sweep_chunks_held"] = row.get("sweep_chunks_held", 0) + sweep_chunks
        row["records"] = row.get("records", 0) + piece.records
        row["skipped"] = row.get("skipped", 0) + piece.skipped
        if piece.swept_bands:  # what was covered is known while the take goes on, and if it is interrupted
            covered = {*_listed(row.get("swept_bands") or "[]"), *piece.swept_bands}
            row["swept_bands"] = json.dumps(sorted(covered))
        if read is not None:
            row["digest"], row["checkpoints"] = _digest_text(read), read.checkpoints
        update(db, _TABLE, row)
        self._open[number] = row

    def roll_back(self, number: int) -> None:
        """What `grown` wrote of a take was not stored after all."""
        self._open.pop(number, None)

    def finish(
        self,
        db: sa.Connection,
        number: int,
        values: Mapping[str, Any],
        read: Input | None,
        supersedes: tuple[int, ...],
    ) -> None:
        """Close a take. supersedes: takes whose bytes were proven to be the beginning of its own."""
        row = {**self._row(db, number), **values, "ended_s": time.time()}
        if read is not None:
            row["digest"], row["checkpoints"] = _digest_text(read), read.checkpoints
        update(db, _TABLE, row)
        for other in supersedes:
            held = self._row(db, other)
            update(db, _TABLE, {**held, "superseded": True, "superseded_by": number})
        self._open.pop(number, None)

    def forget(self, number: int) -> None:
        self._open.pop(number, None)

    def all(self) -> tuple[TakeInfo, ...]:
        """Every take, those that do not count too."""
        with self._database.reading() as db:
            rows = self.rows(db)
        return self.shown_as(tuple(_info(row) for row in rows))

    def rows(self, db: sa.Connection) -> list[dict[str, Any]]:
        """The rows of the table as the snapshot has them; read once for each."""
        cache = self._database.cache
        if "takes" not in cache:
            what = "an entry in the list of takes is damaged: what it observed is left out"
            cache["takes"] = list(rows_of(db, _TABLE, self._damage, what))
        return list(cache["takes"])

    def counted(self, db: sa.Connection) -> dict[int, dict[str, Any]]:
        """Rows of the takes that count, by number."""
        return {row["number"]: row for row in self.rows(db) if not (row["superseded"] or row["set_aside"])}

    def inputs(self) -> dict[int, Input]:
        """How far the inputs of all takes were read, by take."""
        with self._database.reading() as db:
            rows = self.rows(db)
        found = {row["number"]: _input(row) for row in rows}
        return {number: read for number, read in found.items() if read.octets}

    def check_read(self, db: sa.Connection, known: Mapping[str, int]) -> None:
        """Raises: ReadMeanwhile, where an input (by digest) was read further than is known."""
        for read in map(_input, self.rows(db)):
            if read.octets > known.get(read.digest, read.octets):
                raise ReadMeanwhile("Another process takes the same into this case: let one of them do it.")

    def set_aside(self, number: int) -> None:
        """Count a take no more. What it superseded counts again. Raises: InvalidInput, where there is none."""
        with self._database.writing() as db:
            row = self._known(db, number)
            update(db, _TABLE, {**row, "set_aside": True})
            self._superseded(db, number, False)

    def bring_back(self, number: int) -> None:
        """Count a take that was set aside or superseded. Raises: InvalidInput, where there is none."""
        with self._database.writing() as db:
            row = self._known(db, number)
            if row["set_aside"]:
                update(db, _TABLE, {**row, "set_aside": False})
                self._superseded(db, number, True)
            else:
                update(db, _TABLE, {**row, "superseded": False, "superseded_by": None})

    def _superseded(self, db: sa.Connection, by: int, state: bool) -> None:
        for row in rows_of(db, _TABLE, Damage(), ""):
            if row["superseded_by"] == by:
                update(db, _TABLE, {**row, "superseded": state})

    def _known(self, db: sa.Connection, number: int) -> dict[str, Any]:
        for row in rows_of(db, _TABLE, Damage(), ""):
            if row["number"] == number:
                return row
        raise InvalidInput(f"There is no take {number}: `gray-kettle takes CASE` lists them.")

    def _row(self, db: sa.Connection, number: int) -> dict[str, Any]:
        return self._open.get(number) or self._known(db, number)


def _digest_text(read: Input) -> str:
    return f"{read.octets}-{read.digest}"


def _input(row: Mapping[str, Any]) -> Input:
    """Of versions before 7 the digest was another: it is comparable with none."""
    octets, _, digest = row["digest"].partition("-")
    known = octets.isdecimal() and len(digest) == 64
    counts = not (row["superseded"] or row["set_aside"])
    return Input(int(octets), digest, row["checkpoints"], row["complete"], counts) if known else Input(0, "")


def _listed(text: str) -> tuple[str, ...]:
    """Texts of a JSON list; none where it is something else."""
    try:
        return tuple(str(item) for item in json.loads(text))
    except (ValueError, TypeError, RecursionError):
        return ()


def _state(row: Mapping[str, Any]) -> TakeState:
    if row["set_aside"]:
        return TakeState.SET_ASIDE
    if row["superseded"]:
        return TakeState.SUPERSEDED
    if row["complete"]:
        return TakeState.COMPLETE
    if row["ended_s"] is not None:
        return TakeState.STOPPED
    return TakeState.IN_PROGRESS if _is_alive(row["writer"]) else TakeState.INTERRUPTED


def _is_alive(writer: str) -> bool:
    """Whether the process that wrote a take still runs; unknown on another computer, which is no."""
    computer, _, process = writer.rpartition(":")
    if os.name != "posix" or computer != socket.gethostname() or not process.isdecimal():
        return False
    try:
        os.kill(int(process), 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


def _info(row: Mapping[str, Any]) -> TakeInfo:
    state = _state(row)
    notes = tuple(printable(note) for note in _listed(row["notes"]))
    if state is TakeState.INTERRUPTED:
        notes += (_INTERRUPTED_NOTE,)
    elif state is TakeState.IN_PROGRESS:
        notes += (_IN_PROGRESS_NOTE,)
    return TakeInfo(
        row["number"],
        printable(row["source"]),
        printable(row["kind"]),
        printable(row["spot"]),
        row["digest"],
        row["start_s"] or 0.0,
        row["end_s"] or 0.0,
        row["records"],
        row["skipped"],
        notes,
        _listed(row["swept_bands"]),
        state,
        row["superseded_by"],
    )
