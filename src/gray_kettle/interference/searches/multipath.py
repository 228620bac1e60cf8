"""One thing heard over two paths: what is reflected comes later and adds or takes away, from frequency to frequency.

The second path multiplies the power by 1 + a² + 2a cos(2 pi f delay + phase): for a shape and a delay that is linear in
three numbers. Ends and delays are tried out, and the best of them bettered step by step.

Source: docs/radio-model.md, "Continuous signals".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray

Shape = NDArray[
    np.float64
]  # centre in MHz, log2 of width in MHz, log2 of the exponent, log2 of the delay in µs
_DELAYS_US = np.geomspace(0.012, 0.25, 22)  # 4 to 75 m farther
_DEEPEST = 0.975  # of the ripple against the mean: the second path is up to 0.8 as strong
_EXPONENTS = (2.0, 14.0)  # a flat top, and a bell, which may explain it better and is then not told
_ENDS = np.array([-1, 1, 3])  # steps inwards from where it shows first
_SHOWS, _NARROWEST_MHZ = 30.0, 4.0
_FIRST_STEP, _HALVINGS = np.array([0.0, 0.04, 0.4, 0.1]), 6


@dataclass(frozen=True)
class TwoPaths:
    """One thing as it would be without the second path. off: squared deviations of what was met from it with that."""

    level_db: float
    centre_mhz: float
    width_mhz: float
    exponent: float
    off: float


@dataclass(frozen=True, eq=False)
class _Met:
    at: FloatArray
    power: FloatArray
    floor: FloatArray
    sigma: float

    def ripples(self, delays_us: FloatArray) -> FloatArray:
        """What a second path may add, by delay: shape (delays, 3, points)."""
        turns = 2 * np.pi * delays_us[:, None] * (self.at - self.at[len(self.at) // 2])
        return np.stack([np.ones_like(turns), np.cos(turns), np.sin(turns)], axis=1)

    def explained(self, shape: Shape, ripple: FloatArray) -> tuple[float, float, int]:
        """(squared deviations, mean power, which ripple) at the one that explains most."""
        centre, width, exponent = shape[0], 2.0 ** shape[1], 2.0 ** shape[2]
        away = np.minimum(np.abs(self.at - centre) * 2 / width, 50.0)
        own = np.exp(-np.log(2) * away**exponent)
        basis = ripple * (own / self.power)
        normal = basis @ basis.transpose(0, 2, 1)
        normal += 1e-6 * normal[:, :1, :1] * np.eye(3)  # a slow ripple and the mean are nearly one
        wanted = basis @ ((self.power - self.floor) / self.power)
        numbers = np.linalg.solve(normal, wanted[:, :, None])[:, :, 0]
        mean = np.maximum(numbers[:, 0], 1e-30)
        depth = np.hypot(numbers[:, 1], numbers[:, 2]) / mean
        kept = np.minimum(_DEEPEST / np.maximum(depth, 1e-9), 1.0)
        numbers = np.column_stack([mean, numbers[:, 1:] * kept[:, None]])
        told = (numbers[:, None, :] @ ripple)[:, 0, :] * own + self.floor
        off = 10 * np.log10(np.maximum(told, 1e-30) / self.power) / self.sigma
        cost = (9 * np.log1p(off**2 / 9)).sum(axis=1)
        k = int(np.argmin(cost))
        return float(cost[k]), float(mean[k]), k


def over_two_paths(at: FloatArray, level_db: FloatArray, floor: FloatArray, sigma: float) -> TwoPaths | None:
    """The one thing that explains a region best. at: in MHz; floor: power there; sigma: by which points differ, dB."""
    met = _Met(at, 10 ** (level_db / 10), floor, sigma)
    over = met.power - floor
    shows = np.flatnonzero(over > np.maximum(over.max() / _SHOWS, floor))
    if len(shows) < 8:
        return None
    step = float(np.median(np.diff(at)))
    first, last = at[shows[0]] - step / 2, at[shows[-1]] + step / 2
    ripple = met.ripples(_DELAYS_US)
    best: tuple[float, Shape] | None = None
    for exponent in _EXPONENTS:
        to_half = np.log2(10) ** (1 / exponent)
        for low in first + step * _ENDS:
            for high in last - step * _ENDS:
                if high - low < _NARROWEST_MHZ:
                    continue
                start = np.array([(low + high) / 2, np.log2((high - low) / to_half), np.log2(exponent), 0.0])
                off, _, k = met.explained(start, ripple)
                if best is None or off < best[0]:
                    start[3] = np.log2(_DELAYS_US[k])
                    best = off, start
    return None if best is None else _bettered(met, *best, step)


def _bettered(met: _Met, off: float, shape: Shape, step_mhz: float) -> TwoPaths:
    """Each number changed by itself as long as that helps, by steps that become smaller."""
    steps = _FIRST_STEP.copy()
    steps[0] = step_mhz
    for _ in range(_HALVINGS):
        helps = True
        while helps:
            helps = False
            for k, sign in ((k, sign) for k in range(4) for sign in (-1, 1)):
                ahead = shape.copy()
                ahead[k] += sign * steps[k]
                there, _, _ = met.explained(ahead, met.ripples(2.0 ** ahead[3:]))
                if there < off - 0.1:
                    off, shape, helps = there, ahead, True
        steps /= 2
    _, mean, _ = met.explained(shape, met.ripples(2.0 ** shape[3:]))
    return TwoPaths(10 * np.log10(mean), float(shape[0]), 2.0 ** float(shape[1]), 2.0 ** float(shape[2]), off)
