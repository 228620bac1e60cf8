"""The setups of a case: every one that was saved, the newest counts.

Source: docs/reliability.md, "Readers and writers".
"""

import time
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa

from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.model.setup_merge import merged
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.documents import setup_from, setup_text
from gray_kettle.store.seals import Damage, insert, rows_of

_DAMAGED = "a saved setup is damaged: the one before it is used"


def setup_row(setup: Setup) -> dict[str, Any]:
    """A setup as a row of the table, saved now."""
    return {"saved_s": time.time(), "document": setup_text(setup)}


class Setups:
    """The table of setups."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self.shown_as: Callable[[Setup], Setup] = lambda setup: setup

    def newest(self) -> Setup:
        """Raises: KettleError, when none can be read."""
        with self._database.reading() as db:
            return self.shown_as(self._newest(db))

    def save(self, setup: Setup, base: Setup | None = None) -> Setup:
        """See Case.save_setup."""
        return self.edit(lambda now: setup if base is None else merged(base, setup, now))

    def edit(self, change: Callable[[Setup], Setup]) -> Setup:
        """See Case.edit_setup."""
        with self._database.writing() as db:
            try:
                now = self._newest(db)
            except KettleError:  # the first one, or all are damaged: what is entered now counts
                now = Setup()
            setup = change(now)
            insert(db, schema.setups, setup_row(setup))
        return setup

    def _newest(self, db: sa.Connection) -> Setup:
        rows = list(rows_of(db, schema.setups, self._damage, _DAMAGED))
        for row in reversed(rows):
            try:
                return setup_from(row["document"])
            except KettleError:
                self._damage.add(_DAMAGED)
        raise KettleError("The setup in this case is damaged: enter it again with `gray-kettle set`.")
