"""Chunks of a case to tables of one layout: those that a window touches."""

from collections import Counter
from collections.abc import Container
from typing import Any, TypeVar

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.records import LATEST_S, Columns, Edges, Traffic
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.merging import HOUR_S
from gray_kettle.store.packing import UNREADABLE, unpack
from gray_kettle.store.seals import Damage, payload_of, rows_of
from gray_kettle.store.sweeps import is_thin
from gray_kettle.store.takes import Takes

Table = TypeVar("Table", bound=Columns)
_MOST_ROWS = 1 << 17  # of a chunk of any version


class ChunkReader:
    """Reads within a transaction of the database; damage is named."""

    def __init__(self, database: Database, takes: Takes, damage: Damage) -> None:
        self._database, self._takes, self._damage = database, takes, damage

    def traffic(
        self,
        db: sa.Connection,
        low: float,
        high: float,
        spot_of_take: dict[int, int],
        by_second: bool = False,
    ) -> tuple[Traffic, Traffic]:
        """(rows of chunks that the window cuts, sums by the hour of those that it holds whole).

        by_second: sums of those alone whose rows were thinned out.
        """
        what = "a sum of traffic is damaged: the rows that it was made from are counted instead"
        sums = {row["chunk"]: row for row in rows_of(db, schema.sums, self._damage, what)}
        summed, rest = [], []
        for chunk in self._catalogue(db, Traffic, low, high, spot_of_take):
            is_whole = chunk["start_s"] >= np.floor(low) and chunk["end_s"] <= high
            row = sums.get(chunk["number"]) if (is_whole and not by_second) or is_thin(chunk) else None
            table = row and self._unpacked(db, Traffic, schema.sums, row, chunk["take"], self._damage)
            if table:
                table.spot[:] = spot_of_take[chunk["take"]]
                inside = (table.second + HOUR_S > low) & (table.second <= high)
                summed.append(table if is_whole else table.rows(inside))
            else:
                rest.append(chunk)
        hourly = Traffic.stacked(summed) if summed else Traffic.empty()
        return self._tables(db, Traffic, rest, spot_of_take), hourly

    def chunks(
        self, db: sa.Connection, layout: type[Table], low: float, high: float, spot_of_take: dict[int, int]
    ) -> Table:
        """All rows of a layout in chunks that touch the interval; their spot as an index."""
        chunks = self._catalogue(db, layout, low, high, spot_of_take)
        return self._tables(db, layout, chunks, spot_of_take)

    def _catalogue(
        self, db: sa.Connection, layout: type[Table], low: float, high: float, takes: Container[int]
    ) -> list[dict[str, Any]]:
        """What the chunks of a layout are that touch an interval of time, without what they hold."""
        cache = self._database.cache
        if "chunks" not in cache:
            what = "a block of observations is damaged and left out"
            cache["chunks"] = []
            for row in rows_of(db, schema.chunks, self._damage, what):
                if 0 <= row["start_s"] <= row["end_s"] <= LATEST_S:
                    cache["chunks"].append(row)
                else:
                    self._damage.add(what)
            held = Counter(row["take"] for row in cache["chunks"])
            if held.keys() - {row["number"] for row in self._takes.rows(db)}:
                self._damage.add("observations of a take that is not in the list of takes are left out")
            for number, row in self._takes.counted(db).items():
                missing = row["chunks_held"] - held[number]
                if missing > 0:
                    self._damage.add(f"take {number}: {missing} blocks of observations are missing")
        name = layout.__name__.lower()
        return [
            c
            for c in cache["chunks"]
            if c["layout"] == name
            and c["take"] in takes
            and c["end_s"] >= np.floor(low)
            and c["start_s"] <= high
        ]

    def _tables(
        self,
        db: sa.Connection,
        layout: type[Table],
        chunks: list[dict[str, Any]],
        spot_of_take: dict[int, int],
    ) -> Table:
        tables = []
        for chunk in chunks:
            table = self._unpacked(db, layout, schema.chunks, chunk, chunk["take"], self._damage)
            if table is None:
                continue
            table.spot[:] = spot_of_take[chunk["take"]]  # type: ignore[attr-defined]
            if isinstance(table, Edges):
                table.take[:] = chunk["take"]
            tables.append(table)
        return layout.stacked(tables) if tables else layout.empty()

    def _unpacked(
        self,
        db: sa.Connection,
        layout: type[Table],
        source: sa.Table,
        row: dict[str, Any],
        take: int,
        damage: Damage,
    ) -> Table | None:
        """The rows of a chunk; None where they are damaged, which is named."""
        what = f"take {take}: a block of {layout.__name__.lower()} is damaged and left out"
        payload = payload_of(db, source, row, "payload", damage, what)
        if payload is None:
            return None
        try:
            if not 0 <= row["rows"] <= _MOST_ROWS:
                raise ValueError("a chunk with too many rows")
            return unpack(layout, row["columns"], row["rows"], payload)
        except UNREADABLE:
            damage.add(what)
            return None
