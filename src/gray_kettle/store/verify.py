"""Reads all of a case to see whether it is whole, and writes what is into a new one."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from gray_kettle.errors import KettleError
from gray_kettle.model.enums import TakeState
from gray_kettle.model.records import THINNED_NOTE
from gray_kettle.store import header, schema
from gray_kettle.store.case import Case
from gray_kettle.store.database import Database, create_file
from gray_kettle.store.seals import Damage, insert, payload_of, rows_of

_MOST_MESSAGES = 20
_ROWS_A_STEP = 64
Progress = Callable[[int, int], None]


def verify(path: Path, progress: Progress = lambda done, total: None) -> tuple[int, tuple[str, ...]]:
    """(rows read, what is damaged in words). Raises: KettleError, when it is no case at all."""
    damage, count = Damage(), 0
    with Case.open(path) as case:
        with case.snapshot() as db:
            for message in _structure(db):
                damage.add(f"the file's structure: {message}")
            for _ in _whole_rows(db, damage, progress):
                count += 1
        case.window()  # what is missing, and what is whole but makes no sense
        return count, tuple(dict.fromkeys((*damage.sentences, *case.damage.sentences)))


def what_is_missing(path: Path, detector: int) -> tuple[str, ...]:
    """What a whole case lacks all the same: ends of takes, details, detections. Raises: KettleError."""
    out = []
    with Case.open(path) as case:
        for take in case.take_list.all():
            if take.counts and take.state in (TakeState.INTERRUPTED, TakeState.STOPPED):
                out.append(
                    f"take {take.number} ({take.source}) was {take.state} before the end of its source"
                )
            out += [f"take {take.number}: {note}" for note in take.notes if note.startswith(THINNED_NOTE)]
        pending = case.detections.pending_rows()
        if pending:
            out.append(f"{pending:,} sweep rows were not examined for emitters yet")
        elif case.detections.needs_detection(detector):
            out.append(
                "emitters were detected by another version; they are detected anew when the case is read"
            )
        if not case.setup().own:
            out.append("which networks are ours is not entered")
        if not case.setup().country:
            out.append("the country is not entered: only what all countries permit is proposed")
    return tuple(out)


def repaired(path: Path, progress: Progress = lambda done, total: None) -> Path:
    """Write all that can be read into NAME.repaired.kettle; the case itself is left alone.

    Raises: KettleError, when that file exists or cannot be written.
    """
    target = path.with_name(f"{path.stem}.repaired{path.suffix}")
    if target.exists():
        raise KettleError(f"{target} exists already: move it away first.")
    with Case.open(path) as case:

        def fill(database: Database) -> None:
            with database.writing() as new, case.snapshot() as old:
                new.execute(sa.text(f"PRAGMA application_id = {header.APPLICATION_ID}"))
                new.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
                schema.metadata.create_all(new)
                with _unconstrained(new):
                    for table, row in _whole_rows(old, Damage(), progress):
                        insert(new, table, row)

        create_file(target, fill)
    return target


def _structure(db: sa.Connection) -> Iterator[str]:
    try:
        for (message,) in db.exec_driver_sql(f"PRAGMA integrity_check({_MOST_MESSAGES})"):
            if message != "ok":
                yield str(message).splitlines()[-1]
    except sa.exc.DBAPIError as error:
        yield str(error.orig)


def _whole_rows(
    db: sa.Connection, damage: Damage, progress: Progress
) -> Iterator[tuple[sa.Table, dict[str, Any]]]:
    """Every row of every table that fits its seal, with packed bytes that fit their digest."""
    tables = schema.metadata.sorted_tables
    for k, table in enumerate(tables):
        packed = [c.name for c in table.columns if isinstance(c.type, sa.LargeBinary)]
        what = f"{table.name}: a row is damaged"
        for n, row in enumerate(rows_of(db, table, damage, what)):
            whole = dict(row)
            for name in packed:
                whole[name] = payload_of(
                    db, table, row, name, damage, f"{table.name}: packed rows are damaged"
                )
            if all(whole[name] is not None or row[name + "_sum"] is None for name in packed):
                yield table, whole
            if n % _ROWS_A_STEP == 0:
                progress(k, len(tables))


@contextmanager
def _unconstrained(db: sa.Connection) -> Iterator[None]:
    """Rows may refer to rows that are lost; what refers to nothing is left out when the case is read."""
    db.exec_driver_sql("PRAGMA defer_foreign_keys = ON")
    yield
    for table in reversed(schema.metadata.sorted_tables):
        for column in table.columns:
            for key in column.foreign_keys:
                known = sa.select(key.column)
                db.execute(table.delete().where(column.not_in(known)))
