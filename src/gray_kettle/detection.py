"""Runs the emitter detector over sweep rows of a case that no detector has examined, and keeps what it finds.

The store knows which rows wait; the detector knows nothing of a store. This module is the only one that joins them.
"""

from collections.abc import Callable

from gray_kettle.interference import DETECTOR_VERSION
from gray_kettle.interference.detect import detect
from gray_kettle.store import Case


def detect_pending(
    case: Case,
    progress: Callable[[int, int], None] = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> bool:
    """Examine the rows that came since the last run, and all rows of an older detector version.

    Closed blocks stay as they are; the open block at the end of a run is examined again as it grows. progress gets
    (rows done, rows in all). Returns False when it was cancelled; what was examined until then is kept.
    Raises: KettleError, when the case cannot be written.
    """
    cache = case.detections
    cache.discard_older(DETECTOR_VERSION)
    pending = cache.pending_runs()
    total, done = sum(rows for _, rows in pending), 0
    for run, _ in pending:
        for block, is_closed in cache.blocks(run):
            if is_cancelled():
                return False
            found = detect(run.span, block.time_s, block.codes, block.offset_s)
            cache.keep(run, block, is_closed, found, DETECTOR_VERSION)
            done += len(block.time_s)
            progress(min(done, total), total)
    return True
