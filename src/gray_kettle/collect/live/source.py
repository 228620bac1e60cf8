"""What a live source is, and how one that was lost is reached again."""

import time
from collections.abc import Callable, Generator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Protocol

from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece

_TRIES = 3  # to reach it a first time
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 8.0
_MOST_NOTES = 40
_STEP_S = 0.05

IsCancelled = Callable[[], bool]


class LiveSource(Protocol):
    """What is collected from as it happens. notes grow as it goes on."""

    name: str
    kind: str

    @property
    def notes(self) -> list[str]: ...

    def pieces(self, is_cancelled: IsCancelled) -> Generator[Piece]: ...


@dataclass
class TakeControl:
    """What a person changes while a live take runs, from another thread. spot: where the receiver is now."""

    spot: str = ""
    is_paused: bool = False


class LostError(Exception):
    """A source cannot be read on; it may come back."""


class Notes(list[str]):
    """What happened on the way: each sentence once, and not without end."""

    def say(self, note: str) -> None:
        if note not in self and len(self) < _MOST_NOTES:
            self.append(note)


def retried(
    attempt: Callable[[], Generator[Piece]], notes: Notes, is_cancelled: IsCancelled, refusal: str
) -> Generator[Piece]:
    """Pieces of one attempt after another, until one ends by itself or the person ends it.

    Every gap is noted with its time and length. refusal: a sentence with {why}, for a source that cannot be reached a
    first time. Raises: KettleError with it.
    """
    pause_s, lost_s, tries = _FIRST_PAUSE_S, 0.0, 0
    ever = False
    while not is_cancelled():
        try:
            for piece in attempt():
                if lost_s:
                    notes.say(f"Lost at {clock(lost_s)}; restored after {time.time() - lost_s:.0f} s.")
                ever, pause_s, lost_s = True, _FIRST_PAUSE_S, 0.0
                yield piece
            return
        except LostError as error:
            if is_cancelled():
                return
            lost_s = lost_s or time.time()
            tries += 1
            if not ever and tries >= _TRIES:
                raise KettleError(refusal.format(why=error)) from error
            notes.say(f"{error}; trying again.")
            wait(pause_s, is_cancelled)
            pause_s = min(2 * pause_s, _LONGEST_PAUSE_S)


def wait(seconds: float, is_cancelled: IsCancelled) -> None:
    """Sleep for so long, or until it is to end."""
    until_s = time.monotonic() + seconds
    while time.monotonic() < until_s and not is_cancelled():
        time.sleep(_STEP_S)


def clock(time_s: float) -> str:
    """For example "14:02:07 UTC"."""
    return datetime.fromtimestamp(time_s, UTC).strftime("%H:%M:%S UTC")
