"""From a source into a case: one take, with progress, cancelled at any time without loss."""

import itertools
import math
import time
from collections.abc import Callable, Generator
from contextlib import closing, suppress
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from gray_kettle.collect.files import Source
from gray_kettle.collect.input_stream import InputStream, octets_of
from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece, SweepRows
from gray_kettle.store import Case

_WRITE_EVERY_S = 1.0
STOPPED_NOTE = "Cancelled: everything read until then was kept."


class LiveSource(Protocol):
    """What is collected from as it happens. notes grow as it goes on."""

    name: str
    kind: str
    notes: list[str]

    def pieces(self, is_cancelled: Callable[[], bool]) -> Generator[Piece]: ...


@dataclass(frozen=True)
class TakeResult:
    """What became of one source. number is None when nothing new was stored."""

    source: str
    kind: str
    records: int
    skipped: int
    notes: tuple[str, ...]
    number: int | None

    @property
    def count(self) -> str:
        """How many records of what: "1 frame", "2,000 sweep rows"."""
        if self.kind in ("iw survey", "iw stations"):
            unit = "reading"
        elif self.kind.startswith("sweep"):
            unit = "sweep row"
        else:
            unit = "scan" if "scan" in self.kind else "frame"
        return f"{self.records:,} {unit}{'s' * (self.records != 1)}"


def ingest(
    case: Case,
    source: Source,
    spot: str = "",
    *,
    progress: Callable[[int, int], None] = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> TakeResult:
    """Read a source into the case as one take.

    progress is called with bytes done and bytes in all. Raises: KettleError, when nothing usable was in it.
    """
    input_stream = source.input_stream
    same, beginnings = _held(case, input_stream)
    if same is not None:
        input_stream.close()
        return _held_already(source, same)
    number = case.begin_take(input_stream.name, source.kind, spot, input_stream.mark)
    records = skipped = 0
    swept: set[str] = set()
    stopped = False
    try:
        with closing(source.pieces()) as pieces:
            for piece in pieces:
                case.append(number, piece)
                records += piece.records
                skipped += piece.skipped
                swept.update(piece.swept_bands)
                progress(input_stream.bytes_read, input_stream.size_bytes)
                if is_cancelled():
                    stopped = True
                    break
    except KeyboardInterrupt:  # ctrl+c on the command line stops the take, not the bookkeeping
        stopped = True
    finally:
        input_stream.close()
    notes = [*source.notes, *([STOPPED_NOTE] if stopped else [])]
    if not records and not stopped:
        case.forget_take(number)
        reason = " ".join(notes) or "It holds no frames, scans or sweeps."
        raise KettleError(f"{input_stream.name}: it holds nothing usable. {reason}")
    if not stopped and input_stream.is_stream:  # that it is the same shows at its end
        same = next(
            (
                n
                for n, digest in case.takes_marked(input_stream.mark).items()
                if digest == input_stream.digest
            ),
            None,
        )
        if same is not None:
            case.forget_take(number)
            return _held_already(source, same)
    if beginnings and not stopped:
        listed = ", ".join(str(n) for n in beginnings)
        notes.append(f"It continues where take {listed} of the same file ended, and replaces it.")
    totals = Piece(records=records, skipped=skipped, swept_bands=tuple(sorted(swept)))
    digest = input_stream.mark if stopped else input_stream.digest
    case.finish_take(number, totals, tuple(notes), digest, complete=not stopped, replaces=beginnings)
    return TakeResult(input_stream.name, source.kind, records, skipped, tuple(notes), number)


def take_live(
    case: Case,
    source: LiveSource,
    spot: str = "",
    *,
    seconds: float = math.inf,
    on_piece: Callable[[Piece], None] = lambda piece: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> TakeResult:
    """Collect from a live source for some time, or until cancelled. on_piece is called with each piece as it comes.

    Raises: KettleError, when the source cannot be reached.
    """
    until_s = time.monotonic() + seconds
    number = case.begin_take(source.name, source.kind, spot, f"live{time.time_ns():x}")
    records = skipped = 0
    waiting: list[Piece] = []
    written_s = time.monotonic()
    notes: list[str] = []
    try:
        with closing(source.pieces(lambda: is_cancelled() or time.monotonic() >= until_s)) as pieces:
            for piece in pieces:
                on_piece(piece)
                records += piece.records
                skipped += piece.skipped
                waiting.append(piece)
                if time.monotonic() - written_s > _WRITE_EVERY_S:
                    _append_all(case, number, waiting)
                    written_s = time.monotonic()
    except KeyboardInterrupt:  # ctrl+c on the command line ends the take
        pass
    except KettleError:
        if not records:
            case.forget_take(number)
            raise
    _append_all(case, number, waiting)
    notes += source.notes
    if not records:
        case.forget_take(number)
        raise KettleError(f"{source.name}: no data arrived. {' '.join(notes)}".strip())
    totals = Piece(records=records, skipped=skipped)
    case.finish_take(number, totals, tuple(notes), f"live-{number}", complete=True)
    return TakeResult(source.name, source.kind, records, skipped, tuple(notes), number)


def _append_all(case: Case, number: int, waiting: list[Piece]) -> None:
    """Rows that came one by one are written together: a write costs as much for one as for many."""
    for span, rows in itertools.groupby((r for p in waiting for r in p.sweeps), key=lambda r: r.span):
        parts = list(rows)
        joined = SweepRows(
            span, np.concatenate([p.time_s for p in parts]), np.concatenate([p.levels_dbm for p in parts])
        )
        case.append(number, Piece(sweeps=(joined,)))
    waiting.clear()


def _held(case: Case, input_stream: InputStream) -> tuple[int | None, tuple[int, ...]]:
    """(take that holds the same bytes, takes that hold its beginning); read a first time only where one may.

    A capture that was taken while it was still being written is the beginning of the whole one.
    """
    group_rows = case.takes_marked(input_stream.mark)
    if input_stream.is_stream or not group_rows:
        return None, ()
    with closing(InputStream(input_stream.path)) as whole:
        prefixes: set[str] = set()
        with suppress(DecodeError):
            prefixes = whole.read_through(octets_of(digest) for digest in group_rows.values())
        same = next((n for n, digest in group_rows.items() if digest == whole.digest), None)
    return same, tuple(n for n, digest in group_rows.items() if digest in prefixes)


def _held_already(source: Source, number: int) -> TakeResult:
    note = f"The same bytes are in the case already, as take {number}; nothing was added."
    return TakeResult(source.input_stream.name, source.kind, 0, 0, (note,), None)
