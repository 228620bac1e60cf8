"""Programs that a source runs: without a shell, within bounds of time and size, ended with the take."""

import os
import select
import shutil
import signal
import subprocess
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress

from gray_kettle.collect.live.source import IsCancelled, LostError
from gray_kettle.safe_text import printable

_MOST_BYTES = 8 << 20
_MOST_ERROR_BYTES = 4096
_LOOK_S, _END_S = 0.1, 0.5


def is_installed(program: str) -> bool:
    return shutil.which(program) is not None


@contextmanager
def running(words: Sequence[str], errors: int = subprocess.PIPE) -> Iterator["subprocess.Popen[bytes]"]:
    """The program while it runs, with all that it starts; nothing of it outlives the block.

    Raises: LostError, when it cannot be started.
    """
    try:
        process = subprocess.Popen(
            list(words),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=errors,
            start_new_session=True,
            env={**os.environ, "LC_ALL": "C.UTF-8"},
        )
    except OSError as error:
        raise LostError(f"{printable(words[0])} cannot be run ({error.strerror})") from error
    try:
        yield process
    finally:
        for number in (signal.SIGTERM, signal.SIGKILL):
            with suppress(ProcessLookupError, PermissionError):
                os.killpg(process.pid, number)
            with suppress(subprocess.TimeoutExpired):
                process.wait(_END_S)
                break
        for pipe in (process.stdout, process.stderr):
            if pipe is not None:
                pipe.close()


def output_of(words: Sequence[str], is_cancelled: IsCancelled, deadline_s: float) -> bytes:
    """All that a program prints. b"" where it was to end before.

    Raises: LostError, when it fails, prints too much or does not end in time; with the last that it says of it.
    """
    if os.name == "nt":  # pipes cannot be waited for there
        return _whole_output(words, deadline_s)
    with running(words) as process:
        assert process.stdout is not None
        assert process.stderr is not None
        came: dict[int, bytearray] = {
            process.stdout.fileno(): bytearray(),
            process.stderr.fileno(): bytearray(),
        }
        out, said = (came[pipe.fileno()] for pipe in (process.stdout, process.stderr))
        until_s = time.monotonic() + deadline_s
        is_open = set(came)
        while is_open:
            if is_cancelled():
                return b""
            if time.monotonic() > until_s:
                raise LostError(f"{_title(words)} did not end within {deadline_s:.0f} s")
            for number in select.select(list(is_open), [], [], _LOOK_S)[0]:
                part = os.read(number, 1 << 16)
                if not part:
                    is_open.discard(number)
                came[number] += part
            if len(out) > _MOST_BYTES:
                raise LostError(f"{_title(words)} prints without end")
            del said[:-_MOST_ERROR_BYTES]
        code = process.wait(max(until_s - time.monotonic(), _END_S))
        if code:
            last = printable(
                said.decode("utf-8", "replace").strip().splitlines()[-1:][0] if said.strip() else ""
            )
            raise LostError(f"{_title(words)} failed ({last[:160] or f'exit {code}'})")
        return bytes(out)


def _whole_output(words: Sequence[str], deadline_s: float) -> bytes:
    """The same where a program cannot be looked at while it runs; it cannot be cancelled then."""
    try:
        done = subprocess.run(
            list(words), stdin=subprocess.DEVNULL, capture_output=True, timeout=deadline_s, check=True
        )
    except (OSError, subprocess.SubprocessError) as error:
        raise LostError(f"{_title(words)} failed ({printable(str(error))[:160]})") from error
    return done.stdout[:_MOST_BYTES]


def _title(words: Sequence[str]) -> str:
    return printable(" ".join(words))[:80]
