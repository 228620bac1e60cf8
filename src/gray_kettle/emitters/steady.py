"""What the quiet moments of rows tell: the power that is always there, whether it ever goes, how restless it is.

Source: docs/radio-model.md, "What stands".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.emitters.block import Block, Floats, gamma_quantile, normal_below, running_mean
from gray_kettle.records import FloatArray
from gray_kettle.spectrum.halves import MW_OF_CODE

_QUIET, _QUIETER, _MANY_ROWS = (0.25, -0.6745), (0.1, -1.2816), 150  # quantile, and its normal deviations


def quiet_power(codes: NDArray[np.uint8], looks: float) -> Floats:
    """Mean power that each column would have if what its quiet moments show were all there is, mW."""
    share, deviations = _QUIET if len(codes) < _MANY_ROWS else _QUIETER
    at = int(share * (len(codes) - 1))
    low = np.partition(codes, at, axis=0)[at]
    return np.asarray(MW_OF_CODE[low] / gamma_quantile(looks, deviations), np.float32)


def spread_db(looks: float, upper: float, lower: float) -> float:
    """Between two quantiles of noise, told in normal deviations."""
    return float(10 * np.log10(gamma_quantile(looks, upper) / gamma_quantile(looks, lower)))


def off_in_rows(row_mw: FloatArray, floor_mw: float, level_mw: float, looks: float) -> float:
    """Share of rows in which something narrow is not there, beyond what fading takes away."""
    middle = np.sqrt(floor_mw * (level_mw + floor_mw))
    deviations = _deviations(middle / (level_mw + floor_mw), looks)
    return max(float((row_mw < middle).mean()) - 1.5 * float(normal_below(deviations)), 0.0)


def _deviations(ratio: FloatArray | float, looks: float) -> FloatArray:
    """Normal deviations at which a gamma law of so many looks, of mean 1, has these values."""
    shapes = np.linspace(-6, 0, 61)
    return np.asarray(np.interp(ratio, gamma_quantile(looks, shapes), shapes))


def off_in_parts(block: Block, rows: NDArray[np.int64], first: int, last: int) -> float:
    """Share of the looks at a region in which a part of it is not there, beyond what fading takes away."""
    smooth, half = _parts(block, rows, first, last)
    looks = block.looks_over(2 * half + 1)
    level = np.quantile(smooth, 0.25, axis=0) / gamma_quantile(looks, -0.6745)
    middle = np.sqrt(block.noise[first : last + 1][::half] * level)
    ratio = middle / np.maximum(level, 1e-30)
    by_chance = normal_below(_deviations(ratio, looks))
    return float(np.maximum((smooth < middle).mean(axis=0) - 1.5 * by_chance, 0).mean())


def restless_in_parts(block: Block, rows: NDArray[np.int64], first: int, last: int) -> float:
    """By how much the quiet moments of its parts differ beyond what noise does."""
    smooth, half = _parts(block, rows, first, last)
    low, high = 10 * np.log10(np.maximum(np.quantile(smooth, [0.05, 0.25], axis=0), 1e-30))
    return float(np.median(high - low)) - spread_db(block.looks_over(2 * half + 1), -0.6745, -1.645)


def _parts(block: Block, rows: NDArray[np.int64], first: int, last: int) -> tuple[Floats, int]:
    """Power in parts of a megahertz or so, shape (rows, parts)."""
    half = max(int(1e6 / block.cell_hz / 2), 1)
    return running_mean(block.power[rows][:, first : last + 1], half)[:, ::half], half
