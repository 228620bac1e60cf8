"""An interval of time and frequency as a picture's worth of numbers: so many columns, so many lines.

Source: docs/radio-model.md, "Presence, maximum and mean".
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, Span
from gray_kettle.spectrum.multires import LEVELS, Entries, bins_a_column
from gray_kettle.spectrum.quantise import LOWEST_DBM, MISSING, MW_OF_CODE, Codes, FloatDb, dbm_of_mw, to_dbm

_ONE = np.uint8(1)
_HELD = 1.6  # a row represents itself and what follows, up to so many of its usual steps
LEVEL_DBM: FloatDb = (LOWEST_DBM + np.arange(LEVELS)).astype(np.float32)  # lower end of each counted decibel


@dataclass(frozen=True)
class Frame:
    """What a picture is of: frequencies in columns from left to right, times in lines from top to bottom."""

    low_hz: float
    high_hz: float
    columns: int
    start_s: float
    end_s: float
    lines: int

    @property
    def column_hz(self) -> FloatArray:
        """Centre of every column."""
        return np.asarray(
            self.low_hz + (np.arange(self.columns) + 0.5) * (self.high_hz - self.low_hz) / self.columns
        )

    def line_at(self, time_s: FloatArray) -> NDArray[np.int64]:
        share = (time_s - self.start_s) / max(self.end_s - self.start_s, 1e-9)
        return np.clip(share * self.lines, 0, self.lines - 1).astype(np.int64)


@dataclass(frozen=True, eq=False)
class Spectrogram:
    """peak_dbm, mean_dbm, share: shape (lines, columns), NaN where nothing was measured. presence: share of the time
    at each decibel of LEVEL_DBM, shape (128, columns). highest_dbm, average_dbm, floor_dbm, over: shape (columns,),
    over the whole interval; over is the share of time more than 10 dB over the floor. rows: that were swept.
    """

    frame: Frame
    peak_dbm: FloatDb
    mean_dbm: FloatDb
    share: FloatDb
    presence: FloatDb
    highest_dbm: FloatDb
    average_dbm: FloatDb
    floor_dbm: FloatDb
    over: FloatDb
    rows: int
    detector: str = "sample"

    @property
    def is_empty(self) -> bool:
        return not self.rows

    def quantile_dbm(self, share: float) -> FloatDb:
        """Level under which each column is for a share of the time, to one decibel; NaN where nothing was measured."""
        summed = np.cumsum(self.presence, axis=0)
        at = (summed < share * summed[-1]).sum(axis=0)
        return np.where(summed[-1] > 0, LEVEL_DBM[np.minimum(at, LEVELS - 1)] + 0.5, np.nan).astype(
            np.float32
        )


class Composer:
    """Puts the parts of any number of runs into one frame. Where runs overlap, the stronger is shown."""

    def __init__(self, frame: Frame) -> None:
        self.frame = frame
        shape = (frame.lines, frame.columns)
        self._peak = np.full(shape, np.nan, np.float32)
        self._mean = np.full(shape, np.nan, np.float32)
        self._share = np.full(shape, np.nan, np.float32)
        self._highest = np.full(frame.columns, np.nan, np.float32)
        self._floor = np.full(frame.columns, np.nan, np.float32)
        self._presence = np.zeros((frame.columns, LEVELS))
        self._mw_s = np.zeros(frame.columns)
        self._over_s = np.zeros(frame.columns)
        self._seconds = np.zeros(frame.columns)
        self._rows = 0
        self._detectors: set[str] = set()

    def add(self, span: Span, entries: Entries, floor_dbm: FloatDb) -> None:
        """The lines of a run, from rows or sums of them."""
        if not len(entries):
            return
        bins = _Columns(span, self.frame)
        if not bins.any:
            return
        low, high = int(bins.first[0]), int(bins.last.max())
        seconds = _seconds(entries).astype(np.float32)
        total_mw, total_over = np.zeros(high - low), np.zeros(high - low)
        total_s, highest = np.zeros(high - low), np.zeros(high - low, np.uint8)
        for lines, first, last in self._lines(entries):
            peak, mean, share = (x[first:last, low:high] for x in (entries.peak, entries.mean, entries.share))
            weight = seconds[first:last]
            over_s = weight @ share.astype(np.float32) / 255
            mw_s = weight @ MW_OF_CODE[mean]
            told_s = np.full(high - low, weight.sum())
            if (mean == MISSING).any():
                told_s = weight @ (mean != MISSING).astype(np.float32)
            strongest = (peak + _ONE).max(axis=0)  # MISSING wraps to the lowest, and back
            np.maximum(highest, strongest, out=highest)
            total_mw, total_over, total_s = total_mw + mw_s, total_over + over_s, total_s + told_s
            for line in lines:
                self._fill(line, bins, strongest, mw_s, over_s, told_s)
        here = bins.here
        self._highest[here] = np.fmax(self._highest[here], to_dbm(bins.highest(highest) - _ONE))
        self._mw_s[here] += bins.total(total_mw)
        self._over_s[here] += bins.total(total_over)
        self._seconds[here] += bins.total(total_s)
        self._floor[here] = np.fmax(self._floor[here], floor_dbm[bins.middle])
        self._rows += int(entries.rows.sum())
        self._detectors.add(span.detector)

    def _fill(
        self, line: int, bins: "_Columns", strongest: Codes, mw_s: Any, over_s: Any, told_s: Any
    ) -> None:
        here = bins.here
        with np.errstate(divide="ignore", invalid="ignore"):
            seconds = bins.total(told_s)
            mean = dbm_of_mw(bins.total(mw_s) / seconds)
            share = np.where(seconds > 0, bins.total(over_s) / seconds, np.nan)
        self._peak[line, here] = np.fmax(self._peak[line, here], to_dbm(bins.highest(strongest) - _ONE))
        self._mean[line, here] = np.fmax(self._mean[line, here], mean)
        self._share[line, here] = np.fmax(self._share[line, here], share)

    def count(self, span: Span, counted: FloatArray) -> None:
        """Seconds that each column of a run's bins was at each decibel, see pyramid.added_counts."""
        bins = _Columns(span, self.frame)
        if not bins.any:
            return
        wide = bins_a_column(span.bins)
        first = bins.first // wide
        last = np.minimum(np.maximum(-(-bins.last // wide), first + 1), len(counted))
        total = np.concatenate([np.zeros((1, LEVELS)), np.cumsum(counted, axis=0)])
        self._presence[bins.here] += total[last] - total[first]

    def view(self) -> Spectrogram:
        with np.errstate(divide="ignore", invalid="ignore"):
            counted = self._presence.sum(axis=1, keepdims=True)
            presence = np.where(counted > 0, self._presence / counted, 0)
            average, over = self._mw_s / self._seconds, self._over_s / self._seconds
        return Spectrogram(
            frame=self.frame,
            peak_dbm=self._peak,
            mean_dbm=self._mean,
            share=self._share,
            presence=presence.T.astype(np.float32),
            highest_dbm=self._highest,
            average_dbm=dbm_of_mw(average),
            floor_dbm=self._floor,
            over=over.astype(np.float32),
            rows=self._rows,
            detector="max" if "max" in self._detectors else "/".join(sorted(self._detectors)) or "sample",
        )

    def _lines(self, entries: Entries) -> list[tuple[list[int], int, int]]:
        """(lines, first entry, entry behind the last): what falls into a line, which is held for lines without any."""
        frame = self.frame
        at = frame.line_at((entries.start_s + entries.end_s) / 2)
        first = np.searchsorted(at, np.arange(frame.lines), side="left")
        last = np.searchsorted(at, np.arange(frame.lines), side="right")
        held_s = _held_s(entries)
        line_s = (frame.end_s - frame.start_s) / frame.lines
        found: list[tuple[list[int], int, int]] = []
        for line in range(frame.lines):
            if last[line] > first[line]:
                found.append(([line], int(first[line]), int(last[line])))
            elif found:
                before = found[-1][2] - 1
                middle_s = frame.start_s + (line + 0.5) * line_s
                if middle_s - entries.end_s[before] <= held_s[before]:
                    found[-1][0].append(line)
        return found


class _Columns:
    """Which bins of a span stand in which columns of a frame. here: columns that have bins at all."""

    def __init__(self, span: Span, frame: Frame) -> None:
        edges_hz = (
            frame.low_hz + np.arange(frame.columns + 1) * (frame.high_hz - frame.low_hz) / frame.columns
        )
        at = (edges_hz - span.start_hz) / span.step_hz + 0.5  # in bins, from the lower edge of the first
        inside = (at[1:] > 0) & (at[:-1] < span.bins)
        self.here = np.flatnonzero(inside)
        first = np.clip(np.rint(at[:-1]), 0, span.bins - 1).astype(int)
        last = np.clip(np.rint(at[1:]), first + 1, span.bins).astype(int)
        middle = np.clip(np.floor((at[:-1] + at[1:]) / 2), 0, span.bins - 1).astype(int)
        narrow = last - first == 1  # fewer bins than columns: the one that the column lies in
        self.first = np.where(narrow, middle, first)[self.here]
        self.last = np.where(narrow, middle + 1, last)[self.here]
        self.middle = middle[self.here]
        self.any = len(self.here) > 0
        self._single = bool((self.last - self.first).max() == 1) if self.any else True
        self._starts = self.first - self.first[0] if self.any else self.first

    def highest(self, codes: Codes) -> Codes:
        """Of bins from the first of the first column on, the highest in each column."""
        return codes[self._starts] if self._single else np.maximum.reduceat(codes, self._starts)

    def total(self, values: Any) -> Any:
        """The same, added up."""
        return values[self._starts] if self._single else np.add.reduceat(values, self._starts)


def _seconds(entries: Entries) -> FloatArray:
    """How long each entry stands for."""
    if len(entries) == 1:
        return np.array([max(float(entries.end_s[0] - entries.start_s[0]), 1.0)])
    length = entries.end_s - entries.start_s
    step = np.where(entries.rows > 1, length / np.maximum(entries.rows - 1, 1), 0.0)
    gap = np.append(np.diff(entries.start_s), np.inf) - length
    alone = entries.rows == 1
    usual = float(np.median(np.diff(entries.start_s)))
    return np.asarray(np.where(alone, np.clip(gap, 1e-3, 4 * usual), length + step))


def _held_s(entries: Entries) -> FloatArray:
    """How long after its end an entry still stands for what follows."""
    steps = np.diff(entries.start_s)
    if not len(steps):
        return np.full(len(entries), 1.0)
    before = np.concatenate([steps[:1], steps])
    return np.maximum(_HELD * before, 1e-3)
