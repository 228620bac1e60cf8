"""Sums of rows over ever longer intervals, built as rows arrive: any window is drawn from a few of them.

Level 0 is the rows themselves; an entry of level 1 sums up to 64 rows, of level 2 up to 512, of level 3 up to 4,096.
No entry reaches over a gap in time. Levels 2 and 3 also count how often each level in dBm was met.
"""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, Span
from gray_kettle.spectrum.noise_floor import FloorTracker, threshold_codes
from gray_kettle.spectrum.quantise import MISSING, MW_OF_CODE, Codes, FloatDb, dbm_of_mw, to_codes

FIRST_ROWS = 64
NEXT = 8  # entries of a level that make one of the next
TOP = 3
COUNTED_FROM = 2
LEVELS = 128  # of one decibel each, from the lowest code up
_MOST_COLUMNS = 512
_GAP = 4.0  # times the usual step from row to row
_LEAST_GAP_S = 1.0
_ALWAYS = np.uint8(255)  # of a share

Counts = NDArray[np.uint32]


@dataclass(frozen=True, eq=False)
class Entries:
    """Stretches of rows summed up. peak, mean (of milliwatts): codes; share (255 is always) of the rows in which a
    bin was over its floor by 10 dB. Each of shape (entries, bins). end_s: start of the last row.
    """

    start_s: FloatArray
    end_s: FloatArray
    rows: NDArray[np.int32]
    peak: Codes
    mean: Codes
    share: Codes

    def __len__(self) -> int:
        return len(self.rows)

    def part(self, chosen: slice | NDArray[np.bool_]) -> "Entries":
        return Entries(*(getattr(self, name)[chosen] for name in ENTRY_COLUMNS))

    @classmethod
    def joined(cls, parts: "list[Entries]") -> "Entries":
        return cls(*(np.concatenate([getattr(p, name) for p in parts]) for name in ENTRY_COLUMNS))


ENTRY_COLUMNS = ("start_s", "end_s", "rows", "peak", "mean", "share")


@dataclass(frozen=True, eq=False)
class Summed:
    """One finished entry. counts: how often each column of bins had each decibel, shape (columns, 128); None below
    level 2. floor_dbm: as it was known then, shape (bins,).
    """

    level: int
    entry: Entries
    counts: Counts | None
    floor_dbm: FloatDb


def rows_as_entries(time_s: FloatArray, codes: Codes, threshold: Codes) -> Entries:
    """Rows, each an entry of its own."""
    share = np.where((codes >= threshold) & (codes != MISSING), _ALWAYS, np.uint8(0))
    return Entries(time_s, time_s, np.ones(len(time_s), np.int32), codes, codes, share)


def summed_rows(time_s: FloatArray, codes: Codes, threshold: Codes) -> Entries:
    """One entry for some rows, at most 255."""
    peak = codes.max(axis=0, keepdims=True)
    if peak.max() == MISSING:
        return summed(rows_as_entries(time_s, codes, threshold))
    rows = np.float32(len(codes))
    over = (codes >= threshold).view(np.uint8).sum(axis=0, dtype=np.uint8, keepdims=True)
    return Entries(
        time_s[:1],
        time_s[-1:],
        np.array([len(codes)], np.int32),
        peak,
        to_codes(dbm_of_mw(MW_OF_CODE[codes].sum(axis=0, keepdims=True) / rows)),
        np.rint(over * (_ALWAYS / rows)).astype(np.uint8),
    )


def summed(entries: Entries) -> Entries:
    """One entry for all of them."""
    one = np.uint8(1)
    peak = (entries.peak + one).max(axis=0, keepdims=True) - one  # MISSING wraps to the lowest, and back
    weight = (entries.mean != MISSING) * entries.rows[:, None].astype(np.float32)
    counted = weight.sum(axis=0, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        mean_mw = (MW_OF_CODE[entries.mean] * weight).sum(axis=0, keepdims=True) / counted
        share = (entries.share * weight).sum(axis=0, keepdims=True) / counted
    return Entries(
        entries.start_s[:1],
        entries.end_s[-1:],
        entries.rows.sum(keepdims=True, dtype=np.int32),
        peak,
        to_codes(dbm_of_mw(mean_mw)),
        np.rint(np.nan_to_num(share)).astype(np.uint8),
    )


def bins_a_column(bins: int) -> int:
    """How many bins are adjacent in a column of the counts."""
    return -(-bins // _MOST_COLUMNS)


def counts_of(codes: Codes) -> Counts:
    """How often each column of bins had each decibel, shape (columns, 128)."""
    wide = bins_a_column(codes.shape[1])
    columns = -(-codes.shape[1] // wide)
    place = np.arange(codes.shape[1]) // wide * LEVELS
    index = (codes >> 1) + place
    chosen = index.ravel() if codes.max(initial=0) < MISSING else index[codes != MISSING]
    return np.bincount(chosen, minlength=columns * LEVELS).astype(np.uint32).reshape(columns, LEVELS)


def added_counts(parts: list[tuple[float, Counts | Codes]], bins: int) -> FloatArray:
    """Seconds that each column of bins was at each decibel, shape (columns, 128).

    parts: seconds that a row stands for, with counts of sums, or codes of rows.
    """
    columns = -(-bins // bins_a_column(bins))
    total = np.zeros((columns, LEVELS))
    for seconds, part in parts:
        counted = part if part.shape == total.shape and bins != LEVELS else counts_of(part.astype(np.uint8))
        total += counted * seconds
    return total


class Pyramid:
    """Takes rows in order of time; gives each entry when it is complete."""

    def __init__(self, span: Span) -> None:
        self._floor = FloorTracker(span)
        self._floor_dbm = np.full(span.bins, np.nan, np.float32)
        self._waiting: list[tuple[FloatArray, Codes]] = []  # rows of the entry that is being filled
        self._uncounted: list[Codes] = []  # rows of the open entries of level 1
        self._open: list[list[Summed]] = [[] for _ in range(TOP)]
        self._last_s = -np.inf
        self._step_s = np.inf

    def add(self, time_s: FloatArray, codes: Codes) -> Iterator[Summed]:
        """Entries that these rows complete."""
        for first, last, after_gap in self._stretches(time_s):
            if after_gap:
                yield from self.close()
            at = first
            while at < last:
                room = FIRST_ROWS - sum(len(t) for t, _ in self._waiting)
                upto = min(at + room, last)
                self._waiting.append((time_s[at:upto], codes[at:upto]))
                if upto - at == room:
                    yield from self._complete()
                at = upto

    def close(self) -> Iterator[Summed]:
        """All entries that were begun, as they are."""
        if self._waiting:
            yield from self._complete()
        for level in range(1, TOP):
            if self._open[level]:
                yield from self._raise(level)

    def _stretches(self, time_s: FloatArray) -> Iterator[tuple[int, int, bool]]:
        """(first row, row behind the last, whether a gap lies before it)."""
        steps = np.diff(time_s, prepend=self._last_s)
        before = np.concatenate([[self._step_s], steps[:-1]])
        gaps = (steps > np.maximum(_GAP * before, _LEAST_GAP_S)) & np.isfinite(steps)
        cuts = [0, *(int(k) for k in np.flatnonzero(gaps) if k), len(time_s)]
        for first, last in itertools.pairwise(cuts):
            if last > first:
                yield first, last, bool(gaps[first])
        self._last_s, self._step_s = float(time_s[-1]), float(steps[-1])

    def _complete(self) -> Iterator[Summed]:
        time_s = np.concatenate([t for t, _ in self._waiting])
        codes = np.concatenate([c for _, c in self._waiting])
        self._waiting = []
        self._floor_dbm = self._floor.add(codes)
        entry = summed_rows(time_s, codes, threshold_codes(self._floor_dbm))
        found = Summed(1, entry, None, self._floor_dbm)
        yield found
        self._open[1].append(found)
        self._uncounted.append(codes)  # many rows are counted nearly as quickly as few
        if len(self._open[1]) == NEXT:
            yield from self._raise(1)

    def _raise(self, level: int) -> Iterator[Summed]:
        """Sum up the open entries of a level to one of the next."""
        parts, self._open[level] = self._open[level], []
        entry = summed(Entries.joined([p.entry for p in parts]))
        if level == 1:
            counts = counts_of(np.concatenate(self._uncounted))
            self._uncounted = []
        else:
            counts = np.sum([p.counts for p in parts if p.counts is not None], axis=0, dtype="u4")
        found = Summed(level + 1, entry, np.asarray(counts, np.uint32), self._floor_dbm)
        yield found
        if level + 1 < TOP:
            self._open[level + 1].append(found)
            if len(self._open[level + 1]) == NEXT:
                yield from self._raise(level + 1)
