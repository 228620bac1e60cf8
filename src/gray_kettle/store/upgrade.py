"""Brings the tables of an older case up to date, and seals what it holds."""

import json

import sqlalchemy as sa

from gray_kettle.store import header, schema
from gray_kettle.store.database import Database
from gray_kettle.store.seals import sealed

_FIRST_SEALED = 7


def upgrade(database: Database) -> None:
    """All of it or nothing. From version 7 on every row has a seal: those of older cases get theirs here."""
    reason, database.read_only = database.read_only, ""  # a copy of a read-only case is ours to write
    try:
        with database.writing() as db:
            version = int(db.exec_driver_sql("PRAGMA user_version").scalar_one())
            if version >= header.VERSION:
                return  # another process was faster
            schema.upgrade(db)
            if version < _FIRST_SEALED:
                _describe_takes(db)
                for table in schema.metadata.sorted_tables:
                    _seal_all(db, table)
            db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
    finally:
        database.read_only = reason


def _seal_all(db: sa.Connection, table: sa.Table) -> None:
    key = next(iter(table.primary_key.columns))
    for number in db.execute(sa.select(key).order_by(key)).scalars().all():
        row = sealed(table, dict(db.execute(sa.select(table).where(key == number)).mappings().one()))
        sums = {name: value for name, value in row.items() if name.endswith(("seal", "_sum"))}
        db.execute(table.update().where(key == number).values(**sums))


def _describe_takes(db: sa.Connection) -> None:
    """Older versions did not say when a take ended, nor how much belongs to it."""
    t, c, s, w = schema.takes, schema.chunks, schema.sweeps, schema.sweep_chunks
    for row in db.execute(sa.select(t)).mappings().all():
        chunks = sa.select(sa.func.count()).select_from(c).where(c.c.take == row["number"])
        swept = sa.select(sa.func.count()).select_from(w).join(s, s.c.number == w.c.sweep)
        ended = row["complete"] or bool(json.loads(row["notes"])) or row["records"] > 0
        db.execute(
            t.update()
            .where(t.c.number == row["number"])
            .values(
                ended_s=row["taken_s"] if ended else None,
                chunks_held=db.execute(chunks).scalar_one(),
                sweep_chunks_held=db.execute(swept.where(s.c.take == row["number"])).scalar_one(),
            )
        )
