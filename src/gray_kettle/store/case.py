"""A case: setup, takes, and what they observed. Takes are only ever added."""

import json
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, Self

import numpy as np
import sqlalchemy as sa

from gray_kettle.errors import KettleError
from gray_kettle.model.records import (
    Announcement,
    ClientCapability,
    Edges,
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
from gray_kettle.store.alerts import Alerts
from gray_kettle.store.chunk_reader import ChunkReader
from gray_kettle.store.chunk_writer import ChunkWriter
from gray_kettle.store.database import Database, check_schema, create_file, open_database
from gray_kettle.store.detection_cache import DetectionCache
from gray_kettle.store.example_frames import ExampleFrames
from gray_kettle.store.extent import span_of
from gray_kettle.store.journal import Journal
from gray_kettle.store.merging import (
    joined_aggregates,
    merged_listening,
    merged_sightings,
    merged_traffic,
)
from gray_kettle.store.seals import Damage, check_structure
from gray_kettle.store.setups import Setups
from gray_kettle.store.sweep_writer import SweepWriter
from gray_kettle.store.sweeps import Sweeps
from gray_kettle.store.takes import Input, Takes
from gray_kettle.store.texts import Texts, renumbered
from gray_kettle.store.trials import Trials
from gray_kettle.store.upgrade import upgrade

# Small tables; that rows of the large ones are missing shows by their count in each take.
_CHECKED = ("setups", "takes", "announcements", "abilities", "sweeps", "looks")


class Case:
    """One open case file. Belongs to the thread that opened it; use it in a `with` block."""

    def __init__(self, path: Path, database: Database) -> None:
        self.path = path
        self.damage = Damage()
        self._database = database
        self._writers: dict[int, SweepWriter] = {}
        self._chunk_writers: dict[int, ChunkWriter] = {}
        self._texts = Texts(self.damage)
        self.setups = Setups(database, self.damage)
        self.take_list = Takes(database, self.damage)
        self.journal = Journal(database, self.damage)
        self.alerts = Alerts(database, self.damage)
        self.trials = Trials(database, self.damage)
        self._chunk_reader = ChunkReader(database, self.take_list, self.damage)
        self.example_frames = ExampleFrames(database, self.damage)
        self.sweeps = Sweeps(database, self.take_list, self.damage)
        self.detections = DetectionCache(database, self.sweeps)

    @classmethod
    def create(cls, path: Path, setup: Setup) -> "Case":
        """Make a new case. Raises: KettleError, when the file exists or cannot be written."""
        if path.exists() or path.is_symlink():
            raise KettleError(f"{path} exists already: choose another name, or open it.")
        if not path.parent.is_dir():
            raise KettleError(f"The folder {path.parent} does not exist: create it first.")

        def fill(database: Database) -> None:
            with database.writing() as db:
                db.execute(sa.text(f"PRAGMA application_id = {header.APPLICATION_ID}"))
                db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
                schema.metadata.create_all(db)
            Setups(database, Damage()).save(setup)

        create_file(path, fill)
        return cls(path, Database(path))

    @classmethod
    def open(cls, path: Path) -> Self:
        """Open a case; for reading alone where it cannot be written.

        Raises: KettleError, when it is none, holds what no case of ours has, or is from a newer version.
        """
        version = header.check(path)
        database = open_database(path, is_outdated=version < header.VERSION)
        try:
            with database.reading() as db:
                check_schema(db, path)
            if version < header.VERSION:
                upgrade(database)
        except BaseException:
            database.close()
            raise
        return cls(path, database)

    @property
    def read_only(self) -> str:
        """Why nothing can be saved; "" where it can."""
        return self._database.read_only

    def snapshot(self) -> AbstractContextManager[sa.Connection]:
        """All that is read inside is one state of the case, whatever others write meanwhile."""
        return self._database.reading()

    def writing(self) -> AbstractContextManager[sa.Connection]:
        """All that is written inside, or nothing."""
        return self._database.writing()

    def back_up(self, target: Database) -> None:
        """Write all of it into another file, as it is at one moment."""
        self._database.back_up(target)

    def give_back(self) -> None:
        """Give the disk back what the file does not need any more. Takes a while, and as much room again."""
        self._database.vacuum()

    def wait_for_locks(self, seconds: float, is_cancelled: Callable[[], bool] = lambda: False) -> None:
        """How long writes wait for another process that holds the case."""
        self._database.patience_s, self._database.is_cancelled = seconds, is_cancelled

    def close(self) -> None:
        self._database.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # Setup

    def setup(self) -> Setup:
        return self.setups.newest()

    def save_setup(self, setup: Setup, base: Setup | None = None) -> Setup:
        """Save a setup. base: what it was made from; what others saved since stays, field by field. What is saved."""
        return self.setups.save(setup, base)

    def edit_setup(self, change: Callable[[Setup], Setup]) -> Setup:
        """Change the setup as it is now, with nobody saving in between."""
        return self.setups.edit(change)

    # Takes

    def begin_take(self, source: str, kind: str, spot: str) -> int:
        """Open a take; its number."""
        return self.take_list.begin(source, kind, spot)

    def append(self, take: int, piece: Piece, read: Input | None = None) -> None:
        """Add a piece to a take; what was appended stays even if nothing more comes.

        read: how far its input was read for it.
        """
        self.append_all([(take, piece, read)])

    def append_all(
        self, parts: Sequence[tuple[int, Piece, Input | None]], known: Mapping[str, int] | None = None
    ) -> None:
        """Add (take, piece, read) of several takes: all of them, or nothing.

        known: how far inputs were read before, by digest. Raises: ReadMeanwhile, where another process read further.
        """
        has_begun = False
        try:
            with self._database.writing() as db:
                has_begun = True
                if known:
                    self.take_list.check_read(db, known)
                for take, piece, read in parts:
                    self._append(db, take, piece, read)
        except BaseException:
            if has_begun:  # what is known of them in memory was not stored
                self._texts = Texts(self.damage)
                self.example_frames.forget_counts()
                for take, _, _ in parts:
                    self._chunk_writers.pop(take, None)
                    self._writers.pop(take, None)
                    self.take_list.roll_back(take)
            raise

    def _append(self, db: sa.Connection, take: int, piece: Piece, read: Input | None) -> None:
        numbers = self._texts.announcements(db, piece.announcements)
        sightings = piece.sightings
        if len(sightings):
            sightings = _with_announcement(sightings, numbers)
        chunks = self._chunk_writers.setdefault(take, ChunkWriter(take))
        tables = (sightings, piece.traffic, piece.listening, piece.edges, piece.surveys, piece.links)
        added = sum(chunks.add(db, table) for table in tables)
        writer = self._writers.get(take)
        if writer is None and piece.sweeps:
            writer = self._writers[take] = SweepWriter(take)
        before = writer.chunks if writer else 0
        for rows in piece.sweeps:
            assert writer is not None
            writer.add(db, rows)
        self._texts.capabilities(db, piece.capabilities)
        self.example_frames.add(db, piece.examples)
        self.take_list.grown(db, take, added, (writer.chunks if writer else 0) - before, piece, read)

    def finish_take(
        self,
        take: int,
        swept_bands: tuple[str, ...] = (),
        notes: tuple[str, ...] = (),
        read: Input | None = None,
        *,
        complete: bool,
        supersedes: tuple[int, ...] = (),
    ) -> None:
        """Close a take. read: how far its input was read.

        supersedes: takes whose bytes were proven to be the beginning of its own.
        """
        with self._database.writing() as db:
            self._chunk_writers.pop(take, None)
            if take in self._writers:
                writer = self._writers.pop(take)
                before = writer.chunks
                writer.flush(db)
                self.take_list.grown(db, take, 0, writer.chunks - before, Piece(), None)
            start_s, end_s = span_of(db, take)
            values = {
                "start_s": start_s,
                "end_s": end_s,
                "notes": json.dumps(notes),
                "swept_bands": json.dumps(swept_bands),
                "complete": complete,
            }
            self.take_list.finish(db, take, values, read, supersedes)

    def forget_take(self, take: int) -> None:
        """Take back a take that gave nothing, or that turned out to be held already."""
        self._writers.pop(take, None)
        self._chunk_writers.pop(take, None)
        self.take_list.forget(take)
        swept = sa.select(schema.sweeps.c.number).where(schema.sweeps.c.take == take)
        with self._database.writing() as db:
            db.execute(schema.sweep_chunks.delete().where(schema.sweep_chunks.c.sweep.in_(swept)))
            db.execute(schema.looks.delete().where(schema.looks.c.sweep.in_(swept)))
            db.execute(schema.sweeps.delete().where(schema.sweeps.c.take == take))
            its = sa.select(schema.chunks.c.number).where(schema.chunks.c.take == take)
            db.execute(schema.sums.delete().where(schema.sums.c.chunk.in_(its)))
            db.execute(schema.chunks.delete().where(schema.chunks.c.take == take))
            db.execute(schema.takes.delete().where(schema.takes.c.number == take))

    def takes(self) -> tuple[TakeInfo, ...]:
        """The takes that count."""
        return tuple(take for take in self.take_list.all() if take.counts)

    # Observations

    def announced(self) -> dict[int, Announcement]:
        """What access points announced, by number."""
        with self._database.reading() as db:
            return self._texts.known_announcements(db)

    def capabilities(self) -> tuple[ClientCapability, ...]:
        """What clients said they can do."""
        with self._database.reading() as db:
            return self._texts.known_capabilities(db)

    def span_s(self) -> tuple[float, float] | None:
        """First and last moment of anything observed; None in an empty case."""
        with self._database.reading() as db:
            start_s, end_s = span_of(db, None)
        return None if start_s is None else (float(start_s), float(end_s or start_s))

    def window(
        self, start_s: float | None = None, end_s: float | None = None, setup: Setup | None = None
    ) -> Observations:
        """All that was observed from start to end (both included; open ends for None).

        setup: whose reference window counts, the stored one for None.
        """
        low = -np.inf if start_s is None else start_s
        high = np.inf if end_s is None else end_s
        with self._database.reading() as db:
            self.damage.clear()
            for table in _CHECKED:
                check_structure(db, table, self.damage)
            takes = self.takes()
            spots = tuple(sorted({t.spot for t in takes}))
            spot_of_take = {t.number: spots.index(t.spot) for t in takes}
            known = self._texts.known_announcements(db)
            sightings = self._chunk_reader.chunks(db, Sightings, low, high, spot_of_take)
            traffic, hourly = self._chunk_reader.traffic(db, low, high, spot_of_take)
            listening = self._chunk_reader.chunks(db, Listening, low, high, spot_of_take)
            edges = self._chunk_reader.chunks(db, Edges, low, high, spot_of_take)
            surveys = self._chunk_reader.chunks(db, Surveys, low, high, spot_of_take)
            links = self._chunk_reader.chunks(db, Links, low, high, spot_of_take)
            capabilities = self._texts.known_capabilities(db)
            span = self.span_s() or (0.0, 0.0)
            swept = self.sweeps.swept(low, high)
            detection_blocks = self.detections.window(low, high)
            rows_pending = self.detections.pending_rows()
            known_before = self._heard_in_reference(setup or self.setup(), known, spot_of_take)
            sightings = sightings.rows((sightings.time_s >= low) & (sightings.time_s <= high))
            announcements, known_sightings = renumbered(known, sightings)
            if len(known_sightings) < len(sightings):
                self.damage.add("what was announced is not known any more: where it was observed is left out")
            sightings = known_sightings
            damage = self.damage.sentences
        traffic = Traffic.stacked([traffic, joined_aggregates(edges)])
        # A second belongs to the window in which it begins.
        traffic = traffic.rows((traffic.second >= np.floor(low)) & (traffic.second <= high))
        traffic = Traffic.stacked([traffic, hourly])
        listening = listening.rows((listening.end_s >= low) & (listening.start_s <= high))
        surveys = surveys.rows((surveys.time_s >= low) & (surveys.time_s <= high))
        links = links.rows((links.time_s >= low) & (links.time_s <= high))
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
            swept=swept,
            detection_blocks=detection_blocks,
            rows_pending=rows_pending,
            known_before=known_before,
            damage=damage,
        )

    def state_digest(self) -> str:
        """Of what was observed: another one once a take was added, grew or counts no more, or sweeps were examined."""
        with self._database.reading() as db:
            takes = [row["seal"] for row in self.take_list.rows(db)]
            looks = db.execute(
                sa.select(
                    sa.func.count(), sa.func.max(schema.looks.c.number), sa.func.max(schema.looks.c.detector)
                )
            ).one()
        return f"{takes} {tuple(looks)}"

    def traffic_by_second(self, start_s: float, end_s: float) -> Traffic:
        """Traffic of an interval, second by second also where a window has sums by the hour; as it came, not merged."""
        with self._database.reading() as db:
            spot_of_take = {take.number: 0 for take in self.takes()}
            rows, hourly = self._chunk_reader.traffic(db, start_s, end_s, spot_of_take, by_second=True)
        both = Traffic.stacked([rows, hourly])
        return both.rows((both.second >= np.floor(start_s)) & (both.second <= end_s))

    def _heard_in_reference(
        self, setup: Setup, known: dict[int, Announcement], spot_of_take: dict[int, int]
    ) -> frozenset[str] | None:
        reference = setup.reference
        if reference is None:
            return None
        with self._database.reading() as db:
            rows = self._chunk_reader.chunks(db, Sightings, *reference, spot_of_take)
        inside = (rows.time_s >= reference[0]) & (rows.time_s <= reference[1])
        numbers = np.unique(rows.announcement[inside]).tolist()
        return frozenset(known[n].bssid for n in numbers if n in known)


def _with_announcement(sightings: Sightings, numbers: np.ndarray[Any, np.dtype[np.int64]]) -> Sightings:
    columns = {**vars(sightings), "announcement": numbers[sightings.announcement]}
    return Sightings(**columns)
