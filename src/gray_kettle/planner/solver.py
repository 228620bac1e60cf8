"""The best channels for all own radios of a band together: proved for a few, searched for many.

Objective: the sum over radios of weight · log(expected throughput) less a cost for every change and for radar watch;
see docs/scoring.md, "The plan".
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import IntArray
from gray_kettle.planner.annealing import Progress, descend, effort_for, search
from gray_kettle.planner.branch_and_bound import prove
from gray_kettle.planner.objective import MOST_PROVED, Objective, shifts_for
from gray_kettle.planner.radio_model import RadioModel

MOST_LOST = 0.02  # log units a radio: what a plan may cost in one state for a gain in the other


@dataclass(frozen=True, eq=False)
class Solution:
    """One option for each player, by index. bound: no choice scores higher; proved: it is the score itself.

    joint: the arrays that it was found on.
    """

    chosen: tuple[int, ...]
    score: float
    bound: float
    proved: bool
    objective: Objective


def solve(
    models: tuple[RadioModel, ...],
    most_moves: int | None = None,
    progress: Progress = lambda done: None,
    prove_best: bool = True,
) -> Solution:
    """Best choice of one option for each radio, with at most so many changes; never worse than staying.

    prove_best: for small sites, search until no better choice can exist; else stop at the best that was found.
    progress gets the share of the work done, and may raise to cancel.
    """
    objective = Objective(models, shifts_for(len(models)))
    few = prove_best and len(models) <= MOST_PROVED
    found = search(
        objective,
        effort_for(len(models), len(objective.scenes)),
        most_moves,
        _part(progress, 0.0, 0.4 if few else 1.0),
    )
    if few:
        proof = prove(objective, found, most_moves, _part(progress, 0.4, 1.0))
        found, bound, proved = proof.chosen, proof.bound, proof.settled
    else:
        bound, proved = upper_bound(objective), False
    lost = _state_that_loses(objective, found)
    if lost is not None:
        found, proved = _without_loss(objective, lost, most_moves), False
    score = float(objective.score(found))
    return Solution(tuple(int(o) for o in found), score, max(bound, score), proved, objective)


def _state_that_loses(objective: Objective, chosen: IntArray) -> int | None:
    """The state in which the site is worse off than if all stayed, by more than is tolerated: 0 as observed, 1 in the
    busy hour; None where it is in neither.
    """
    gains = [
        then - now for then, now in zip(*map(objective.by_state, (chosen, objective.start)), strict=True)
    ]
    worst = int(np.argmin(gains))
    return worst if gains[worst] < -MOST_LOST else None


def _without_loss(objective: Objective, lost: int, most_moves: int | None) -> IntArray:
    """The best choice that loses in neither state, found by giving the one that lost more weight; else all stay."""
    found = [objective.start]
    for weight in (0.25, 0.1):
        other = Objective(objective.models, objective.shifts_db, 1 - weight if lost else weight)
        chosen = search(other, effort_for(objective.count, len(other.scenes)), most_moves)
        if _state_that_loses(objective, chosen) is None:
            found.append(chosen)
    return max(found, key=lambda chosen: float(objective.score(chosen)))


def estimated_score(models: tuple[RadioModel, ...]) -> float:
    """Score of a plain descent, in log units: to choose among sets of options, not to plan by."""
    objective = Objective(models, (0.0,))
    return float(objective.score(descend(objective, objective.start[None], None)[0]))


def upper_bound(objective: Objective) -> float:
    """Score in log units if no own radio took anything from another: more than any plan can reach."""
    alone = objective.mean(objective.logs(objective.base, objective.rates))
    return float((objective.weight[:, None] * alone - objective.costs).max(axis=1).sum())


def _part(progress: Callable[[float], None], start: float, end: float) -> Progress:
    return lambda done: progress(start + (end - start) * done)
