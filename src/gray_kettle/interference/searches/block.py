"""A block of sweep rows made ready to be looked at: powers on a grid that suits bursts, floor, statistics of noise.

Source: docs/radio-model.md, "Finding emitters".
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, Span
from gray_kettle.spectrum.noise_floor import floor_of, low_and_spread
from gray_kettle.spectrum.quantise import MISSING, MW_OF_CODE, Codes, dbm_of_mw, to_codes

Floats = NDArray[np.float32]

CELL_HZ = 250e3  # bins finer than this are joined: bursts are a megahertz wide, and noise evens out
_EDGE_SHARE = 0.08  # of the cells that are taken for the quietest
TILT_DB = 2.0  # by which a receiver's own floor may differ over a span
_MEAN_HZ, _QUIET, _ENOUGH_ROWS, _CALM = 1e6, 0.25, 600, 0.25
_SELDOM, _TERMS = 0.5, 60
_WHOLE_HZ = 4e6
FINE_HZ = 3.5e5  # cells that are finer show how wide a burst is
_SPREAD_SHAPES = np.array([1, 1.5, 2, 3, 4, 6, 8, 12, 16, 24, 32, 64, 128], float)


def gamma_quantile(shape: float | FloatArray, deviations: float | FloatArray) -> FloatArray:
    """Quantile (a ratio) of a gamma distribution of mean 1, so many normal deviations up (Wilson–Hilferty)."""
    ninth = 1 / (9 * np.asarray(shape, float))
    return np.asarray(np.maximum(1 - ninth + deviations * np.sqrt(ninth), 1e-3) ** 3)


def gamma_below(shape: float, ratio: FloatArray) -> FloatArray:
    """Share (0 to 1) of a gamma distribution of mean 1 below some ratios ≤ 1, by its series."""
    of = shape * np.clip(np.asarray(ratio, float), 1e-12, 1.0)
    term = np.exp(shape * np.log(of) - of - math.lgamma(shape + 1))
    total = term.copy()
    for k in range(1, _TERMS):
        term = term * of / (shape + k)
        total += term
    return np.asarray(total)


def normal_below(deviations: FloatArray) -> FloatArray:
    """Share (0 to 1) of the normal distribution below so many deviations, approximately."""
    return np.asarray(0.5 * (1 + np.tanh(_SLOPE * (deviations + 0.0447 * deviations**3))))


_SLOPE = math.sqrt(2 / math.pi)
_SPREAD_DB = 10 * np.log10(gamma_quantile(_SPREAD_SHAPES, -0.5244) / gamma_quantile(_SPREAD_SHAPES, -1.2816))


@dataclass(frozen=True, eq=False)
class Block:
    """Rows of one span, in order of time.

    power: mW in each cell, shape (rows, cells); noise: mean of the floor in each cell, mW, shape (cells,).
    looks: how many independent looks a cell sums up (the shape of its noise's gamma law), bin_looks: and one bin.
    together: how many cells next to one another waver as one; bins may be closer than the filter before them is wide.
    freq_hz: of the cells.
    codes: as they came, shape (rows, bins). offset_s: of each cell behind the start of the row; zeros for a snapshot.
    missing: cells that a row leaves out and others do not, shape (rows, cells); None where there are none.
    """

    span: Span
    time_s: FloatArray
    codes: Codes
    power: Floats
    noise: Floats
    looks: float
    bin_looks: float
    together: float
    freq_hz: FloatArray
    offset_s: FloatArray
    joined: int
    missing: NDArray[np.bool_] | None

    @property
    def cell_hz(self) -> float:
        return self.span.step_hz * self.joined

    @property
    def rows(self) -> int:
        return len(self.time_s)

    @cached_property
    def meets_parts(self) -> bool:
        """Whether bursts are met in part: bins are measured one after the other, or few of them at one moment."""
        widths = np.diff([*self.span.pieces, self.span.bins]) * self.span.step_hz
        return self.span.sweep_s > 0 or (len(widths) > 1 and float(np.median(widths)) < _WHOLE_HZ)

    @property
    def sums_frames(self) -> bool:
        """Whether rows sum up, or keep the highest of, several frames, in which a burst may be there or not."""
        return self.span.averages > 1 or (self.span.detector != "sample" and not self.meets_parts)

    @property
    def hz_per_s(self) -> float:
        """How fast it passes through its span; endless where all is measured at one moment."""
        return self.span.step_hz * self.span.bins / self.span.sweep_s if self.span.sweep_s else math.inf

    @property
    def dwell_s(self) -> float:
        """How long a tuned instrument looks at a cell: all the while with a peak detector, else from the moment of its
        first bin to that of its last.
        """
        if len(self.span.pieces) > 1:
            return 0.0
        is_held = self.span.detector == "max"
        return self.span.sweep_s / self.span.bins * (self.joined - (0 if is_held else 1))

    @cached_property
    def cell_codes(self) -> Codes:
        """Powers of the cells as codes."""
        if self.joined == 1:
            return self.codes
        return to_codes(dbm_of_mw(self.power))

    def looks_over(self, cells: int) -> float:
        """Independent looks in the mean over so many cells."""
        return self.looks * max(cells / self.together, 1.0)

    def looks_of_bins(self, bins: float) -> float:
        """Independent looks in the sum of so many bins."""
        bins_together = self.together * max(self.joined * self.bin_looks / self.looks, 1.0)
        return self.bin_looks * max(bins / bins_together, 1.0)

    def running(self, width_hz: float) -> tuple[Floats, int]:
        """(mean power over a width around each cell, cells that it spans: odd)."""
        half = self.half_of(width_hz)
        return running_mean(self.power, half), 2 * half + 1

    def half_of(self, width_hz: float) -> int:
        """Cells to each side of one that a width around it spans."""
        return int(width_hz / self.cell_hz / 2)


def running_median(values: FloatArray, half: int) -> FloatArray:
    """Median of each value and so many neighbours to both sides; the outermost are taken to go on. Shape (values,)."""
    padded = np.pad(values, half, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * half + 1), axis=1))


def running_mean(values: Floats, half: int) -> Floats:
    """Mean of each cell and its neighbours along the last axis; of fewer at the ends."""
    if half == 0:
        return values
    cells = values.shape[-1]
    total = running_total(values)
    at = np.arange(cells)
    count = np.minimum(at + half + 1, cells) - np.maximum(at - half, 0)
    return np.asarray(sums_between(total, -half, half + 1) / count.astype(np.float32), np.float32)


def running_total(values: Floats) -> FloatArray:
    """Sum of all that is before each cell, along the last axis: one more than there are cells."""
    total = np.zeros((*values.shape[:-1], values.shape[-1] + 1))
    np.cumsum(values, axis=-1, out=total[..., 1:])
    return total


def sums_between(total: FloatArray, begin: int, end: int) -> Floats:
    """Sum for each cell from the one so far behind it to before the one so far behind it (before it, if negative).

    total: running. What is beyond the ends adds nothing.
    """
    cells = total.shape[-1] - 1
    out = np.empty((*total.shape[:-1], cells), np.float32)
    low = min(max(-begin, 0), cells)
    high = max(cells - max(end, 0), low)
    at = np.arange(cells)
    for rest in (at[:low], at[high:]):
        last, first = np.clip(rest + end, 0, cells), np.clip(rest + begin, 0, cells)
        out[..., rest] = total[..., last] - total[..., first]
    # Slices are much quicker than lists of cells.
    np.subtract(
        total[..., low + end : high + end], total[..., low + begin : high + begin], out=out[..., low:high],
        casting="same_kind",
    )  # fmt: skip
    return out


def block_of(
    span: Span, time_s: FloatArray, codes: Codes, piece_offset_s: NDArray[np.floating] | None = None
) -> Block:
    """Make rows ready. codes: shape (rows, bins); piece_offset_s: of each piece behind its row, where it is told."""
    joined = max(int(CELL_HZ / span.step_hz + 0.01), 1)
    cells = span.bins // joined
    used = codes[:, : cells * joined]
    power = MW_OF_CODE[used].reshape(len(codes), cells, joined)
    missing = (used == MISSING).reshape(power.shape)
    left_out: NDArray[np.bool_] | None = None
    if missing.any():
        told = np.maximum((~missing).sum(axis=2), 1)
        power = power.sum(axis=2) / told
        of_row = missing.all(axis=2)
        of_row &= of_row.mean(axis=0) < _SELDOM
        left_out = of_row if of_row.any() else None
    else:
        power = power.mean(axis=2)
    freq_hz = span.start_hz + span.step_hz * (joined * np.arange(cells, dtype=float) + (joined - 1) / 2)
    of_cells = codes[:, :cells] if joined == 1 else to_codes(dbm_of_mw(power))
    low, spread_db = low_and_spread(of_cells)
    floor_dbm = floor_of(low, spread_db, span.step_hz * joined)
    told_floor = floor_dbm[np.isfinite(floor_dbm)]
    if len(told_floor):
        quiet = float(np.quantile(told_floor, _EDGE_SHARE))
        floor_dbm = np.minimum(np.nan_to_num(floor_dbm, nan=quiet), quiet + TILT_DB)
    looks = _looks(spread_db)
    some = codes[:: len(codes) // _ENOUGH_ROWS + 1, ::joined]  # one bin of each cell tells
    bin_looks = looks if joined == 1 else max(_looks(low_and_spread(some)[1]), 1.0)
    noise = np.asarray(10 ** (floor_dbm / 10), np.float32)
    offsets = _offsets(span, joined, cells, piece_offset_s)
    power = power.astype(np.float32)
    together = _together(power, low, looks, int(_MEAN_HZ / (span.step_hz * joined) / 2))
    return Block(
        span, time_s, codes, power, noise, looks, bin_looks, together, freq_hz, offsets, joined, left_out
    )


def _looks(spread_db: float) -> float:
    """Shape of the gamma law whose 30th percentile stands so far over its 10th."""
    return float(np.interp(-spread_db, -_SPREAD_DB, _SPREAD_SHAPES)) if spread_db > 0 else _SPREAD_SHAPES[-1]


def _together(power: Floats, low: Floats, looks: float, half: int) -> float:
    """How many cells waver as one: means over some of the quietest would waver less if each went its own way."""
    if half == 0:
        return 1.0
    smooth = running_mean(power[:: len(power) // _ENOUGH_ROWS + 1], half)[:, half : power.shape[1] - half]
    quiet = smooth[:, low[half : power.shape[1] - half] <= np.nanquantile(low, _QUIET)]
    if not quiet.size:
        return 1.0
    q10, q30 = np.quantile(quiet, [0.1, 0.3], axis=0)
    each_db = 10 * np.log10(np.maximum(q30, 1e-30) / np.maximum(q10, 1e-30))
    of_mean = _looks(float(np.quantile(each_db, _CALM)))  # where bursts come, all waver together
    return float(np.clip(looks * (2 * half + 1) / of_mean, 1.0, 2 * half + 1))


def _offsets(span: Span, joined: int, cells: int, piece_offset_s: NDArray[np.floating] | None) -> FloatArray:
    """When each cell is measured, behind the start of its row."""
    middle = joined * np.arange(cells) + joined / 2
    if piece_offset_s is not None and piece_offset_s.size and len(span.pieces) > 1:
        typical = np.nanmedian(piece_offset_s, axis=0)
        piece = np.searchsorted(np.array(span.pieces), middle, side="right") - 1
        return np.asarray(np.nan_to_num(typical)[piece], np.float64)
    return np.asarray(span.sweep_s * middle / span.bins, np.float64)
