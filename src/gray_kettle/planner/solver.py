"""The best channels for all own radios of a band together: proved for a few, searched for many.

Objective: the sum over radios of weight · log(expected throughput) less a cost for every change and for radar watch;
see docs/scoring.md, "The plan".
"""

from collections.abc import Callable
from dataclasses import dataclass

from gray_kettle.planner.annealing import Progress, descend, effort_for, search
from gray_kettle.planner.branch_and_bound import prove
from gray_kettle.planner.objective import MOST_PROVED, Objective, shifts_for
from gray_kettle.planner.radio_model import RadioModel


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
    score = float(objective.score(found))
    return Solution(tuple(int(o) for o in found), score, max(bound, score), proved, objective)


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
