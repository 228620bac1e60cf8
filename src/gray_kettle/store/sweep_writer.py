"""Writes sweeps into a case as rows come: chunks of rows, and sums of them at several time resolutions.

Rows are in the file within a second: a chunk that is not full yet is written as it is, and again as it grows.
"""

import itertools
import json
import time
from dataclasses import asdict
from typing import Any

import numpy as np
import sqlalchemy as sa
import zstandard

from gray_kettle.model.records import FloatArray, Span, SweepRows
from gray_kettle.spectrum.duty import channel_rows
from gray_kettle.spectrum.multires import TOP, Entries, Pyramid, Summed
from gray_kettle.spectrum.noise_floor import floor_of, low_and_spread
from gray_kettle.spectrum.quantise import Codes, FloatDb, to_codes, to_dbm
from gray_kettle.store import schema
from gray_kettle.store.seals import insert, update
from gray_kettle.store.sweeps import CodedRows
from gray_kettle.store.thinned import ThinnedChunk, sums_chunk

_CHUNK_BYTES, _CHUNK_ROWS = 1 << 18, (64, 512)  # of a chunk; fewest and most rows
_LONGEST_WAIT_S = 0.4  # after which rows are written even if they are no whole chunk
_ENTRIES_A_CHUNK = {1: 64, 2: 8, 3: 8}


class SweepWriter:
    """Writes the sweeps of one take. Feed it within a transaction; flush it before the take is closed."""

    def __init__(self, take: int) -> None:
        self._take = take
        self._runs: dict[Span, OpenRun] = {}
        self._closed = 0

    @property
    def chunks(self) -> int:
        """Rows of the table of sweep chunks that were added so far."""
        return self._closed + sum(run.chunks for run in self._runs.values())

    def add(self, db: sa.Connection, rows: SweepRows) -> None:
        back = (
            np.flatnonzero(np.diff(rows.time_s) < 0) + 1
        )  # a clock that was set back begins a run of its own
        for first, last in itertools.pairwise([0, *back.tolist(), len(rows)]):
            if first == last:
                continue
            run = self._runs.get(rows.span)
            if run is not None and rows.time_s[first] < run.last_s:
                run.flush(db)
                self._closed += run.chunks
                run = None
            if run is None:
                run = self._runs[rows.span] = OpenRun(db, self._take, rows.span)
            run.add(db, rows.part(first, last))

    def flush(self, db: sa.Connection) -> None:
        for run in self._runs.values():
            run.flush(db)


class OpenRun:
    """Rows that wait for a whole chunk, and sums that wait for more rows."""

    def __init__(self, db: sa.Connection, take: int, span: Span) -> None:
        row = {"take": take, "document": json.dumps(asdict(span), sort_keys=True)}
        self.number = insert(db, schema.sweeps, row)
        self.chunks = 0
        self._tail: int | None = None  # the chunk that the waiting rows are in, and that grows with them
        self.span = span
        self.last_s = -np.inf
        self._pyramid = Pyramid(span)
        self._floor_dbm: FloatDb | None = None
        self._waiting: list[tuple[FloatArray, Codes, Any]] = []
        self._held: CodedRows | None = None  # the last block that `keep` was given
        self._since_s = 0.0
        self._summed: dict[int, list[Summed]] = {level: [] for level in range(1, TOP + 1)}
        self._chunk_rows = min(max(_CHUNK_BYTES // span.bins, _CHUNK_ROWS[0]), _CHUNK_ROWS[1])
        self._packer = zstandard.ZstdCompressor(level=1)

    def add(self, db: sa.Connection, rows: SweepRows) -> None:
        codes = to_codes(rows.levels_dbm) if rows.codes is None else rows.codes
        offsets = rows.offset_s if rows.offset_s is not None else np.zeros((len(rows), 0), np.float32)
        self.last_s = float(rows.time_s[-1])
        for done in self._pyramid.add(rows.time_s, codes):
            self._keep(db, done)
        at = 0
        while at < len(rows):
            if not self._waiting:
                self._since_s = time.monotonic()
            upto = min(at + self._chunk_rows - sum(len(t) for t, _, _ in self._waiting), len(rows))
            self._waiting.append((rows.time_s[at:upto], codes[at:upto], offsets[at:upto]))
            at = upto
            if sum(len(t) for t, _, _ in self._waiting) == self._chunk_rows:
                self._write_rows(db, is_whole=True)
        if self._waiting and time.monotonic() - self._since_s > _LONGEST_WAIT_S:
            self._write_rows(db, is_whole=False)
            self._since_s = time.monotonic()

    def flush(self, db: sa.Connection) -> None:
        for done in self._pyramid.close():
            self._keep(db, done)
        if self._waiting:
            self._write_rows(db, is_whole=True)
        self._write_held(db)
        for level, entries in self._summed.items():
            if entries:
                self._write_entries(db, level)

    def _keep(self, db: sa.Connection, done: Summed) -> None:
        self._floor_dbm = done.floor_dbm
        self._summed[done.level].append(done)
        if len(self._summed[done.level]) == _ENTRIES_A_CHUNK[done.level]:
            self._write_entries(db, done.level)

    def keep(self, db: sa.Connection, rows: CodedRows) -> None:
        """A block of rows as another case kept it, with the floor that it was judged by."""
        self.last_s = float(rows.time_s[-1])
        for done in self._pyramid.add(rows.time_s, rows.codes):
            self._keep(db, done)
        held = self._held
        if held is not None and self._is_one(held, rows):  # a block that was cut in two
            self._held = held.followed_by(rows)
            return
        self._write_held(db)
        self._held = rows

    def _is_one(self, held: CodedRows, rows: CodedRows) -> bool:
        fits = len(held.time_s) + len(rows.time_s) <= self._chunk_rows
        return fits and np.array_equal(held.floor_dbm, rows.floor_dbm, equal_nan=True)

    def _write_held(self, db: sa.Connection) -> None:
        if self._held is not None:
            self._write_block(db, self._held, None)
            self._held = None

    def _write_rows(self, db: sa.Connection, *, is_whole: bool) -> None:
        """Write the rows that wait. Until they are a whole chunk they wait on, and are written again with the next."""
        time_s, codes, offsets = (np.concatenate(parts) for parts in zip(*self._waiting, strict=True))
        floor_dbm = self._floor_dbm
        if floor_dbm is None:  # not enough rows for a first sum yet
            floor_dbm = floor_of(*low_and_spread(codes), self.span.step_hz)
        floor_dbm = to_dbm(
            to_codes(floor_dbm)
        )  # as it is kept: who reads the rows again judges them by the same
        rows = CodedRows(time_s, codes, offsets, channel_rows(self.span, codes, floor_dbm), floor_dbm)
        self._tail = self._write_block(db, rows, self._tail)
        if is_whole:
            self._waiting, self._tail = [], None

    def _write_block(self, db: sa.Connection, rows: CodedRows, number: int | None) -> int:
        head = {
            "time_s": rows.time_s,
            "offset_s": rows.offset_s,
            "floor": to_codes(rows.floor_dbm),
            "power": rows.places.power,
            "over": rows.places.over,
        }
        payload = self._packer.compress(rows.codes.tobytes())
        row = {**ThinnedChunk(0, head).row(), "payload": payload, "sweep": self.number}
        if number is not None:
            update(db, schema.sweep_chunks, {"number": number, **row})
            return number
        self.chunks += 1
        return insert(db, schema.sweep_chunks, row)

    def _write_entries(self, db: sa.Connection, level: int) -> None:
        done, self._summed[level] = self._summed[level], []
        stacked = [d.counts for d in done if d.counts is not None]
        chunk = sums_chunk(
            level, Entries.joined([d.entry for d in done]), np.stack(stacked) if stacked else None
        )
        self.chunks += 1
        insert(db, schema.sweep_chunks, {**chunk.row(), "sweep": self.number})
