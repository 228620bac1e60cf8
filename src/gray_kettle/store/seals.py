"""Seals: each row carries a digest of what it holds, so that a damaged one is found and named, never counted.

A seal covers every column of its row but the packed bytes; those have a digest of their own (payload_sum beside
payload, and so on), which is covered. Source: docs/reliability.md, "Damaged cases".
"""

import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import sqlalchemy as sa
from blake3 import blake3

SEAL, _SUM = "seal", "_sum"
_MOST_LOST = 4096  # numbers in a row that cannot be read, after which the rest is given up
_UNREADABLE = (sa.exc.DBAPIError, sqlite3.DatabaseError, ValueError, TypeError, OverflowError)
Row = Mapping[str, Any]


class Damage:
    """What could not be read, in words, each once."""

    def __init__(self) -> None:
        self._found: dict[str, int] = {}

    def add(self, what: str) -> None:
        self._found[what] = self._found.get(what, 0) + 1

    def clear(self) -> None:
        self._found.clear()

    def __len__(self) -> int:
        return sum(self._found.values())

    @property
    def sentences(self) -> tuple[str, ...]:
        """One for each kind of damage, with how often it was met."""
        return tuple(f"{what} ({count})" if count > 1 else what for what, count in self._found.items())


def sum_of(payload: bytes) -> int:
    """The digest of packed bytes, as a signed 64-bit number."""
    return int.from_bytes(blake3(payload).digest(length=8), "little", signed=True)


THIN_SUM = sum_of(b"")  # in place of what was thinned out


def sealed(table: sa.Table, row: Row) -> dict[str, Any]:
    """The whole row, with defaults, digests of its packed bytes, and its seal."""
    whole: dict[str, Any] = {}
    for column in table.columns:
        value = row.get(column.name)
        if value is None and isinstance(column.default, sa.ColumnDefault):
            value = column.default.arg
        if value is not None and isinstance(column.type, sa.Float):
            value = float(value)
        whole[column.name] = value
    for column in _packed(table):
        payload = whole[column.name]
        whole[column.name + _SUM] = None if payload is None else sum_of(payload)
    whole[SEAL] = _seal_of(table, whole)
    return whole


def insert(db: sa.Connection, table: sa.Table, row: Row) -> int:
    """Add a sealed row with the next number; the number."""
    key = next(iter(table.primary_key.columns))
    if key.name not in row:
        highest = db.execute(sa.select(sa.func.max(key))).scalar() or 0
        row = {**row, key.name: int(highest) + 1}
    db.execute(table.insert(), sealed(table, row))
    return int(row[key.name])


def insert_all(db: sa.Connection, table: sa.Table, rows: Sequence[Row]) -> range:
    """Add sealed rows with the next numbers, in one go; their numbers."""
    key = next(iter(table.primary_key.columns))
    first = int(db.execute(sa.select(sa.func.max(key))).scalar() or 0) + 1
    numbers = range(first, first + len(rows))
    if rows:
        whole = [sealed(table, {**row, key.name: n}) for n, row in zip(numbers, rows, strict=True)]
        db.execute(table.insert(), whole)
    return numbers


def update(db: sa.Connection, table: sa.Table, row: Row) -> None:
    """Write a whole row anew."""
    key = next(iter(table.primary_key.columns))
    db.execute(table.update().where(key == row[key.name]), sealed(table, row))


def rows_of(db: sa.Connection, table: sa.Table, damage: Damage, what: str) -> Iterator[dict[str, Any]]:
    """All rows in order of their number without their packed bytes; damaged ones are left out and named as `what`."""
    key = next(iter(table.primary_key.columns))
    columns = [c for c in table.columns if c not in _packed(table)]
    for row in _surviving(db, columns, key, damage, what):
        if _seal_of(table, row) == row[SEAL]:
            yield row
        else:
            damage.add(what)


def check_structure(db: sa.Connection, table: str, damage: Damage) -> None:
    """Rows that a damaged tree no longer leads to have no seal that could miss: the tree itself is looked at."""
    what = f"the structure of the table {table} is damaged: rows may be missing"
    try:
        if db.exec_driver_sql(f"PRAGMA quick_check({table})").scalar() != "ok":
            damage.add(what)
    except (sa.exc.DBAPIError, UnicodeError):
        damage.add(what)


def payload_of(
    db: sa.Connection, table: sa.Table, row: Row, column: str, damage: Damage, what: str
) -> bytes | None:
    """The packed bytes of a row; None where they are damaged or missing, which is named."""
    key = next(iter(table.primary_key.columns))
    try:
        payload = db.execute(sa.select(table.c[column]).where(key == row[key.name])).scalar()
    except _UNREADABLE as error:
        _reraise_unless_damage(error)
        payload = None
    if payload is None and row[column + _SUM] is None:
        return None
    if not isinstance(payload, bytes) or sum_of(payload) != row[column + _SUM]:
        damage.add(what)
        return None
    return payload


def _surviving(
    db: sa.Connection, columns: Iterable[sa.Column[Any]], key: sa.Column[Any], damage: Damage, what: str
) -> Iterator[dict[str, Any]]:
    """Rows one behind the other; where the file is damaged, what lies behind the damage is looked for by number."""
    chosen, last, lost = sa.select(*columns).order_by(key), -1, 0
    while True:
        try:
            for row in db.execute(chosen.where(key > last)).mappings():
                last, lost = int(row[key.name]), 0
                yield dict(row)
            return
        except _UNREADABLE as error:
            _reraise_unless_damage(error)
            if not lost:
                damage.add(what)
        row_behind = None
        while row_behind is None:
            last, lost = last + 1, lost + 1
            if lost > _MOST_LOST:
                return
            try:
                row_behind = db.execute(chosen.where(key == last)).mappings().first()
            except _UNREADABLE as error:
                _reraise_unless_damage(error)
        yield dict(row_behind)


def _reraise_unless_damage(error: Exception) -> None:
    """A lock, a full disk or a cancelled statement is no damage of the row."""
    original = getattr(error, "orig", error)
    code = getattr(original, "sqlite_errorcode", sqlite3.SQLITE_CORRUPT) & 0xFF
    damaged = (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_ERROR, sqlite3.SQLITE_TOOBIG, sqlite3.SQLITE_NOTADB,
               sqlite3.SQLITE_IOERR, sqlite3.SQLITE_MISMATCH, sqlite3.SQLITE_RANGE)  # fmt: skip
    if code not in damaged:
        raise error


def _packed(table: sa.Table) -> list[sa.Column[Any]]:
    return [c for c in table.columns if isinstance(c.type, sa.LargeBinary)]


def _seal_of(table: sa.Table, row: Row) -> int:
    held = [row[c.name] for c in table.columns if c.name != SEAL and not isinstance(c.type, sa.LargeBinary)]
    return sum_of(repr((table.name, *held)).encode("utf-8", "surrogateescape"))
