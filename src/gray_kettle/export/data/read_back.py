"""Makes a case of an export of ours: the folder or zip file that `write_archive` wrote."""

import csv
import io
import json
import zipfile
from base64 import b64decode
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import fields
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import sqlalchemy as sa
from pydantic import TypeAdapter, ValidationError

from gray_kettle.errors import KettleError
from gray_kettle.export.data.archive import ENTRIES, FORMAT, Progress
from gray_kettle.model.records import LATEST_S, Columns, IntArray, Sightings, Span, Traffic
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.duty import channel_rows
from gray_kettle.spectrum.quantise import to_codes, to_dbm
from gray_kettle.store import header, schema
from gray_kettle.store.database import Database, create_file
from gray_kettle.store.documents import setup_from
from gray_kettle.store.packing import UNREADABLE, announcement_from, capability_from, unpack
from gray_kettle.store.sweeps import CodedRows
from gray_kettle.store.thinned import ThinnedHour, chunk_of
from gray_kettle.store.transfer import CaseBuilder
from gray_kettle.store.transfer.builder import sightings_renumbered
from gray_kettle.store.transfer.records import LAYOUTS

_MOST_LINE, _MOST_BINS, _MOST_BLOCK_ROWS = 4 << 20, 1 << 16, 1 << 17
_SPAN = TypeAdapter(Span)
_BAD = (*UNREADABLE, ValidationError, csv.Error, StopIteration)


class _Source:
    """The files of an export."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._zip = zipfile.ZipFile(path) if path.is_file() else None

    @contextmanager
    def open(self, name: str) -> Iterator[BinaryIO]:
        """Raises: KettleError, where it is not there."""
        try:
            file: Any = self._zip.open(name) if self._zip else (self._path / name).open("rb")
        except (KeyError, OSError) as error:
            raise KettleError(f"{self._path} is no export of a case: it has no {name}.") from error
        with file:
            yield file

    def lines(self, name: str) -> Iterator[dict[str, Any]]:
        with self.open(f"records/{name}.jsonl") as file:
            for number, line in enumerate(iter(lambda: file.readline(_MOST_LINE), b""), 1):
                with _said(f"records/{name}.jsonl, line {number}"):
                    found = json.loads(line)
                    if not isinstance(found, dict):
                        raise ValueError("no object")
                yield found

    def has(self, name: str) -> bool:
        """Whether a file is there: exports of earlier versions lack some."""
        path = f"records/{name}.jsonl"
        return path in self._zip.namelist() if self._zip else (self._path / path).exists()

    def rows(self, name: str) -> Iterator[list[str]]:
        with self.open(f"records/{name}.csv") as file, io.TextIOWrapper(file, "utf-8", newline="") as text:
            yield from csv.reader(text)

    def close(self) -> None:
        if self._zip:
            self._zip.close()


@contextmanager
def _said(where: str) -> Iterator[None]:
    try:
        yield
    except _BAD as error:
        raise KettleError(f"The export is damaged at {where}: {printable(str(error))[:120]}.") from error


def read_back(path: Path, target: Path, progress: Progress = lambda done, total: None) -> None:
    """Write the case that an export was made of. Raises: KettleError, where that cannot be, or target exists."""
    try:
        source = _Source(path)
    except (OSError, zipfile.BadZipFile) as error:
        raise KettleError(f"{path} is no export of a case.") from error
    try:
        with source.open("records/format.json") as file, _said("records/format.json"):
            if json.loads(file.read(4096)).get("format") != FORMAT:
                raise KettleError(f"{path} is an export of another version: update Gray Kettle to read it.")

        def fill(database: Database) -> None:
            with database.writing() as db:
                db.execute(sa.text(f"PRAGMA application_id = {header.APPLICATION_ID}"))
                db.execute(sa.text(f"PRAGMA user_version = {header.VERSION}"))
                schema.metadata.create_all(db)
                _read(source, CaseBuilder(db), progress)

        create_file(target, fill)
    except zipfile.BadZipFile as error:
        raise KettleError(f"{path} is damaged: {error}.") from error
    finally:
        source.close()


def _read(source: _Source, builder: CaseBuilder, progress: Progress) -> None:
    with source.open("records/setup.json") as file:
        builder.add_setup(setup_from(file.read(_MOST_LINE).decode("utf-8", "replace")))
    here: dict[int, int] = {}
    for number, row in enumerate(source.lines("takes"), 1):
        with _said(f"records/takes.jsonl, line {number}"):
            here[int(row["number"])] = builder.add_take(_take(row))
    builder.link_takes(here)
    numbers: dict[int, int] = {}
    for number, row in enumerate(source.lines("announcements"), 1):
        with _said(f"records/announcements.jsonl, line {number}"):
            announcement = announcement_from(json.dumps(row["announcement"]))
            numbers[int(row["number"])] = int(builder.announcements([announcement])[0])
    for number, row in enumerate(source.lines("capabilities"), 1):
        with _said(f"records/capabilities.jsonl, line {number}"):
            builder.add_capabilities([capability_from(json.dumps(row))])
    sweeps = list(source.lines("sweeps"))
    total = len(LAYOUTS) + len(sweeps)
    for done, (name, layout) in enumerate(LAYOUTS.items(), 1):
        for take, table in _blocks(source, name, layout):
            if isinstance(table, Sightings):
                table = sightings_renumbered(table, numbers)  # noqa: PLW2901
            builder.add_table(_known(here, take), table)
        progress(done, total)
    detections = list(source.lines("detections"))
    thin_until_s = _read_thinned(source, builder, here, sweeps)
    for done, row in enumerate(sweeps, len(LAYOUTS) + 1):
        with _said("records/sweeps.jsonl"):
            span, number, take = (
                _SPAN.validate_python(row["span"]),
                int(row["number"]),
                _known(here, int(row["take"])),
            )
            if not 0 < span.bins <= _MOST_BINS:
                raise ValueError("an impossible span")
        for rows in _sweep_rows(source, number, span):
            builder.add_sweep_rows(take, span, rows)
        with _said("records/detections.jsonl"):
            its = [_detection(found) for found in detections if found["sweep"] == number]
        builder.add_detections(take, span, its, thin_until_s.get(number, -np.inf))
        progress(done, total)
    for name in ENTRIES:
        for number, row in enumerate(source.lines(name), 1):
            with _said(f"records/{name}.jsonl, line {number}"):
                builder.add_entry(schema.metadata.tables[name], _entry(schema.metadata.tables[name], row))
    builder.finish()


def _read_thinned(
    source: _Source, builder: CaseBuilder, here: dict[int, int], sweeps: list[dict[str, Any]]
) -> dict[int, float]:
    """What is left of thinned details. Returns up to when rows were thinned out, by number of the sweep."""
    until_s: dict[int, float] = {}
    if not source.has("thinned"):
        return until_s
    spans = {row["number"]: row for row in sweeps}
    for number, row in enumerate(source.lines("thinned"), 1):
        with _said(f"records/thinned.jsonl, line {number}"):
            packed = {
                k: b64decode(row[k], validate=True) for k in ("head", "payload", "counts") if row.get(k)
            }
            if "sweep" not in row:
                if not 0 <= int(row["rows"]) <= _MOST_BLOCK_ROWS:
                    raise ValueError("too many rows")
                sums = unpack(Traffic, str(row["columns"]), int(row["rows"]), packed["payload"])
                hour = ThinnedHour(float(row["start_s"]), float(row["end_s"]), sums)
                if not 0 <= hour.start_s <= hour.end_s <= LATEST_S:
                    raise ValueError("impossible times")
                builder.thinned.add_hour(_known(here, int(row["take"])), hour, ())
                continue
            of = spans[row["sweep"]]
            span = _SPAN.validate_python(of["span"])
            chunk = chunk_of({"level": int(row["level"]), "payload": b"", "counts": None, **packed}, span)
            builder.thinned.add_chunk(_known(here, int(of["take"])), span, chunk, ())
            if chunk.level == 0:
                last_s = float(chunk.head["time_s"][-1])
                until_s[row["sweep"]] = max(until_s.get(row["sweep"], -np.inf), last_s)
    return until_s


def _known(here: dict[int, int], take: int) -> int:
    if take not in here:
        raise KettleError(
            f"The export is damaged: it has rows of take {take}, which is not in records/takes.jsonl."
        )
    return here[take]


def _take(row: dict[str, Any]) -> dict[str, Any]:
    found = _entry(schema.takes, row)
    json.loads(found["notes"]), json.loads(found["swept_bands"])
    return {**found, "writer": ""}


def _entry(table: sa.Table, row: dict[str, Any]) -> dict[str, Any]:
    """The columns of a row that its table has, each of its own type."""
    found: dict[str, Any] = {}
    for column in table.columns:
        if column.name in row and column.name not in ("seal", "number"):
            value = row[column.name]
            wanted = {sa.Integer: int, sa.Float: (int, float), sa.Boolean: bool}.get(type(column.type), str)
            if value is not None and not isinstance(value, wanted):  # type: ignore[arg-type]
                raise ValueError(f"{column.name} is of the wrong type")
            found[column.name] = value
    return found


def _detection(row: dict[str, Any]) -> dict[str, Any]:
    found = _entry(schema.looks, row)
    json.loads(found["document"])
    return found


def _blocks(source: _Source, name: str, layout: type[Columns]) -> Iterator[tuple[int, Any]]:
    """(take, table) of each block of rows."""
    rows = source.rows(name)
    with _said(f"records/{name}.csv, line 1"):
        heads = next(rows)
        at = {head: k for k, head in enumerate(heads)}
        places = [at[field.name] for field in fields(layout)]
        take_at, block_at = at["take"], at["block"]
    for line, block in _grouped(rows, block_at, name):
        with _said(f"records/{name}.csv, before line {line}"):
            columns = []
            for field, place in zip(fields(layout), places, strict=True):
                values = [row[place] for row in block]
                if field.type == IntArray:
                    columns.append(np.array([int(v) for v in values], np.int64))
                else:
                    columns.append(np.array([float(v) if v else np.nan for v in values]))
            take, table = int(block[0][take_at]), layout(*columns)
        yield take, table


def _grouped(rows: Iterator[list[str]], at: int, name: str) -> Iterator[tuple[int, list[list[str]]]]:
    """(number of the line behind them, rows with one number in a column)."""
    held: list[list[str]] = []
    line = 1
    while True:
        with _said(f"records/{name}.csv, line {line + 1}"):
            row = next(rows, None)
            line += 1
            changes = held and (row is None or row[at] != held[0][at] or len(held) >= _MOST_BLOCK_ROWS)
        if changes:
            yield line, held
            held = []
        if row is None:
            return
        held.append(row)


def _sweep_rows(source: _Source, number: int, span: Span) -> Iterator[CodedRows]:
    name, floor_name = f"sweep-{number}", f"sweep-{number}-floors"
    floors = _grouped(_headless(source, floor_name), 0, floor_name)
    for line, block in _grouped(_headless(source, name), 0, name):
        with _said(f"records/{name}.csv, before line {line}"):
            _, floor_rows = next(floors)
            cells = np.array([[float(v) if v else np.nan for v in row] for row in block])
            floor = np.array([float(v) if v else np.nan for v in floor_rows[0]])[1:]
            pieces = cells.shape[1] - 2 - span.bins
            if pieces < 0 or len(floor) != span.bins or floor_rows[0][0] != block[0][0]:
                raise ValueError("the bins do not fit the sweep")
            offsets = cells[:, 2 : 2 + pieces].astype(np.float32)
            offsets = offsets[:, : 0 if np.isnan(offsets).all() else pieces]
            codes = to_codes(cells[:, 2 + pieces :].astype(np.float32))
            floor_dbm = to_dbm(to_codes(floor.astype(np.float32)))
            rows = CodedRows(cells[:, 1], codes, offsets, channel_rows(span, codes, floor_dbm), floor_dbm)
        yield rows


def _headless(source: _Source, name: str) -> Iterator[list[str]]:
    rows = source.rows(name)
    next(rows, None)
    return rows
