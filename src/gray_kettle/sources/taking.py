"""From a source into a case: one take, with progress, cancelled at any time without loss."""

from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass

from gray_kettle.case import Case
from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.records import Piece
from gray_kettle.sources.files import Source
from gray_kettle.sources.intake import Intake

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
    if not intake.is_stream and case.takes_marked(intake.mark):
        # It begins like one that is held already: only then it is read a first time to know for sure.
        with closing(Intake(intake.path)) as whole:
            with suppress(DecodeError):
                whole.read_through()
            held = case.take_of_digest(whole.digest)
        if held is not None:
            intake.close()
            return _held_already(source, held)
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
        reason = " ".join(notes) or "It holds no frames or scans."
        raise KettleError(f"{intake.name}: nothing usable in it. {reason}")
    if not stopped and (held := case.take_of_digest(intake.digest)) is not None:
        case.forget_take(number)  # a stream: that it is the same shows at its end
        return _held_already(source, held)
    totals = Piece(records=records, skipped=skipped, swept_bands=tuple(sorted(swept)))
    case.finish_take(
        number, totals, tuple(notes), intake.mark if stopped else intake.digest, complete=not stopped
    )
    return TakeResult(intake.name, source.kind, records, skipped, tuple(notes), number)


def _held_already(source: Source, number: int) -> TakeResult:
    note = f"The same bytes are in the case already, as take {number}; nothing was added."
    return TakeResult(source.intake.name, source.kind, 0, 0, (note,), None)
