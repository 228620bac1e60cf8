"""Files that are written for people: whole or not at all, for their owner's eyes, and nothing is written over.

Source: docs/reliability.md, "Read-only and full disks".
"""

import itertools
import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO

from gray_kettle.errors import KettleError
from gray_kettle.store.header import is_case


def check_target(path: Path, force: bool = False) -> None:
    """Raises: KettleError, where a file may not be written: it exists and is not to be replaced, or never may be."""
    if path.is_symlink():
        raise KettleError(f"{path} is a symbolic link: name the file that is meant.")
    if path.is_dir():
        raise KettleError(f"{path} is a folder: name a file in it.")
    if not path.exists():
        return
    if not path.is_file():
        raise KettleError(f"{path} is no ordinary file: choose another name.")
    if is_case(path):
        raise KettleError(f"{path} is a case: it is not written over. Choose another name.")
    if not force:
        raise KettleError(f"{path} exists already: choose another name, or add --force to replace it.")


def write_file(path: Path, fill: Callable[[BinaryIO], object] | bytes | str, force: bool = False) -> None:
    """Write under a temporary name, flush to the disk, and rename.

    fill: the content, or what writes it. Raises: KettleError, see check_target; or where it cannot be written.
    """
    check_target(path, force)
    unfinished: str | None = None
    try:
        number, unfinished = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(number, "wb") as file:
            if callable(fill):
                fill(file)
            else:
                file.write(fill.encode("utf-8", "replace") if isinstance(fill, str) else fill)
            file.flush()
            os.fsync(file.fileno())
        if force:
            os.replace(unfinished, path)
        else:
            os.link(unfinished, path)  # fails where somebody was faster
    except FileExistsError:
        raise KettleError(
            f"{path} exists already: choose another name, or add --force to replace it."
        ) from None
    except OSError as error:
        raise KettleError(f"{path} cannot be written: {error.strerror}.") from error
    finally:
        if unfinished is not None:
            with suppress(OSError):
                os.unlink(unfinished)


def free_name(path: Path) -> Path:
    """The path itself, or with the first number behind its name under which there is nothing yet."""
    if not path.exists() and not path.is_symlink():
        return path
    numbered = (path.with_name(f"{path.stem}-{n}{path.suffix}") for n in itertools.count(2))
    return next(p for p in numbered if not p.exists() and not p.is_symlink())
