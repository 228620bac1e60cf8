"""Several things that never pause side by side: their common shape taken apart into humps and flat tops.

Each is a power of a bell: exp(-ln 2 |2 (f - centre) / width|^p), p = 2 for a bell, and the flatter the larger. They are
fitted together, in decibels, one more at a time as long as it explains much that is left; what the sum then tells of
one of them only by bending it is not told.

Source: docs/radio-model.md, "Continuous signals".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import runs_in
from gray_kettle.interference.searches.block import running_median
from gray_kettle.interference.searches.multipath import over_two_paths
from gray_kettle.model.records import FloatArray

_POINTS = 100
_MOST = 4
_MISFIT_DB = 0.6  # no real shape is a power of a bell
_ENOUGH = 60.0  # squared deviations that one more must explain, beside what chance does
_THREE_MORE = 0.75  # what a second path costs: three numbers, where one thing more costs four
_STEPS = 24
FLAT, _SOFT = 8.0, 6.0
_LEAST_OWN, _VALLEY_DB, _STEP_DB = 0.25, 1.5, 1.5
_LINE_HZ, _LINE_DB, _NARROW_HZ = 1.6e6, 2.5, 8e5
_LEAST_HZ = 4.5e6  # pictures and links are at 10 dB below their tops
_FINE_HZ = 1.01e6  # coarser bins are no finer than a line with its neighbours
Params = NDArray[
    np.float64
]  # shape (things, 4), or of many sets (sets, things, 4): level in dB, centre in MHz, log2 of width in MHz, log2 of p


@dataclass(frozen=True)
class Part:
    """One of several things. level_db: of a bin at its top, as the powers came. exponent: p."""

    level_db: float
    centre_hz: float
    width_hz: float
    exponent: float

    def power(self, freq_hz: FloatArray) -> FloatArray:
        row = np.array(
            [[self.level_db, self.centre_hz / 1e6, np.log2(self.width_hz / 1e6), np.log2(self.exponent)]]
        )
        return np.asarray(_powers(row, freq_hz / 1e6)[0])


def taken_apart(freq_hz: FloatArray, power: FloatArray, noise: FloatArray) -> list[Part]:
    """The wide things of a region, the strongest first; none where it is one thing. power: of bins, over the noise."""
    step_hz = float(freq_hz[1] - freq_hz[0])
    group = max(len(freq_hz) // _POINTS, 1)
    usable = len(freq_hz) // group * group
    total = power + noise
    lined = np.zeros(len(total), bool)
    if step_hz <= _FINE_HZ:
        total_db = 10 * np.log10(total)
        lined = total_db - running_median(total_db, round(_LINE_HZ / step_hz)) > _LINE_DB
    weight = (~lined[:usable]).astype(float).reshape(-1, group)
    told = weight.sum(axis=1) > 0
    count = np.maximum(weight.sum(axis=1), 1)
    points, floor = (
        ((v[:usable].reshape(-1, group) * weight).sum(axis=1) / count)[told] for v in (total, noise)
    )
    at = freq_hz[:usable].reshape(-1, group).mean(axis=1)[told] / 1e6
    if len(at) < 12:
        return []
    level_db = 10 * np.log10(points)
    sigma = _wander_db(level_db)
    found, cost = _fitted_all(at, level_db, floor, sigma)
    parts = _told(found, at, floor)
    each = _each(len(at))
    most = cost + each * (len(found) - 1 - _THREE_MORE)
    reflected = over_two_paths(at, level_db, floor, sigma) if most > 0 else None
    if reflected is not None and reflected.off < most:
        one = Part(
            reflected.level_db, reflected.centre_mhz * 1e6, reflected.width_mhz * 1e6, reflected.exponent
        )
        if one.exponent >= FLAT:  # two humps may well be two rises of the floor
            return [one]
    if len(parts) != 1:
        return parts
    lines = lined & (power > 2 * (noise + parts[0].power(freq_hz)))
    lines &= np.abs(freq_hz - parts[0].centre_hz) < 0.5 * parts[0].width_hz
    return parts if 0 < lines.sum() * step_hz <= max(_NARROW_HZ, step_hz) else []


def _powers(params: Params, at: FloatArray) -> FloatArray:
    """Power of each thing at each point, shape (things, points); of many sets of things, if there are many."""
    level, centre, width, exponent = (params[..., [k]] for k in range(4))
    away = np.abs(at - centre) * 2 / 2.0**width
    return np.asarray(10 ** (level / 10) * np.exp(-np.log(2) * np.minimum(away, 50.0) ** (2.0**exponent)))


def _wander_db(level_db: FloatArray) -> float:
    """By how much points differ from a model that is right, one standard deviation."""
    wander = np.abs(np.diff(level_db, 2))
    return float(np.hypot(1.48 * float(np.median(wander)) / np.sqrt(6), _MISFIT_DB))


def _each(points: int) -> float:
    """Squared deviations that one thing more must explain."""
    return float(_ENOUGH + 8 * np.log(points))


def _fitted_all(
    at: FloatArray, level_db: FloatArray, floor: FloatArray, sigma: float
) -> tuple[Params, float]:
    """Things one after the other, all fitted again with each new one; the best two ways go on. With what remains of
    squared deviations.
    """
    ways: list[tuple[Params, float]] = [(np.zeros((0, 4)), np.inf)]
    best = ways[0]
    for number in range(_MOST):
        starts = [start for params, _ in ways for start in _starts(params, at, level_db, floor)]
        if not starts:
            break
        found = _fitted(np.stack(starts), at, level_db, floor, sigma)
        candidates = sorted(zip(*found, strict=True), key=lambda t: float(t[1]))
        if number and best[1] - candidates[0][1] < _each(len(at)):
            break
        best, ways = candidates[0], candidates[:2]
    return best


def _starts(params: Params, at: FloatArray, level_db: FloatArray, floor: FloatArray) -> list[Params]:
    """One thing more: around the most that is left, as a bell and as a flat top; or one that there is cut in two."""
    total = floor + _powers(params, at).sum(axis=0)
    left = 10 ** (level_db / 10) - total
    smooth = np.convolve(level_db - 10 * np.log10(total), np.ones(3) / 3, "same")
    runs = [(a, b) for a, b in runs_in(smooth > 0.8, 0) if b - a >= 2]
    more: list[Params] = []
    for a, b in sorted(runs, key=lambda r: -float((smooth[r[0] : r[1] + 1] ** 2).sum()))[:2]:
        peak = 10 * np.log10(max(float(np.quantile(left[a : b + 1], 0.8)), 1e-30))
        width = max(float(at[b] - at[a]), 2 * float(at[1] - at[0]))
        weights = np.maximum(left[a : b + 1], 0)
        centre = float((weights * at[a : b + 1]).sum() / max(weights.sum(), 1e-30))
        more.append(np.array([peak, float(at[a] + at[b]) / 2, np.log2(width), 4.0]))
        more.append(np.array([peak + 1, centre, np.log2(0.5 * width), 1.0]))
    out = [np.vstack([params, row]) for row in more]
    if len(params) == 1:  # a hump on a flat top
        flat, bell = params[0].copy(), params[0].copy()
        flat[0] -= 2
        flat[3], bell[3] = 4.0, 1.0
        bell[0] -= 3
        bell[1:3] = at[int(np.argmax(np.convolve(level_db, np.ones(9) / 9, "same")))], bell[2] - 1
        out.append(np.stack([flat, bell]))
    if len(params):
        widest = int(np.argmax(params[:, 2]))
        halves = np.repeat(params[[widest]], 2, axis=0)
        halves[:, 1] += 2.0 ** halves[:, 2] * np.array([-0.25, 0.25])
        halves[:, 2] -= 1
        out.append(np.vstack([np.delete(params, widest, axis=0), halves]))
    return out


def _fitted(
    starts: Params, at: FloatArray, level_db: FloatArray, floor: FloatArray, sigma: float
) -> tuple[Params, FloatArray]:
    """Levenberg and Marquardt, far deviations counting less, from many starts at once, shape (starts, things, 4); gives
    back what was found from each and its squared deviations.
    """
    low = np.array([-300.0, at[0] - 10, 0.0, 1.0])
    high = np.array([100.0, at[-1] + 10, 7.0, 5.0])

    def cost_of(p: Params) -> tuple[FloatArray, FloatArray, FloatArray]:
        powers = _powers(p, at)
        off = (10 * np.log10(floor + powers.sum(axis=1)) - level_db) / sigma
        return (9 * np.log1p(off**2 / 9)).sum(axis=1), off, powers

    params = np.clip(starts, low, high)
    (cost, off, powers), damping = cost_of(params), np.full(len(params), 1e-2)
    going = np.arange(len(params))
    for _ in range(_STEPS):
        per_db = 10 / np.log(10) / sigma / (floor + powers[going].sum(axis=1))
        slope = _slopes(params[going], at, powers[going]) * per_db[:, None, :]
        weight = 1 / (1 + off[going] ** 2 / 9)
        normal = (slope * weight[:, None, :]) @ slope.transpose(0, 2, 1)
        steepest = np.einsum("skk->sk", normal) + 1e-6
        gradient = slope @ (weight * off[going])[:, :, None]
        goes_on = np.zeros(len(going), bool)
        left = np.arange(len(going))  # those that have not come nearer yet
        for _ in range(6):
            its = going[left]
            held = damping[its, None, None] * (steepest[left, :, None] * np.eye(steepest.shape[1]))
            step = np.linalg.solve(normal[left] + held, -gradient[left])
            ahead = np.clip(params[its] + step.reshape(params[its].shape), low, high)
            there, off_there, powers_there = cost_of(ahead)
            nearer = there < cost[its]
            won = its[nearer]
            goes_on[left[nearer]] = cost[won] - there[nearer] >= 3e-3 * cost[won]
            params[won], cost[won], off[won] = ahead[nearer], there[nearer], off_there[nearer]
            powers[won] = powers_there[nearer]
            damping[won] /= 4
            left = left[~nearer]
            if not len(left):
                break
            damping[going[left]] *= 5
        going = going[goes_on]
        if not len(going):
            break
    return params, cost


def _slopes(params: Params, at: FloatArray, powers: FloatArray) -> FloatArray:
    """How the power at each point goes with each parameter, shape (starts, parameters, points)."""
    _, centre, width, exponent = (params[..., [k]] for k in range(4))
    p, ln2 = 2.0**exponent, np.log(2)
    away = np.clip(np.abs(at - centre) * 2 / 2.0**width, 1e-6, 50.0)
    raised = away**p * ln2 * powers
    by_centre = raised * p / away * 2 / 2.0**width * np.sign(at - centre)
    each = [powers * np.log(10) / 10, by_centre, raised * p * ln2, -raised * p * ln2 * np.log(away)]
    return np.stack(each, axis=2).reshape(len(params), -1, len(at))


def _told(params: Params, at: FloatArray, floor: FloatArray) -> list[Part]:
    """Those that show by themselves, humps without a valley between them put together to one."""
    groups = _humps(params, at, floor)
    powers = np.array([_powers(params[g], at).sum(axis=0) for g in groups]).reshape(len(groups), len(at))
    total = powers.sum(axis=0) + floor
    out = []
    for number, group in enumerate(groups):
        own, others = powers[number], total - powers[number]
        top = own.max()
        inside = own >= top / 2
        part = _part(params[group], own, at)
        is_flat = part.exponent >= FLAT
        shows_edges = is_flat and _has_edges(part, own, others, at)
        is_covered = (own > others)[inside].mean() < _LEAST_OWN or (is_flat and len(groups) > 1)
        if is_covered and not shows_edges:
            continue
        if top < 3 * float(np.median(floor[inside])) or _width10_hz(part) < _LEAST_HZ:
            continue
        out.append(part)
    return sorted(out, key=lambda p: -p.level_db)


def _humps(params: Params, at: FloatArray, floor: FloatArray) -> list[list[int]]:
    """Things that belong together: humps of whose sum the lower top does not stand out from the higher one."""
    groups = [[k] for k in range(len(params))]
    total_db = 10 * np.log10(floor + _powers(params, at).sum(axis=0))
    order = sorted(range(len(params)), key=lambda k: -params[k, 0])
    for k in order:
        for m in order:
            if k == m or params[m, 0] > params[k, 0] or any(k in g and m in g for g in groups):
                continue
            if max(params[k, 3], params[m, 3]) > np.log2(_SOFT):
                continue
            near = abs(params[k, 1] - params[m, 1]) < 1.5 * 2.0 ** max(params[k, 2], params[m, 2])
            here, there = (int(np.argmin(np.abs(at - params[i, 1]))) for i in (k, m))
            between = total_db[min(here, there) : max(here, there) + 1]
            if near and between.min() > total_db[there] - _VALLEY_DB:
                one, other = (next(g for g in groups if i in g) for i in (k, m))
                one += other
                groups.remove(other)
    return groups


def _part(params: Params, own: FloatArray, at: FloatArray) -> Part:
    """A group told as one thing: its width at half its top, its exponent from the widths at 3 and 10 dB."""
    if len(params) == 1:
        level, centre, width, exponent = params[0]
        return Part(float(level), float(centre * 1e6), float(2.0**width * 1e6), float(2.0**exponent))
    step = float(np.median(np.diff(at)))
    top = own.max()
    three, ten = (np.flatnonzero(own >= top / k) for k in (2, 10))
    widths = [float(at[v[-1]] - at[v[0]]) + step for v in (three, ten)]
    exponent = float(
        np.clip(np.log(np.log(10) / np.log(2)) / max(np.log(widths[1] / widths[0]), 0.03), 1.5, 32)
    )
    middle = float(at[ten[0]] + at[ten[-1]]) / 2
    return Part(float(10 * np.log10(top)), middle * 1e6, widths[0] * 1e6, exponent)


def _width10_hz(part: Part) -> float:
    """At 10 dB below its top."""
    return float(part.width_hz * (np.log(10) / np.log(2)) ** (1 / part.exponent))


def _has_edges(part: Part, own: FloatArray, others: FloatArray, at: FloatArray) -> bool:
    """Whether both of its edges are steps in the sum."""
    half = part.width_hz / 2e6
    step = 10 ** (_STEP_DB / 10) - 1
    middle = part.centre_hz / 1e6
    shows = own > step * others
    reach = max(0.1 * half, 0.6 * float(np.median(np.diff(at))))
    ends = [shows[np.abs(s * (at - middle) - 0.9 * half) <= reach] for s in (-1, 1)]
    return at[0] <= middle - half and middle + half <= at[-1] and all(e.any() for e in ends)
