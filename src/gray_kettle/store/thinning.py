"""Thins out what is old: single sweep rows and seconds of traffic go, their sums stay.

Of sweeps the levels of each bin go, row by row; times, channel duty and the sums over 64, 512 and 4,096 rows stay, and
all detections. Only rows that the detector has examined and that sums cover are thinned. Source:
docs/decisions/035-thinning.md.
"""

import json
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa

from gray_kettle.model.records import THINNED_NOTE
from gray_kettle.store import schema
from gray_kettle.store.case import Case
from gray_kettle.store.seals import Damage, rows_of, update
from gray_kettle.store.sweeps import is_thin

_CHUNKS_A_WRITE = 64  # so that nobody waits long


@dataclass(frozen=True)
class Thinned:
    """What went. sweep_rows, traffic_rows: rows whose details went; octets: of their packed bytes."""

    sweep_rows: int = 0
    traffic_rows: int = 0
    octets: int = 0


def thin(
    case: Case,
    before_s: float,
    progress: Callable[[int, int], None] = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> Thinned:
    """Thin out what lies before a moment; what was thinned before it was cancelled stays so.

    Raises: KettleError, where the case cannot be written.
    """
    with case.snapshot() as db:
        swept = _sweep_chunks(case, db, before_s)
        traffic = _traffic_chunks(db, before_s)
    chosen = [(schema.sweep_chunks, number) for number in swept] + [
        (schema.chunks, number) for number in traffic
    ]
    went = {schema.sweep_chunks.name: 0, schema.chunks.name: 0}
    octets, takes = 0, set[int]()
    for first in range(0, len(chosen), _CHUNKS_A_WRITE):
        if is_cancelled():
            break
        with case.writing() as db:
            for table, number in chosen[first : first + _CHUNKS_A_WRITE]:
                row = dict(db.execute(sa.select(table).where(table.c.number == number)).mappings().one())
                went[table.name] += row["rows"]
                octets += len(row["payload"])
                update(db, table, {**row, "payload": b""})
                takes.add(row["take"] if "take" in row else _take_of(db, row["sweep"]))
        progress(min(first + _CHUNKS_A_WRITE, len(chosen)), len(chosen))
    if takes:
        with case.writing() as db:
            _note(db, takes, before_s)
    return Thinned(went["sweep_chunks"], went["chunks"], octets)


def _sweep_chunks(case: Case, db: sa.Connection, before_s: float) -> list[int]:
    """Numbers of the chunks of rows that may be thinned."""
    examined: dict[int, float] = {}
    for row in rows_of(db, schema.looks, Damage(), ""):
        if not row["is_open"] and row["end_s"] < before_s:
            examined[row["sweep"]] = max(row["end_s"], examined.get(row["sweep"], 0.0))
    found = []
    for (sweep, level), chunks in case.sweeps.catalogue().items():
        if level == 0 and sweep in examined:
            sums = case.sweeps.catalogue().get((sweep, 1), [])
            upto_s = min(examined[sweep], max((c["end_s"] for c in sums), default=0.0))
            found += [c["number"] for c in chunks if c["end_s"] <= upto_s and not is_thin(c)]
    return found


def _traffic_chunks(db: sa.Connection, before_s: float) -> list[int]:
    """Numbers of the chunks of traffic that have sums by the hour."""
    summed = {row["chunk"] for row in rows_of(db, schema.sums, Damage(), "")}
    return [
        row["number"]
        for row in rows_of(db, schema.chunks, Damage(), "")
        if row["layout"] == "traffic"
        and row["end_s"] < before_s
        and row["number"] in summed
        and not is_thin(row)
    ]


def _take_of(db: sa.Connection, sweep: int) -> int:
    s = schema.sweeps.c
    return int(db.execute(sa.select(s.take).where(s.number == sweep)).scalar_one())


def _note(db: sa.Connection, takes: set[int], before_s: float) -> None:
    """The takes say what is not there any more."""
    when = datetime.fromtimestamp(before_s, UTC).isoformat(sep=" ", timespec="minutes")[:16]
    for row in list(rows_of(db, schema.takes, Damage(), "")):
        if row["number"] in takes:
            notes = [note for note in _listed(row) if not note.startswith(THINNED_NOTE)]
            notes.append(
                f"{THINNED_NOTE}{when} UTC were thinned out: of sweep rows and seconds of traffic the sums stay."
            )
            update(db, schema.takes, {**row, "notes": json.dumps(notes)})


def _listed(row: dict[str, Any]) -> list[str]:
    try:
        return [str(note) for note in json.loads(row["notes"])]
    except (ValueError, TypeError):
        return []
