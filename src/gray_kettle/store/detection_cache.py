"""Detections of non-Wi-Fi emitters, kept with the case block by block.

Detection takes seconds for an hour of rows, reading its results does not. This module says which rows still wait,
hands them out in blocks and keeps what the caller detected. It runs no detector itself: see gray_kettle.detection.
"""

import json
from collections.abc import Iterator
from dataclasses import asdict

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import MIN_DETECTION_ROWS, Detection, DetectionBlock, FloatArray
from gray_kettle.store import schema
from gray_kettle.store.sweeps import CodedRows, Run, Sweeps, Writing

BLOCK_ROWS, _LONG_S, _LEAST_ROWS = 2048, 3600.0, 256

_STEP_CHANGES = 5.0  # ratio of row intervals at which a block is split: a denser or sparser scan begins
_MORE_ROWS = 1.5  # an open block is examined again once it has grown by this factor


class DetectionCache:
    """Which sweep rows wait for detection, and what earlier runs of the detector found."""

    def __init__(self, reading: Writing, writing: Writing, sweeps: Sweeps) -> None:
        self._reading, self._writing, self._sweeps = reading, writing, sweeps

    def pending_rows(self) -> int:
        """Rows that no detector has examined yet, where examining them would pay."""
        return sum(rows for _, rows in self.pending_runs())

    def needs_detection(self, detector: int) -> bool:
        """Whether rows wait, or detections of another version of the detector are kept."""
        return self._has_other(detector) or bool(self.pending_runs())

    def _has_other(self, detector: int) -> bool:
        stale = sa.select(sa.func.count()).where(schema.looks.c.detector != detector)
        with self._reading() as db:
            return bool(db.execute(stale).scalar_one())

    def pending_runs(self) -> list[tuple[Run, int]]:
        """(run, rows behind its last closed block) of every run that is worth examining."""
        c = schema.looks.c
        closed = sa.select(c.sweep, sa.func.sum(c.rows)).where(~c.is_open).group_by(c.sweep)
        open_ones = sa.select(c.sweep, sa.func.sum(c.rows)).where(c.is_open).group_by(c.sweep)
        with self._reading() as db:
            done = {int(k): int(n) for k, n in db.execute(closed)}
            begun = {int(k): int(n) for k, n in db.execute(open_ones)}
        out = []
        for run in self._sweeps.runs():
            left = run.rows - done.get(run.number, 0)
            before = begun.get(run.number, 0)
            if left >= MIN_DETECTION_ROWS and (before == 0 or left >= _MORE_ROWS * before):
                out.append((run, left))
        return out

    def discard_older(self, detector: int) -> None:
        """Delete the detections that another version of the detector made: their rows wait again."""
        if self._has_other(detector):
            with self._writing() as db:
                db.execute(schema.looks.delete().where(schema.looks.c.detector != detector))

    def blocks(self, run: Run) -> Iterator[tuple[CodedRows, bool]]:
        """Blocks of rows behind the last closed block, each with whether it is closed (no more rows will join it)."""
        c = schema.looks.c
        last = sa.select(sa.func.max(c.end_s)).where((c.sweep == run.number) & ~c.is_open)
        with self._reading() as db:
            end_s = db.execute(last).scalar()
        since_s = -np.inf if end_s is None else float(np.nextafter(end_s, np.inf))
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
        with self._writing() as db:
            db.execute(schema.looks.delete().where((c.sweep == run.number) & c.is_open))
            db.execute(schema.looks.insert(), row)

    def window(self, start_s: float, end_s: float) -> tuple[DetectionBlock, ...]:
        """Examined blocks that overlap an interval of time, in order of time."""
        c, s, t = schema.looks.c, schema.sweeps.c, schema.takes.c
        chosen = (
            sa.select(c.start_s, c.end_s, c.rows, c.document, s.document, t.spot)
            .join(schema.sweeps, s.number == c.sweep)
            .join(schema.takes, t.number == s.take)
            .where(~t.superseded & (c.end_s >= max(start_s, -1e12)) & (c.start_s <= min(end_s, 1e12)))
            .order_by(c.start_s, c.number)
        )
        with self._reading() as db:
            found = db.execute(chosen).all()
        return tuple(_block(*row) for row in found)


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


def _block(start_s: float, end_s: float, rows: int, document: str, span: str, spot: str) -> DetectionBlock:
    of_span = json.loads(span)
    low_hz = of_span["start_hz"] - of_span["step_hz"] / 2
    high_hz = low_hz + of_span["step_hz"] * of_span["bins"]
    detections = []
    for fields in json.loads(document):
        fields["likely"] = tuple((EmitterKind(kind), share) for kind, share in fields["likely"])
        fields["channels"] = tuple(tuple(item) for item in fields["channels"])
        detections.append(Detection(**{**fields, "evidence": tuple(fields["evidence"])}))
    return DetectionBlock(start_s, end_s, rows, low_hz, high_hz, spot, tuple(detections))
