"""What the tests of reliability and the long runs (`make soak`) share: damage, stops, and what a case answers."""

import hashlib
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
from contextlib import suppress
from dataclasses import dataclass, fields, is_dataclass
from pathlib import Path

import numpy as np

from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.terminal import Terminal

PROGRAM = (sys.executable, "-m", "gray_kettle")
STOPS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


def fingerprint(path: Path) -> tuple[str, bool]:
    """(digest of all that the case holds, whether it says that something is damaged)."""
    digest = hashlib.blake2b()
    with Case.open(path) as case:
        seen = case.window()
        _add(digest, seen)
        _add(digest, case.setup())
        for run in case.sweeps.runs():
            digest.update(case.sweeps.rows(run, -np.inf, np.inf).codes.tobytes())
        return digest.hexdigest(), bool(seen.damage) or len(case.damage) > 0


def _add(digest, value) -> None:
    if is_dataclass(value):
        for field in fields(value):
            if field.name != "damage":
                _add(digest, getattr(value, field.name))
    elif isinstance(value, np.ndarray):
        digest.update(str(value.dtype).encode() + value.tobytes())
    elif isinstance(value, tuple):
        for item in value:
            _add(digest, item)
    else:
        digest.update(repr(sorted(value) if isinstance(value, frozenset) else value).encode())


def flipped(raw: bytes, rng: random.Random, most: int) -> bytes:
    """Up to so many bits turned, every third time in the first pages, where the structure is."""
    data = bytearray(raw)
    for _ in range(rng.randint(1, most)):
        within = min(len(data), 64 << 10) if rng.random() < 0.3 else len(data)
        data[rng.randrange(within)] ^= 1 << rng.randrange(8)
    return bytes(data)


def outcome(path: Path, raw: bytes, good: str) -> str:
    """What a damaged case answers: "same", "named", "refused", or "silent", which must never be."""
    for ending in ("-wal", "-shm"):
        path.with_name(path.name + ending).unlink(missing_ok=True)
    path.write_bytes(raw)
    try:
        found, is_named = fingerprint(path)
    except KettleError:
        return "refused"
    if found == good:
        return "same"
    return "named" if is_named else "silent"


@dataclass(frozen=True)
class Stopped:
    """A take that was stopped. reported: frames as it says; stored: as the case says."""

    code: int
    reported: int
    stored: int
    seconds: float
    errors: str


def stop_take(folder: Path, raw: bytes, rng: random.Random, silent: bool = False) -> Stopped:
    """Take from a pipe, and stop it at a random moment with a random signal."""
    case, pipe = folder / "a.kettle", folder / "pipe"
    for path in folder.glob("*"):
        path.unlink()
    Case.create(case, Setup()).close()
    os.mkfifo(pipe)
    take = subprocess.Popen(
        [*PROGRAM, "take", str(case), str(pipe)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    with pipe.open("wb", buffering=0) as writer:
        if not silent:
            os.set_blocking(writer.fileno(), False)
            writer.write(raw[: rng.randrange(200, 60_000)])
        time.sleep(rng.uniform(0.6, 1.6))
        began_s = time.monotonic()
        take.send_signal(rng.choice(STOPS))
        try:
            out, errors = take.communicate(timeout=30)
        finally:
            take.kill()
    seconds = time.monotonic() - began_s
    told = re.search(r": ([\d,]+) frames? read", out)
    with Case.open(case) as opened:
        stored = sum(t.records for t in opened.take_list.all())
    return Stopped(take.returncode, int(told[1].replace(",", "")) if told else 0, stored, seconds, errors)


def kill_take(folder: Path, packets: list[bytes], rng: random.Random) -> tuple[int, int]:
    """(packets that were written a second before a take was killed, packets in the case)."""
    case, pipe = folder / "a.kettle", folder / "pipe"
    for path in folder.glob("*"):
        path.unlink()
    Case.create(case, Setup()).close()
    os.mkfifo(pipe)
    take = subprocess.Popen([*PROGRAM, "take", str(case), str(pipe)], stderr=subprocess.DEVNULL)
    with take, pipe.open("wb", buffering=0) as writer:
        times = []
        until_s = time.monotonic() + rng.uniform(0.5, 2.5)
        for packet in packets:
            writer.write(packet)
            times.append(time.monotonic())
            time.sleep(0.03)
            if times[-1] > until_s:
                break
        killed_s = time.monotonic()
        take.kill()
    with Case.open(case) as opened:
        stored = sum(t.records for t in opened.take_list.all())
    return sum(t < killed_s - 1.0 for t in times[1:]), stored  # the first is the header of the file


def kill_live(folder: Path, source: str, rng: random.Random, feed: str = "") -> tuple[int, int, int]:
    """Records in the case just before a live take was killed at a random moment, in a copy of its files that was made
    while it ran (or as many, where it cannot be opened and says so), and in it afterwards.

    feed: a program whose output is piped into it.
    """
    case = folder / "a.kettle"
    for path in folder.glob("*"):
        path.unlink()
    Case.create(case, Setup()).close()
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    fed = subprocess.Popen(["sh", "-c", feed], stdout=subprocess.PIPE) if feed else None
    take = subprocess.Popen([*PROGRAM, "take", str(case), source], stdin=fed.stdout if fed else None, **quiet)
    try:
        until_s = time.monotonic() + 20
        while not (before := records_in(case)) and time.monotonic() < until_s:
            time.sleep(0.05)
        time.sleep(rng.uniform(0.0, 1.5))
        before = records_in(case)
        copied = _copied(case, rng)
        take.kill()
        take.wait()
    finally:
        if fed is not None:
            fed.stdout.close()
            fed.kill()
            fed.wait()
    return before, before if copied is None else copied, records_in(case)


def _copied(case: Path, rng: random.Random) -> int | None:
    """Records in a copy that a person makes of a case while it is written; None where the copy is refused in words."""
    copy = case.with_name("copy.kettle")
    names = [("-wal", "-wal"), ("", "")]
    rng.shuffle(names)
    for name, target in names:
        with suppress(FileNotFoundError):
            shutil.copyfile(f"{case}{name}", f"{copy}{target}")
    try:
        return records_in(copy)
    except KettleError:
        return None
    except AssertionError:  # what is damaged is named
        return None


def records_in(path: Path) -> int:
    """All that counts in a case, without damage."""
    with Case.open(path) as opened:
        assert not opened.window().damage
        return sum(t.records for t in opened.take_list.all()) + sum(r.rows for r in opened.sweeps.runs())


_NAMED_KEYS = (
    *(
        "Up",
        "Down",
        "Left",
        "Right",
        "PageUp",
        "PageDown",
        "Home",
        "End",
        "Enter",
        "Escape",
        "Tab",
        "BTab",
        "Space",
    ),
    *("BSpace", "DC", "C-p", "C-z", "C-u", "C-a", "C-Left", "C-Right", "F1", "S-Up"),
)
_LETTERS = "123450tTPWMNRbwrioxs?,.y!gfnulce[]{}/=-+"


def mash(folder: Path, raw: bytes, rng: random.Random, keys: int) -> str:
    """Random keys on the app with a case of its own: "alive", "quit" (by a command), or what it said at its end."""
    case = folder / "mashed.kettle"
    case.write_bytes(raw)
    terminal = Terminal(str(folder / f"tmux-{rng.randrange(10**9)}"))
    try:
        terminal.start(
            *("env", "-C", str(folder), *PROGRAM, "open", str(case)),  # exports go beside it
            columns=rng.choice((80, 120, 160)),
            lines=rng.choice((24, 40)),
        )
        terminal.wait_for("What is wrong", timeout_s=60)
        for _ in range(keys // 5):
            burst = [
                rng.choice(_NAMED_KEYS) if rng.random() < 0.5 else rng.choice(_LETTERS) for _ in range(5)
            ]
            terminal.keys(*burst)
            time.sleep(rng.choice((0.0, 0.02, 0.2)))
        time.sleep(1.0)
        state = terminal.ask("#{pane_dead} #{pane_dead_status}").split()
        if state[0] == "0":
            return "alive"
        return "quit" if state[1:] == ["0"] else terminal.screen()
    finally:
        terminal.stop()
