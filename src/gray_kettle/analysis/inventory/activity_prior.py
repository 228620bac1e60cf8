"""How busy a radio is, from an observation that may have been short: a Beta posterior.

Traffic comes and goes over minutes, so an observation counts by its length over a correlation time, and the prior
counts like some minutes of it: a minute of silence is weak evidence against a busy hour.
Source: docs/scoring.md, "Activity".
"""

from functools import lru_cache

import numpy as np

# Share of air of a radio of which only beacons are known, by band and generation: assumptions, in the order of what old
# and new access points of small sites carry over a day. Old ones serve few devices, slowly.
_PRIOR = {
    ("2.4", "b"): 0.03, ("2.4", "g"): 0.03, ("2.4", "n"): 0.05, ("2.4", "ac"): 0.05, ("2.4", "ax"): 0.06,
    ("2.4", "be"): 0.06, ("5", "a"): 0.02, ("5", "n"): 0.04, ("5", "ac"): 0.05, ("5", "ax"): 0.05, ("5", "be"): 0.05,
    ("6", "ax"): 0.03, ("6", "be"): 0.03,
}  # fmt: skip
_OTHERWISE = 0.05
CORRELATION_S = 60.0  # within so long traffic is about the same
PRIOR_S = 300.0  # the prior counts like so long an observation
_GRID = (np.arange(2000) + 0.5) / 2000
_INTERVAL = (0.05, 0.95)


def prior_activity(band: str, generation: str) -> float:
    """Share of air (0 to 1) assumed for a radio whose traffic was not observed."""
    return _PRIOR.get((band, generation), _OTHERWISE)


def posterior_activity(prior: float, observed: float, seconds: float) -> float:
    """Mean of the posterior: the observed share of so many seconds, shrunk towards the prior; 0 to 1."""
    return (prior * PRIOR_S + observed * seconds) / (PRIOR_S + seconds)


@lru_cache(maxsize=4096)
def activity_interval(mean: float, seconds: float) -> tuple[float, float]:
    """The central 90 % of the posterior with this mean after so many seconds of observation; both 0 to 1."""
    mean = min(max(mean, 1e-4), 1 - 1e-4)
    weight = (PRIOR_S + seconds) / CORRELATION_S
    logs = (mean * weight - 1) * np.log(_GRID) + ((1 - mean) * weight - 1) * np.log1p(-_GRID)
    below = np.cumsum(np.exp(logs - logs.max()))
    low, high = np.interp(_INTERVAL, below / below[-1], _GRID)
    return round(float(low), 4), round(float(high), 4)
