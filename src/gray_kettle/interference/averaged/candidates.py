"""All that may be an emitter in a block, measured: what the detector judges, and what its weights are fitted on."""

from dataclasses import dataclass

from gray_kettle.interference.averaged import features
from gray_kettle.interference.averaged.intervals import Interval, Profiles, find_intervals, profiles_of
from gray_kettle.interference.averaged.narrow_bursts import Cluster, find_bursts, find_clusters
from gray_kettle.interference.averaged.rows import Rows
from gray_kettle.model.records import FloatArray

INTERVAL = "interval"


@dataclass(frozen=True, eq=False)
class Candidate:
    """shape: "interval", or that of a cluster. low_hz, high_hz: what it touches. An interval or a cluster is set."""

    shape: str
    low_hz: float
    high_hz: float
    features: features.Features
    interval: Interval | None = None
    cluster: Cluster | None = None

    @property
    def centre_hz(self) -> float:
        """Its middle."""
        return (self.low_hz + self.high_hz) / 2

    @property
    def width_hz(self) -> float:
        """All that it touches."""
        return self.high_hz - self.low_hz


def candidates_of(rows: Rows, profiles: Profiles | None = None) -> list[Candidate]:
    """All candidates of a block, in no order."""
    profiles = profiles or profiles_of(rows)
    step, first_hz = rows.span.step_hz, rows.span.start_hz
    out = [
        Candidate(
            INTERVAL, first_hz + step * (i.first - 0.5), first_hz + step * (i.last - 0.5),
            features.of_interval(rows, profiles, i), interval=i,
        )
        for i in find_intervals(rows, profiles)
    ]  # fmt: skip
    bursts = find_bursts(rows)
    clusters = find_clusters(rows, bursts)
    for cluster in clusters:
        low, high = _ends(cluster, rows)
        measured = features.of_cluster(rows, cluster, bursts, clusters)
        out.append(Candidate(cluster.shape, low, high, measured, cluster=cluster))
    return out


def _ends(cluster: Cluster, rows: Rows) -> tuple[float, float]:
    """What a cluster touches: of one frequency its width, else from the first to the last."""
    if cluster.shape != "place":
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
