"""Runs the emitter detector over sweep rows of a case that no detector has examined, and keeps what it finds.

The store knows which rows wait; the detector knows nothing of a store. This module is the only one that joins them.
"""

from collections.abc import Callable
from dataclasses import dataclass

from gray_kettle.interference import DETECTOR_VERSION
from gray_kettle.interference.detect import detect
from gray_kettle.model.records import Detection
from gray_kettle.processes import in_processes
from gray_kettle.store import Case
from gray_kettle.store.sweeps import CodedRows, Run


@dataclass(frozen=True, eq=False)
class _Job:
    run: Run
    block: CodedRows
    is_closed: bool


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
    jobs = (_Job(run, block, is_closed) for run, _ in pending for block, is_closed in cache.blocks(run))
    for job, found in in_processes(_examined, jobs):
        if is_cancelled():
            return False
        cache.keep(job.run, job.block, job.is_closed, found, DETECTOR_VERSION)
        done += len(job.block.time_s)
        progress(min(done, total), total)
    return True


def _examined(job: _Job) -> tuple[Detection, ...]:
    return detect(job.run.span, job.block.time_s, job.block.codes, job.block.offset_s)
