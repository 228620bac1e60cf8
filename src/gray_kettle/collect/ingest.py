"""From a source into a case: one take, with progress, cancelled at any time without loss."""

import math
import time
from collections.abc import Callable, Mapping
from contextlib import closing
from dataclasses import dataclass

from gray_kettle.collect.files import Source
from gray_kettle.collect.input_stream import InputStream
from gray_kettle.collect.live.source import ClockWatch, LiveSource, TakeControl, clock
from gray_kettle.collect.merge_pieces import joined
from gray_kettle.collect.possible_times import with_possible_times
from gray_kettle.collect.prefetch import ahead_or_none
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece
from gray_kettle.safe_text import printable
from gray_kettle.store import Case
from gray_kettle.store.database import PATIENCE_S, CannotWriteNow
from gray_kettle.store.takes import Input

_WRITE_EVERY_S, _TICK_S = 0.4, 0.1
_LONGEST_LOCK_S = 120.0  # what came is kept in memory for so long while somebody else holds the case
STOPPED_NOTE = "Cancelled: everything read until then was kept."


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
    on_piece: Callable[[Piece], None] = lambda piece: None,
) -> TakeResult:
    """Read a source into the case as one take.

    progress is called with bytes done and bytes in all, on_piece with what was stored. Raises: KettleError, when
    nothing usable was in it.
    """
    input_stream = source.input_stream
    with closing(input_stream):
        earlier = case.take_list.inputs()
        if not input_stream.is_stream:
            relation = _relation_of_file(input_stream, earlier)
            if relation.same is not None:
                return _held_already(source, relation.same)
        input_stream.watch({read.octets for read in earlier.values()})
        number = case.begin_take(input_stream.name, source.kind, spot)
        records = skipped = lost = 0
        swept: set[str] = set()
        stopped = False
        try:
            with closing(source.pieces()) as pieces:
                for read in pieces:
                    piece, impossible = with_possible_times(read)
                    lost += impossible
                    case.append(number, piece, input_stream.read)
                    records += piece.records
                    skipped += piece.skipped
                    swept.update(piece.swept_bands)
                    on_piece(piece)
                    progress(input_stream.bytes_read, input_stream.size_bytes)
                    if is_cancelled():
                        break
        except KeyboardInterrupt:
            stopped = True
        stopped = stopped or is_cancelled()
    notes = [*source.notes, *([STOPPED_NOTE] if stopped else [])]
    if lost:
        notes.append(
            f"{lost:,} rows with a time before 1970 or after 2100 were left out: check the clock of its source."
        )
    if not records and not stopped:
        case.forget_take(number)
        reason = " ".join(notes) or "It holds no frames, scans or sweeps."
        raise KettleError(f"{input_stream.name}: it holds nothing usable. {reason}")
    relation = _relation(input_stream, earlier)
    if relation.same is not None and not stopped:  # of a stream that it is the same shows at its end
        case.forget_take(number)
        return _held_already(source, relation.same)
    notes = [printable(note) for note in notes] + relation.notes(number)
    case.finish_take(
        number,
        tuple(sorted(swept)),
        tuple(notes),
        input_stream.read,
        complete=not stopped,
        supersedes=relation.beginnings,
    )
    return TakeResult(input_stream.name, source.kind, records, skipped, tuple(notes), number)


@dataclass(frozen=True)
class _Relation:
    """What an input has to do with those that were taken before. same: the take that holds the same bytes.

    beginnings: takes whose bytes are, byte for byte, the first of it. longer: the take that began with its bytes, as
    far as checkpoints show, and went on.
    """

    same: int | None
    beginnings: tuple[int, ...]
    longer: int | None

    def notes(self, number: int) -> list[str]:
        """What the person should know of it, as take `number`."""
        out = []
        if self.beginnings:
            listed = ", ".join(str(n) for n in self.beginnings)
            out.append(
                f"It holds all bytes of take {listed}, and counts in its place "
                f"(`takes CASE --bring-back {self.beginnings[0]}` undoes it)."
            )
        if self.longer is not None:
            out.append(
                f"Take {self.longer} begins with the same bytes and is longer. If this is a copy of its beginning, what"
                f" it observed is counted twice: `takes CASE --set-aside {number}`."
            )
        return out


def _relation(read_through: InputStream, earlier: Mapping[int, Input]) -> _Relation:
    """Of an input that was read to its end, with the lengths of the earlier ones watched."""
    read = read_through.read
    proven = [n for n, other in earlier.items() if read_through.prefixes.get(other.octets) == other.digest]
    same = next((n for n in proven if earlier[n].octets == read.octets and earlier[n].is_whole), None)
    beginnings = tuple(n for n in proven if n != same and earlier[n].counts)
    longer = next(
        (
            n
            for n, other in earlier.items()
            if other.counts and read.checkpoints and other.octets > read.octets
            and other.checkpoints.startswith(read.checkpoints)
        ),
        None,
    )  # fmt: skip
    return _Relation(same, beginnings, longer)


def _relation_of_file(input_stream: InputStream, earlier: Mapping[int, Input]) -> _Relation:
    """The same of a file before it is taken; it is read a first time only where its first bytes are known."""
    if not any(input_stream.begins_like(read) for read in earlier.values()):
        return _Relation(None, (), None)
    with closing(InputStream(input_stream.path)) as whole:
        whole.watch({read.octets for read in earlier.values()})
        whole.read_through()
        return _relation(whole, earlier)


def take_live(
    case: Case,
    source: LiveSource,
    spot: str = "",
    *,
    seconds: float = math.inf,
    on_piece: Callable[[Piece], None] = lambda piece: None,
    is_cancelled: Callable[[], bool] = lambda: False,
    control: TakeControl | None = None,
) -> TakeResult:
    """Collect from a live source for some time, or until cancelled. on_piece is called with each piece as it comes.

    What came is in the case within a second. While another process holds the case, or the disk is full, it is kept in
    memory, up to two minutes. control: what a person changes meanwhile; where the spot changes, a new take begins, and
    the result is of all of them.
    Raises: KettleError, when the source cannot be reached, or what came could not be stored.
    """
    control = control or TakeControl(spot)
    until_s = time.monotonic() + seconds
    live = _LiveTakes(case, source, control)

    def is_over() -> bool:
        return is_cancelled() or time.monotonic() >= until_s

    try:
        with closing(ahead_or_none(source.pieces(is_over), _TICK_S)) as pieces:
            for piece in pieces:
                live.follow()
                if piece is not None and not control.is_paused:
                    on_piece(piece)
                    live.buffer.add(piece)
                live.buffer.write_when_due()
                if is_cancelled():
                    break
    except KeyboardInterrupt:
        pass
    except KettleError as error:
        if not live.records:
            live.forget()
            raise
        live.ended_by(error)
    return live.finish()


class _LiveTakes:
    """The take that is being filled, and those before it at other spots."""

    def __init__(self, case: Case, source: LiveSource, control: TakeControl) -> None:
        self._case, self._source, self._control = case, source, control
        self._records = self._skipped = 0  # of the takes before
        self._paused_s = 0.0
        self._clock = ClockWatch()
        self._said: list[str] = []
        self._begin()

    def _begin(self) -> None:
        self._spot = self._control.spot
        self._number = self._case.begin_take(self._source.name, self._source.kind, self._spot)
        self.buffer = _Buffer(self._case, self._number)
        self._said = []

    @property
    def records(self) -> int:
        return self._records + self.buffer.records

    def follow(self) -> None:
        """Do what the person wants meanwhile."""
        now_s = time.time()
        self._said += filter(None, [self._clock.check()])
        if self._control.is_paused and not self._paused_s:
            self._paused_s = now_s
        elif self._paused_s and not self._control.is_paused:
            self._said.append(f"Paused from {clock(self._paused_s)} to {clock(now_s)}.")
            self._paused_s = 0.0
        if self._control.spot != self._spot:
            self._close()
            self._begin()

    def ended_by(self, error: KettleError) -> None:
        """The source, or the case, ended it."""
        self._said.append(str(error))

    def _close(self) -> None:
        """End the take at this spot; one that gave nothing is none."""
        self.buffer.write()
        self._records += self.buffer.records
        self._skipped += self.buffer.skipped
        if not self.buffer.records:
            self.forget()
            return
        notes = tuple(printable(note) for note in (*self._source.notes, *self._said))
        bands = tuple(sorted(self.buffer.swept_bands))
        self._case.finish_take(self._number, bands, notes, complete=True)

    def forget(self) -> None:
        self._case.forget_take(self._number)

    def finish(self) -> TakeResult:
        """Close the last one. Raises: KettleError, where nothing came at all."""
        source, number = self._source, self._number
        self._close()
        notes = tuple(printable(note) for note in (*source.notes, *self._said))
        if not self._records:
            raise KettleError(f"{source.name}: no data arrived. {' '.join(notes)}".strip())
        return TakeResult(source.name, source.kind, self._records, self._skipped, notes, number)


class _Buffer:
    """Rows that came one by one are written together: a write costs as much for one as for many."""

    def __init__(self, case: Case, number: int) -> None:
        self._case, self._number = case, number
        self._waiting: list[Piece] = []
        self._written_s = time.monotonic()
        self.records = self.skipped = 0  # of what came
        self.swept_bands: set[str] = set()

    def add(self, piece: Piece) -> None:
        self._waiting.append(piece)
        self.swept_bands.update(piece.swept_bands)
        self.records += piece.records
        self.skipped += piece.skipped

    def write_when_due(self) -> None:
        if not self._waiting or time.monotonic() - self._written_s < _WRITE_EVERY_S:
            return
        is_patient = time.monotonic() - self._written_s > _LONGEST_LOCK_S
        self._case.wait_for_locks(PATIENCE_S if is_patient else 0.0)
        try:
            self.write()
        except CannotWriteNow:
            if is_patient:
                raise
        finally:
            self._case.wait_for_locks(PATIENCE_S)

    def write(self) -> None:
        """Store what waits; what could not be stored goes on waiting."""
        if self._waiting:
            self._case.append(self._number, joined(self._waiting))
            self._waiting.clear()
        self._written_s = time.monotonic()


def _held_already(source: Source, number: int) -> TakeResult:
    note = f"The same bytes are in the case already, as take {number}; nothing was added."
    return TakeResult(source.input_stream.name, source.kind, 0, 0, (note,), None)
