"""One thing heard over two paths: what is reflected comes later and adds or takes away, from frequency to frequency.

The second path multiplies the power by 1 + a² + 2a cos(2 pi f delay + phase): for a shape and a delay that is linear in
three numbers, and delays and ends are tried out.

Source: docs/radio-model.md, "What stands".
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.records import FloatArray

Found = tuple[NDArray[np.float64], float]
_DELAYS_US = np.geomspace(0.012, 0.25, 22)  # 4 to 75 m farther
_DEEPEST = 0.975  # of the ripple against the mean: the second path is up to 0.8 as strong
_EXPONENTS = (2.0, 14.0, 32.0)  # a bell, flat tops
_ENDS = np.arange(-2, 5)  # steps inwards from where it shows first
_SHOWS, _NARROWEST_MHZ = 30.0, 4.0


def over_two_paths(at: FloatArray, level_db: FloatArray, floor: FloatArray, sigma: float) -> Found | None:
    """(level in dB, centre and log2 of width in MHz, log2 of the exponent: shape (4,); squared deviations) of the one
    thing that explains a region best. at: in MHz.
    """
    power = 10 ** (level_db / 10)
    over = power - floor
    shows = np.flatnonzero(over > np.maximum(over.max() / _SHOWS, floor))
    if len(shows) < 8:
        return None
    step = float(np.median(np.diff(at)))
    first, last = at[shows[0]] - step / 2, at[shows[-1]] + step / 2
    turns = 2 * np.pi * _DELAYS_US[:, None] * at[None, :]
    ripple = np.stack([np.ones_like(turns), np.cos(turns), np.sin(turns)], axis=2)
    best: Found | None = None
    for exponent in _EXPONENTS:
        to_half = np.log2(10) ** (1 / exponent)
        for low in first + step * _ENDS:
            for high in last - step * _ENDS:
                if high - low < _NARROWEST_MHZ:
                    continue
                centre, width = (low + high) / 2, (high - low) / to_half
                shape = np.exp(-np.log(2) * np.minimum(np.abs(at - centre) * 2 / width, 50.0) ** exponent)
                cost, mean = _best_delay(shape, ripple, power, floor, sigma)
                if best is None or cost < best[1]:
                    row = [10 * np.log10(mean), centre, np.log2(width), np.log2(exponent)]
                    best = np.array(row), cost
    return best


def _best_delay(
    shape: FloatArray, ripple: FloatArray, power: FloatArray, floor: FloatArray, sigma: float
) -> tuple[float, float]:
    """(squared deviations, mean power) at the delay that explains most."""
    basis = ripple * (shape / power)[None, :, None]
    wanted = (power - floor) / power
    normal = np.einsum("dpi,dpj->dij", basis, basis)
    normal += 1e-6 * normal[:, :1, :1] * np.eye(3)  # a slow ripple and the mean are nearly one
    numbers = np.linalg.solve(normal, np.einsum("dpi,p->di", basis, wanted)[:, :, None])[:, :, 0]
    mean = np.maximum(numbers[:, 0], 1e-30)
    depth = np.hypot(numbers[:, 1], numbers[:, 2]) / mean
    numbers = np.column_stack(
        [mean, numbers[:, 1:] * np.minimum(_DEEPEST / np.maximum(depth, 1e-9), 1.0)[:, None]]
    )
    told = np.einsum("dpi,di->dp", ripple, numbers) * shape + floor
    off = 10 * np.log10(np.maximum(told, 1e-30) / power) / sigma
    cost = (9 * np.log1p(off**2 / 9)).sum(axis=1)
    k = int(np.argmin(cost))
    return float(cost[k]), float(mean[k])
