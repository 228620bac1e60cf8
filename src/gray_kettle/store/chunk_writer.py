"""Writes tables of observations into a case in chunks. What comes bit by bit from a live take grows the last one.

A scan every ten seconds would else make a chunk of twenty rows each: seventeen thousand in two days, each of which is
sealed, and read by itself.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.records import Columns, FloatArray, Listening, Traffic
from gray_kettle.store import schema
from gray_kettle.store.merging import by_the_hour
from gray_kettle.store.packing import pack
from gray_kettle.store.seals import insert, update

_CHUNK_ROWS = 8192
_GROWN_ROWS = 2048  # up to which a chunk is written anew with what comes next


def times_of(table: Columns) -> FloatArray:
    """The moment of each row of a table, seconds since the epoch."""
    if isinstance(table, Traffic):
        return table.second.astype(np.float64)
    times_s: FloatArray = table.start_s if isinstance(table, Listening) else table.time_s  # type: ignore[attr-defined]
    return times_s


@dataclass(frozen=True, eq=False)
class _Tail:
    """The last chunk of a layout, which may still grow. sums: number of its sums, for traffic."""

    number: int
    sums: int
    table: Columns
    time_s: FloatArray


class ChunkWriter:
    """Writes the tables of one take. Use it within a transaction; drop it where that is rolled back."""

    def __init__(self, take: int) -> None:
        self._take = take
        self._tails: dict[type[Columns], _Tail] = {}

    def add(self, db: sa.Connection, table: Columns) -> int:
        """Store a table; how many chunks were added."""
        if not len(table):
            return 0
        time_s = times_of(table)
        layout = type(table)
        tail = self._tails.pop(layout, None)
        if tail is not None and len(tail.table) + len(table) <= _GROWN_ROWS:
            grown = layout.stacked([tail.table, table])
            self._write(db, grown, np.concatenate([tail.time_s, time_s]), tail)
            return 0
        chunks = 0
        for first in range(0, len(table), _CHUNK_ROWS):
            rows = np.arange(first, min(first + _CHUNK_ROWS, len(table)))
            self._write(db, table.rows(rows), time_s[rows], None)
            chunks += 1
        return chunks

    def write_chunk(self, db: sa.Connection, table: Columns, time_s: FloatArray) -> None:
        """A table as one chunk."""
        self._write(db, table, time_s, None)

    def _write(self, db: sa.Connection, table: Columns, time_s: FloatArray, tail: _Tail | None) -> None:
        """One chunk, in place of the tail where there is one."""
        columns, payload = pack(table)
        row = {
            "take": self._take,
            "layout": type(table).__name__.lower(),
            "columns": columns,
            "start_s": float(time_s.min()),
            "end_s": float(getattr(table, "end_s", time_s).max()),
            "rows": len(table),
            "payload": payload,
        }
        number = _put(db, schema.chunks, row, tail.number if tail else 0)
        sums = 0
        if isinstance(table, Traffic):
            summed = by_the_hour(table)
            columns, payload = pack(summed)
            row = {"chunk": number, "columns": columns, "rows": len(summed), "payload": payload}
            sums = _put(db, schema.sums, row, tail.sums if tail else 0)
        if len(table) < _GROWN_ROWS:
            self._tails[type(table)] = _Tail(number, sums, table, time_s)


def _put(db: sa.Connection, table: sa.Table, row: dict[str, Any], number: int) -> int:
    """Add a row, or write the one of that number anew; its number."""
    if not number:
        return insert(db, table, row)
    key = next(iter(table.primary_key.columns)).name
    update(db, table, {**row, key: number})
    return number
