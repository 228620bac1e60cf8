"""What a receiver adds by itself, learned from the rows: steps of gain, lines at each tuning, images; and rows without.

Nothing else in this package asks how rows came about in a receiver. What cannot be told from a transmitter, such as a
steady line at any frequency, is left in the rows, and only marked. Source: docs/radio-model.md, "The receiver's own".
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from gray_kettle.interference.runs import half_open_runs
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.spectrum.quantise import MISSING, Codes

_CODES_A_DB = 2.0
_FEWEST_PIECES = 3  # that show what is the same in each
_MOST_LINE_BINS = 7  # a steady sine fills so many with any usual window
_BASE_HZ, _FEWEST_BASE_BINS = 1.5e6, 6  # to each side of a bin: its surroundings
_LINE_DB, _LINE_SHARE, _OFFSET_DEVIATIONS = 0.9, 0.7, 4.5  # over them, and of the pieces
_OTHERS_DB = 8.0  # by more than it has elsewhere: something is sent there
_SPIKE_DB = 1.0
_LEAST_COMB_HZ, _COMB_NEAR_HZ, _FEWEST_TEETH = 4e6, 6e4, 4
_LINE_DEVIATIONS, _MOST_LINES, _TOOTH_DB, _TEETH_APART_DB = 6.0, 60, 2.0, 6.0
_GAIN_DB, _GAIN_DEVIATIONS, _QUIET = 1.2, 3.5, (0.02, 0.3)
_GAIN_PARTS, _LEAST_PART, _GAIN_APART, _GAIN_APART_DB = 4, 24, 0.5, 2.0
_STEADY_DB, _STEADY_SHARE, _OFF_DB, _STEADY_QUANTILES = 3.0, 0.97, 10.0, (0.05, 0.5, 0.75)
_BESIDE, _BESIDE_HZ, _CALM, _CALM_DB, _FEWEST_CALM = (4, 12, 20), 3e6, 0.1, 4.0, 12
_IMAGE_DB = np.arange(18.0, 60.0, 0.5)
_IMAGE_OVER_DB, _IMAGE_CELLS, _IMAGE_SHARE = 6.0, 200, 0.5
_IMAGE_WITHIN_DB, _IMAGE_MARGIN_DB = 1.5, 3.0
_IMAGE_NEAR_DB, _IMAGE_PEAK, _LEAST_IMAGE_DB = 5.0, 0.75, 21.0
_MOST_OWN_DB = 35.0  # over the floor: receivers make no stronger lines
_LINE_WIDTHS = 2.0  # that a line is said to fill, of what it does
_PLAIN_DB, _USED_BINS = 0.7, 4
_QUIET_TIME = 0.1
_STEPPING, _STEP_DB = 0.015, 5.0
_MOST_ROWS = 800  # to learn from


@dataclass(frozen=True)
class Receiver:
    """What was found. lines: (first bin, behind the last) taken out of every row; image_db: NaN for none; gain_rows:
    rows whose gain was set right; tunings: where it is tuned to, and steady: lines that may be its own or a
    transmitter's, as (Hz from, to).
    """

    lines: tuple[tuple[int, int], ...]
    image_db: float
    gain_rows: int
    tunings: tuple[tuple[float, float], ...]
    steady: tuple[tuple[float, float], ...]

    def may_be_its_own(self, low_hz: float, high_hz: float, over_db: float) -> bool:
        """Whether something that fills this, so far over the floor, is such a line."""
        suspects = (*self.tunings, *(self.steady if over_db <= _MOST_OWN_DB else ()))
        return any(
            low_hz <= last and high_hz >= first and high_hz - low_hz <= _LINE_WIDTHS * (last - first) + 1e5
            for first, last in suspects
        )


def without_own(span: Span, codes: Codes) -> tuple[Codes, Receiver]:
    """Rows without what the receiver adds, and what that was. codes: shape (rows, bins)."""
    codes, gain_rows = _with_one_gain(codes)
    quiet = _quantile(codes, _QUIET_TIME)
    over = quiet - _surroundings(quiet, span)
    lines = tuple(
        _at_each_tuning(span, over) or _evenly_spaced(span, over) or _in_the_middle(span, codes, over)
    )
    if lines:
        codes = _filled_in(span, codes, lines, over)
    image_db = _image(span, codes)
    if not np.isnan(image_db):
        codes = _without_image(span, codes, image_db)
    return codes, Receiver(
        lines,
        image_db,
        gain_rows,
        _tunings(span),
        _steady_lines(span, codes, gain_rows >= _STEPPING * len(codes)),
    )


def _quantile(codes: Codes, share: float) -> FloatArray:
    """Of each bin over rows, dB; NaN where nothing was measured."""
    some = np.sort(codes[:: len(codes) // _MOST_ROWS + 1], axis=0)  # what is missing comes last
    count = (some != MISSING).sum(axis=0)
    at = share * np.maximum(count - 1, 0)
    below = np.floor(at).astype(np.intp)
    low, high = (
        np.take_along_axis(some, np.minimum(k, np.maximum(count - 1, 0))[None, :], axis=0)[0].astype(
            np.float64
        )
        for k in (below, below + 1)
    )
    found = np.asarray((low + (at - below) * (high - low)) / _CODES_A_DB)
    found[count == 0] = np.nan
    return found


def _with_one_gain(codes: Codes) -> tuple[Codes, int]:
    """Rows in which the quietest bins moved together in every part of the span: the receiver's gain did.

    What is sent, and its skirts, moves some parts more than others.
    """
    if codes.shape[1] < _GAIN_PARTS * _LEAST_PART:
        return codes, 0  # so few that a neighbour may fill them
    parts = np.array_split(codes, _GAIN_PARTS, axis=1)
    levels = np.stack([_quiet_level(part) for part in parts])
    away = median_filter(levels - np.median(levels, axis=1, keepdims=True), (1, 3), mode="nearest")
    middle = np.median(away, axis=0)
    # Of chance alone: from row to row, as a gain stays for a while.
    spread = 1.48 * min(
        float(np.median(np.abs(middle))), float(np.median(np.abs(np.diff(middle)))) / math.sqrt(2)
    )
    together = np.ptp(away, axis=0) <= np.maximum(_GAIN_APART * np.abs(middle), _GAIN_APART_DB)
    moved = (np.abs(middle) > max(_GAIN_DB, _GAIN_DEVIATIONS * spread)) & together
    if not moved.any():
        return codes, 0
    shifted = codes[moved].astype(np.int16) - np.round(_CODES_A_DB * middle[moved]).astype(np.int16)[:, None]
    out = codes.copy()
    out[moved] = np.where(codes[moved] == MISSING, MISSING, np.clip(shifted, 0, MISSING - 1)).astype(np.uint8)
    return out, int(moved.sum())


def _quiet_level(codes: Codes) -> FloatArray:
    """Mean of the quietest bins of each row but the very lowest, dB."""
    first, last = (round(share * codes.shape[1]) for share in _QUIET)
    last = max(last, first + 3)
    ordered = np.partition(codes, (first, last), axis=1)[:, first:last]
    return np.asarray(ordered.mean(axis=1) / _CODES_A_DB, np.float64)


def _surroundings(level: FloatArray, span: Span) -> FloatArray:
    """Median around each bin, within its piece."""
    half = max(int(_BASE_HZ / span.step_hz), _FEWEST_BASE_BINS)
    out = np.empty_like(level)
    for first, last in _pieces(span):
        padded = np.pad(level[first:last], half, mode="reflect" if last - first > half else "edge")
        windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * half + 1)
        out[first:last] = np.median(windows, axis=1)
    return out


def _pieces(span: Span) -> list[tuple[int, int]]:
    return list(zip(span.pieces, [*span.pieces[1:], span.bins], strict=True))


def _at_each_tuning(span: Span, over: FloatArray) -> list[tuple[int, int]]:
    """Narrow lines at the same offset in most pieces: a spike where it is tuned to, a spur of its clock."""
    pieces = _pieces(span)
    width = int(np.median([last - first for first, last in pieces]))
    whole = [first for first, last in pieces if last - first == width]
    if len(whole) < _FEWEST_PIECES:
        return []
    by_piece = np.array([over[first : first + width] for first in whole])
    typical = np.median(by_piece, axis=0)
    least_db = max(
        _LINE_DB, _OFFSET_DEVIATIONS * 1.48 * float(np.median(np.abs(typical - np.median(typical))))
    )
    is_line = (typical >= least_db) & ((by_piece >= _LINE_DB / 2).mean(axis=0) >= _LINE_SHARE)
    out = []
    for begin, end in half_open_runs(is_line):
        if end - begin > _MOST_LINE_BINS:
            continue
        for first in whole:
            if over[first + begin : first + end].max() <= typical[begin:end].max() + _OTHERS_DB:
                out.append((first + max(begin - 1, 0), first + min(end + 1, width)))
    return out


def _evenly_spaced(span: Span, over: FloatArray) -> list[tuple[int, int]]:
    """The same where nobody said which pieces there are: a comb of narrow lines, most of its teeth there."""
    runs = _strongest(over, max(_TOOTH_DB, _LINE_DEVIATIONS * _deviation(over)))
    at = np.array([begin + int(np.argmax(over[begin:end])) for begin, end in runs], np.float64)
    height = np.array([over[begin:end].max() for begin, end in runs])
    near = max(1.0, _COMB_NEAR_HZ / span.step_hz)
    best: list[tuple[int, int]] = []
    for first in range(len(at)):
        for spacing in at[first + 1 :] - at[first]:
            if not _LEAST_COMB_HZ <= spacing * span.step_hz <= span.bins * span.step_hz / _FEWEST_PIECES:
                continue
            expected = int((span.bins - at[first] % spacing) // spacing) + 1
            away = np.abs((at - at[first] + spacing / 2) % spacing - spacing / 2)
            teeth = np.flatnonzero(away <= near)
            teeth = teeth[np.abs(height[teeth] - np.median(height[teeth])) <= _TEETH_APART_DB]
            numbers = np.unique(np.round((at[teeth] - at[first]) / spacing))
            if len(numbers) >= max(_FEWEST_TEETH, _LINE_SHARE * expected) and len(teeth) > len(best):
                best = [runs[k] for k in teeth]
    return [(max(begin - 1, 0), min(end + 1, span.bins)) for begin, end in best]


def _in_the_middle(span: Span, codes: Codes, over: FloatArray) -> list[tuple[int, int]]:
    """The spike of a receiver that has the whole span at a time: a steady narrow line exactly in its middle."""
    if len(span.pieces) > 1 or span.sweep_s:
        return []
    middle = span.bins / 2
    for begin, end in half_open_runs(over >= _SPIKE_DB):
        if begin - 1.5 <= middle <= end + 0.5 and end - begin <= _MOST_LINE_BINS:
            at = begin + int(np.argmax(over[begin:end]))
            if _is_steady(span, codes, at, over[at]):
                return [(max(begin - 1, 0), min(end + 1, span.bins))]
    return []


def _is_steady(span: Span, codes: Codes, at: int, over_db: float, is_stepping: bool = False) -> bool:
    """Whether a bin is never without its line, and the line hardly varies, while nothing is sent around it."""
    near, far = _BESIDE[0], int(np.clip(_BESIDE_HZ / span.step_hz, *_BESIDE[1:]))
    beside = np.r_[max(at - far, 0) : max(at - near, 0), at + near : at + far]
    beside = beside[beside < span.bins]
    measured = codes[:, at] != MISSING
    around = np.median(codes[:, beside], axis=1) / _CODES_A_DB if len(beside) else np.zeros(len(codes))
    calm = measured & (around <= np.quantile(around, _CALM) + _CALM_DB)
    level = codes[:, at] / _CODES_A_DB
    if int(calm.sum()) < _FEWEST_CALM:
        return False
    room = max(_STEADY_DB, 9.0 - over_db) + _STEP_DB * is_stepping  # near the floor noise makes it vary
    is_always_on = float((level[measured] >= np.median(level[calm]) - _OFF_DB).mean()) >= _STEADY_SHARE
    # With whatever gain. What is modulated falls deep now and then; higher it may be with what is sent around it.
    low, middle, high = np.quantile((level - around)[calm], _STEADY_QUANTILES)
    return is_always_on and middle - low <= room + 1.0 and high - middle <= room


def _filled_in(span: Span, codes: Codes, lines: tuple[tuple[int, int], ...], over: FloatArray) -> Codes:
    """What the nearest bins without a line hold, of the same piece, put into those with one: it wavers as noise does,
    and where something is sent around the line it goes on.
    """
    out = codes.copy()
    is_line = np.zeros(span.bins, np.bool_)
    for begin, end in lines:
        is_line[begin:end] = True
    is_plain = ~is_line & (over < _PLAIN_DB)
    for first, last in _pieces(span):
        plain = first + np.flatnonzero(is_plain[first:last])
        wanted = first + np.flatnonzero(is_line[first:last])
        if not len(plain):
            continue
        apart = np.abs(plain[None, :] - wanted[:, None])
        taken = np.zeros(len(plain))
        for row, at in enumerate(wanted):  # each source once, while there are others near
            best = int(np.argmin(apart[row] + _USED_BINS * taken))
            taken[best] += 1
            out[:, at] = codes[:, plain[best]]
    return out


def _image(span: Span, codes: Codes) -> float:
    """By how much weaker what is mirrored at the middle of each piece shows again; NaN where it does not."""
    if span.sweep_s:
        return np.nan
    floor = _quantile(codes, 0.25)
    some = codes[:: len(codes) // _MOST_ROWS + 1].astype(np.float32) / _CODES_A_DB
    apart: list[NDArray[np.float32]] = []
    for first, last in _pieces(span):
        here, there = some[:, first:last], some[:, first:last][:, ::-1]
        its_floor = floor[first:last]
        strong = (there < MISSING / _CODES_A_DB) & (here < MISSING / _CODES_A_DB)
        strong &= (there >= floor[first:last][::-1] + _IMAGE_DB[0] + _IMAGE_OVER_DB) & (
            there > here + _IMAGE_DB[0]
        )
        # Only where the other may reach over the floor can it be seen.
        apart.append(
            (there - np.maximum(here, its_floor + _IMAGE_OVER_DB))[
                strong & (here >= its_floor + _IMAGE_OVER_DB)
            ]
        )
    ratios = np.concatenate(apart)
    if len(ratios) < _IMAGE_CELLS:
        return np.nan
    counts = np.array([(np.abs(ratios - db) <= _IMAGE_WITHIN_DB).mean() for db in _IMAGE_DB])
    best = int(np.argmax(counts))
    found = float(_IMAGE_DB[best])
    near = float((np.abs(ratios - found) <= _IMAGE_NEAR_DB).mean())
    # Two transmitters differ by this and that, an image by one ratio.
    is_one = counts[best] >= _IMAGE_SHARE and counts[best] >= _IMAGE_PEAK * near and found >= _LEAST_IMAGE_DB
    return found if is_one else np.nan


def _without_image(span: Span, codes: Codes, image_db: float) -> Codes:
    """Cells that the image of what is mirrored explains are set to the usual of their bin."""
    usual = np.quantile(codes, 0.4, axis=0).astype(np.uint8)
    out = codes.copy()
    level = codes.astype(np.float32) / _CODES_A_DB
    for first, last in _pieces(span):
        here, there = level[:, first:last], level[:, first:last][:, ::-1]
        explained = here <= there - image_db + _IMAGE_MARGIN_DB
        explained &= (here < MISSING / _CODES_A_DB) & (there < MISSING / _CODES_A_DB)
        explained &= here > (usual[first:last] / _CODES_A_DB)[None, :]
        part = out[:, first:last]
        part[explained] = np.broadcast_to(usual[first:last], part.shape)[explained]
    return out


def _tunings(span: Span) -> tuple[tuple[float, float], ...]:
    """Where it is tuned to: what is there is suspect in any case. A swept receiver is tuned everywhere."""
    if span.sweep_s:
        return ()
    middles = [span.start_hz + span.step_hz * ((first + last) / 2 - 0.5) for first, last in _pieces(span)]
    return tuple((hz - span.step_hz, hz + span.step_hz) for hz in middles)


def _steady_lines(span: Span, codes: Codes, is_stepping: bool = False) -> tuple[tuple[float, float], ...]:
    """Narrow lines that are there in every row and hardly vary: a carrier without modulation, or a spur.

    is_stepping: the gain steps, and not all of that could be seen and set right.
    """
    low = _quantile(codes, 0.05)
    over = low - _surroundings(low, span)
    out = []
    for begin, end in _strongest(over, max(_SPIKE_DB, _OFFSET_DEVIATIONS * _deviation(over))):
        at = begin + int(np.argmax(over[begin:end]))
        if _is_steady(span, codes, at, over[at], is_stepping):
            out.append((begin - 1, end))
    return tuple(
        (span.start_hz + span.step_hz * first, span.start_hz + span.step_hz * last) for first, last in out
    )


def _deviation(over: FloatArray) -> float:
    """Of chance, dB."""
    known = over[~np.isnan(over)]
    return 1.48 * float(np.median(np.abs(known))) if len(known) else math.inf


def _strongest(over: FloatArray, least_db: float) -> list[tuple[int, int]]:
    """Narrow lines at least so far over their surroundings, a bounded number, from left to right."""
    runs = [(begin, end) for begin, end in half_open_runs(over >= least_db) if end - begin <= _MOST_LINE_BINS]
    return sorted(sorted(runs, key=lambda run: -over[run[0] : run[1]].max())[:_MOST_LINES])
