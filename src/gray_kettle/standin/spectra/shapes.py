"""How the power of a burst lies over frequency: density over its own power, by the distance from its centre."""

from collections.abc import Callable

import numpy as np

from gray_kettle.air.masks import SKIRT_BELOW_MASK_DB, mask_db
from gray_kettle.standin.spectra.bursts import Floats

Shape = Callable[[Floats], Floats]  # offset in Hz to a share of the power per Hz


_STEPS = 20_001


def _normalised(density: Callable[[Floats], Floats], reach_hz: float) -> Shape:
    """Looked up in a table: scenes ask for millions of bins."""
    grid = np.linspace(-reach_hz, reach_hz, _STEPS)
    table = density(grid)
    table = np.append(table / float(np.trapezoid(table, grid)), 0.0)
    each_hz = grid[1] - grid[0]

    def looked_up(offset: Floats) -> Floats:
        at = np.rint((offset + reach_hz) / each_hz)
        at[(at < 0) | (at >= _STEPS)] = _STEPS
        return np.asarray(table[at.astype(np.int32)])

    return looked_up


def ofdm(width_mhz: int) -> Shape:
    """Flat top and skirts, which real transmitters keep well below what the mask allows."""
    return _normalised(
        lambda f: 10 ** (mask_db("ofdm", width_mhz, f, SKIRT_BELOW_MASK_DB) / 10), 2.2e6 * width_mhz
    )


def dsss() -> Shape:
    """The hump of an 11 Mchip/s code, with its side lobes filtered down."""
    return _normalised(lambda f: np.sinc(f / 11e6) ** 2 * np.where(np.abs(f) > 11e6, 0.05, 1.0) + 1e-6, 33e6)


def bell(width_hz: float) -> Shape:
    """A bell that has fallen by 3 dB at half its width to each side."""
    return _normalised(lambda f: np.exp2(-((2 * f / width_hz) ** 2)), 2.5 * width_hz)


def two_bells(width_hz: float, core_hz: float, core_share: float) -> Shape:
    """A bell with a narrower one on its top: a modulated carrier."""
    return _normalised(
        lambda f: (
            (1 - core_share) * np.exp2(-((2 * f / width_hz) ** 2)) / width_hz
            + core_share * np.exp2(-((2 * f / core_hz) ** 2)) / core_hz
        ),
        2.5 * width_hz,
    )


def line(step_hz: float) -> Shape:
    """A line that one bin takes up."""
    return lambda f: np.where(np.abs(f) <= step_hz / 2, 1 / step_hz, 0.0)


def flat(width_hz: float) -> Shape:
    """Noise over a width, with soft edges."""
    return _normalised(lambda f: 1 / (1 + np.exp((np.abs(f) - width_hz / 2) / (width_hz / 60))), width_hz)
