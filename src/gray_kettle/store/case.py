"""A case: setup, takes, and what they observed. Takes are only ever added."""

import json
import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import sqlalchemy as sa

from gray_kettle.errors import KettleError
from gray_kettle.model.records import (
    Announcement,
    Columns,
    Edges,
    FloatArray,
    Links,
    Listening,
    Observations,
    Piece,
    Sightings,
    Surveys,
    TakeInfo,
    Traffic,
)
from gray_kettle.model.setup import Setup
from gray_kettle.store import header, schema
from gray_kettle.store.detection_cache import DetectionCache
from gray_kettle.store.documents import setup_from, setup_text
from gray_kettle.store.merging import (
    by_the_hour,
    joined_aggregates,
    merged_listening,
    merged_sightings,
    merged_traffic,
)
from gray_kettle.store.packing import (
    announcement_from,
    announcement_text,
    capability_from,
    capability_text,
    pack,
    unpack,
)
from gray_kettle.store.sweeps import Sweeps, SweepWriter

Table = TypeVar("Table", bound=Columns)
_CHUNK_ROWS = 8192


class Case:
    """One open case file. Belongs to the thread that opened it; use it in a `with` block."""

    def __init__(self, path: Path, engine: sa.Engine) -> None:
        self.path = path
        self._engine = engine
        self._numbers: dict[Announcement, int] = {}
        self._writers: dict[int, SweepWriter] = {}
        self.sweeps = Sweeps(self._reading)
        self.detections = DetectionCache(self._reading, self._writing, self.sweeps)

    @classmethod
    def create(cls, path: Path, setup: Setup) -> "Case":
        """Make a new case. Raises: KettleError, when the file exists or cannot be written."""
        if path.exists():
            raise KettleError(f"{path} exists already: choose another name, or open it.")
        if not path.parent.is_dir():
            raise KettleError(f"The folder {path.parent} does not exist: create it first.")
        case = cls(path, _engine(path))
        with case._writing() as db:
            db.execute(sa.text(f"PRAGMA application_id = {header.APPLICATION_ID}"))
            db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
            schema.metadata.create_all(db)
        case.save_setup(setup)
        case._engine.dispose()  # with its last connection closed, everything is in the file itself
        return case

    @classmethod
    def open(cls, path: Path) -> "Case":
        """Open a case. Raises: KettleError, when it is none, or from a newer version."""
        version = header.check(path)
        case = cls(path, _engine(path))
        if version < header.VERSION:
            with case._writing() as db:
                schema.upgrade(db)
                db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
        return case

    def close(self) -> None:
        self._engine.dispose()

    def __enter__(self) -> "Case":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @contextmanager
    def _reading(self) -> Iterator[sa.Connection]:
        with self._turning_errors(), self._engine.connect() as db:
            yield db

    @contextmanager
    def _writing(self) -> Iterator[sa.Connection]:
        with self._turning_errors(), self._engine.begin() as db:
            yield db

    @contextmanager
    def _turning_errors(self) -> Iterator[None]:
        try:
            yield
        except (sa.exc.DBAPIError, sa.exc.NoResultFound, sqlite3.Error) as error:
            reason = str(getattr(error, "orig", None) or error)
            raise KettleError(f"The case {self.path} cannot be used: {reason}.") from error

    # Setup

    def setup(self) -> Setup:
        newest = sa.select(schema.setups.c.document).order_by(schema.setups.c.number.desc()).limit(1)
        with self._reading() as db:
            text = db.execute(newest).scalar_one()
        return setup_from(text)

    def save_setup(self, setup: Setup) -> None:
        with self._writing() as db:
            db.execute(schema.setups.insert(), {"saved_s": time.time(), "document": setup_text(setup)})

    # Takes

    def takes_marked(self, mark: str) -> dict[int, str]:
        """Digests, by number, of the complete takes of something that begins the same."""
        t = schema.takes.c
        group_rows = sa.select(t.number, t.digest).where(
            t.digest.startswith(f"{mark}-"), t.complete, ~t.superseded
        )
        with self._reading() as db:
            return {int(number): digest for number, digest in db.execute(group_rows)}

    def begin_take(self, source: str, kind: str, spot: str, mark: str) -> int:
        """Open a take. mark: identifies the input by its first bytes until its digest is known."""
        row = {"source": source, "kind": kind, "spot": spot, "digest": mark, "taken_s": time.time()}
        with self._writing() as db:
            number = db.execute(schema.takes.insert().returning(schema.takes.c.number), row).scalar_one()
        return int(number)

    def append(self, take: int, piece: Piece) -> None:
        """Add a piece to a take; what was appended stays even if nothing more comes."""
        with self._writing() as db:
            numbers = np.array(
                [self._announcement_number(db, a) for a in piece.announcements], dtype=np.int64
            )
            sightings = piece.sightings
            if len(sightings):
                sightings = _with_announcement(sightings, numbers)
            self._add_chunks(db, take, sightings, sightings.time_s)
            self._add_chunks(db, take, piece.traffic, piece.traffic.second.astype(np.float64))
            self._add_chunks(db, take, piece.listening, piece.listening.start_s)
            self._add_chunks(db, take, piece.edges, piece.edges.time_s)
            self._add_chunks(db, take, piece.surveys, piece.surveys.time_s)
            self._add_chunks(db, take, piece.links, piece.links.time_s)
            for rows in piece.sweeps:
                if take not in self._writers:
                    self._writers[take] = SweepWriter(take)
                self._writers[take].add(db, rows)
            for capability in piece.capabilities:
                row = {"document": capability_text(capability)}
                db.execute(schema.capabilities.insert().prefix_with("OR IGNORE"), row)

    def finish_take(
        self,
        take: int,
        totals: Piece,
        notes: tuple[str, ...],
        digest: str,
        *,
        complete: bool,
        replaces: tuple[int, ...] = (),
    ) -> None:
        """Close a take with its totals (records, skipped, swept bands).

        A complete one replaces earlier takes that began the same and were stopped, and of those
        that it is known to hold whole (replaces).
        """
        t = schema.takes
        with self._writing() as db:
            if take in self._writers:
                self._writers.pop(take).flush(db)
            start_s, end_s = _span_of(db, take)
            values = {
                "start_s": start_s,
                "end_s": end_s,
                "records": totals.records,
                "skipped": totals.skipped,
                "notes": json.dumps(notes),
                "swept_bands": json.dumps(totals.swept_bands),
                "complete": complete,
                "digest": digest,
            }
            db.execute(t.update().where(t.c.number == take), values)
            if complete:
                mark = digest.partition("-")[0]
                stopped = (t.c.digest == mark) & ~t.c.complete & (t.c.number != take)
                db.execute(t.update().where(stopped | t.c.number.in_(replaces)).values(superseded=True))

    def forget_take(self, take: int) -> None:
        """Take back a take that gave nothing, or that turned out to be held already."""
        self._writers.pop(take, None)
        swept = sa.select(schema.sweeps.c.number).where(schema.sweeps.c.take == take)
        with self._writing() as db:
            db.execute(schema.sweep_chunks.delete().where(schema.sweep_chunks.c.sweep.in_(swept)))
            db.execute(schema.looks.delete().where(schema.looks.c.sweep.in_(swept)))
            db.execute(schema.sweeps.delete().where(schema.sweeps.c.take == take))
            its = sa.select(schema.chunks.c.number).where(schema.chunks.c.take == take)
            db.execute(schema.sums.delete().where(schema.sums.c.chunk.in_(its)))
            db.execute(schema.chunks.delete().where(schema.chunks.c.take == take))
            db.execute(schema.takes.delete().where(schema.takes.c.number == take))

    def takes(self) -> tuple[TakeInfo, ...]:
        t = schema.takes.c
        chosen = sa.select(
            t.number,
            t.source,
            t.kind,
            t.spot,
            t.digest,
            t.start_s,
            t.end_s,
            t.records,
            t.skipped,
            t.notes,
            t.swept_bands,
        )
        with self._reading() as db:
            rows = db.execute(chosen.where(~t.superseded).order_by(t.number)).all()
        return tuple(
            TakeInfo(
                *row[:5],
                row[5] or 0.0,
                row[6] or 0.0,
                *row[7:9],
                tuple(json.loads(row[9])),
                tuple(json.loads(row[10])),
            )
            for row in rows
        )

    # Observations

    def span_s(self) -> tuple[float, float] | None:
        """First and last moment of anything observed; None in an empty case."""
        with self._reading() as db:
            start_s, end_s = _span_of(db, None)
        return None if start_s is None else (float(start_s), float(end_s or start_s))

    def window(
        self, start_s: float | None = None, end_s: float | None = None, setup: Setup | None = None
    ) -> Observations:
        """All that was observed from start to end (both included; open ends for None).

        setup: whose reference window counts, the stored one for None.
        """
        low = -np.inf if start_s is None else start_s
        high = np.inf if end_s is None else end_s
        takes = self.takes()
        spots = tuple(sorted({t.spot for t in takes}))
        spot_of_take = {t.number: spots.index(t.spot) for t in takes}
        with self._reading() as db:
            rows = db.execute(sa.select(schema.announcements.c.number, schema.announcements.c.document)).all()
            known = {int(number): announcement_from(text) for number, text in rows}
            sightings = self._chunks(db, Sightings, low, high, spot_of_take)
            traffic, hourly = self._traffic(db, low, high, spot_of_take)
            listening = self._chunks(db, Listening, low, high, spot_of_take)
            edges = self._chunks(db, Edges, low, high, spot_of_take)
            surveys = self._chunks(db, Surveys, low, high, spot_of_take)
            links = self._chunks(db, Links, low, high, spot_of_take)
            reported = db.execute(sa.select(schema.capabilities.c.document)).scalars()
            capabilities = tuple(capability_from(text) for text in sorted(reported))
        sightings = sightings.rows((sightings.time_s >= low) & (sightings.time_s <= high))
        traffic = Traffic.stacked([traffic, joined_aggregates(edges)])
        # A second belongs to the window in which it begins.
        traffic = traffic.rows((traffic.second >= np.floor(low)) & (traffic.second <= high))
        traffic = Traffic.stacked([traffic, hourly])
        listening = listening.rows((listening.end_s >= low) & (listening.start_s <= high))
        surveys = surveys.rows((surveys.time_s >= low) & (surveys.time_s <= high))
        links = links.rows((links.time_s >= low) & (links.time_s <= high))
        announcements, sightings = _renumbered(known, sightings)
        span = self.span_s() or (0.0, 0.0)
        return Observations(
            start_s=span[0] if start_s is None else start_s,
            end_s=span[1] if end_s is None else end_s,
            announcements=announcements,
            sightings=merged_sightings(sightings),
            traffic=merged_traffic(traffic),
            listening=merged_listening(listening, low, high),
            spots=spots,
            takes=takes,
            surveys=surveys.rows(np.lexsort((surveys.spot, surveys.receiver_hz, surveys.time_s))),
            links=links.rows(np.lexsort((links.spot, links.station, links.time_s))),
            capabilities=capabilities,
            swept=self.sweeps.swept(low, high),
            detection_blocks=self.detections.window(low, high),
            rows_pending=self.detections.pending_rows(),
            known_before=self._heard_in_reference(setup or self.setup(), known, spot_of_take),
        )

    def _heard_in_reference(
        self, setup: Setup, known: dict[int, Announcement], spot_of_take: dict[int, int]
    ) -> frozenset[str] | None:
        reference = setup.reference
        if reference is None:
            return None
        with self._reading() as db:
            rows = self._chunks(db, Sightings, *reference, spot_of_take)
        inside = (rows.time_s >= reference[0]) & (rows.time_s <= reference[1])
        return frozenset(known[int(n)].bssid for n in np.unique(rows.announcement[inside]))

    def _announcement_number(self, db: sa.Connection, announcement: Announcement) -> int:
        if announcement not in self._numbers:
            table, text = schema.announcements, announcement_text(announcement)
            held = db.execute(sa.select(table.c.number).where(table.c.document == text)).scalar()
            if held is None:
                held = db.execute(table.insert().returning(table.c.number), {"document": text}).scalar_one()
            self._numbers[announcement] = int(held)
        return self._numbers[announcement]

    def _add_chunks(self, db: sa.Connection, take: int, table: Columns, time_s: FloatArray) -> None:
        for first in range(0, len(table), _CHUNK_ROWS):
            rows = np.arange(first, min(first + _CHUNK_ROWS, len(table)))
            columns, payload = pack(table.rows(rows))
            ends = getattr(table, "end_s", time_s)[rows]
            row = {
                "take": take,
                "layout": type(table).__name__.lower(),
                "columns": columns,
                "start_s": float(time_s[rows].min()),
                "end_s": float(ends.max()),
                "rows": len(rows),
                "payload": payload,
            }
            number = db.execute(schema.chunks.insert().returning(schema.chunks.c.number), row).scalar_one()
            if isinstance(table, Traffic):
                summed = by_the_hour(table.rows(rows))
                columns, payload = pack(summed)
                reported = {"chunk": number, "columns": columns, "rows": len(summed), "payload": payload}
                db.execute(schema.sums.insert(), reported)

    def _traffic(
        self, db: sa.Connection, low: float, high: float, spot_of_take: dict[int, int]
    ) -> tuple[Traffic, Traffic]:
        """(rows of chunks that the window cuts, sums by the hour of those that it holds whole)."""
        c, s = schema.chunks.c, schema.sums.c
        whole = (c.start_s >= np.floor(low)) & (c.end_s <= high)
        chosen = sa.select(c.take, s.columns, s.rows, s.payload).join(schema.sums, s.chunk == c.number)
        chosen = chosen.where(c.take.in_(spot_of_take), whole).order_by(c.number)
        summed = []
        for take, columns, rows, payload in db.execute(chosen):
            table = unpack(Traffic, columns, rows, payload)
            table.spot[:] = spot_of_take[take]
            summed.append(table)
        rest = ~(whole & c.number.in_(sa.select(s.chunk)))
        hourly = Traffic.stacked(summed) if summed else Traffic.empty()
        return self._chunks(db, Traffic, low, high, spot_of_take, rest), hourly

    def _chunks(
        self,
        db: sa.Connection,
        layout: type[Table],
        low: float,
        high: float,
        spot_of_take: dict[int, int],
        which: sa.ColumnElement[bool] | None = None,
    ) -> Table:
        c = schema.chunks.c
        chosen = sa.select(c.take, c.columns, c.rows, c.payload).where(c.layout == layout.__name__.lower())
        chosen = chosen.where(c.take.in_(spot_of_take))
        if which is not None:
            chosen = chosen.where(which)
        if np.isfinite(low):
            chosen = chosen.where(c.end_s >= np.floor(low))
        if np.isfinite(high):
            chosen = chosen.where(c.start_s <= high)
        tables = []
        for take, columns, rows, payload in db.execute(chosen.order_by(c.number)):
            table = unpack(layout, columns, rows, payload)
            table.spot[:] = spot_of_take[take]  # type: ignore[attr-defined]
            if isinstance(table, Edges):
                table.take[:] = take
            tables.append(table)
        return layout.stacked(tables) if tables else layout.empty()


def _span_of(db: sa.Connection, take: int | None) -> tuple[float | None, float | None]:
    """First and last moment of what a take observed, or of all takes."""
    c, w = schema.chunks.c, schema.sweep_chunks.c
    rows = sa.select(sa.func.min(c.start_s), sa.func.max(c.end_s))
    sweeps = sa.select(sa.func.min(w.start_s), sa.func.max(w.end_s)).where(w.level == 0)
    if take is not None:
        rows = rows.where(c.take == take)
        sweeps = sweeps.join(schema.sweeps, schema.sweeps.c.number == w.sweep).where(
            schema.sweeps.c.take == take
        )
    (first, last), (swept_first, swept_last) = db.execute(rows).one(), db.execute(sweeps).one()
    starts = [float(s) for s in (first, swept_first) if s is not None]
    ends = [float(s) for s in (last, swept_last) if s is not None]
    return min(starts, default=None), max(ends, default=None)


def _with_announcement(sightings: Sightings, numbers: np.ndarray[Any, np.dtype[np.int64]]) -> Sightings:
    columns = {**vars(sightings), "announcement": numbers[sightings.announcement]}
    return Sightings(**columns)


def _renumbered(
    known: dict[int, Announcement], sightings: Sightings
) -> tuple[tuple[Announcement, ...], Sightings]:
    """Only the announcements that are used, in an order that does not depend on how they came in."""
    used = np.unique(sightings.announcement)
    ordered = sorted((announcement_text(known[int(n)]), int(n)) for n in used)
    place = np.zeros(int(used.max()) + 1 if len(used) else 1, np.int64)
    for k, (_, number) in enumerate(ordered):
        place[number] = k
    announcements = tuple(known[number] for _, number in ordered)
    return announcements, _with_announcement(sightings, place)


def _engine(path: Path) -> sa.Engine:
    # As a value, not as text: “?”, “%20” and “#” in a name would be read as parts of an address.
    engine = sa.create_engine(sa.URL.create("sqlite", database=str(path)))

    @sa.event.listens_for(engine, "connect")
    def _settings(connection: sqlite3.Connection, _: object) -> None:
        connection.execute("PRAGMA journal_mode = WAL")  # readers go on while one process writes
        connection.execute("PRAGMA busy_timeout = 10000")
        connection.execute("PRAGMA foreign_keys = ON")

    return engine
