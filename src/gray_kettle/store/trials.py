"""Runs of trials in a case: they are only added."""

import json
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from pydantic import TypeAdapter

from gray_kettle.model.records import LATEST_S
from gray_kettle.model.trial import FIGURES, TrialRun
from gray_kettle.safe_text import printable
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.packing import UNREADABLE
from gray_kettle.store.seals import Damage, insert_all, rows_of

_RUN = TypeAdapter(TrialRun)
_DAMAGED = "a run of a trial is damaged and left out"
_MOST_TEXT = 80


class Trials:
    """The table of runs."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self.shown_as: Callable[[tuple[TrialRun, ...]], tuple[TrialRun, ...]] = lambda runs: runs

    def add(self, runs: Sequence[TrialRun]) -> None:
        documents: list[Mapping[str, Any]] = []
        for run in runs:
            document = {k: v for k, v in asdict(run).items() if not (isinstance(v, float) and math.isnan(v))}
            documents.append({"time_s": run.time_s, "document": json.dumps(document, sort_keys=True)})
        with self._database.writing() as db:
            insert_all(db, schema.trials, documents)

    def all(self) -> tuple[TrialRun, ...]:
        """Every run in order of time; figures that nothing can have are as if not measured."""
        found = []
        with self._database.reading() as db:
            for row in rows_of(db, schema.trials, self._damage, _DAMAGED):
                try:
                    found.append(_checked(_RUN.validate_json(row["document"])))
                except UNREADABLE:
                    self._damage.add(_DAMAGED)
        return self.shown_as(tuple(sorted(found, key=lambda run: run.time_s)))


def _checked(run: TrialRun) -> TrialRun:
    if not 0 <= run.time_s <= LATEST_S:
        raise ValueError("an impossible time")
    figures = {name: getattr(run, name) for name in FIGURES}
    known = {name: value if 0 <= value < 1e9 else math.nan for name, value in figures.items()}
    texts = {name: printable(getattr(run, name))[:_MOST_TEXT] for name in ("setting", "client", "spot")}
    return TrialRun(run.time_s, **{**known, **texts})  # type: ignore[arg-type]
