"""First and last moment of what a case holds."""

from typing import Any

import sqlalchemy as sa

from gray_kettle.store import schema


def span_of(db: sa.Connection, take: int | None) -> tuple[float | None, float | None]:
    """First and last moment of what a take observed, or of all takes."""
    c, w = schema.chunks.c, schema.sweep_chunks.c
    rows = sa.select(sa.func.min(c.start_s), sa.func.max(c.end_s)).where(
        *map(_is_number, (c.start_s, c.end_s))
    )
    sweeps = sa.select(sa.func.min(w.start_s), sa.func.max(w.end_s)).where(
        w.level == 0, *map(_is_number, (w.start_s, w.end_s))
    )
    if take is not None:
        rows = rows.where(c.take == take)
        sweeps = sweeps.join(schema.sweeps, schema.sweeps.c.number == w.sweep).where(
            schema.sweeps.c.take == take
        )
    (first, last), (swept_first, swept_last) = db.execute(rows).one(), db.execute(sweeps).one()
    starts = [float(s) for s in (first, swept_first) if s is not None]
    ends = [float(s) for s in (last, swept_last) if s is not None]
    return min(starts, default=None), max(ends, default=None)


def _is_number(column: sa.Column[Any]) -> sa.ColumnElement[bool]:
    """What a damaged row holds in place of a time is left out here, and named where the row is read."""
    return sa.func.typeof(column).in_(("real", "integer"))
