"""Rows of one span made ready: levels over the noise in bins and in cells, rows of an overloaded receiver set right.

The noise of a cell follows a gamma law whose shape is learned from the quietest cells: from it come all thresholds. So
nothing else needs to know how many frames a row sums up, or which detector it has. Source: docs/radio-model.md,
"Finding emitters".
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import spsolve
from scipy.special import gammaincinv

from gray_kettle.interference.weighed.parameters import P
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.spectrum.quantise import DBM_OF_CODE, LOWEST_DBM, MISSING, MW_OF_CODE, Codes

Levels = NDArray[np.float32]

_SHAPES = np.geomspace(0.7, 400, 60)
_ROWS_AT_ONCE = 512
_LEAST_SIGMA_DB = 0.25  # levels are kept in half decibels
_ITERATIONS = 8
_FEWEST_CELLS = 12
_MHZ = 1e6
_MAINS_HZ = (50.0, 60.0, 100.0, 120.0)
_FEWEST_TURNS = 3.0  # of the phase over the block, to see a rhythm


def gamma_db(shape: float, share: float) -> float:
    """Quantile of a gamma law of mean 1, in dB."""
    return float(10 * np.log10(gammaincinv(shape, share) / shape))


_SPREADS = np.array([gamma_db(s, 0.3) - gamma_db(s, 0.1) for s in _SHAPES])


@dataclass(frozen=True, eq=False)
class Noise:
    """Median level of noise in each bin, dBm, shape (bins,), and the shape of its gamma law."""

    median_dbm: FloatArray
    shape: float

    @property
    def sigma_db(self) -> float:
        """Deviation of its lower half."""
        return max((gamma_db(self.shape, 0.5) - gamma_db(self.shape, 0.1)) / 1.28, _LEAST_SIGMA_DB)

    def exceeded_db(self, chance: float) -> float:
        """By how much noise exceeds its median with that chance, dB."""
        return gamma_db(self.shape, 1 - chance) - gamma_db(self.shape, 0.5)


@dataclass(frozen=True, eq=False)
class Rows:
    """Rows in order of time.

    codes: shape (rows, bins), set right; cells: dB over the median noise, shape (rows, cells); lift_db: by which each
    row was set right. joined: bins of a cell.
    """

    span: Span
    time_s: FloatArray
    codes: Codes
    noise: Noise
    cells: Levels
    cell_noise: Noise
    joined: int
    lift_db: FloatArray

    @property
    def freq_hz(self) -> FloatArray:
        """Centres of the bins."""
        return self.span.start_hz + self.span.step_hz * np.arange(self.span.bins, dtype=float)

    @property
    def cell_hz(self) -> float:
        """Width of a cell."""
        return self.span.step_hz * self.joined

    @property
    def first_cell_hz(self) -> float:
        """Centre of the first cell."""
        return self.span.start_hz + self.span.step_hz * (self.joined - 1) / 2

    @property
    def rate(self) -> float:
        """Rows a second."""
        return (len(self.time_s) - 1) / max(float(self.time_s[-1] - self.time_s[0]), 1e-9)

    @property
    def is_low_band(self) -> bool:
        """Whether this is 2.4 GHz."""
        return self.span.start_hz < 3e9

    @property
    def are_in_step_with_mains(self) -> bool:
        """Whether each row meets the mains at about the same phase, so that whatever is steady seems in step."""
        turns = np.array(_MAINS_HZ) / self.rate
        return bool((np.abs(turns - np.round(turns)) * len(self.time_s) < _FEWEST_TURNS).any())

    @cached_property
    def mains_basis(self) -> tuple[Levels, Levels]:
        """Cosines and sines of frequencies around 50, 60, 100 and 120 Hz, shape (frequencies, rows)."""
        rows = min(len(self.time_s), int(P.mains_rows))
        steps = 1 + np.linspace(-P.mains_tolerance, P.mains_tolerance, int(P.mains_steps))
        hz = np.concatenate([line * steps for line in _MAINS_HZ])
        phase = 2 * np.pi * np.outer(hz, self.time_s[:rows] - self.time_s[0])
        return np.cos(phase).astype(np.float32), np.sin(phase).astype(np.float32)

    def mains_coherence(self, values: NDArray[np.floating]) -> float:
        """Natural logarithm of the strongest of its Fourier terms near the mains, over what noise gives (about 1.5)."""
        cosines, sines = self.mains_basis
        x = np.asarray(values[: cosines.shape[1]], np.float32)
        x = x - x.mean()
        power = float((x**2).sum())
        if power <= 0 or len(x) < 2 * P.window_rows:
            return 0.0
        return float(np.log1p(((cosines @ x) ** 2 + (sines @ x) ** 2).max() / power))


def rows_of(span: Span, time_s: FloatArray, codes: Codes) -> Rows:
    """Make rows ready. codes: shape (rows, bins); what is missing is taken as its bin usually is."""
    missing = codes == MISSING
    if missing.any():
        usual = np.median(np.where(missing, 0, codes), axis=0).astype(np.uint8)
        codes = np.where(missing, usual[None, :], codes)
    codes, lift_db = _without_lift(codes, span.step_hz)
    noise = noise_of(codes, span.step_hz)
    joined = max(int(P.cell_hz / span.step_hz + 0.01), 1)
    if joined == 1:
        cells, cell_noise = DBM_OF_CODE[codes], noise
    else:
        cells = _joined_dbm(codes, joined)
        as_codes = np.clip((cells - LOWEST_DBM) * 2 + 0.5, 0, MISSING - 1).astype(np.uint8)
        cell_noise = noise_of(as_codes, span.step_hz * joined)
    over = (cells - cell_noise.median_dbm[None, :]).astype(np.float32)
    return Rows(span, time_s, codes, noise, over, cell_noise, joined, lift_db)


def _joined_dbm(codes: Codes, joined: int) -> Levels:
    cells = codes.shape[1] // joined
    power = np.empty((len(codes), cells), np.float32)
    for first in range(0, len(codes), _ROWS_AT_ONCE):
        part = MW_OF_CODE[codes[first : first + _ROWS_AT_ONCE, : cells * joined]]
        power[first : first + _ROWS_AT_ONCE] = part.reshape(-1, cells, joined).mean(axis=2)
    return np.asarray(10 * np.log10(np.maximum(power, 1e-20)), np.float32)


def quantiles_dbm(codes: Codes, shares: tuple[float, ...]) -> list[FloatArray]:
    """Levels that each bin exceeds in all but those shares of rows, dBm."""
    some = codes[:: len(codes) // int(P.learn_rows) + 1]
    at = [int(share * (len(some) - 1)) for share in shares]
    ordered = np.partition(some, at, axis=0)
    return [DBM_OF_CODE[np.minimum(ordered[k], MISSING - 1)].astype(float) for k in at]


def _without_lift(codes: Codes, step_hz: float) -> tuple[Codes, FloatArray]:
    """Rows in which even the quietest cells lie higher: noise of an overloaded receiver. It is taken off."""
    joined = max(int(_MHZ / step_hz), 1)
    cells = codes.shape[1] // joined
    if cells < _FEWEST_CELLS:
        return codes, np.zeros(len(codes))
    level = np.empty((len(codes), cells), np.float32)
    for first in range(0, len(codes), _ROWS_AT_ONCE):
        part = codes[first : first + _ROWS_AT_ONCE, : cells * joined].reshape(-1, cells, joined)
        level[first : first + _ROWS_AT_ONCE] = part.mean(axis=2, dtype=np.float32) / 2
    # Against the lowest of each cell: a channel that pauses in few rows must not make the others seem lifted.
    floor = np.quantile(level[:: len(level) // int(P.learn_rows) + 1], P.lift_floor_share, axis=0)
    level -= floor.astype(np.float32)
    at = [max(int(share * cells), 1) for share in (P.lift_share, P.lift_flat_share)]
    low, higher = np.partition(level, at, axis=1)[:, at].T
    quiet, quietest = np.quantile(low, (0.12, 0.03))
    lift = low - quiet
    hot = lift > max(P.lift_db, P.lift_deviations * (quiet - quietest))
    # The skirts of something that fills nearly the whole span rise towards it; noise of a receiver is as high all over.
    hot &= higher - low < P.lift_flat_db + 2 * float(np.median(higher - low))
    if not hot.any():
        return codes, np.zeros(len(codes))
    out = codes.copy()
    lower = codes[hot].astype(np.int16) - np.round(2 * lift[hot]).astype(np.int16)[:, None]
    out[hot] = np.clip(lower, 0, MISSING - 1).astype(np.uint8)
    return out, np.where(hot, lift, 0.0).astype(float)


def noise_of(codes: Codes, step_hz: float) -> Noise:
    """Smooth floor under the lowest levels, and the law of noise from the spread of the quietest bins."""
    low, middle = quantiles_dbm(codes, (0.1, 0.3))
    joined = min(max(int(_MHZ / step_hz), 1), len(low))
    groups = len(low) // joined
    by_mhz = np.median(low[: groups * joined].reshape(groups, joined), axis=1)
    smooth = _baseline(by_mhz, (P.floor_smooth_hz / (joined * step_hz)) ** 4)
    least = float(np.quantile(by_mhz, 0.05))
    smooth = np.clip(smooth, least - P.floor_rise_db, least + P.floor_rise_db)
    floor = np.interp(np.arange(len(low)), (np.arange(groups) + 0.5) * joined - 0.5, smooth)
    over, spread = low - floor, middle - low
    quiet = over <= np.quantile(over, P.quiet_share)
    quiet &= spread <= np.median(spread[quiet]) + 0.5  # levels are kept in half decibels
    shape = float(np.interp(-max(float(spread[quiet].mean()), 1e-3), -_SPREADS, _SHAPES))
    floor += float(np.median(over[quiet])) + gamma_db(shape, 0.5) - gamma_db(shape, 0.1)
    return Noise(floor, shape)


def _baseline(values: FloatArray, stiffness: float) -> FloatArray:
    """A stiff line under values: asymmetric least squares with a penalty on its second differences."""
    count = len(values)
    if count < 5:
        return np.full(count, float(values.min()))
    bend = sparse.diags([1.0, -2.0, 1.0], [0, 1, 2], shape=(count - 2, count), dtype=float)
    penalty = stiffness * (bend.T @ bend)
    weights, line = np.ones(count), values
    for _ in range(_ITERATIONS):
        line = spsolve(sparse.csc_matrix(sparse.diags(weights) + penalty), weights * values)
        weights = np.where(values > line, P.floor_asymmetry, 1 - P.floor_asymmetry)
    return np.asarray(line)
