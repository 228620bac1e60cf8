"""Example frames of a case, bounded in number."""

from collections.abc import Iterable
from typing import Any

import sqlalchemy as sa

from gray_kettle.model.records import EXAMPLES_A_KIND, ExampleFrame
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.packing import UNREADABLE, example_from, example_text
from gray_kettle.store.seals import Damage, insert_all, rows_of

MOST = 4000  # in a case
_DAMAGED = "an example frame is damaged"
Key = tuple[str, int, int]


class ExampleFrames:
    """The table of example frames."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self._counts: dict[Key, int] | None = None  # None: not looked up yet
        self.is_withheld = False  # bytes of frames hold addresses: a masked case shows none

    def forget_counts(self) -> None:
        """What was counted in memory was not stored."""
        self._counts = None

    def add(self, db: sa.Connection, frames: Iterable[ExampleFrame]) -> None:
        """Keep those of which there are not enough yet."""
        frames = tuple(frames)
        if not frames:
            return
        if self._counts is None:
            self._counts = {}
            for row in rows_of(db, schema.frames, Damage(), ""):
                key = (row["bssid"], row["kind"], row["receiver_mhz"])
                self._counts[key] = self._counts.get(key, 0) + 1
        kept = []
        for frame in frames:
            key = (frame.bssid, frame.kind, frame.receiver_mhz)
            if self._counts.get(key, 0) < EXAMPLES_A_KIND and sum(self._counts.values()) < MOST:
                self._counts[key] = self._counts.get(key, 0) + 1
                kept.append(row_of(frame))
        insert_all(db, schema.frames, kept)

    def all(self) -> tuple[ExampleFrame, ...]:
        """In order of time."""
        if self.is_withheld:
            return ()
        with self._database.reading() as db:
            rows = list(rows_of(db, schema.frames, self._damage, _DAMAGED))
        out = []
        for row in rows:
            try:
                out.append(example_from(row["document"]))
            except UNREADABLE:
                self._damage.add(_DAMAGED)
        return tuple(sorted(out, key=lambda frame: (frame.time_s, frame.bssid, frame.kind)))


def row_of(frame: ExampleFrame) -> dict[str, Any]:
    """A row of the table."""
    row = {name: getattr(frame, name) for name in ("time_s", "bssid", "kind", "receiver_mhz")}
    return {**row, "document": example_text(frame)}
