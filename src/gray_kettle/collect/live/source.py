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
_JUMP_S = 20.0  # by so much more the clock of the day went on than the one that cannot be set

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


class ClockWatch:
    """Notices that the clock of this computer was set, or that it slept."""

    def __init__(self) -> None:
        self._day_s, self._steady_s = time.time(), time.monotonic()

    def check(self) -> str:
        """What happened since the last check, in a sentence; "" for nothing."""
        day_s, steady_s = time.time(), time.monotonic()
        jumped_s = (day_s - self._day_s) - (steady_s - self._steady_s)
        self._day_s, self._steady_s = day_s, steady_s
        if jumped_s > _JUMP_S:
            return f"Nothing was heard for {jumped_s:.0f} s before {clock(day_s)}: it slept, or its clock was set."
        if jumped_s < -_JUMP_S:
            return f"The clock of this computer was set back by {-jumped_s:.0f} s at {clock(day_s)}."
        return ""


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
