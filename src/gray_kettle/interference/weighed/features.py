"""What is measured of candidates: named numbers of about unit size, for intervals of frequency and clusters of bursts.

Judgement weighs them, and the evidence of a claim names those that spoke for it and against it.
"""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference import band_plan
from gray_kettle.interference.runs import half_open_runs
from gray_kettle.interference.weighed.intervals import Interval, Profiles
from gray_kettle.interference.weighed.narrow_bursts import Bursts, Cluster
from gray_kettle.interference.weighed.rows import Levels, Rows
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection, FloatArray

Features = dict[str, float]
_SOME_ROWS = 700
_LOWEST = 0.02  # quantile that is taken for the lowest level
_PIECE = 5  # of an interval at each of its ends
_FEWEST = 20
_SHOWS_DB = 3.0
_LEAST_HALF_HZ, _GAP_HZ, _BESIDE_HZ = 7e5, 1e6, 7e6
_KINDS = tuple(EmitterKind)


def of_band(rows: Rows) -> Features:
    """What the band makes likely. Of the receiver nothing is here: it would say how often scenes have emitters."""
    return {"is 2.4 GHz": float(rows.is_low_band), "is 6 GHz": float(rows.span.start_hz > 5.9e9)}


def of_moments(rows: Rows) -> Features:
    """How many independent moments a row sums up, from its noise: pauses of Wi-Fi show in one, and not in hundreds."""
    return {"moments": float(np.clip(np.log2(rows.cell_noise.shape), -0.5, 8)) / 3}


def _of_two(weak: Bursts, strong: Bursts, valley: float) -> Features:
    """Of two groups of bursts: a second hopper differs in more than its level, the replies of one link do not."""

    def used(bursts: Bursts) -> FloatArray:
        counts = np.bincount(((bursts.freq_hz - lowest) / 1e6).astype(int), minlength=size).astype(float)
        return np.asarray(counts / np.linalg.norm(counts))

    lowest = min(weak.freq_hz.min(), strong.freq_hz.min())
    size = int((max(weak.freq_hz.max(), strong.freq_hz.max()) - lowest) / 1e6) + 1
    ends = [np.quantile(b.freq_hz, (0.05, 0.95)) / 1e6 for b in (weak, strong)]
    both = np.isin(weak.row, strong.row).mean()
    return {
        "level gap": float(np.median(strong.level_dbm) - np.median(weak.level_dbm)) / 10,
        "valley": valley,
        "same frequencies": float(used(weak) @ used(strong)),
        "share of the weaker": len(weak) / (len(weak) + len(strong)),
        "number": float(np.log10(len(weak) + len(strong))),
        "widths differ": float(abs(np.median(weak.width_hz) - np.median(strong.width_hz))) / 1e6,
        "ends differ": float(np.abs(ends[0] - ends[1]).max()) / 10,
        "rise of the weaker": float(np.median(weak.rise_db)) / 10,
        "spread of the weaker": float(weak.level_dbm.std()) / 5,
        "spread of the stronger": float(strong.level_dbm.std()) / 5,
        "rasters differ": float(
            abs(
                np.cos(2 * np.pi * weak.freq_hz / 1e6).mean()
                - np.cos(2 * np.pi * strong.freq_hz / 1e6).mean()
            )
        ),
        "amid others": float((weak.around_db > 4).mean()),
        "in the same rows": float(both),
    }


def _bell(value: float, at: float, width: float) -> float:
    return float(np.exp(-(((value - at) / width) ** 2)))


def _correlation(one: FloatArray, other: FloatArray) -> float:
    if len(one) <= _FEWEST or one.std() < 1e-3 or other.std() < 1e-3:
        return 0.0
    return float(np.corrcoef(one, other)[0, 1])


def rows_on(profiles: Profiles, interval: Interval, rows: int) -> tuple[NDArray[np.intp], float]:
    """(rows in windows in which an interval is on, share of the windows)."""
    is_on = is_on_of(profiles.windows[interval.quantile][:, interval.first : interval.last].mean(axis=1))
    which = np.flatnonzero(np.repeat(is_on, profiles.window_rows))
    if is_on[-1]:
        which = np.concatenate([which, np.arange(len(is_on) * profiles.window_rows, rows)])
    return which, float(is_on.mean())


def is_on_of(level: FloatArray) -> NDArray[np.bool_]:
    """In which windows an interval is on. level: dB over noise in each; the strongest is always on."""
    most = float(np.quantile(level, 0.85))
    return np.asarray((level > max(most - 6, min(2.0, most - 1))) | (level == level.max()))


def cells_of(rows: Rows, first: int, last: int) -> tuple[int, int]:
    """First and behind the last cell of some bins."""
    end = min(max((last - 1) // rows.joined, first // rows.joined) + 1, rows.cells.shape[1])
    return min(first // rows.joined, end - 1), end


def of_interval(rows: Rows, profiles: Profiles, interval: Interval) -> Features:
    """Measure an interval: its shape, how it varies in time, what lies beside it, and the channel plan."""
    out = of_band(rows) | of_moments(rows)
    out |= _shape(rows, profiles, interval)
    out |= _in_time(rows, profiles, interval)
    out |= _in_highest(rows, profiles, interval)
    return out


def of_found(rows: Rows, found: Detection) -> Features:
    """What a search says of what it found."""
    shares = dict(found.likely)
    noise_dbm = float(np.median(rows.noise.median_dbm))
    time_s = float(rows.time_s[-1] - rows.time_s[0])
    return {f"search: {kind}": shares.get(kind, 0.0) for kind in _KINDS} | {
        "search: first kind": found.likely[0][1],
        "search: duty": min(found.duty, 1.0),
        "search: seldom": float(np.log10(max(found.duty, 1e-4))),
        "search: share of rows": found.rows / len(rows.time_s),
        "search: rows": float(np.log10(max(found.rows, 1))),
        "search: over noise": float(np.clip(found.level_dbm - noise_dbm, 0, 60)) / 20,
        "search: burst width": float(np.log10(max(found.burst_hz, 2e4) / 1e6)),
        "search: time on": (found.last_s - found.first_s) / max(time_s, 1e-9),
    }


def of_bursts_within(rows: Rows, bursts: Bursts, low_hz: float, high_hz: float) -> Features:
    """How narrow bursts lie within an interval against what lies beside it: those of a hopper are as dense beside it,
    those of what keeps to its frequency are not.
    """
    half = max((high_hz - low_hz) / 2, _LEAST_HALF_HZ, 0.75 * rows.cell_hz)
    off = np.abs(bursts.freq_hz - (low_hz + high_hz) / 2)
    inside = off <= half
    number = int(inside.sum())
    beside = int(((off > half + _GAP_HZ) & (off <= half + _GAP_HZ + _BESIDE_HZ)).sum())
    expected = beside * half / _BESIDE_HZ
    level = bursts.level_dbm[inside]
    q16, q50, q84 = np.quantile(level, (0.16, 0.5, 0.84)) if number else (0.0, 0.0, 0.0)
    others = float(np.median(bursts.level_dbm[~inside])) if number < len(bursts) else q50
    return {
        "bursts": float(np.log10(number + 1)),
        "bursts of all": number / max(len(bursts), 1),
        "bursts against beside": float(np.clip(np.log2((number + 1) / (expected + 1)), -5, 8)) / 2,
        "bursts differ in level": float(q84 - q16) / 10,
        "bursts against others": float(np.clip(q50 - others, -40, 40)) / 10 if number else 0.0,
        "bursts rise": float(np.clip(np.median(bursts.rise_db[inside]), 0, 40)) / 10 if number else 0.0,
        "rows with bursts": len(np.unique(bursts.row[inside])) / len(rows.time_s),
    }


def _ends_hz(rows: Rows, first: int, last: int) -> tuple[float, float]:
    step = rows.span.step_hz
    return rows.span.start_hz + step * (first - 0.5), rows.span.start_hz + step * (last - 0.5)


def _shape(rows: Rows, profiles: Profiles, interval: Interval) -> Features:
    """Of its profile."""
    step = rows.span.step_hz
    profile = profiles.levels[interval.profile]
    first, last = interval.first, interval.last
    low, high = _ends_hz(rows, first, last)
    width, middle = high - low, (low + high) / 2
    inside = profile[first:last]
    top = float(np.quantile(inside, 0.8))
    reach, piece = max(int(1.5e6 / step), 1), max((last - first) // _PIECE, 1)
    left = right = 0.0
    if first > 0:
        left = float(
            inside[:piece].mean() - profile[max(first - reach - 1, 0) : max(first - reach // 2, 1)].mean()
        )
    if last < len(profile):
        beyond = profile[min(last + reach // 2, len(profile) - 1) : last + reach + 1]
        right = float(inside[-piece:].mean() - beyond.mean())
    inner = inside[len(inside) // 6 : len(inside) - len(inside) // 6]
    log_width = float(np.log10(max(width, 2e4) / 1e6))
    edges = sorted(min(band_plan.to_wifi_edge_hz(hz) / 1e6, 4) / 4 for hz in (low, high))
    return {
        "width": log_width,
        "width squared": log_width**2,
        "is line": float(interval.is_line),
        "bins": float(np.log2(max(width / step, 1))) / 4,
        "level": min(top, 45) / 10,
        "is weak": float(np.clip((9 - top) / 6, 0, 1)),
        "rise": min(interval.rise_db, 40) / 10,
        "flatness": float((inside > top - 3).mean()),
        "ripple": float(inner.std()) / 2 if len(inside) > 6 else 0.0,
        "gentler edge": float(np.clip(min(left, right), -5, 25)) / 10,
        "steeper edge": float(np.clip(max(left, right), -5, 25)) / 10,
        "fits a Wi-Fi channel": _bell(
            min(band_plan.off_wifi_hz(low, high) / (1.5 * step + 5e5 + 0.015 * width), 12), 0, 1.5
        ),
        "within a Wi-Fi channel": band_plan.part_within_wifi(low, high),
        "nearer Wi-Fi edge": edges[0],
        "farther Wi-Fi edge": edges[1],
        "where ovens are": band_plan.near_oven(middle),
        "where radar is": float(band_plan.RADAR_HZ[0] < middle < band_plan.RADAR_HZ[1]),
        "on 802.15.4": _bell(band_plan.to_154_hz(middle) / 1e6, 0, 0.4) * rows.is_low_band,
        "on advertising": _bell(band_plan.to_advertising_hz(middle) / 1e6, 0, 0.5),
        "on a Wi-Fi centre": _bell(band_plan.to_wifi_centre_hz(middle) / 1e6, 0, 0.6),
        "never pauses": float(interval.quantile == 0),
        "pauses mostly": float(interval.quantile == 2),
        "shows seldom": float(interval.quantile == 3),
        "never pauses at all": float(interval.quantile == 4),
        "is very wide": float(width > 24e6),
        "as wide as a link": _bell(log_width, 1.0, 0.25),
        "as wide as 802.15.4": _bell(log_width, 0.3, 0.3),
        "share of span": width / (rows.span.step_hz * rows.span.bins),
    }


def _in_time(rows: Rows, profiles: Profiles, interval: Interval) -> Features:
    """Of its rows while it is on."""
    on, share = rows_on(profiles, interval, len(rows.codes))
    out = _over_windows(profiles, interval)
    some = on[:: len(on) // _SOME_ROWS + 1]
    first, last = cells_of(rows, interval.first, interval.last)
    inside = rows.cells[some, first:last]
    power = 10 ** (inside / 10)
    level = 10 * np.log10(np.maximum(power.mean(axis=1), 1e-6))
    q5, q16, q50, q84, q95 = np.quantile(level, (0.05, 0.16, 0.5, 0.84, 0.95))
    sigma, width = rows.cell_noise.sigma_db, last - first
    own = inside - inside.mean(axis=1, keepdims=True) - inside.mean(axis=0, keepdims=True) + inside.mean()
    apart = float(np.log2(max(float(own.std()), 0.05) / sigma)) if width > 1 else 0.0
    half = width // 2
    halves = _correlation(inside[:, :half].mean(axis=1), inside[:, -half:].mean(axis=1)) if half >= 2 else 0.0
    centre = (power * np.arange(width)).sum(axis=1) / power.sum(axis=1)
    beside = [
        _correlation(inside.mean(axis=1), b.mean(axis=1)) if b.shape[1] else 0.0
        for b in _neighbours(rows, some, first, last)
    ]
    mains = rows.mains_coherence(rows.cells[:, first:last].mean(axis=1)) if rows.is_low_band else 1.5
    out |= _filled(rows, inside)
    return out | {
        "time on": share,
        "duty": float((level > max(q95 / 2, _SHOWS_DB)).mean()),
        "falls": float(np.clip(q50 - q5, 0, 25)) / 5,
        "rises": float(np.clip(q95 - q50, 0, 25)) / 5,
        "varies": float(np.clip((q84 - q16) / 2 / sigma, 0, 20)) / 4,
        "continuous": float((level > q50 - 5).mean()),
        "lingers": _correlation(level[:-1], level[1:]),
        "bins apart": apart,
        "bins far apart": max(apart, 0.0) ** 2,
        "halves together": halves,
        "wanders": float(centre.std()) / width if width > 2 else 0.0,
        "filled at once": float((inside > inside.max(axis=1, keepdims=True) - 6).mean()),
        "with its neighbours": max(beside),
        "with both neighbours": min(beside),
        "mains": mains,
        "in step with the mains": max(mains - 3, 0.0),
    }


def _filled(rows: Rows, inside: Levels) -> Features:
    """How much of it is on in each row, and how low it ever falls: what never pauses fills all of it in all rows,
    whatever comes and goes beside it. inside: dB over noise of its cells while it is on, shape (rows, cells).
    """
    count = len(inside)
    at = [int(_LOWEST * (count - 1)), int(0.8 * (count - 1))]
    lowest, usual = np.partition(inside, at, axis=0)[at]
    on = inside > np.maximum(usual / 2, 3 * rows.cell_noise.sigma_db)
    by_row, by_cell = on.mean(axis=1), on.mean(axis=0)
    level = np.partition(inside.mean(axis=1), at[0])[at[0]]
    return {
        "filled": float(by_row.mean()),
        "filled in most rows": float(np.quantile(by_row, 0.05)),
        "rows without it": float((by_row < 0.1).mean()),
        "cells differ": float(by_cell.std()),
        "lowest": float(np.clip(level, -5, 30)) / 10,
        "lowest of its cells": float(np.clip(np.median(lowest), -8, 30)) / 10,
        "cells that fall to noise": float((lowest < 2 * rows.cell_noise.sigma_db).mean()),
    }


def _over_windows(profiles: Profiles, interval: Interval) -> Features:
    """How its level goes on from window to window: what is switched on stays, traffic comes and goes."""
    level = profiles.windows[interval.quantile][:, interval.first : interval.last].mean(axis=1)
    is_on = is_on_of(level)
    longest = max(last - first for first, last in half_open_runs(is_on))
    steps = np.abs(np.diff(level[is_on]))
    return {
        "in one piece": longest / max(float(is_on.sum()), 1.0),
        "windows on": float(np.log2(is_on.sum())) / 4,
        "wavers": float(np.clip(np.median(steps), 0, 10)) / 2 if len(steps) else 0.0,
        "drifts": float(np.clip(level[is_on].std(), 0, 15)) / 3,
        "off level": float(np.clip(level[~is_on].max() if not is_on.all() else -1.0, -5, 40)) / 10,
    }


def _neighbours(rows: Rows, some: NDArray[np.intp], first: int, last: int) -> tuple[Levels, Levels]:
    near = max(round(1e6 / rows.cell_hz), 1)
    far = max(round(4e6 / rows.cell_hz), near + 1)
    left = rows.cells[some, max(first - far, 0) : max(first - near, 0)]
    return left, rows.cells[some, last + near : last + far]


def _in_highest(rows: Rows, profiles: Profiles, interval: Interval) -> Features:
    """What it is a part of when all that ever came is counted."""
    step, highest = rows.span.step_hz, profiles.highest
    first, last = interval.first, interval.last
    near, far = max(int(0.7e6 / step), 1), max(int(2.5e6 / step), 2)
    inside = float(np.median(highest[first:last]))
    left = float(np.median(highest[max(first - far, 0) : max(first - near, 1)])) if first > near else -3.0
    right = float(np.median(highest[last + near : last + far])) if last + near < len(highest) else -3.0
    below = np.flatnonzero(highest[:first] <= inside - 6)
    begin = int(below[-1]) + 1 if len(below) else 0
    below = np.flatnonzero(highest[last:] <= inside - 6)
    end = last + (int(below[0]) if len(below) else len(highest) - last)
    low, high = _ends_hz(rows, begin, end)
    top = float(np.quantile(profiles.levels[interval.profile][first:last], 0.8))
    return {
        "rises on one side": float(np.clip(inside - max(left, right), -10, 25)) / 10,
        "rises on the other": float(np.clip(inside - min(left, right), -10, 25)) / 10,
        "part of a Wi-Fi channel": _bell(
            min(band_plan.off_wifi_hz(low, high) / (1e6 + 1.5 * step), 6), 0, 1.0
        ),
        "part of something": float(np.log2(max((end - begin) / (last - first), 1))),
        "higher at times": float(np.clip(inside - top, 0, 30)) / 10,
    }


def of_cluster(rows: Rows, cluster: Cluster, bursts: Bursts, clusters: list[Cluster]) -> Features:
    """Measure a cluster of bursts. bursts: all of the block."""
    if cluster.stronger is not None:
        hit = len(np.unique(cluster.bursts.row)) / len(rows.time_s)
        return _of_two(cluster.bursts, cluster.stronger, cluster.by_chance) | {"rows": hit, "mains": 0.0}
    out = of_band(rows) | of_moments(rows)
    out |= _peaks(cluster, bursts)
    out |= _frequencies(cluster)
    out |= _rhythm(rows, cluster.bursts)
    others = [len(c.bursts) for c in clusters if c is not cluster and c.shape == "fixed"]
    count = len(cluster.bursts)
    out["against other frequencies"] = (
        float(np.clip(np.log2(count / max(np.median(others), 1)), -3, 4)) if len(others) > 1 else 3.0
    )
    out["against the busiest"] = float(np.clip(np.log2(count / max(others)), -3, 4)) if others else 3.0
    out["busy frequencies"] = len(others) / 6
    return out


def _peaks(cluster: Cluster, bursts: Bursts) -> Features:
    """Of each burst by itself."""
    some = cluster.bursts
    q25, q50, q75 = np.quantile(some.rise_db, (0.25, 0.5, 0.75))
    spread = (np.quantile(some.level_dbm, 0.84) - np.quantile(some.level_dbm, 0.16)) / 2
    return {
        "number": float(np.log10(len(some))),
        "rise": float(q50) / 10,
        "least rise": float(q25) / 10,
        "most rise": float(q75) / 10,
        "strong": float((some.rise_db > 12).mean()),
        "hardly rises": float(np.clip((10 - q50) / 4, 0, 1)),
        "level": float(np.clip(np.median(some.over_db), 0, 60)) / 20,
        "level spread": min(float(spread), 15.0) / 5,
        "width": float(np.median(some.width_hz)) / 1e6,
        "width spread": float(np.clip(some.width_hz.std() / 1e6, 0, 2)),
        "amid others": float((some.around_db > 4).mean()),
        "level beside": float(np.clip(np.median(some.around_db), 0, 40)) / 10,
        "explained by chance": min(cluster.by_chance / max(len(some), 1), 1.0),
        "share of all bursts": len(some) / max(len(bursts), 1),
    }


def _frequencies(cluster: Cluster) -> Features:
    """Of where they lie."""
    freq = cluster.bursts.freq_hz
    middle = float(np.median(freq))
    low, high = np.quantile(freq, (0.03, 0.97))
    counts = np.bincount(((freq - freq.min()) / 1e6).astype(int)).astype(float)
    shares = counts[counts > 0] / len(freq)
    raster = band_plan.to_154_hz(middle) / 1e6
    return {
        "spread at its frequency": float(min(freq.std(), 1.5e6)) / 5e5,
        "range": float(np.log10(max(high - low, 1e5) / 1e6)),
        "range over 30 MHz": float(high - low > 30e6),
        "frequencies": float(np.log2(len(shares))),
        "evenly used": float(-(shares * np.log(shares)).sum() / np.log(max(len(shares), 2))),
        "most used": float(shares.max()),
        "off 802.15.4": min(raster, 1.5),
        "on 802.15.4": _bell(raster, 0, 0.3),
        "on advertising": _bell(band_plan.to_advertising_hz(middle) / 1e6, 0, 0.4),
        "on a Wi-Fi centre": _bell(band_plan.to_wifi_centre_hz(middle) / 1e6, 0, 0.4),
        "on a Wi-Fi edge": _bell(band_plan.to_wifi_edge_hz(middle) / 1e6, 0, 0.6),
        "on whole MHz": float(np.cos(2 * np.pi * freq / 1e6).mean()),
        "on even MHz": float(np.cos(2 * np.pi * freq / 2e6).mean()),
        "where radar is": float(band_plan.RADAR_HZ[0] < middle < band_plan.RADAR_HZ[1]),
        "where ovens are": band_plan.near_oven(middle),
    }


def _rhythm(rows: Rows, bursts: Bursts) -> Features:
    """Of when they come."""
    count = len(rows.time_s)
    hit = np.unique(bursts.row)
    shows = np.zeros(count)
    shows[hit] = 1
    second = max(int(rows.rate), 1)
    by_second = (
        shows[: count // second * second].reshape(-1, second).sum(axis=1) if count >= second else shows
    )
    mean = float(by_second.mean())
    apart = np.diff(rows.time_s[hit])
    mains = rows.mains_coherence(shows) if rows.is_low_band else 1.5
    share = len(hit) / count
    return {
        "rows": share,
        "seldom": float(np.log10(share + 1e-4)),
        "seconds": float((by_second > 0).mean()),
        "in groups": min(float(np.log((by_second**2).mean() / max(mean**2, 1e-9) + 1e-9)), 5.0)
        if mean > 0
        else 0.0,
        "bursts a row": min(float(np.median(np.bincount(bursts.row)[hit])), 10.0) / 3,
        "groups": float(np.log2(int((apart > 0.8).sum()) + 1)),
        "mains": mains,
        "in step with the mains": max(mains - 3, 0.0),
    }
