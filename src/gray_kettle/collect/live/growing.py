"""A file that something else goes on writing, read as a stream: it ends when the take does, not at its present end."""

import os
import stat
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gray_kettle.collect.live.source import IsCancelled
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

_BLOCK_BYTES, _LOOK_S = 1 << 16, 0.1


def is_growing(path: Path) -> bool:
    """Whether it is a file, rather than a pipe or a device, which end by themselves."""
    try:
        return stat.S_ISREG(path.stat().st_mode)
    except OSError:
        return False


@contextmanager
def grown(path: Path, is_over: IsCancelled) -> Iterator[int]:
    """A descriptor that gives what is in the file, and what is added to it. Raises: KettleError."""
    try:
        source = os.open(path, os.O_RDONLY)
    except OSError as error:
        raise KettleError(f"{printable(path.name)} cannot be read: {error.strerror}.") from error
    reading, writing = os.pipe()
    thread = threading.Thread(target=_copy, args=(source, writing, is_over), name=f"follow {path.name[:20]}")
    thread.start()
    try:
        yield reading
    finally:
        os.close(reading)  # a copy that waits to write ends
        thread.join()


def _copy(source: int, target: int, is_over: IsCancelled) -> None:
    try:
        while not is_over():
            block = os.read(source, _BLOCK_BYTES)
            if not block:
                time.sleep(_LOOK_S)
            while block:
                block = block[os.write(target, block) :]
    except OSError:
        return  # nobody reads on, or the file is gone
    finally:
        os.close(source)
        os.close(target)
