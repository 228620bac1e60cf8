"""A whole case in open formats, as a folder or a zip file: answers for people, and records to make it of again.

Source: docs/formats.md, "Exports".
"""

import json
import os
import shutil
import tempfile
import zipfile
from base64 import b64encode
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any, BinaryIO, Protocol

import numpy as np

from gray_kettle.errors import KettleError
from gray_kettle.export.data.package import described
from gray_kettle.export.data.table import Batch, Column, Table
from gray_kettle.export.data.writers import write_table
from gray_kettle.export.files import check_target
from gray_kettle.model.records import Columns, IntArray
from gray_kettle.spectrum.quantise import to_codes, to_dbm
from gray_kettle.store.documents import setup_text
from gray_kettle.store.packing import announcement_text, capability_text, pack
from gray_kettle.store.sweeps import Run
from gray_kettle.store.transfer import CaseRecords
from gray_kettle.store.transfer.records import LAYOUTS

FORMAT = "gray-kettle/case-export/1"
ENTRIES = ("alerts", "trials", "changes", "frames")
Progress = Callable[[int, int], None]


class Sink(Protocol):
    """Where files of an export go."""

    def file(self, name: str) -> Any:
        """A context manager that gives a binary file to write."""


class _Folder:
    def __init__(self, path: Path) -> None:
        self._path = path

    @contextmanager
    def file(self, name: str) -> Iterator[BinaryIO]:
        target = self._path / name
        target.parent.mkdir(mode=0o700, exist_ok=True)
        with os.fdopen(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "wb") as file:
            yield file


class _Zip:
    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive

    @contextmanager
    def file(self, name: str) -> Iterator[BinaryIO]:
        with self._archive.open(name, "w", force_zip64=True) as file:
            yield file  # type: ignore[misc]


@contextmanager
def opened_sink(output: Path, force: bool = False) -> Iterator[Sink]:
    """A zip file by its ending, else a folder: whole at the end, or not there. Raises: KettleError."""
    is_zip = output.suffix.lower() == ".zip"
    if is_zip:
        check_target(output, force)
    elif output.exists():
        raise KettleError(f"{output} exists already: name a folder that does not.")
    work = Path(tempfile.mkdtemp(prefix=f".{output.name}.", suffix=".part", dir=output.parent))
    try:
        if is_zip:
            with zipfile.ZipFile(work / "out.zip", "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
                yield _Zip(archive)
            os.replace(work / "out.zip", output)
        else:
            (work / "out").mkdir(mode=0o700)
            yield _Folder(work / "out")
            os.rename(work / "out", output)
    except OSError as error:
        raise KettleError(f"{output} cannot be written: {error.strerror}.") from error
    finally:
        shutil.rmtree(work, ignore_errors=True)


def write_archive(
    records: CaseRecords, answers: Sequence[Table], title: str, form: str, sink: Sink, progress: Progress
) -> None:
    """form: of the answers, see writers. The records are CSV and JSON Lines. progress: files done, and in all."""
    listed: list[tuple[str, str, Table]] = []
    runs, takes = records.runs(), records.takes()
    total = len(answers) + len(LAYOUTS) + 2 * len(runs)
    for table in answers:
        listed.append((f"answers/{table.name}.{form}", form, table))
    listed += [(f"records/{name}.csv", "csv", _of_layout(records, name)) for name in LAYOUTS]
    for run in runs:
        listed += [
            (f"records/sweep-{run.number}.csv", "csv", _sweep(records, run)),
            (f"records/sweep-{run.number}-floors.csv", "csv", _floors(records, run)),
        ]
    for done, (path, its_form, table) in enumerate(listed):
        with sink.file(path) as file:
            write_table(table, file, its_form)
        progress(done + 1, total)
    for name, lines in _documents(records, takes, runs):
        with sink.file(f"records/{name}.jsonl") as file:
            for line in lines:
                file.write(line.encode() + b"\n")
    with sink.file("records/setup.json") as file:
        file.write(setup_text(records.setup()).encode())
    with sink.file("datapackage.json") as file:
        file.write(
            described(title, listed, [_records_resource(name) for name in _DOCUMENTS]).encode(
                "utf-8", "replace"
            )
        )
    with sink.file("records/format.json") as file:
        file.write(json.dumps({"format": FORMAT}).encode())


_DOCUMENTS = {
    "takes": "Takes, as the case keeps them",
    "announcements": "What access points announced, by the number that sightings refer to",
    "capabilities": "What clients said they can do",
    "sweeps": "Sweeps: number, take, and the bins of their rows",
    "detections": "Blocks of sweep rows that were examined for emitters, with what was found",
    "thinned": "What is left of details that were thinned out: as the case keeps it, packed",
    "alerts": "What began while somebody watched",
    "trials": "Runs of trials",
    "changes": "What was written on access points",
    "frames": "Example frames: a few of each BSSID, kind and receiver channel, in hexadecimal",
}


def _records_resource(name: str) -> dict[str, Any]:
    return {"name": f"{name}-records", "path": f"records/{name}.jsonl", "title": _DOCUMENTS[name], "format": "jsonl",
            "mediatype": "application/jsonl", "encoding": "utf-8"}  # fmt: skip


def _documents(
    records: CaseRecords, takes: list[dict[str, Any]], runs: tuple[Run, ...]
) -> Iterator[tuple[str, Iterator[str]]]:
    unsealed = ("seal", "writer")
    yield "takes", (json.dumps({k: v for k, v in row.items() if k not in unsealed}) for row in takes)
    announced = records.announced()
    yield (
        "announcements",
        (
            json.dumps({"number": n, "announcement": json.loads(announcement_text(announced[n]))})
            for n in sorted(announced)
        ),
    )
    yield "capabilities", (capability_text(c) for c in records.capabilities())
    yield "sweeps", (json.dumps({"number": r.number, "take": r.take, "span": asdict(r.span)}) for r in runs)
    yield (
        "detections",
        (
            json.dumps({k: v for k, v in row.items() if k not in ("seal", "number")})
            for run in runs
            for row in records.detections(run.number)
        ),
    )
    yield "thinned", _thinned(records, takes, runs)
    entries = [(table.name, row) for table, row in records.entries()]
    for name in ENTRIES:
        yield (
            name,
            (
                json.dumps({k: v for k, v in row.items() if k not in ("seal", "number")})
                for table, row in entries
                if table == name
            ),
        )


def _thinned(records: CaseRecords, takes: list[dict[str, Any]], runs: tuple[Run, ...]) -> Iterator[str]:
    """Hours of traffic by take, and chunks of rows and sums by sweep; what is packed in base 64."""
    for take in takes:
        for hour in records.thinned_hours(take["number"]):
            columns, payload = pack(hour.sums)
            yield json.dumps({
                "take": take["number"], "start_s": hour.start_s, "end_s": hour.end_s, "columns": columns,
                "rows": len(hour.sums), "payload": b64encode(payload).decode(),
            })  # fmt: skip
    for run in runs:
        for chunk in records.thinned_chunks(run):
            row = chunk.row()
            packed = {k: b64encode(v).decode() if isinstance(v, bytes) else v for k, v in row.items()}
            yield json.dumps({"sweep": run.number, **packed})


def _of_layout(records: CaseRecords, name: str) -> Table:
    """A table of observations as the case keeps it. take: number of its take; block: rows that are kept together."""
    layout: type[Columns] = LAYOUTS[name]
    columns = [
        Column("take", "integer", "number of the take"),
        Column("block", "integer", "rows kept together"),
    ]
    for field in fields(layout):
        is_whole = field.type == IntArray
        columns.append(
            Column(
                field.name, "integer" if is_whole else "number", f"see model/records.py, {layout.__name__}"
            )
        )

    def rows() -> Iterator[Batch]:
        block = 0
        for take in records.takes():
            for table in records.tables(take["number"]):
                if type(table) is layout and len(table):
                    block += 1
                    same = {"take": np.full(len(table), take["number"]), "block": np.full(len(table), block)}
                    yield same | {f.name: getattr(table, f.name) for f in fields(layout)}

    return Table(name, f"Records: {name}", tuple(columns), rows)


def _sweep(records: CaseRecords, run: Run) -> Table:
    pieces = len(run.span.pieces)
    offsets = [f"offset_{k + 1}_s" for k in range(pieces)]
    bins = bin_names(run.span.bins)

    def rows() -> Iterator[Batch]:
        for number, block in enumerate(records.sweep_rows(run), 1):
            if not len(block.codes):
                continue
            levels = to_dbm(block.codes).astype(np.float64)
            held = block.offset_s.shape[1] if block.offset_s.ndim == 2 else 0
            nothing = np.full(len(levels), np.nan)
            yield (
                {"block": np.full(len(levels), number), "time_s": block.time_s}
                | {
                    n: block.offset_s[:, k].astype(np.float64) if k < held else nothing
                    for k, n in enumerate(offsets)
                }
                | {n: levels[:, k] for k, n in enumerate(bins)}
            )

    columns = [
        Column("block", "integer", "rows kept together"),
        Column("time_s", "number", "start of the row"),
    ]
    columns += [Column(n, "number", "of a piece of the row behind its start") for n in offsets]
    columns += [Column(n, "number", "level of this bin, dBm") for n in bins]
    return Table(f"sweep-{run.number}", f"Records: rows of sweep {run.number}", tuple(columns), rows)


def _floors(records: CaseRecords, run: Run) -> Table:
    bins = bin_names(run.span.bins)

    def rows() -> Iterator[Batch]:
        for number, block in enumerate(records.sweep_rows(run), 1):
            if len(block.codes):
                floor = to_dbm(to_codes(block.floor_dbm)).astype(np.float64)
                levels: dict[str, Any] = {n: floor[k : k + 1] for k, n in enumerate(bins)}
                yield {"block": [number]} | levels

    columns = [Column("block", "integer", "rows kept together")]
    columns += [Column(n, "number", "noise floor of this bin, dBm") for n in bins]
    return Table(f"sweep-{run.number}-floors", f"Records: floors of sweep {run.number}", tuple(columns), rows)


def bin_names(bins: int) -> list[str]:
    return [f"bin_{k}_dbm" for k in range(bins)]
