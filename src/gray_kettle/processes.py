"""Work for several processes: results come in the order of the jobs, and nothing outlives who asked for it."""

import os
import signal
import sys
import threading
import time
from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import redirect_stderr, suppress
from multiprocessing import get_context, parent_process, resource_tracker
from typing import TypeVar

VARIABLE = "GRAY_KETTLE_PROCESSES"  # how many at most
_MOST_PROCESSES = 4
_AHEAD = 2  # jobs that wait, for each process
_PATIENCE_S = 6.0
Job = TypeVar("Job")
Result = TypeVar("Result")


def in_processes(
    function: Callable[[Job], Result], jobs: Iterable[Job], patience_s: float = _PATIENCE_S
) -> Generator[tuple[Job, Result]]:
    """Each job with its result. Function and jobs can be pickled.

    The first ones are computed here, as to start processes takes a second or two; what is not done after patience_s
    goes to them. Where there is one core, or processes cannot be started, or one dies, the rest is computed here too.
    """
    waiting = iter(jobs)
    processes = _count()
    begin_s = time.monotonic()
    for job in waiting:
        yield job, function(job)
        if processes > 1 and time.monotonic() - begin_s > patience_s:
            break
    pool = None
    submitted: deque[tuple[Job, Future[Result] | None]] = deque()
    try:
        for job in waiting:
            pool = pool or pool_of(processes)
            submitted.append((job, _submit(pool, function, job)))
            if len(submitted) >= _AHEAD * processes:
                yield _result(*submitted.popleft(), function)
        while submitted:
            yield _result(*submitted.popleft(), function)
    finally:
        if pool is not None:
            pool.shutdown(wait=False, cancel_futures=True)


def _count() -> int:
    """One for each core, four at most, or as many as the environment says."""
    said = os.environ.get(VARIABLE, "")
    most = int(said) if said.isdecimal() and len(said) < 3 else _MOST_PROCESSES
    return max(1, min(os.cpu_count() or 1, most))


def pool_of(processes: int) -> ProcessPoolExecutor:
    """Processes that end with this one and write nothing on the terminal."""
    with suppress(OSError, ValueError), redirect_stderr(sys.__stderr__):
        resource_tracker.ensure_running()  # it passes on stderr, which is no file while the app has the screen
    return ProcessPoolExecutor(processes, get_context("spawn"), initializer=_begin)


def _submit(
    pool: ProcessPoolExecutor, function: Callable[[Job], Result], job: Job
) -> "Future[Result] | None":
    try:
        return pool.submit(function, job)
    except (BrokenProcessPool, OSError):
        return None


def _result(
    job: Job, future: "Future[Result] | None", function: Callable[[Job], Result]
) -> tuple[Job, Result]:
    if future is not None:
        try:
            return job, future.result()
        except BrokenProcessPool:
            pass
    return job, function(job)


def _begin() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # ctrl+c is for the process that waits
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # the app has the screen
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    """Without this a process waits for ever for the next job of one that was killed."""
    parent = parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)
