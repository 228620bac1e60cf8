"""The records of a case, one kind after the other and block by block: what copies and exports are made of."""

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.masking import Masking
from gray_kettle.masking.records import (
    masked_announcement,
    masked_capability,
    masked_entry,
    masked_setup,
    masked_table,
)
from gray_kettle.model.records import (
    Announcement,
    ClientCapability,
    Columns,
    Edges,
    Links,
    Listening,
    Sightings,
    Span,
    Surveys,
    Traffic,
)
from gray_kettle.model.setup import Setup
from gray_kettle.store import schema
from gray_kettle.store.case import Case
from gray_kettle.store.chunk_writer import times_of
from gray_kettle.store.packing import UNREADABLE, unpack
from gray_kettle.store.seals import Damage, payload_of, rows_of
from gray_kettle.store.sweeps import CodedRows, Run, is_thin
from gray_kettle.store.thinned import ThinnedChunk, ThinnedHour, by_hour, thinned_chunks

LAYOUTS: dict[str, type[Columns]] = {
    layout.__name__.lower(): layout for layout in (Sightings, Traffic, Listening, Edges, Surveys, Links)
}
CUT_NOTE = "Cut: "  # how the note of a take begins of which a part is in another case


def sweep_layout(span: Span) -> str:
    """What rows of a span are called among the layouts of a take."""
    return f"sweep {span}"


@dataclass(frozen=True)
class Selection:
    """What of a case is copied. start_s, end_s: observations from the one up to but without the other.

    counted_only: without takes that do not count.
    """

    start_s: float = -np.inf
    end_s: float = np.inf
    counted_only: bool = False

    @property
    def is_whole(self) -> bool:
        return self.start_s == -np.inf and self.end_s == np.inf


class CaseRecords:
    """The records of a case, as far as they are selected, with masked identities where a masking is given."""

    def __init__(self, case: Case, selection: Selection, masking: Masking | None) -> None:
        self._case, self._selection, self._masking = case, selection, masking

    def setup(self) -> Setup:
        setup = self._case.setup()
        return masked_setup(setup, self._masking) if self._masking else setup

    def takes(self) -> list[dict[str, Any]]:
        """Rows of the takes of which something is selected."""
        out = []
        with self._case.snapshot() as db:
            rows = self._case.take_list.rows(db)
        for row in rows:
            if self._selection.counted_only and (row["superseded"] or row["set_aside"]):
                continue
            start_s, end_s = row["start_s"], row["end_s"]
            if not self._selection.is_whole:
                if start_s is None or end_s < self._selection.start_s or start_s >= self._selection.end_s:
                    continue
                if start_s < self._selection.start_s or end_s >= self._selection.end_s:
                    notes = json.dumps([*json.loads(row["notes"]), self._cut_note()])
                    out.append({**row, "notes": notes})
                    continue
            out.append(row)
        if self._masking:
            return [masked_entry(row, self._masking) for row in out]
        return out

    def _cut_note(self) -> str:
        ends = [
            f"{word} {datetime.fromtimestamp(time_s, UTC).isoformat(sep=' ', timespec='minutes')[:16]} UTC"
            for word, time_s in (("before", self._selection.start_s), ("from", self._selection.end_s))
            if np.isfinite(time_s)
        ]
        return f"{CUT_NOTE}what lies {' and '.join(ends)} is not in this case; records counts the whole take."

    def counted(self) -> list[dict[str, Any]]:
        """Rows of the takes that count, of which something is selected."""
        return [row for row in self.takes() if not (row["superseded"] or row["set_aside"])]

    def announced(self) -> dict[int, Announcement]:
        """What access points announced, by number."""
        found = self._case.announced()
        return (
            {n: masked_announcement(a, self._masking) for n, a in found.items()} if self._masking else found
        )

    def runs(self) -> tuple[Run, ...]:
        """What was swept, also in takes that do not count."""
        return self._case.sweeps.runs(self._selection.start_s, self._selection.end_s, counted_only=False)

    def capabilities(self) -> list[ClientCapability]:
        found = self._case.capabilities()
        return [masked_capability(c, self._masking) for c in found] if self._masking else list(found)

    def tables(self, take: int) -> Iterator[Any]:
        """Each block of observations of a take. Rows that were thinned out are in none: their sums are no rows."""
        with self._case.snapshot() as db:
            rows = [
                row
                for row in rows_of(db, schema.chunks, self._case.damage, "a block is damaged")
                if row["take"] == take and row["layout"] in LAYOUTS and not is_thin(row)
            ]
            for row in rows:
                table = self._unpacked(db, LAYOUTS[row["layout"]], schema.chunks, row)
                if table is not None:
                    yield self._selected(table)

    def thinned_hours(self, take: int) -> Iterator[ThinnedHour]:
        """What is left of the traffic of a take that was thinned out, in the hours that are selected."""
        wanted = self._selection
        with self._case.snapshot() as db:
            sums = {row["chunk"]: row for row in rows_of(db, schema.sums, Damage(), "")}
            for row in list(rows_of(db, schema.chunks, Damage(), "")):
                if row["take"] != take or row["layout"] != "traffic" or not is_thin(row):
                    continue
                table = self._unpacked(db, Traffic, schema.sums, sums.get(row["number"]))
                if table is None:
                    continue
                for hour in by_hour(row["start_s"], row["end_s"], table):
                    if hour.end_s >= wanted.start_s and hour.start_s < wanted.end_s:
                        masked = masked_table(hour.sums, self._masking) if self._masking else hour.sums
                        yield replace(hour, sums=masked)

    def thinned_chunks(self, run: Run) -> Iterator[ThinnedChunk]:
        """What is left of the rows of a sweep that were thinned out."""
        yield from thinned_chunks(self._case.sweeps, run, self._selection.start_s, self._last_s())

    def thin_until_s(self, run: Run) -> float:
        """Up to when rows that are selected were thinned out; minus infinity where none were."""
        until_s = self._case.sweeps.thin_until_s().get(run.number, -np.inf)
        return until_s if until_s >= self._selection.start_s else -np.inf

    def details(self) -> Iterator[tuple[int, str, float, float]]:
        """(take, layout, first, last) of what is selected and was not thinned out."""
        with self._case.snapshot() as db:
            for row in rows_of(db, schema.chunks, Damage(), ""):
                if row["layout"] == "traffic" and not is_thin(row):
                    yield row["take"], row["layout"], row["start_s"], row["end_s"]
            for run in self.runs():
                chunks = [c for c in self._case.sweeps.catalogue()[run.number, 0] if not is_thin(c)]
                if chunks:
                    first_s, last_s = min(c["start_s"] for c in chunks), max(c["end_s"] for c in chunks)
                    yield run.take, sweep_layout(run.span), first_s, last_s

    def _last_s(self) -> float:
        end_s = self._selection.end_s
        return float(np.nextafter(end_s, -np.inf)) if np.isfinite(end_s) else end_s

    def _unpacked(self, db: sa.Connection, layout: Any, source: sa.Table, row: Any) -> Any:
        if row is None:
            return None
        payload = payload_of(db, source, row, "payload", self._case.damage, "a block is damaged")
        try:
            return None if payload is None else unpack(layout, row["columns"], row["rows"], payload)
        except UNREADABLE:
            self._case.damage.add("a block is damaged")
            return None

    def _selected(self, table: Any) -> Any:
        if not self._selection.is_whole:
            times_s = times_of(table)
            table = table.rows((times_s >= self._selection.start_s) & (times_s < self._selection.end_s))
        return masked_table(table, self._masking) if self._masking else table

    def sweep_rows(self, run: Run) -> Iterator[CodedRows]:
        """Rows of a sweep, block by block, but those that were thinned out."""
        yield from self._case.sweeps.row_chunks(run, self._selection.start_s, self._last_s())

    def detections(self, sweep: int) -> list[dict[str, Any]]:
        with self._case.snapshot() as db:
            return [row for row in rows_of(db, schema.looks, Damage(), "") if row["sweep"] == sweep]

    def entries(self) -> Iterator[tuple[sa.Table, dict[str, Any]]]:
        """Alerts, trials, changes on access points, and example frames unless masked: their bytes hold addresses."""
        tables = (schema.alerts, schema.trials, schema.changes, *(() if self._masking else (schema.frames,)))
        with self._case.snapshot() as db:
            for table in tables:
                for row in list(
                    rows_of(db, table, self._case.damage, f"an entry of {table.name} is damaged")
                ):
                    if self._selection.start_s <= row["time_s"] < self._selection.end_s:
                        yield table, masked_entry(row, self._masking) if self._masking else row
