"""What the quiet moments of rows tell: the power that is always there, whether it ever goes, how restless it is.

Source: docs/radio-model.md, "Continuous signals".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block, Floats, gamma_below, gamma_quantile, running_mean
from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.spectrum.quantise import MW_OF_CODE

_QUIET, _QUIETER, _MANY_ROWS = (0.25, -0.6745), (0.1, -1.2816), 150  # quantile, and its normal deviations
Quantiles = tuple[tuple[float, float], tuple[float, float]]
_RESTLESS: Quantiles = ((0.05, -1.645), (0.25, -0.6745))  # the same, lower and upper
_LOWEST: Quantiles = ((0.01, -2.326), (0.05, -1.645))
_NEARLY_ALL, _CHANCES = 1.645, 1.5
_BESIDE_HZ, _MUCH_OF = (1e6, 3e6), 0.3


def quiet_power(codes: NDArray[np.uint8], looks: float) -> Floats:
    """Mean power that each column would have if what its quiet moments show were all there is, mW."""
    share, deviations = _QUIET if len(codes) < _MANY_ROWS else _QUIETER
    at = int(share * (len(codes) - 1))
    low = np.partition(codes, at, axis=0)[at]
    return np.asarray(MW_OF_CODE[low] / gamma_quantile(looks, deviations), np.float32)


def spread_db(looks: float, upper: float, lower: float) -> float:
    """Between two quantiles of noise, told in normal deviations."""
    return float(10 * np.log10(gamma_quantile(looks, upper) / gamma_quantile(looks, lower)))


def off_in_rows(row_mw: FloatArray, rows: IntArray, floor_mw: float, level_mw: float, looks: float) -> float:
    """Share of rows in which something narrow is not there, beyond what fading takes away. rows: which they are."""
    least, by_chance = _least(np.array([floor_mw]), np.array([level_mw + floor_mw]), looks)
    off = _is_below(row_mw, least[0])
    off = off[_between_its_ends(off, rows)]
    chance = float(by_chance[0])
    return max(float(off.mean()) - _CHANCES * chance - 2 * float(np.sqrt(chance / len(off))), 0.0)


def off_with_others(block: Block, rows: IntArray, bins: tuple[int, int], power: FloatArray) -> float:
    """Share of the looks at single bins of something narrow in which it is not there, if it is much the share in which
    nothing is beside it: what pauses with a channel is a part of that. 0 if it is not. power: of its bins.

    A tuned instrument takes longer from bin to bin than a busy channel pauses: the sum of its bins does not tell.
    """
    step_hz, (first, last) = block.span.step_hz, bins
    strong = first + np.flatnonzero(power >= power.max() / 2)
    near, far = (max(round(hz / step_hz), k) for k, hz in zip((2, 4), _BESIDE_HZ, strict=True))
    beside = np.concatenate(
        [np.arange(first - far, first - near + 1), np.arange(last + near, last + far + 1)]
    )
    beside = beside[(beside >= 0) & (beside < block.span.bins)]
    noise = block.noise[np.minimum(np.concatenate([strong, beside]) // block.joined, len(block.noise) - 1)]
    level = np.append(power[strong - first], np.full(len(beside), np.inf)) + noise
    least, by_chance = _least(noise, level, block.bin_looks)
    off = _is_below(MW_OF_CODE[block.codes[rows][:, np.concatenate([strong, beside])]], least)
    share = np.maximum(off.mean(axis=0) - _CHANCES * by_chance, 0.0)
    own, others = float(share[: len(strong)].mean()), float(share[len(strong) :].mean())
    return own if own > _MUCH_OF * others else 0.0


def _least(
    floor: Floats | FloatArray, level: Floats | FloatArray, looks: float
) -> tuple[FloatArray, FloatArray]:
    """(what it stays over while it is there: more than nearly all noise; chance that fading takes it below)."""
    least = np.minimum(np.sqrt(floor * level), floor * gamma_quantile(looks, _NEARLY_ALL))
    return least, gamma_below(looks, least / np.maximum(level, 1e-30))


def _is_below(power: Floats | FloatArray, least: Floats | FloatArray | float) -> NDArray[np.bool_]:
    """What was measured, and lies so low; a row may leave out a stretch, which then has no power at all."""
    return np.asarray((power < least) & (power > 0))


def _between_its_ends(off: NDArray[np.bool_], rows: IntArray) -> NDArray[np.bool_]:
    """Rows of each stretch from the first to the last in which it is there: it may begin or end within a slice."""
    inside = np.zeros(len(off), bool)
    for its in np.split(np.arange(len(off)), np.flatnonzero(np.diff(rows) > 1) + 1):
        there = its[~off[its]]
        if len(there):
            inside[there[0] : there[-1] + 1] = True
    return inside if inside.any() else ~inside


def off_in_parts(block: Block, rows: IntArray, first: int, last: int) -> float:
    """Share of the looks at a region in which a part of it is not there, beyond what fading takes away."""
    smooth, half = _parts(block, rows, first, last)
    looks = block.looks_over(2 * half + 1)
    if block.span.is_tuned:  # a pause may be shorter than it takes for a megahertz
        smooth, looks = block.power[rows][:, first : last + 1][:, ::half], block.looks
    level = np.quantile(smooth, 0.25, axis=0) / gamma_quantile(looks, -0.6745)
    least, by_chance = _least(block.noise[first : last + 1][::half], level, looks)
    off = _is_below(smooth, least)
    off = off[_between_its_ends(off.mean(axis=1) > 0.5, rows)]
    return float(np.maximum(off.mean(axis=0) - _CHANCES * by_chance, 0).mean())


def restless_in_parts(block: Block, rows: IntArray, first: int, last: int) -> float:
    """By how much the quiet moments of its parts differ beyond what noise does."""
    return _spread_in_parts(block, rows, first, last, _RESTLESS)


def lowest_db(level_db: FloatArray, looks: float) -> float:
    """By how much the lowest of levels differ, beyond what noise does."""
    (low, lower), (high, upper) = _LOWEST
    return float(np.diff(np.quantile(level_db, [low, high]))[0]) - spread_db(looks, upper, lower)


def lowest_in_parts(block: Block, rows: IntArray, first: int, last: int) -> float:
    """The same of its parts, which a tuned instrument comes to one after the other."""
    return _spread_in_parts(block, rows, first, last, _LOWEST)


def _spread_in_parts(block: Block, rows: IntArray, first: int, last: int, between: Quantiles) -> float:
    """Between two quantiles of the usual one of its parts, beyond what noise does."""
    (low, lower), (high, upper) = between
    smooth, half = _parts(block, rows, first, last)
    low_db, high_db = 10 * np.log10(np.maximum(np.quantile(smooth, [low, high], axis=0), 1e-30))
    return float(np.median(high_db - low_db)) - spread_db(block.looks_over(2 * half + 1), upper, lower)


def _parts(block: Block, rows: IntArray, first: int, last: int) -> tuple[Floats, int]:
    """Power in parts of a megahertz or so, shape (rows, parts)."""
    half = max(int(1e6 / block.cell_hz / 2), 1)
    return running_mean(block.power[rows][:, first : last + 1], half)[:, ::half], half
