"""From a source into a case: one take, with progress, cancelled at any time without loss."""

from collections.abc import Callable
from dataclasses import dataclass

from gray_kettle.case import Case
from gray_kettle.errors import KettleError
from gray_kettle.records import Piece
from gray_kettle.sources.files import Source

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
    held = case.take_of_digest(source.digest)
    if held is not None:
        note = f"The same bytes are in the case already, as take {held}; nothing was added."
        return TakeResult(source.name, source.kind, 0, 0, (note,), None)
    number = case.begin_take(source.name, source.kind, spot, source.digest)
    records = skipped = 0
    swept: set[str] = set()
    stopped = False
    try:
        for piece in source.pieces():
            case.append(number, piece)
            records += piece.records
            skipped += piece.skipped
            swept.update(piece.swept_bands)
            progress(piece.bytes_read, source.size_bytes)
            if is_cancelled():
                stopped = True
                break
    except KeyboardInterrupt:  # ctrl+c on the command line stops the take, not the bookkeeping
        stopped = True
    notes = [*source.notes, *([STOPPED_NOTE] if stopped else [])]
    if not records and not stopped:
        case.drop_empty_take(number)
        reason = " ".join(notes) or "It holds no frames or scans."
        raise KettleError(f"{source.name}: nothing usable in it. {reason}")
    totals = Piece(records=records, skipped=skipped, swept_bands=tuple(sorted(swept)))
    case.finish_take(number, totals, tuple(notes), complete=not stopped)
    return TakeResult(source.name, source.kind, records, skipped, tuple(notes), number)
