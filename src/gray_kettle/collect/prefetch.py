"""Working ahead: the next piece is decoded while the last one is stored."""

import queue
import threading
from collections.abc import Generator, Iterator
from contextlib import closing, suppress
from typing import TypeVar

Item = TypeVar("Item")
_AHEAD = 2
_LOOK_S = 0.05


def ahead(items: Iterator[Item]) -> Generator[Item]:
    """The same items, made in a thread of their own, at most two ahead. An error comes out where it would have."""
    with closing(ahead_or_none(items, None)) as found:
        for item in found:
            if item is not None:
                yield item


def ahead_or_none(items: Iterator[Item], tick_s: float | None) -> Generator[Item | None]:
    """The same, and None whenever nothing came for so long.

    Close it before what the items are made from is closed: it waits until the thread has ended.
    """
    made: queue.Queue[tuple[bool, Item | BaseException | None]] = queue.Queue(_AHEAD)
    is_over = threading.Event()

    def put(is_item: bool, what: Item | BaseException | None) -> None:
        while not is_over.is_set():
            with suppress(queue.Full):
                made.put((is_item, what), timeout=_LOOK_S)
                return

    def work() -> None:
        try:
            for item in items:
                put(True, item)
                if is_over.is_set():
                    return
            put(False, None)
        except BaseException as error:
            put(False, error)

    thread = threading.Thread(target=work, name="ahead", daemon=True)
    thread.start()
    try:
        while True:
            try:
                is_item, what = made.get(timeout=tick_s)
            except queue.Empty:
                yield None
                continue
            if is_item:
                yield what  # type: ignore[misc]
            elif isinstance(what, BaseException):
                raise what
            else:
                return
    finally:
        is_over.set()
        thread.join()
