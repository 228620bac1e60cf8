"""What was found in the sweeps of a case: rows are looked through block by block, and what that gave is kept.

Looking costs seconds for an hour of rows; reading what it gave does not. Rows that came since are looked through by
`catch_up`, which whoever reads a case calls first.
"""

import json
from collections.abc import Callable, Iterator
from dataclasses import asdict

import numpy as np
import sqlalchemy as sa

from gray_kettle.interference.detect import FEWEST_ROWS, look
from gray_kettle.model.records import FloatArray, Looked, Sighting
from gray_kettle.store import schema
from gray_kettle.store.sweeps import CodedRows, Run, Sweeps, Writing

BLOCK_ROWS, _LONG_S, _LEAST_ROWS = 2048, 3600.0, 256
_STEP_CHANGES = 5.0  # times the step before: looking closely begins or ends
_MORE_ROWS = 1.5  # times as many rows before a block that is not full is looked at again
Progress = Callable[[int, int], None]


class Looks:
    """Looks through the sweeps of a case, and tells what that gave."""

    def __init__(self, reading: Writing, writing: Writing, sweeps: Sweeps) -> None:
        self._reading, self._writing, self._sweeps = reading, writing, sweeps

    def waiting(self) -> int:
        """Rows that were not looked through yet, as far as looking again would pay."""
        return sum(rows for _, rows, pays in self._unseen() if pays)

    def catch_up(
        self,
        progress: Progress = lambda done, total: None,
        is_cancelled: Callable[[], bool] = lambda: False,
    ) -> bool:
        """Look through what came since. Whole blocks stay; the last of a run is looked at again as it grows.

        progress: rows done and in all. Gives back False where it was cancelled; what was done until then is kept.
        """
        unseen = [(run, rows) for run, rows, pays in self._unseen() if pays]
        total, done = sum(rows for _, rows in unseen), 0
        for run, _ in unseen:
            for block, is_whole in self._blocks(run):
                if is_cancelled():
                    return False
                self._keep(run, block, is_whole)
                done += len(block.time_s)
                progress(min(done, total), total)
        return True

    def window(self, start_s: float, end_s: float) -> tuple[Looked, ...]:
        """What looks that touch a stretch of time gave, in order of time."""
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
        return tuple(_looked(*row) for row in found)

    def _unseen(self) -> list[tuple[Run, int, bool]]:
        """(run, rows behind its last whole block, whether looking at them pays)."""
        c = schema.looks.c
        whole = sa.select(c.sweep, sa.func.sum(c.rows)).where(~c.is_open).group_by(c.sweep)
        open_ones = sa.select(c.sweep, sa.func.sum(c.rows)).where(c.is_open).group_by(c.sweep)
        with self._reading() as db:
            seen = {int(k): int(n) for k, n in db.execute(whole)}
            begun = {int(k): int(n) for k, n in db.execute(open_ones)}
        out = []
        for run in self._sweeps.runs():
            left = run.rows - seen.get(run.number, 0)
            before = begun.get(run.number, 0)
            pays = left >= FEWEST_ROWS and (before == 0 or left >= _MORE_ROWS * before)
            out.append((run, left, pays))
        return out

    def _blocks(self, run: Run) -> Iterator[tuple[CodedRows, bool]]:
        """Blocks behind the last whole one, each with whether it is whole."""
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
        if held is not None and len(held.time_s) >= FEWEST_ROWS:
            yield held, False

    def _keep(self, run: Run, block: CodedRows, is_whole: bool) -> None:
        found = look(run.span, block.time_s, block.codes, block.offset_s)
        c = schema.looks.c
        row = {
            "sweep": run.number,
            "start_s": float(block.time_s[0]),
            "end_s": float(block.time_s[-1]),
            "rows": len(block.time_s),
            "is_open": not is_whole,
            "document": json.dumps([asdict(s) for s in found]),
        }
        with self._writing() as db:
            db.execute(schema.looks.delete().where((c.sweep == run.number) & c.is_open))
            db.execute(schema.looks.insert(), row)


def _cut(time_s: FloatArray) -> int | None:
    """Rows of the first block; None while it is not whole."""
    steps = np.diff(time_s)
    if len(steps) > FEWEST_ROWS:
        usual = np.median(steps[:FEWEST_ROWS])
        # Three in a row: a single gap is no change.
        other = (steps > _STEP_CHANGES * usual) | (steps < usual / _STEP_CHANGES)
        changed = np.flatnonzero(other[:-2] & other[1:-1] & other[2:])
        if len(changed) and changed[0] + 1 >= FEWEST_ROWS:
            return min(int(changed[0]) + 1, BLOCK_ROWS)
    long = np.flatnonzero(time_s - time_s[0] > _LONG_S)
    if len(long) and max(int(long[0]), _LEAST_ROWS) < len(time_s):
        return min(max(int(long[0]), _LEAST_ROWS), BLOCK_ROWS)
    return BLOCK_ROWS if len(time_s) > BLOCK_ROWS else None


def _looked(start_s: float, end_s: float, rows: int, document: str, span: str, spot: str) -> Looked:
    of_span = json.loads(span)
    low_hz = of_span["start_hz"] - of_span["step_hz"] / 2
    sightings = []
    for fields in json.loads(document):
        for name in ("likely", "channels"):
            fields[name] = tuple(tuple(item) for item in fields[name])
        sightings.append(Sighting(**{**fields, "evidence": tuple(fields["evidence"])}))
    return Looked(
        start_s, end_s, rows, low_hz, low_hz + of_span["step_hz"] * of_span["bins"], spot, tuple(sightings)
    )
