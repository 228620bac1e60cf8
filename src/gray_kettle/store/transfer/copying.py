"""Copies of cases: as they are, cut to a window, without what does not count, with other identities, or merged.

Source: docs/reliability.md, "Copies".
"""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import sqlalchemy as sa

from gray_kettle.masking import MaskOptions
from gray_kettle.model.records import Sightings
from gray_kettle.store import header, schema
from gray_kettle.store.case import Case
from gray_kettle.store.database import Database, create_file
from gray_kettle.store.masked import masking_of
from gray_kettle.store.transfer.builder import CaseBuilder, sightings_renumbered
from gray_kettle.store.transfer.records import CaseRecords, Selection, sweep_layout

Progress = Callable[[int, int], None]
WHOLE = Selection()


def backed_up(source: Path, target: Path) -> None:
    """A copy of a case as it is at one moment, also while somebody takes into it. Raises: KettleError."""
    with Case.open(source) as case:

        def fill(database: Database) -> None:
            case.back_up(database)

        create_file(target, fill)


def copied(
    source: Path,
    target: Path,
    selection: Selection = WHOLE,
    masked: MaskOptions | None = None,
    progress: Progress = lambda done, total: None,
) -> tuple[str, ...]:
    """Write a case that holds what is selected. What could not be read, in words.

    Raises: KettleError, when the source cannot be read or the target exists.
    """
    return _built([source], target, selection, masked, progress)


def merged_cases(
    sources: Sequence[Path], target: Path, progress: Progress = lambda done, total: None
) -> tuple[str, ...]:
    """Write a case with everything that is in any of these; what is in two is in it once. What could not be read.

    Raises: KettleError, when a source cannot be read or the target exists.
    """
    starts = {}
    for path in sources:
        with Case.open(path) as case, case.snapshot():
            details = CaseRecords(case, WHOLE, None).details()
            first_s = min((start_s for _, _, start_s, _ in details), default=np.inf)
            starts[path] = (case.span_s() or (np.inf, np.inf))[0], first_s  # what has more details first
    ordered = sorted(dict.fromkeys(sources), key=lambda path: starts[path])
    return _built(ordered, target, Selection(), None, progress, setup_of=sources[0])


def _built(
    sources: Sequence[Path],
    target: Path,
    selection: Selection,
    masked: MaskOptions | None,
    progress: Progress,
    setup_of: Path | None = None,
) -> tuple[str, ...]:
    damage: list[str] = []

    def fill(database: Database) -> None:
        with database.writing() as db:
            db.execute(sa.text(f"PRAGMA application_id = {header.APPLICATION_ID}"))
            db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
            schema.metadata.create_all(db)
            builder = CaseBuilder(db)
            if setup_of is not None:  # whose word counts
                with Case.open(setup_of) as case:
                    builder.add_setup(case.setup())
            if len(sources) > 1:
                builder.number_takes([row for path in sources for row in _takes_of(path, selection)])
                for number, path in enumerate(sources):
                    _expect(builder, number, path, selection)
            for number, path in enumerate(sources):
                with Case.open(path) as case:
                    masking = masking_of(case, masked) if masked else None
                    records = CaseRecords(case, selection, masking)
                    with case.snapshot():
                        poured(records, builder, _part(progress, number, len(sources)))
                    damage.extend(f"{path.name}: {what}" for what in case.damage.sentences)
                builder.next_source()
            builder.finish()

    create_file(target, fill)
    return tuple(damage)


def _takes_of(path: Path, selection: Selection) -> list[dict[str, Any]]:
    with Case.open(path) as case, case.snapshot():
        return CaseRecords(case, selection, None).takes()


def _expect(builder: CaseBuilder, source: int, path: Path, selection: Selection) -> None:
    with Case.open(path) as case, case.snapshot():
        records = CaseRecords(case, selection, None)
        takes = {row["number"]: row for row in records.takes()}
        for take, layout, first_s, last_s in records.details():
            if take in takes:
                builder.expect_details(source, takes[take], layout, first_s, last_s)


def _part(progress: Progress, number: int, count: int) -> Progress:
    return lambda done, total: progress(number * total + done, count * total)


def poured(records: CaseRecords, builder: CaseBuilder, progress: Progress) -> None:
    """Hand everything to a builder. Within a snapshot of the case."""
    builder.add_setup(records.setup())
    takes = records.takes()
    here = {row["number"]: builder.add_take(row) for row in takes}
    builder.link_takes(here)
    announced = records.announced()
    known = sorted(announced)
    given = [announced[n] for n in known]
    numbers = dict(zip(known, builder.announcements(given).tolist(), strict=True))
    builder.add_capabilities(records.capabilities())
    runs = [run for run in records.runs() if run.take in here]
    total = len(takes) + len(runs)
    for done, row in enumerate(takes):
        for table in records.tables(row["number"]):
            kept = sightings_renumbered(table, numbers) if isinstance(table, Sightings) else table
            builder.add_table(here[row["number"]], kept)
        elsewhere = builder.details_elsewhere(here[row["number"]], "traffic")
        for hour in records.thinned_hours(row["number"]):
            builder.thinned.add_hour(here[row["number"]], hour, elsewhere)
        progress(done, total)
    for done, run in enumerate(runs, len(takes)):
        for rows in records.sweep_rows(run):
            builder.add_sweep_rows(here[run.take], run.span, rows)
        elsewhere = builder.details_elsewhere(here[run.take], sweep_layout(run.span))
        for chunk in records.thinned_chunks(run):
            builder.thinned.add_chunk(here[run.take], run.span, chunk, elsewhere)
        found = records.detections(run.number)
        builder.add_detections(here[run.take], run.span, found, records.thin_until_s(run))
        progress(done, total)
    for table_, row in records.entries():
        builder.add_entry(table_, row)
