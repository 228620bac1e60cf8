"""All that may be an emitter in a block, measured: what the detector judges, and what its weights are fitted on."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gray_kettle.interference.weighed import features
from gray_kettle.interference.weighed.intervals import Interval, Profiles, find_intervals
from gray_kettle.interference.weighed.narrow_bursts import Bursts, Cluster, find_bursts, find_clusters
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Rows
from gray_kettle.model.records import Detection, FloatArray

INTERVAL, SEARCHED = "interval", "searched"
_RISES_OF = 0.8  # quantile of a stretch of frequency that stands for its level


@dataclass(frozen=True, eq=False)
class Candidate:
    """shape: "interval", "searched", or that of a cluster. low_hz, high_hz: what it touches. An interval, a cluster or
    what a search found is set.
    """

    shape: str
    low_hz: float
    high_hz: float
    features: features.Features
    interval: Interval | None = None
    cluster: Cluster | None = None
    found: Detection | None = None

    @property
    def centre_hz(self) -> float:
        """Its middle."""
        return (self.low_hz + self.high_hz) / 2

    @property
    def width_hz(self) -> float:
        """All that it touches."""
        return self.high_hz - self.low_hz


def candidates_of(rows: Rows, profiles: Profiles, found: Sequence[Detection] = ()) -> list[Candidate]:
    """All candidates of a block, in no order. found: by searches, where rows are single moments or few."""
    step, first_hz = rows.span.step_hz, rows.span.start_hz
    bursts = find_bursts(rows)
    out = []
    for i in find_intervals(rows, profiles):
        low, high = first_hz + step * (i.first - 0.5), first_hz + step * (i.last - 0.5)
        measured = features.of_interval(rows, profiles, i) | features.of_bursts_within(
            rows, bursts, low, high
        )
        out.append(Candidate(INTERVAL, low, high, measured, interval=i))
    out += [_searched(rows, profiles, bursts, one) for one in found]
    clusters = find_clusters(rows, bursts)
    for cluster in clusters:
        low, high = _ends(cluster, rows)
        measured = features.of_cluster(rows, cluster, bursts, clusters)
        out.append(Candidate(cluster.shape, low, high, measured, cluster=cluster))
    return out


def _searched(rows: Rows, profiles: Profiles, bursts: Bursts, found: Detection) -> Candidate:
    """What a search found, measured as an interval as well."""
    step, first_hz = rows.span.step_hz, rows.span.start_hz
    first = min(max(round((found.low_hz - first_hz) / step + 0.5), 0), rows.span.bins - 1)
    last = min(max(round((found.high_hz - first_hz) / step + 0.5), first + 1), rows.span.bins)
    reach = max(last - first, 3)
    best: Interval | None = None
    for name, level in profiles.levels.items():
        beside = np.concatenate([level[max(first - reach, 0) : first], level[last : last + reach]])
        top = float(np.quantile(level[first:last], _RISES_OF))
        rise = top - (float(np.median(beside)) if len(beside) else profiles.of_noise_db[name])
        if best is None or rise > best.rise_db:
            top -= profiles.of_noise_db[name]
            best = Interval(first, last, top, rise, name, is_line=(last - first) * step <= P.line_hz)
    assert best is not None  # there is always a profile
    measured = features.of_interval(rows, profiles, best) | features.of_found(rows, found)
    measured |= features.of_bursts_within(rows, bursts, found.low_hz, found.high_hz)
    return Candidate(SEARCHED, found.low_hz, found.high_hz, measured, interval=best, found=found)


def _ends(cluster: Cluster, rows: Rows) -> tuple[float, float]:
    """What a cluster touches: of one frequency its width, else from the first to the last."""
    if cluster.shape != "fixed":
        return cluster.low_hz, cluster.high_hz
    middle, half = middle_of(cluster.bursts.freq_hz), width_of(cluster, rows) / 2
    return middle - half, middle + half


def middle_of(values: FloatArray) -> float:
    """Median."""
    ordered = sorted(values.tolist())
    return float(ordered[len(ordered) // 2])


def width_of(cluster: Cluster, rows: Rows) -> float:
    """Width of a burst, Hz."""
    return max(middle_of(cluster.bursts.width_hz), rows.span.step_hz)
