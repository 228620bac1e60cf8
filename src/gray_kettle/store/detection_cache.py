"""Detections of non-Wi-Fi emitters, kept with the case block by block.

Detection takes seconds for an hour of rows, reading its results does not. This module says which rows still wait,
hands them out in blocks and keeps what the caller detected. It runs no detector itself: see gray_kettle.detection.
"""

import json
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from gray_kettle.model.records import MIN_DETECTION_ROWS, Detection, DetectionBlock, FloatArray
from gray_kettle.safe_text import printable
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.packing import UNREADABLE
from gray_kettle.store.seals import Damage, insert, rows_of
from gray_kettle.store.sweeps import CodedRows, Run, Sweeps

BLOCK_ROWS, _LONG_S, _LEAST_ROWS = 2048, 3600.0, 256

_DETECTIONS = TypeAdapter(tuple[Detection, ...])
_STEP_CHANGES = 5.0  # ratio of row intervals at which a block is split: a denser or sparser scan begins
_MORE_ROWS = 1.5  # an open block is examined again once it has grown by this factor


class DetectionCache:
    """Which sweep rows wait for detection, and what earlier runs of the detector found."""

    def __init__(self, database: Database, sweeps: Sweeps) -> None:
        self._database, self._sweeps = database, sweeps

    def _rows(self) -> list[dict[str, Any]]:
        """What was examined. A damaged row is as if it never was: its sweep rows wait again."""
        with self._database.reading() as db:
            cache = self._database.cache
            if "looks" not in cache:
                cache["looks"] = list(rows_of(db, schema.looks, Damage(), ""))
            return list(cache["looks"])

    def pending_rows(self) -> int:
        """Rows that no detector has examined yet, where examining them would pay."""
        return sum(rows for _, rows in self.pending_runs())

    def needs_detection(self, detector: int) -> bool:
        """Whether rows wait, or detections of another version of the detector are kept."""
        return self._has_other(detector) or bool(self.pending_runs())

    def _has_other(self, detector: int) -> bool:
        return bool(self._others(detector))

    def _others(self, detector: int) -> list[int]:
        """Numbers of the detections of another version whose rows are there to be examined anew."""
        with self._database.reading():
            others = [row for row in self._rows() if row["detector"] != detector]
            thin_until_s = self._sweeps.thin_until_s() if others else {}
        return [row["number"] for row in others if row["start_s"] > thin_until_s.get(row["sweep"], -np.inf)]

    def pending_runs(self) -> list[tuple[Run, int]]:
        """(run, rows behind its last closed block) of every run that is worth examining."""
        with self._database.reading():
            done, begun = Counter[int](), Counter[int]()
            for row in self._rows():
                (begun if row["is_open"] else done)[row["sweep"]] += row["rows"]
            runs = self._sweeps.runs()
        out = []
        for run in runs:
            left = run.rows - done[run.number]
            before = begun[run.number]
            if left >= MIN_DETECTION_ROWS and (before == 0 or left >= _MORE_ROWS * before):
                out.append((run, left))
        return out

    def discard_older(self, detector: int) -> None:
        """Delete the detections that another version of the detector made: their rows wait again.

        Where rows were thinned out, what was found stays.
        """
        if others := self._others(detector):
            with self._database.writing() as db:
                db.execute(schema.looks.delete().where(schema.looks.c.number.in_(others)))

    def blocks(self, run: Run) -> Iterator[tuple[CodedRows, bool]]:
        """Blocks of rows behind the last closed block, each with whether it is closed (no more rows will join it)."""
        ends_s = [r["end_s"] for r in self._rows() if r["sweep"] == run.number and not r["is_open"]]
        since_s = float(np.nextafter(max(ends_s), np.inf)) if ends_s else -np.inf
        held: CodedRows | None = None
        for part in self._sweeps.row_chunks(run, since_s, np.inf):
            if not len(part.time_s):
                continue
            held = part if held is None else held.followed_by(part)
            while (cut := _cut(held.time_s)) is not None:
                yield held.part(0, cut), True
                held = held.part(cut, len(held.time_s))
        if held is not None and len(held.time_s) >= MIN_DETECTION_ROWS:
            yield held, False

    def keep(
        self, run: Run, block: CodedRows, is_closed: bool, found: tuple[Detection, ...], detector: int
    ) -> None:
        """Keep what the detector found in a block; it takes the place of the open block of the run."""
        c = schema.looks.c
        row = {
            "sweep": run.number,
            "start_s": float(block.time_s[0]),
            "end_s": float(block.time_s[-1]),
            "rows": len(block.time_s),
            "is_open": not is_closed,
            "document": json.dumps([asdict(s) for s in found]),
            "detector": detector,
        }
        with self._database.writing() as db:
            db.execute(schema.looks.delete().where((c.sweep == run.number) & c.is_open))
            insert(db, schema.looks, row)

    def window(self, start_s: float, end_s: float) -> tuple[DetectionBlock, ...]:
        """Examined blocks that overlap an interval of time, in order of time."""
        with self._database.reading():
            runs = {run.number: run for run in self._sweeps.runs()}
            rows = [r for r in self._rows() if r["end_s"] >= start_s and r["start_s"] <= end_s]
        rows.sort(key=lambda r: (r["start_s"], r["number"]))
        found = []
        for row in rows:
            run = runs.get(row["sweep"])
            if run is None:
                continue
            try:
                detections = _detections(row["document"])
            except UNREADABLE:
                continue
            low_hz = run.span.start_hz - run.span.step_hz / 2
            high_hz = low_hz + run.span.step_hz * run.span.bins
            found.append(
                DetectionBlock(
                    row["start_s"], row["end_s"], row["rows"], low_hz, high_hz, run.spot, detections
                )
            )
        return tuple(found)


def _cut(time_s: FloatArray) -> int | None:
    """Rows of the first closed block; None while it may still grow."""
    steps = np.diff(time_s)
    if len(steps) > MIN_DETECTION_ROWS:
        median_s = np.median(steps[:MIN_DETECTION_ROWS])
        # Three in a row: a single gap is no change of the row rate.
        other = (steps > _STEP_CHANGES * median_s) | (steps < median_s / _STEP_CHANGES)
        changed = np.flatnonzero(other[:-2] & other[1:-1] & other[2:])
        if len(changed) and changed[0] + 1 >= MIN_DETECTION_ROWS:
            return min(int(changed[0]) + 1, BLOCK_ROWS)
    long = np.flatnonzero(time_s - time_s[0] > _LONG_S)
    if len(long) and max(int(long[0]), _LEAST_ROWS) < len(time_s):
        return min(max(int(long[0]), _LEAST_ROWS), BLOCK_ROWS)
    return BLOCK_ROWS if len(time_s) > BLOCK_ROWS else None


def _detections(document: str) -> tuple[Detection, ...]:
    """Raises: UNREADABLE."""
    found = _DETECTIONS.validate_json(document)
    if not all(d.likely for d in found):
        raise ValueError("a detection without a kind")
    return tuple(replace(d, evidence=tuple(printable(e) for e in d.evidence)) for d in found)
