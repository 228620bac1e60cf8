"""Puts a case together from records: takes, tables, sweep rows, and what somebody entered.

The same take can come in parts, from cases that were cut: its rows join, and what comes twice is kept once. Sources are
to be given in order of time. Source: docs/reliability.md, "Copies".
"""

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.records import (
    EXAMPLES_A_KIND,
    THINNED_NOTE,
    Announcement,
    ClientCapability,
    Columns,
    FloatArray,
    Sightings,
    Span,
)
from gray_kettle.model.setup import Setup
from gray_kettle.model.setup_merge import merged
from gray_kettle.store import schema
from gray_kettle.store.chunk_writer import ChunkWriter, times_of
from gray_kettle.store.extent import span_of
from gray_kettle.store.seals import Damage, insert, update
from gray_kettle.store.setups import setup_row
from gray_kettle.store.sweep_writer import OpenRun
from gray_kettle.store.sweeps import CodedRows
from gray_kettle.store.texts import Texts
from gray_kettle.store.transfer.records import CUT_NOTE, sweep_layout
from gray_kettle.store.transfer.thinned_builder import ThinnedBuilder

_SAME_TAKE = ("source", "kind", "spot", "digest", "taken_s")
_SAME_ENTRY = {
    "alerts": ("time_s", "kind", "about"),
    "trials": ("time_s", "document"),
    "changes": ("time_s", "document"),
    "frames": ("time_s", "bssid", "kind", "receiver_mhz"),
}


@dataclass(eq=False)
class _Take:
    """A take that is being put together. held: by layout, the times (first, last) that earlier sources gave."""

    number: int
    row: dict[str, Any]
    chunks: int = 0
    held: dict[str, tuple[float, float]] = field(default_factory=dict)
    given: dict[str, list[float]] = field(default_factory=dict)


@dataclass(eq=False)
class _Run:
    """Rows of one span. times_s: of every row so far."""

    open: OpenRun
    take: int
    times_s: list[FloatArray] = field(default_factory=list)
    blocks: list[dict[str, Any]] = field(default_factory=list)


class CaseBuilder:
    """Writes within one transaction. Call `next_source` before each source, and `finish` at the end."""

    def __init__(self, db: sa.Connection) -> None:
        self._db = db
        self._texts = Texts(Damage())
        self._takes: dict[tuple[Any, ...], _Take] = {}
        self._by_number: dict[int, _Take] = {}
        self.thinned = ThinnedBuilder(db)
        self._details: dict[tuple[int, str], list[tuple[int, float, float]]] = {}
        self._source = 0
        self._runs: dict[tuple[int, Span], _Run] = {}
        self._all_runs: list[_Run] = []
        self._setup: Setup | None = None
        self._examples: Counter[tuple[Any, ...]] = Counter()
        self._entries: dict[str, set[tuple[Any, ...]]] = {name: set() for name in _SAME_ENTRY}

    def next_source(self) -> None:
        """What was given so far is held: the same from another source is left out."""
        self._source += 1
        for take in self._by_number.values():
            for layout, times in take.given.items():
                first, last = take.held.get(layout, (np.inf, -np.inf))
                take.held[layout] = (min(first, *times), max(last, *times))
            take.given = {}

    def add_setup(self, setup: Setup) -> None:
        """The first one counts where two say different things; lists have what either has."""
        self._setup = setup if self._setup is None else merged(Setup(), self._setup, setup)

    def number_takes(self, rows: Iterable[Mapping[str, Any]]) -> None:
        """Number the takes of all sources in the order in which they were taken."""
        for row in sorted(rows, key=lambda row: (row["taken_s"], row["number"])):
            self._known_take(row)

    def expect_details(
        self, source: int, take: Mapping[str, Any], layout: str, first_s: float, last_s: float
    ) -> None:
        """A source, by its number in order, has rows of a take: what is left of thinned ones of others gives way."""
        key = self._known_take(take).number, layout
        self._details.setdefault(key, []).append((source, first_s, last_s))

    def details_elsewhere(self, take: int, layout: str) -> list[tuple[float, float]]:
        """Intervals of time of which another source than this has the rows."""
        found = self._details.get((take, layout), ())
        return [(first_s, last_s) for source, first_s, last_s in found if source != self._source]

    def _known_take(self, row: Mapping[str, Any]) -> _Take:
        key = tuple(row[name] for name in _SAME_TAKE)
        if key not in self._takes:
            kept = {k: v for k, v in row.items() if k not in ("number", "seal")}
            number = insert(self._db, schema.takes, kept)
            self._by_number[number] = self._takes[key] = _Take(number, {**kept, "number": number})
        return self._takes[key]

    def add_take(self, row: Mapping[str, Any]) -> int:
        """row: of the table of takes; its number here."""
        known = self._known_take(row)
        if known.row["notes"] != row["notes"]:  # parts of one take: together they are not cut any more
            notes = [
                n for n in dict.fromkeys([*_notes(known.row), *_notes(row)]) if not n.startswith(CUT_NOTE)
            ]
            known.row["notes"] = json.dumps(notes)
        return known.number

    def link_takes(self, numbers: Mapping[int, int]) -> None:
        """numbers: here, by number in the source: so that what superseded what still holds."""
        for here in numbers.values():
            row = self._by_number[here].row
            if row.get("superseded_by") in numbers and not row.get("_linked"):
                row["superseded_by"], row["_linked"] = numbers[row["superseded_by"]], True

    def announcements(self, found: Sequence[Announcement]) -> "np.ndarray[Any, np.dtype[np.int64]]":
        """Their numbers here."""
        return self._texts.announcements(self._db, found)

    def add_capabilities(self, found: Iterable[ClientCapability]) -> None:
        self._texts.capabilities(self._db, found)

    def add_table(self, take: int, table: Columns) -> None:
        """One block of observations; sightings with the announcement numbers of here."""
        known = self._by_number[take]
        layout = type(table).__name__.lower()
        times_s = times_of(table)
        if layout in known.held:
            first, last = known.held[layout]
            fresh = np.flatnonzero((times_s < first) | (times_s > last))
            table, times_s = table.rows(fresh), times_s[fresh]
        if not len(table):
            return
        known.given.setdefault(layout, []).extend((float(times_s.min()), float(times_s.max())))
        ChunkWriter(take).write_chunk(self._db, table, times_s)
        known.chunks += 1

    def add_sweep_rows(self, take: int, span: Span, rows: CodedRows) -> None:
        """Rows of a span in order of time, with the floor that they were judged by."""
        known = self._by_number[take]
        layout = sweep_layout(span)
        if layout in known.held:
            first, last = known.held[layout]
            fresh = np.flatnonzero((rows.time_s < first) | (rows.time_s > last))
            if len(fresh) < len(rows.time_s):
                rows = rows.chosen(fresh)
        if not len(rows.time_s):
            return
        known.given.setdefault(layout, []).extend((float(rows.time_s[0]), float(rows.time_s[-1])))
        run = self._runs.get((take, span))
        if run is None or rows.time_s[0] < run.open.last_s:
            run = _Run(OpenRun(self._db, take, span), take)
            self._runs[take, span] = run
            self._all_runs.append(run)
        run.open.keep(self._db, rows)
        run.times_s.append(rows.time_s)

    def add_detections(
        self, take: int, span: Span, blocks: Iterable[Mapping[str, Any]], thin_until_s: float = -np.inf
    ) -> None:
        """Examined blocks of the rows of a span: kept where they are the beginning of what the run has now.

        thin_until_s: up to when the rows were thinned out; what is left of them has its parts of the blocks.
        """
        found = [dict(block) for block in blocks]
        self.thinned.add_detections(take, span, [b for b in found if b["start_s"] <= thin_until_s])
        run = self._runs.get((take, span))
        if run is not None:
            run.blocks += [_behind(b, thin_until_s, run.times_s) for b in found]

    def add_entry(self, table: sa.Table, row: Mapping[str, Any]) -> None:
        """A row of the alerts, trials, changes or example frames; of these no more than a case keeps."""
        key = tuple(row[name] for name in _SAME_ENTRY[table.name])
        if table is schema.frames:
            kind = key[1:]
            self._examples[kind] += key not in self._entries[table.name]
            if self._examples[kind] > EXAMPLES_A_KIND:
                return
        if key not in self._entries[table.name]:
            self._entries[table.name].add(key)
            insert(self._db, table, {k: v for k, v in row.items() if k not in ("number", "seal")})

    def finish(self) -> None:
        """Close the sums, and say in each take what belongs to it."""
        for run in self._all_runs:
            run.open.flush(self._db)
            for block in _prefix(run.blocks, np.concatenate(run.times_s)):
                kept = {k: v for k, v in block.items() if k not in ("number", "seal")}
                insert(self._db, schema.looks, {**kept, "sweep": run.open.number})
        self.thinned.finish()
        self._supersede_same_inputs()
        for take in self._by_number.values():
            start_s, end_s = span_of(self._db, take.number)
            swept = sum(run.open.chunks for run in self._all_runs if run.take == take.number)
            swept += self.thinned.sweep_chunks(take.number)
            if not self.thinned.has(take.number):
                notes = [note for note in _notes(take.row) if not note.startswith(THINNED_NOTE)]
                take.row["notes"] = json.dumps(notes)
            row = {k: v for k, v in take.row.items() if k != "_linked"}
            whole = {
                **row,
                "chunks_held": take.chunks + self.thinned.chunks[take.number],
                "sweep_chunks_held": swept,
                "start_s": start_s,
                "end_s": end_s,
            }
            update(self._db, schema.takes, whole)
        insert(self._db, schema.setups, setup_row(self._setup or Setup()))

    def _supersede_same_inputs(self) -> None:
        """What two people took from one and the same input counts once: the take that has most of it."""
        by_input: dict[str, list[_Take]] = {}
        for take in self._by_number.values():
            if take.row["digest"] and not take.row["superseded"] and not take.row["set_aside"]:
                by_input.setdefault(take.row["digest"], []).append(take)
        for same in by_input.values():
            first, *rest = sorted(same, key=lambda take: (-take.chunks, take.number))
            for take in rest:
                take.row |= {"superseded": True, "superseded_by": first.number}


def _notes(row: Mapping[str, Any]) -> list[str]:
    return [str(note) for note in json.loads(row["notes"])]


def _behind(block: dict[str, Any], thin_until_s: float, times_s: Sequence[FloatArray]) -> dict[str, Any]:
    """The part of an examined block whose rows were not thinned out."""
    first_s = float(times_s[0][0])
    if not block["start_s"] <= thin_until_s < first_s <= block["end_s"]:
        return block
    rows = sum(int((some <= block["end_s"]).sum()) for some in times_s)
    return {**block, "start_s": first_s, "rows": rows}


def _prefix(blocks: list[dict[str, Any]], times_s: FloatArray) -> list[dict[str, Any]]:
    """The blocks that follow each other from the first row on: the rows behind them wait for the detector."""
    out: list[dict[str, Any]] = []
    at = 0
    for block in sorted(blocks, key=lambda b: (b["start_s"], -b["end_s"])):
        if at >= len(times_s) or block["start_s"] != times_s[at]:
            continue
        upto = int(np.searchsorted(times_s, block["end_s"], "right"))
        if upto - at != block["rows"]:
            break
        out.append(block)
        at = upto
        if block["is_open"]:
            break
    return out


def sightings_renumbered(sightings: Sightings, numbers: Mapping[int, int]) -> Sightings:
    """With the announcement numbers of another case. Those that are not known are left out."""
    known = np.isin(sightings.announcement, list(numbers))
    sightings = sightings.rows(known)
    values, which = np.unique(sightings.announcement, return_inverse=True)
    here = np.array([numbers[n] for n in values.tolist()], np.int64)
    return replace(sightings, announcement=here[which] if len(values) else sightings.announcement)
