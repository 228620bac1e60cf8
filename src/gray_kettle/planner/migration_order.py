"""In which order the moves of a plan are made, so that nobody is worse off in between."""

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from gray_kettle.model.records import IntArray
from gray_kettle.planner.objective import Objective

_SLACK = 1e-9
_MOST_TOGETHER = 3


@dataclass(frozen=True)
class Step:
    """Moves to make at the same time, by radio; gain: of the sum of logarithms of throughput, without costs."""

    radios: tuple[str, ...]
    gain: float


def steps_of(objective: Objective, target: tuple[int, ...], radios: tuple[str, ...]) -> tuple[Step, ...]:
    """From where everybody is to the target, the most helpful first, each step no worse for the site than before.

    Where one move alone would be worse, two or three are made together, or at last all that are left.
    """
    now, aim = objective.start.copy(), np.array(target)
    out: list[Step] = []
    while left := [int(k) for k in np.flatnonzero(now != aim)]:
        here = _worth(objective, now)
        group, then = _next(objective, now, aim, left, here)
        now[list(group)] = aim[list(group)]
        out.append(Step(tuple(radios[k] for k in group), then - here))
    return tuple(out)


def _next(
    objective: Objective, now: IntArray, aim: IntArray, left: list[int], here: float
) -> tuple[tuple[int, ...], float]:
    for size in range(1, min(_MOST_TOGETHER, len(left)) + 1):
        groups = list(combinations(left, size))
        trials = np.repeat(now[None], len(groups), axis=0)
        for row, group in zip(trials, groups, strict=True):
            row[list(group)] = aim[list(group)]
        worth = _worths(objective, trials)
        best = int(np.argmax(worth))
        if worth[best] >= here - _SLACK:
            return groups[best], float(worth[best])
    return tuple(left), _worth(objective, aim)


def _worth(objective: Objective, chosen: IntArray) -> float:
    return float(_worths(objective, chosen[None])[0])


def _worths(objective: Objective, chosen: IntArray) -> IntArray:
    return np.asarray((objective.weight * objective.logs_of(chosen)).sum(axis=-1))
