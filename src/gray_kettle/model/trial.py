"""Runs of trials: throughput and latency that somebody measured with one setting."""

from dataclasses import dataclass
from math import nan


@dataclass(frozen=True)
class TrialRun:
    """One run. setting: what was tried, such as "6/20". Rates in Mb/s, delays in ms, loss as a share; NaN where it was
    not measured. client: the device; spot: where it was.
    """

    time_s: float
    setting: str
    down_mbps: float = nan
    up_mbps: float = nan
    idle_ms: float = nan
    loaded_ms: float = nan
    loss: float = nan
    client: str = ""
    spot: str = ""


FIGURES = ("down_mbps", "up_mbps", "idle_ms", "loaded_ms", "loss")
