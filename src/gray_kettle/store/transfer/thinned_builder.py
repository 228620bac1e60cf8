"""Puts what is left of thinned details into a case: rows without levels and their sums as sweeps of their own.

A part that comes twice is kept once, and one whose details another source still has is left out.
"""

import json
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.records import FloatArray, Span
from gray_kettle.store import schema
from gray_kettle.store.packing import pack
from gray_kettle.store.seals import insert
from gray_kettle.store.thinned import ThinnedChunk, ThinnedHour

Interval = tuple[float, float]


@dataclass(eq=False)
class _ThinRun:
    """Thinned rows of one span. held: (level, start) of what it has; times_s: of its rows."""

    number: int
    take: int
    held: set[tuple[int, float]] = field(default_factory=set)
    times_s: list[FloatArray] = field(default_factory=list)
    blocks: list[dict[str, Any]] = field(default_factory=list)
    chunks: int = 0


class ThinnedBuilder:
    """Writes within the transaction of a CaseBuilder."""

    def __init__(self, db: sa.Connection) -> None:
        self._db = db
        self._runs: dict[tuple[int, Span], _ThinRun] = {}
        self._hours: set[tuple[int, float, float]] = set()
        self.chunks: Counter[int] = Counter()  # of traffic, by take

    def add_hour(self, take: int, hour: ThinnedHour, there: Iterable[Interval]) -> None:
        """there: intervals of which another source still has the seconds."""
        key = (take, hour.start_s, hour.end_s)
        if key in self._hours or _is_within(hour.start_s, hour.end_s, there):
            return
        self._hours.add(key)
        columns, payload = pack(hour.sums)
        number = insert(self._db, schema.chunks, {
            "take": take, "layout": "traffic", "columns": columns, "start_s": hour.start_s,
            "end_s": hour.end_s, "rows": len(hour.sums), "payload": b"",
        })  # fmt: skip
        insert(self._db, schema.sums, {
            "chunk": number, "columns": columns, "rows": len(hour.sums), "payload": payload,
        })  # fmt: skip
        self.chunks[take] += 1

    def add_chunk(self, take: int, span: Span, chunk: ThinnedChunk, there: Iterable[Interval]) -> None:
        """there: intervals of which another source still has the levels."""
        run = self._runs.get((take, span))
        held = run.held if run else set[tuple[int, float]]()
        row = chunk.row()
        ends_s = [row["end_s"]] if chunk.entries is None else chunk.entries.end_s.tolist()
        there = list(there)
        fresh = np.array([
            (chunk.level, start_s) not in held and not _is_within(start_s, end_s, there)
            for start_s, end_s in zip(chunk.starts_s.tolist(), ends_s, strict=True)
        ])  # fmt: skip
        if not fresh.any():
            return
        if run is None:
            document = json.dumps(asdict(span), sort_keys=True)
            number = insert(self._db, schema.sweeps, {"take": take, "document": document})
            run = self._runs[take, span] = _ThinRun(number, take)
        kept = chunk if fresh.all() else chunk.part(fresh)
        insert(self._db, schema.sweep_chunks, {**kept.row(), "sweep": run.number})
        run.held |= {(kept.level, start_s) for start_s in kept.starts_s.tolist()}
        run.chunks += 1
        if kept.level == 0:
            run.times_s.append(kept.head["time_s"])

    def add_detections(self, take: int, span: Span, blocks: Iterable[Mapping[str, Any]]) -> None:
        """Examined blocks of a span, of which parts may be thinned rows."""
        run = self._runs.get((take, span))
        if run is not None:
            run.blocks += [dict(block) for block in blocks if not block["is_open"]]

    def has(self, take: int) -> bool:
        """Whether anything of a take is thinned."""
        return self.chunks[take] > 0 or self.sweep_chunks(take) > 0

    def sweep_chunks(self, take: int) -> int:
        """Rows of the table of sweep chunks that were added for a take."""
        return sum(run.chunks for run in self._runs.values() if run.take == take)

    def finish(self) -> None:
        """Write what was found in the rows."""
        for run in self._runs.values():
            for block in _parts(run.blocks, np.sort(np.concatenate([np.zeros(0), *run.times_s]))):
                kept = {k: v for k, v in block.items() if k not in ("number", "seal")}
                insert(self._db, schema.looks, {**kept, "sweep": run.number})


def _is_within(start_s: float, end_s: float, intervals: Iterable[Interval]) -> bool:
    return any(low <= start_s and end_s <= high for low, high in intervals)


def _parts(blocks: list[dict[str, Any]], times_s: FloatArray) -> list[dict[str, Any]]:
    """The part of each block that lies in these rows; parts of one block, from two sources, as one."""
    out: list[dict[str, Any]] = []
    for block in sorted(blocks, key=lambda b: (b["start_s"], b["end_s"])):
        first = int(np.searchsorted(times_s, block["start_s"]))
        upto = int(np.searchsorted(times_s, block["end_s"], "right"))
        if upto <= first:
            continue
        start_s, end_s = float(times_s[first]), float(times_s[upto - 1])
        if out and start_s <= out[-1]["end_s"] and block["document"] == out[-1]["document"]:
            start_s, end_s = out[-1]["start_s"], max(end_s, out[-1]["end_s"])
            first, upto = np.searchsorted(times_s, start_s), np.searchsorted(times_s, end_s, "right")
            out.pop()
        out.append({**block, "start_s": start_s, "end_s": end_s, "rows": int(upto - first)})
    return out
