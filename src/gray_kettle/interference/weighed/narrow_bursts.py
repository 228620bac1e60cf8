"""Narrow bursts: peaks of single rows over what lies to both sides of them, and how they share frequencies.

A Wi-Fi frame lifts its whole channel, so that a peak within it is none of its own; what hops or keeps to a narrow
channel shows. Source: docs/radio-model.md, "Finding emitters".
"""

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Levels, Rows
from gray_kettle.model.records import FloatArray

_ROWS_AT_ONCE = 256
_PEAK_HZ, _CENTRE_HZ, _WIDTH_DB = 1e6, 1.5e6, 6.0
_GRID_HZ, _AROUND_HZ, _INNER_HZ = 2.5e5, 8e6, 1.5e6
_CLUMPS_MHZ, _FEWEST_OF_CLUMP = (8, 14, 22, 32), 15
_FEWEST_OF_TWO, _LEAST_OF_TWO = 24, 0.1
_ENDS = (0.03, 0.97)


@dataclass(frozen=True, eq=False)
class Bursts:
    """Peaks, in order of rows; every field has shape (bursts,).

    level_dbm: power within 1.5 MHz to each side; over_db: of its highest cell, over noise; rise_db: over its
    surroundings, which are so far over noise: around_db.
    """

    row: NDArray[np.intp]
    freq_hz: FloatArray
    level_dbm: FloatArray
    rise_db: FloatArray
    width_hz: FloatArray
    around_db: FloatArray
    over_db: FloatArray

    def __len__(self) -> int:
        return len(self.row)

    def of(self, which: NDArray[np.bool_]) -> "Bursts":
        """Some of them."""
        return Bursts(*(getattr(self, f.name)[which] for f in fields(self)))


@dataclass(frozen=True, eq=False)
class Cluster:
    """Bursts that may be of one emitter. shape: "fixed" (one frequency), "advertising" (the channels of Bluetooth
    LE's), "spread" (many), "second" (the weaker part of what is spread, where levels fall into two groups), "clump" (a
    part of the band); by_chance: how many of them the density beside them explains, of a second the depth of the valley
    between the groups; stronger: the other group of a second.
    """

    shape: str
    bursts: Bursts
    low_hz: float
    high_hz: float
    by_chance: float = 0.0
    stronger: "Bursts | None" = None


def find_bursts(rows: Rows) -> Bursts:
    """Local maxima of each row that stand out to both sides."""
    step_hz, over = rows.cell_hz, rows.cells
    near = max(round(P.near_hz / step_hz), 1)
    beside = np.arange(near, max(round(P.far_hz / step_hz), near + 1) + 1)
    reach, half = (max(round(hz / step_hz), 1) for hz in (_PEAK_HZ, _CENTRE_HZ))
    least_db = max(P.peak_db, rows.cell_noise.exceeded_db(P.peak_chance))
    noise_mw = 10 ** (rows.cell_noise.median_dbm[: over.shape[1]] / 10)
    parts = []
    for start in range(0, len(over), _ROWS_AT_ONCE):
        level = over[start : start + _ROWS_AT_ONCE]
        around = np.maximum(np.maximum(_beside(level, -beside), _beside(level, beside)), 0.0)
        hit = (level - around >= least_db) & (level > least_db) & (level >= _highest(level, reach))
        hit[:, [0, -1]] = False
        row, cell = np.nonzero(hit)
        if not len(row):
            continue
        near_cells = np.clip(cell[:, None] + np.arange(-half, half + 1), 0, level.shape[1] - 1)
        here, base = level[row[:, None], near_cells], around[row, cell]
        power = np.maximum(10 ** (here / 10) - 10 ** (base / 10)[:, None], 0.0) * noise_mw[near_cells]
        total = np.maximum(power.sum(axis=1), 1e-20)
        offset = (power * np.arange(-half, half + 1)).sum(axis=1) / total
        width = (here >= (level[row, cell] - _WIDTH_DB)[:, None]).sum(axis=1) * step_hz
        parts.append((
            row + start, rows.first_cell_hz + step_hz * (cell + offset),
            10 * np.log10(total) + rows.lift_db[row + start], level[row, cell] - base, width, base, level[row, cell],
        ))  # fmt: skip
    if not parts:
        return Bursts(np.zeros(0, np.intp), *(np.zeros(0) for _ in range(6)))
    return Bursts(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _beside(level: Levels, offsets: NDArray[np.intp]) -> Levels:
    """Quantile of the cells at some offsets from each; beyond an end the last cell goes on."""
    cells = level.shape[1]
    taken = np.stack([level[:, np.clip(np.arange(cells) + k, 0, cells - 1)] for k in offsets])
    at = round(P.around_share * (len(offsets) - 1))
    return np.asarray(np.partition(taken, at, axis=0)[at])


def _highest(level: Levels, reach: int) -> Levels:
    out = level.copy()
    for k in range(1, reach + 1):
        out[:, k:] = np.maximum(out[:, k:], level[:, :-k])
        out[:, :-k] = np.maximum(out[:, :-k], level[:, k:])
    return out


def find_clusters(rows: Rows, bursts: Bursts) -> list[Cluster]:
    """Frequencies that bursts come back to; then what is left, in several ways that compete."""
    if len(bursts) < 4:
        return []
    fixed, left = _fixed(rows, bursts)
    rest = np.ones(len(bursts), np.bool_)
    usual = float(np.median([len(p.bursts) for p in fixed])) if len(fixed) >= 3 else 0.0
    for one in fixed:
        if len(one.bursts) > P.dominates * len(bursts) or (usual and len(one.bursts) >= P.outnumbers * usual):
            rest &= ~_within(bursts, one)
    out = list(fixed)
    if rows.is_low_band:
        advertising, its_own = _advertising(bursts, fixed)
        if advertising is not None:
            out.append(advertising)
            rest &= ~its_own
    choices = [left & rest, rest & (bursts.rise_db >= P.strong_peak_db)]
    if len(fixed) >= 3:
        choices.insert(1, rest)
    for choice in choices:
        if choice.sum() >= P.fewest_bursts:
            low, high = np.quantile(bursts.freq_hz[choice], _ENDS)
            if high - low > 5e6:
                out.append(Cluster("spread", bursts.of(choice), float(low), float(high)))
    out += _second(bursts.of(rest & (bursts.rise_db >= P.strong_peak_db)))
    if rows.is_low_band:
        out += _clump(rows, bursts.of(rest))
    return out


def _second(bursts: Bursts) -> list[Cluster]:
    """The weaker group, where the levels of what is spread have two maxima with a valley between them."""
    if len(bursts) < _FEWEST_OF_TWO:
        return []
    level = bursts.level_dbm
    grid = np.arange(level.min() - 2, level.max() + 3, 1.0)
    density = np.convolve(np.histogram(level, grid)[0], np.array([1, 2, 3, 2, 1]) / 9, "same")
    below, above = np.maximum.accumulate(density), np.maximum.accumulate(density[::-1])[::-1]
    depth = np.minimum(below, above) - density
    at = int(np.argmax(depth))
    if depth[at] <= 0:
        return []
    weak = level < grid[at] + 0.5
    fewer = min(weak.sum(), (~weak).sum())
    if fewer < max(P.fewest_bursts, _LEAST_OF_TWO * len(bursts)):
        return []
    low, high = np.quantile(bursts.freq_hz[weak], _ENDS)
    valley = float(density[at] / max(min(below[at], above[at]), 1e-9))
    return [Cluster("second", bursts.of(weak), float(low), float(high), valley, bursts.of(~weak))]


def _within(bursts: Bursts, cluster: Cluster) -> NDArray[np.bool_]:
    return (bursts.freq_hz >= cluster.low_hz) & (bursts.freq_hz <= cluster.high_hz)


def _fixed(rows: Rows, bursts: Bursts) -> tuple[list[Cluster], NDArray[np.bool_]]:
    """Frequencies with far more bursts than those beside them; and what they leave."""
    first_hz = rows.span.start_hz
    bins = int((rows.freq_hz[-1] - first_hz) / _GRID_HZ) + 2
    half_hz = max(P.fixed_hz, 0.75 * rows.cell_hz)
    half, wide, inner = (int(hz / _GRID_HZ) for hz in (half_hz, _AROUND_HZ, _INNER_HZ))
    at = np.clip(((bursts.freq_hz - first_hz) / _GRID_HZ).astype(int), 0, bins - 1)
    left, out = np.ones(len(bursts), np.bool_), []
    for _ in range(int(P.most_fixed)):
        counts = np.bincount(at[left], minlength=bins).astype(float)
        here = np.convolve(counts, np.ones(2 * half + 1), "same")
        ring = np.convolve(counts, np.ones(2 * wide + 1), "same") - np.convolve(
            counts, np.ones(2 * inner + 1), "same"
        )
        expected = np.maximum(ring, 0.0) * (2 * half + 1) / (2 * (wide - inner))
        beyond = here - P.fixed_ratio * expected - 3 * np.sqrt(expected + 1)
        best = int(np.argmax(beyond))
        near = left & (np.abs(bursts.freq_hz - (first_hz + _GRID_HZ * (best + 0.5))) <= half_hz)
        if beyond[best] < 2 or near.sum() < 4:
            break
        middle = float(np.median(bursts.freq_hz[near]))
        near = left & (np.abs(bursts.freq_hz - middle) <= half_hz)
        out.append(
            Cluster("fixed", bursts.of(near), middle - half_hz, middle + half_hz, float(expected[best]))
        )
        left &= ~near
    return out, left


def _advertising(bursts: Bursts, fixed: list[Cluster]) -> tuple[Cluster | None, NDArray[np.bool_]]:
    """Bursts on at least two of the three channels of Bluetooth LE advertising; and which are of nothing else."""
    none = np.zeros(len(bursts), np.bool_)
    on: dict[float, Cluster] = {}
    for one in fixed:
        middle = float(np.median(one.bursts.freq_hz))
        channel = min(ADVERTISING_HZ, key=lambda hz: abs(hz - middle))
        if abs(middle - channel) < 5e5:
            on[channel] = one
    if len(on) < 2:
        return None, none
    its_own = none.copy()
    for one in on.values():
        its_own |= _within(bursts, one)
    others = [len(p.bursts) for p in fixed if not any(p is q for q in on.values())]
    is_clear = not others or float(np.median([len(p.bursts) for p in on.values()])) >= 2 * max(others)
    low, high = min(ADVERTISING_HZ) - 1e6, max(ADVERTISING_HZ) + 1e6
    return Cluster("advertising", bursts.of(its_own), low, high), its_own if is_clear else none


def _clump(rows: Rows, bursts: Bursts) -> list[Cluster]:
    """Where in the band bursts are densest against the rest: rows that catch an oven at a moment show it so."""
    first_hz = rows.span.start_hz
    size = int((rows.freq_hz[-1] - first_hz) / 1e6) + 1
    counts = np.bincount(
        np.clip(((bursts.freq_hz - first_hz) / 1e6).astype(int), 0, size - 1), minlength=size
    )
    best: tuple[float, int, int, float] | None = None
    for width in _CLUMPS_MHZ:
        if width >= size:
            continue
        inside = np.convolve(counts, np.ones(width), "valid")
        at = int(np.argmax(inside))
        density, rest = inside[at] / width, (counts.sum() - inside[at]) / max(size - width, 1)
        score = density / (rest + 0.15 * density + 3 / size) * np.sqrt(width)
        if inside[at] >= _FEWEST_OF_CLUMP and (best is None or score > best[0]):
            best = (float(score), at, width, float(rest))
    if best is None:
        return []
    _, at, width, rest = best
    low = first_hz + at * 1e6
    some = bursts.of((bursts.freq_hz >= low) & (bursts.freq_hz < low + width * 1e6))
    if not len(some):
        return []
    ends = np.quantile(some.freq_hz, _ENDS)
    return [Cluster("clump", some, float(ends[0]), float(ends[1]), rest * width)]
