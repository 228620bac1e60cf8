"""Signals that end a take: it ends cleanly at the next row, and what was read is stored."""

import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

INTERRUPTED = 130  # exit code, as shells give it for ctrl+c


@contextmanager
def stop_on_signals() -> Iterator[Callable[[], bool]]:
    """Whether ctrl+c, SIGTERM or SIGHUP came. A second ctrl+c interrupts what does not end."""
    stopped = threading.Event()

    def handle(number: int, _: Any) -> None:
        if stopped.is_set() and number == signal.SIGINT:
            raise KeyboardInterrupt
        stopped.set()

    if threading.current_thread() is not threading.main_thread():
        yield stopped.is_set
        return
    names = [name for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)]
    before = {name: signal.signal(getattr(signal, name), handle) for name in names}
    try:
        yield stopped.is_set
    finally:
        for name, handler in before.items():
            signal.signal(getattr(signal, name), handler)
