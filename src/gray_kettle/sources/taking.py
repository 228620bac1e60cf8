"""From a source into a case: one take, with progress, cancelled at any time without loss."""

from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass

from gray_kettle.case import Case
from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.records import Piece
from gray_kettle.sources.files import Source
from gray_kettle.sources.intake import Intake, octets_of

STOPPED_NOTE = "Stopped by hand: what was read until then was kept."


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
    def unit(self) -> str:
        """What its records are."""
        if self.kind in ("iw survey", "iw stations"):
            return "readings"
        if self.kind.startswith("sweep"):
            return "sweep rows"
        return "scans" if "scan" in self.kind else "frames"


def take(
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
    intake = source.intake
    same, beginnings = _held(case, intake)
    if same is not None:
        intake.close()
        return _held_already(source, same)
    number = case.begin_take(intake.name, source.kind, spot, intake.mark)
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
                progress(intake.bytes_read, intake.size_bytes)
                if is_cancelled():
                    stopped = True
                    break
    except KeyboardInterrupt:  # ctrl+c on the command line stops the take, not the bookkeeping
        stopped = True
    finally:
        intake.close()
    notes = [*source.notes, *([STOPPED_NOTE] if stopped else [])]
    if not records and not stopped:
        case.forget_take(number)
        reason = " ".join(notes) or "It holds no frames, scans or sweeps."
        raise KettleError(f"{intake.name}: nothing usable in it. {reason}")
    if not stopped and intake.is_stream:  # that it is the same shows at its end
        same = next(
            (n for n, digest in case.takes_marked(intake.mark).items() if digest == intake.digest), None
        )
        if same is not None:
            case.forget_take(number)
            return _held_already(source, same)
    if beginnings and not stopped:
        listed = ", ".join(str(n) for n in beginnings)
        notes.append(f"It goes on where take {listed} of it ended, and stands in its place.")
    totals = Piece(records=records, skipped=skipped, swept_bands=tuple(sorted(swept)))
    digest = intake.mark if stopped else intake.digest
    case.finish_take(number, totals, tuple(notes), digest, complete=not stopped, replaces=beginnings)
    return TakeResult(intake.name, source.kind, records, skipped, tuple(notes), number)


def _held(case: Case, intake: Intake) -> tuple[int | None, tuple[int, ...]]:
    """(take that holds the same bytes, takes that hold its beginning); read a first time only where one may.

    A capture that was taken while it was still being written is the beginning of the whole one.
    """
    alike = case.takes_marked(intake.mark)
    if intake.is_stream or not alike:
        return None, ()
    with closing(Intake(intake.path)) as whole:
        prefixes: set[str] = set()
        with suppress(DecodeError):
            prefixes = whole.read_through(octets_of(digest) for digest in alike.values())
        same = next((n for n, digest in alike.items() if digest == whole.digest), None)
    return same, tuple(n for n, digest in alike.items() if digest in prefixes)


def _held_already(source: Source, number: int) -> TakeResult:
    note = f"The same bytes are in the case already, as take {number}; nothing was added."
    return TakeResult(source.intake.name, source.kind, 0, 0, (note,), None)
