"""Following a chain of records, each of which reports where the next begins, many places at once.

One record leads to the next, so a walk is a loop, and a loop in Python costs more than all the decoding behind it.
Here the walk starts at many places of an interval together: at each a record's beginning is guessed, and all of the
walks take their steps in one array operation. The guess costs no certainty: the walk before must arrive exactly at
the guessed place, or the interval is walked again one record at a time.
"""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import IntArray

SEGMENT_BYTES = 32 << 10
_SEARCHED_BYTES = 4096  # behind each segment's start for a record's beginning
_HOPS = 3  # a guess must lead to that many further records
_FEW = 3  # walks at once below which one record after the other is faster


class Records(Protocol):
    """How records of a kind lie in memory. All is asked only of places with a whole header before `end`."""

    end: int
    header_bytes: int

    def lengths(self, places: IntArray) -> IntArray:
        """Total length of the records at some places, 0 or less where it makes no sense."""
        ...

    def length(self, place: int) -> int:
        """The same for one place."""
        ...

    def candidates(self, windows: IntArray, count: int) -> IntArray:
        """Places among the `count` bytes behind each window's start where a record may begin; a quick look."""
        ...

    def likely(self, places: IntArray) -> NDArray[np.bool_]:
        """Whether a record begins at some places, as far as its header reports."""
        ...


def follow(at: int, records: Records) -> tuple[IntArray, int]:
    """(starts of all whole records from `at`, place where the chain stops: at the end or at damage)."""
    end = records.end
    bounds = np.arange(at, max(end - records.header_bytes, at + 1), SEGMENT_BYTES)
    guesses = _guesses(bounds[1:], records)
    begin = np.concatenate([[at], guesses]).astype(np.int64)
    stop_at = np.concatenate([guesses, [end]])
    walks, arrived = _walk_all(begin, stop_at, records)
    # A walk that does not arrive where the next began has met damage, or the next was a wrong guess.
    missed = np.flatnonzero(arrived[:-1] != begin[1:])
    if not len(missed):
        return walks, int(arrived[-1])
    first = int(missed[0])
    sure = walks[walks < begin[first + 1]]
    rest, stopped = _walk_one(int(arrived[first]), end, records)
    return np.concatenate([sure, rest]), stopped


def windows(octets: NDArray[np.uint8], starts: IntArray, count: int) -> NDArray[np.uint8]:
    """count bytes from each of evenly spaced starts, without copying."""
    spacing = int(starts[1] - starts[0]) if len(starts) > 1 else count
    shape, strides = (len(starts), count), (spacing, 1)
    return np.ndarray(shape, np.uint8, buffer=octets, offset=int(starts[0]), strides=strides)


def _guesses(bounds: IntArray, records: Records) -> IntArray:
    """The first likely beginning behind each bound that leads to likely records; bounds without one are skipped."""
    end = records.end - records.header_bytes
    bounds = bounds[bounds + _SEARCHED_BYTES <= end]
    if not len(bounds):
        return bounds
    places = records.candidates(bounds, _SEARCHED_BYTES)
    places = places[records.likely(places)]
    there, alive = places, np.ones(len(places), bool)
    for _ in range(_HOPS):
        there = there + np.where(alive, records.lengths(there), 0)
        alive &= there <= end
        there = np.where(alive, there, places)
        alive &= records.likely(there)
    places = places[alive]
    # Of several behind one bound the first.
    _, first = np.unique(np.searchsorted(bounds, places, side="right"), return_index=True)
    return np.asarray(places[first])


def _walk_all(begin: IntArray, stop_at: IntArray, records: Records) -> tuple[IntArray, IntArray]:
    """(starts in order, where each walk arrived), all walks taking their steps together."""
    at = begin.copy()
    moving = np.arange(len(begin))
    visited: list[IntArray] = []
    walkers: list[IntArray] = []
    last_header = records.end - records.header_bytes
    while len(moving) > _FEW:
        here = at[moving]
        fits = (here < stop_at[moving]) & (here <= last_header)
        if not fits.all():
            moving, here = moving[fits], here[fits]
        there = here + records.lengths(here)
        whole = (there > here) & (there <= records.end)
        if not whole.all():
            moving, here, there = moving[whole], here[whole], there[whole]
        visited.append(here)
        walkers.append(moving)
        at[moving] = there
    for walker in moving:
        starts, arrived = _walk_one(int(at[walker]), int(stop_at[walker]), records)
        visited.append(starts)
        walkers.append(np.full(len(starts), walker))
        at[walker] = arrived
    of = np.concatenate(walkers).astype(np.uint16)  # few enough, and sorted faster so
    return np.concatenate(visited)[np.argsort(of, kind="stable")], at


def _walk_one(at: int, stop_at: int, records: Records) -> tuple[IntArray, int]:
    starts = []
    last_header = min(stop_at - 1, records.end - records.header_bytes)
    while at <= last_header:
        length = records.length(at)
        if length <= 0 or at + length > records.end:
            break
        starts.append(at)
        at += length
    return np.array(starts, np.int64), at
