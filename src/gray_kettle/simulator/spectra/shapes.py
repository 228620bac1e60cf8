"""How the power of a burst lies over frequency: density over its own power, by the distance from its centre."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from gray_kettle.phy.masks import SKIRT_BELOW_MASK_DB, mask_db
from gray_kettle.simulator.spectra.bursts import Floats

_STEPS = 20_001
_FINE = 100  # points of a table; over a bin with fewer a density hardly changes


@dataclass(frozen=True, eq=False)
class Shape:
    """Looked up in tables: scenes ask for millions of bins. density: share of the power per Hz at points that lie
    evenly from reach_hz below the centre to as far above it, shape (points,); beyond them there is nothing.
    """

    density: Floats
    reach_hz: float

    @cached_property
    def _each_hz(self) -> float:
        return 2 * self.reach_hz / (_STEPS - 1)

    @cached_property
    def _and_nothing(self) -> Floats:
        return np.append(self.density, 0.0)

    @cached_property
    def _below(self) -> Floats:
        """Share of the power below each point."""
        return np.append(0.0, np.cumsum((self.density[1:] + self.density[:-1]) / 2 * self._each_hz))

    def per_hz(self, offset_hz: Floats) -> Floats:
        at = np.rint((offset_hz + self.reach_hz) / self._each_hz)
        at[(at < 0) | (at >= _STEPS)] = _STEPS
        return np.asarray(self._and_nothing[at.astype(np.int32)])

    def within(self, offset_hz: Floats, width_hz: float) -> Floats:
        """Share of the power that lies within a width around each offset: what a bin takes up, however narrow it is."""
        if width_hz < _FINE * self._each_hz:
            return self.per_hz(offset_hz) * width_hz
        ends = [
            np.clip(np.rint((offset_hz + side * width_hz / 2 + self.reach_hz) / self._each_hz), 0, _STEPS - 1)
            for side in (-1, 1)
        ]
        first, last = (self._below[end.astype(np.int32)] for end in ends)
        return np.asarray(last - first)

    def times(self, gain: Callable[[Floats], Floats]) -> "Shape":
        """The same with a gain that depends on the distance from its centre."""
        return Shape(self.density * gain(_points(self.reach_hz)), self.reach_hz)


def shape_of(density: Callable[[Floats], Floats], reach_hz: float) -> Shape:
    """A shape of that density, whatever its unit, as far as it reaches to both sides."""
    at_hz = _points(reach_hz)
    table = density(at_hz)
    return Shape(table / float(np.trapezoid(table, at_hz)), reach_hz)


def _points(reach_hz: float) -> Floats:
    return np.linspace(-reach_hz, reach_hz, _STEPS)


def ofdm(width_mhz: int) -> Shape:
    """Flat top and skirts, which real transmitters keep well below what the mask allows."""
    return shape_of(
        lambda f: 10 ** (mask_db("ofdm", width_mhz, f, SKIRT_BELOW_MASK_DB["ofdm"]) / 10), 2.2e6 * width_mhz
    )


def dsss() -> Shape:
    """The hump of an 11 Mchip/s code, with its side lobes filtered down."""
    return shape_of(lambda f: np.sinc(f / 11e6) ** 2 * np.where(np.abs(f) > 11e6, 0.05, 1.0) + 1e-6, 33e6)


def bell(width_hz: float) -> Shape:
    """A bell that has fallen by 3 dB at half its width to each side."""
    return shape_of(lambda f: np.exp2(-((2 * f / width_hz) ** 2)), 2.5 * width_hz)


def two_bells(width_hz: float, core_hz: float, core_share: float) -> Shape:
    """A bell with a narrower one on its top: a modulated carrier."""
    return shape_of(
        lambda f: (
            (1 - core_share) * np.exp2(-((2 * f / width_hz) ** 2)) / width_hz
            + core_share * np.exp2(-((2 * f / core_hz) ** 2)) / core_hz
        ),
        2.5 * width_hz,
    )


def flat(width_hz: float) -> Shape:
    """Noise over a width, with soft edges."""
    return shape_of(lambda f: 1 / (1 + np.exp((np.abs(f) - width_hz / 2) / (width_hz / 60))), width_hz)
