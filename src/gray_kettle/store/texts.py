"""What was announced, and what clients said they can do: each text once in a case, by number."""

from collections.abc import Iterable
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.model.records import Announcement, ClientCapability, IntArray, Sightings
from gray_kettle.store import schema
from gray_kettle.store.packing import (
    UNREADABLE,
    announcement_from,
    announcement_text,
    capability_from,
    capability_text,
)
from gray_kettle.store.seals import Damage, insert_all, rows_of

_WHAT = {
    "announcements": "what an access point announced is damaged: where it was observed is left out",
    "abilities": "what a client said it can do is damaged and left out",
}


class Texts:
    """Two tables of texts. Numbers that were looked up once are kept at hand."""

    def __init__(self, damage: Damage) -> None:
        self._damage = damage
        self._numbers: dict[str, dict[str, int]] = {}
        self._highest: dict[str, int] = {}

    def announcements(self, db: sa.Connection, found: Iterable[Announcement]) -> IntArray:
        """Their numbers in the case; new ones are added."""
        return np.array(
            self._numbers_of(db, schema.announcements, [announcement_text(a) for a in found]), np.int64
        )

    def capabilities(self, db: sa.Connection, found: Iterable[ClientCapability]) -> None:
        self._numbers_of(db, schema.capabilities, [capability_text(c) for c in found])

    def known_announcements(self, db: sa.Connection) -> dict[int, Announcement]:
        """All that can be read, by number."""
        found = {}
        for row in rows_of(db, schema.announcements, self._damage, _WHAT["announcements"]):
            try:
                found[row["number"]] = announcement_from(row["document"])
            except UNREADABLE:
                self._damage.add(_WHAT["announcements"])
        return found

    def known_capabilities(self, db: sa.Connection) -> tuple[ClientCapability, ...]:
        found: dict[str, ClientCapability] = {}
        for row in rows_of(db, schema.capabilities, self._damage, _WHAT["abilities"]):
            try:
                found[row["document"]] = capability_from(row["document"])
            except UNREADABLE:
                self._damage.add(_WHAT["abilities"])
        return tuple(found[text] for text in sorted(found))

    def _numbers_of(self, db: sa.Connection, table: sa.Table, texts: list[str]) -> list[int]:
        held = self._numbers.setdefault(table.name, {})
        if not held.keys() >= set(texts):
            self._refresh(db, table)
            new = [text for text in dict.fromkeys(texts) if text not in held]
            numbers = insert_all(db, table, [{"document": text} for text in new])
            held.update(zip(new, numbers, strict=True))
            self._highest[table.name] = max(self._highest.get(table.name, 0), *numbers, 0)
        return [held[text] for text in texts]

    def _refresh(self, db: sa.Connection, table: sa.Table) -> None:
        """Learn what others added meanwhile, and at first all that there is."""
        held, known = self._numbers[table.name], self._highest.get(table.name, 0)
        if (db.execute(sa.select(sa.func.max(table.c.number))).scalar() or 0) > known:
            for row in rows_of(db, table, self._damage, _WHAT[table.name]):
                held.setdefault(row["document"], row["number"])
                self._highest[table.name] = max(self._highest.get(table.name, 0), row["number"])


def renumbered(
    known: dict[int, Announcement], sightings: Sightings
) -> tuple[tuple[Announcement, ...], Sightings]:
    """Only the announcements that are used, in an order that does not depend on how they came in."""
    highest = max(known, default=0)
    is_known = np.zeros(highest + 2, np.bool_)
    is_known[list(known)] = True
    inside = (sightings.announcement >= 0) & (sightings.announcement <= highest)
    sightings = sightings.rows(inside & is_known[np.where(inside, sightings.announcement, highest + 1)])
    used = np.unique(sightings.announcement).tolist()
    texts = {n: announcement_text(known[n]) for n in used}
    place_of = {text: k for k, text in enumerate(sorted(set(texts.values())))}
    place = np.zeros(highest + 1, np.int64)
    by_text: dict[str, Announcement] = {}
    for number in used:
        place[number] = place_of[texts[number]]
        by_text[texts[number]] = known[number]
    columns: dict[str, Any] = {**vars(sightings), "announcement": place[sightings.announcement]}
    return tuple(by_text[text] for text in place_of), Sightings(**columns)
