"""The journal of what was written to access points. Source: docs/reliability.md, "Changes on access points"."""

import time
from collections.abc import Callable

from pydantic import TypeAdapter

from gray_kettle.model.device_change import DeviceChange
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.packing import UNREADABLE
from gray_kettle.store.seals import Damage, insert, rows_of, update

_CHANGE = TypeAdapter(DeviceChange)
_DAMAGED = "an entry in the journal of changes on access points is damaged"


class Journal:
    """The table of changes on access points, by number."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self.shown_as: Callable[[DeviceChange], DeviceChange] = lambda change: change

    def add(self, address: str, change: DeviceChange) -> int:
        """Keep what is about to be written, before it is; its number."""
        row = {"time_s": time.time(), "address": address, "document": _CHANGE.dump_json(change).decode()}
        with self._database.writing() as db:
            return insert(db, schema.changes, row)

    def settle(self, number: int, change: DeviceChange) -> None:
        """Keep what came of it."""
        with self._database.writing() as db:
            for row in rows_of(db, schema.changes, self._damage, _DAMAGED):
                if row["number"] == number:
                    update(db, schema.changes, {**row, "document": _CHANGE.dump_json(change).decode()})

    def entries(self, address: str) -> list[tuple[int, float, DeviceChange]]:
        """(number, time, change) of all that was written to an address, the oldest first."""
        found = []
        with self._database.reading() as db:
            for row in rows_of(db, schema.changes, self._damage, _DAMAGED):
                if row["address"] != address:
                    continue
                try:
                    change = self.shown_as(_CHANGE.validate_json(row["document"]))
                    found.append((row["number"], row["time_s"], change))
                except UNREADABLE:
                    self._damage.add(_DAMAGED)
        return found
