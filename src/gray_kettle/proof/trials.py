"""Trials: which setting is best, when single runs vary.

Rates and delays vary by factors, so their logarithms are compared, with one spread for all settings. Source:
docs/proof.md, "Trials".
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtrit

from gray_kettle.model.trial import TrialRun

CONFIDENCE = 0.95
_DRAWS = 20_000
_MOST_RUNS, _MOST_SETTINGS = 50, 40
_LOSS_SHIFT = 1e-3
_Z = 1.64 + 0.84  # of a difference that is to be found in 80 % of cases, one-sided


@dataclass(frozen=True)
class SettingResult:
    """What the runs of one setting say. typical: geometric mean; low, high: its interval, 95 %, NaN with one run of
    each. spread: factor within which two thirds of the runs lie. chance_best: that it is the best of all.
    """

    setting: str
    runs: int
    median: float
    typical: float
    low: float
    high: float
    spread: float
    chance_best: float


@dataclass(frozen=True)
class TrialResult:
    """Settings, the likeliest best first, measured with one client at one spot.

    best: the one that is named, "" while none is. runs_needed: more of each of the first two, until one can be named; 0
    where it is, or where nothing would decide it.
    """

    figure: str
    settings: tuple[SettingResult, ...]
    best: str
    runs_needed: int
    client: str = ""
    spot: str = ""


def judged_by_client(runs: Sequence[TrialRun], figure: str = "down_mbps") -> tuple[TrialResult, ...]:
    """Each client at each spot by itself, as two devices differ more than two channels; most runs first."""
    groups: dict[tuple[str, str], list[TrialRun]] = {}
    for run in runs:
        groups.setdefault((run.client, run.spot), []).append(run)
    ordered = sorted(groups.items(), key=lambda item: (-len(item[1]), item[0]))
    judged = [
        replace(judged_trials(of_client, figure), client=client, spot=spot)
        for (client, spot), of_client in ordered
    ]
    return tuple(result for result in judged if result.settings)


def judged_trials(runs: Sequence[TrialRun], figure: str = "down_mbps", seed: int = 0) -> TrialResult:
    """Compare settings by one figure; of delays and loss less is better. Of very many those with most runs."""
    by_setting: dict[str, list[float]] = {}
    shift = _LOSS_SHIFT if figure == "loss" else 0.0  # a loss of nothing has no logarithm
    for run in runs:
        value = getattr(run, figure) + shift
        if not math.isnan(value) and value > 0:
            by_setting.setdefault(run.setting, []).append(float(value))
    names = sorted(by_setting, key=lambda name: -len(by_setting[name]))[:_MOST_SETTINGS]
    logs = [np.log(by_setting[name]) for name in names]
    counts = np.array([len(log) for log in logs])
    freedom = int(counts.sum()) - len(names)
    means = np.array([log.mean() for log in logs])
    if freedom < 1:
        chance = np.full(len(names), 1.0 if len(names) == 1 else math.nan)
        error, spread = np.full(len(names), math.nan), math.nan
    else:
        variance = sum(float(((log - log.mean()) ** 2).sum()) for log in logs) / freedom
        spread = math.sqrt(variance)
        error = float(stdtrit(freedom, (1 + CONFIDENCE) / 2)) * spread / np.sqrt(counts)
        chance = _chances(means, counts, variance, freedom, figure, seed)
    found = [
        SettingResult(
            name,
            int(count),
            float(np.median(by_setting[name])) - shift,
            math.exp(mean) - shift,
            math.exp(mean - reach) - shift,
            math.exp(mean + reach) - shift,
            math.exp(spread),
            float(best),
        )
        for name, count, mean, reach, best in zip(names, counts, means, error, chance, strict=True)
    ]
    order = sorted(range(len(found)), key=lambda k: (-found[k].chance_best if freedom >= 1 else 0, k))
    best = found[order[0]].setting if found and len(names) > 1 and chance[order[0]] >= CONFIDENCE else ""
    needed = 0
    if not best and len(names) > 1:
        needed = _needed(means[order[0]] - means[order[1]], spread, int(counts.min()))
    return TrialResult(figure, tuple(found[k] for k in order), best, needed)


def _chances(
    means: "np.ndarray[tuple[int], np.dtype[np.float64]]",
    counts: "np.ndarray[tuple[int], np.dtype[np.int64]]",
    variance: float,
    freedom: int,
    figure: str,
    seed: int,
) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    """How likely each setting is the best, by draws of what the true means may be."""
    rng = np.random.default_rng(seed)
    spread = np.sqrt(variance * freedom / rng.chisquare(freedom, _DRAWS))
    drawn = means + rng.normal(size=(_DRAWS, len(means))) * spread[:, None] / np.sqrt(counts)
    sign = 1 if figure.endswith("mbps") else -1
    return np.bincount((sign * drawn).argmax(axis=1), minlength=len(means)) / _DRAWS


def _needed(difference: float, spread: float, fewest: int) -> int:
    """More runs of each until a difference like this one can be seen; at least two of each tell a spread."""
    if math.isnan(spread) or fewest < 2:
        return 2 - min(fewest, 1)
    if abs(difference) < 1e-3:
        return 0
    wanted = 2 * (_Z * spread / difference) ** 2
    return int(min(max(math.ceil(wanted) - fewest, 1), _MOST_RUNS))


def mixed_order(settings: Sequence[str], runs: int, seed: int) -> tuple[str, ...]:
    """Each setting so often, in rounds of a new order each: what changes in the hour falls on all of them."""
    rng = np.random.default_rng(seed)
    return tuple(settings[k] for _ in range(runs) for k in rng.permutation(len(settings)))
