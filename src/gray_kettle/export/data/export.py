"""From a case to data in files: what the command and the app do."""

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import BinaryIO

from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.export.data import answers, streams
from gray_kettle.export.data.archive import opened_sink, write_archive
from gray_kettle.export.data.package import described
from gray_kettle.export.data.table import Table
from gray_kettle.export.data.writers import FORMATS, write_table
from gray_kettle.export.files import check_target, write_file
from gray_kettle.masking import MaskOptions
from gray_kettle.model.records import Announcement
from gray_kettle.model.setup import Setup
from gray_kettle.session import Session, detect_waiting, load_session
from gray_kettle.store import Case
from gray_kettle.store.masked import masking_of, opened_as
from gray_kettle.store.transfer import CaseRecords, Selection

ANSWERS = (
    "radios",
    "bssids",
    "clients",
    "channels",
    "emitters",
    "findings",
    "plan",
    "proof",
    "trials",
    "takes",
)
STREAMS = ("sightings", "airtime", "survey", "links", "sweeps", "sweeps-long", "sweeps-summed")
TABLES = (*ANSWERS, *STREAMS)
Progress = Callable[[str, float], None]


def write_export(
    case: Path,
    output: Path,
    table: str = "",
    window: tuple[float | None, float | None] = (None, None),
    *,
    form: str = "",
    masked: MaskOptions | None = None,
    own_only: bool = False,
    with_answers: bool = True,
    force: bool = False,
    progress: Progress = lambda what, share: None,
) -> tuple[Path, ...]:
    """Write one table to a file, or all of a case to a folder or a zip file; the files that were written.

    table: one of TABLES; form: of the answers in a folder or zip file. own_only: without radios that are not ours.
    Raises: KettleError, when the case or the file cannot be used.
    """
    ending = output.suffix.lower().removeprefix(".")
    is_whole = ending in ("", "zip")
    if not is_whole and ending not in FORMATS:
        raise InvalidInput(
            f"{output.name}: data is written as .csv, .json, .jsonl, .parquet, .zip or into a folder."
        )
    if is_whole and table:
        raise InvalidInput(f"{output.name}: a table is written as .csv, .json, .jsonl or .parquet.")
    if form not in ("", *FORMATS):
        raise InvalidInput(f"“{form}” is not a format: use {', '.join(FORMATS)}.")
    table = table or "radios"
    if table not in TABLES:
        raise InvalidInput(f"“{table}” is not a table: use {', '.join(TABLES)}.")
    with Case.open(case) as opened:
        if is_whole or table in ANSWERS:
            detect_waiting(opened, lambda done, total: progress("detecting emitters", done / total))
        masking = masking_of(opened, masked) if masked else None
        selection = Selection(
            Selection.start_s if window[0] is None else window[0],
            Selection.end_s if window[1] is None else math.nextafter(window[1], math.inf),  # both included
        )
        records = CaseRecords(opened, selection, masking)
        with opened_as(case, masking) as shown:
            job = _Job(shown, window, own_only, progress)
            if is_whole:
                tables = job.answers(ANSWERS) if with_answers else []
                with opened_sink(output, force) as sink, opened.snapshot():
                    write_archive(
                        records, tables, shown.setup().site, form or "csv", sink,
                        lambda done, total: progress("writing", done / total),
                    )  # fmt: skip
                return (output,)
            if table in ANSWERS:
                return _write([(output, job.answers((table,))[0])], ending, force, progress)
            with opened.snapshot():
                return _write(_streams(records, table, output, own_only), ending, force, progress)


class _Job:
    """Answers about one window, each worked out where it is asked for."""

    def __init__(
        self, case: Case, window: tuple[float | None, float | None], own_only: bool, progress: Progress
    ) -> None:
        self._case, self._window, self._own_only, self._progress = case, window, own_only, progress
        self._session: Session | None = None

    @property
    def session(self) -> Session:
        if self._session is None:
            self._session = load_session(self._case, *self._window)
            self._session.planning = lambda done: self._progress("planning", done)
        return self._session

    def answers(self, names: tuple[str, ...]) -> list[Table]:
        made = {
            "radios": lambda: answers.radios(self.session, self._own_only),
            "bssids": lambda: answers.bssids(self.session, self._own_only),
            "clients": lambda: answers.clients(self.session, self._own_only),
            "channels": lambda: answers.channels(self.session),
            "emitters": lambda: answers.emitters(self.session),
            "findings": lambda: answers.findings(self.session),
            "plan": lambda: answers.plan(self.session),
            "trials": lambda: answers.trials(self._case.trials.all()),
            "takes": lambda: answers.takes(self._case.take_list.all()),
        }
        found = []
        for name in names:
            if name == "proof":
                found += self._proof(is_wanted=names == ("proof",))
            else:
                found.append(made[name]())
        return found

    def _proof(self, is_wanted: bool) -> list[Table]:
        """is_wanted: it was asked for by name, so that it is an error where there is none."""
        from gray_kettle.proving import prove

        try:
            found = prove(
                self._case, self._window, None, lambda done, total: self._progress("comparing", done / total)
            )
        except InvalidInput:
            if is_wanted:
                raise
            return []
        return [answers.proof(found)]


def _streams(records: CaseRecords, table: str, output: Path, own_only: bool) -> list[tuple[Path, Table]]:
    if table == "sweeps":
        runs = records.runs()
        if not runs:
            raise KettleError("Nothing was swept in this window.")
        if len(runs) == 1:
            return [(output, streams.sweep_wide(records, runs[0]))]
        return [
            (output.with_name(f"{output.stem}-{run.number}{output.suffix}"), streams.sweep_wide(records, run))
            for run in runs
        ]
    setup = records.setup()
    made = {
        "sightings": lambda: streams.sightings(records, (lambda a: _is_own(a, setup)) if own_only else None),
        "airtime": lambda: streams.airtime(records),
        "survey": lambda: streams.survey(records),
        "links": lambda: streams.links(records),
        "sweeps-long": lambda: streams.sweeps_long(records),
        "sweeps-summed": lambda: streams.sweeps_summed(records),
    }
    return [(output, made[table]())]


def _is_own(announcement: Announcement, setup: Setup) -> bool:
    named = announcement.ssid in {name.encode() for name in setup.own}
    return (named or announcement.bssid in setup.own) and announcement.bssid not in setup.foreign


def _write(tables: list[tuple[Path, Table]], form: str, force: bool, progress: Progress) -> tuple[Path, ...]:
    """Each table with its dictionary beside it."""
    out: list[Path] = []
    for number, (path, table) in enumerate(tables):
        dictionary = path.with_name(path.name + ".datapackage.json")
        check_target(path, force)
        check_target(dictionary, force)
        write_file(path, _filler(table, form, partial(progress, "writing", number / len(tables))), force)
        write_file(
            dictionary, described(table.title, [(path.name, form, replace(table, name=path.stem))]), force
        )
        out += [path, dictionary]
    return tuple(out)


def _filler(table: Table, form: str, is_alive: Callable[[], None]) -> Callable[[BinaryIO], None]:
    """is_alive: called now and then; it may raise to cancel."""
    return lambda file: write_table(table, file, form, lambda rows: is_alive())
