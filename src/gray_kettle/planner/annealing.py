"""Good plans for many radios: slow cooling, then descent. The same answer for the same site.

One step looks at every option of a radio with what it does to all others, and takes one by chance: the better, the
likelier, and the surer the colder it is; then at changing places with others. A plain descent stops where no single
radio gains, which on dense sites is far from the best. Source: docs/scoring.md, "How the plan is found".
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.planner.delta_eval import DeltaEvaluator
from gray_kettle.planner.objective import Objective

LEAST_GAIN = 1e-6
_PARTNERS = 24  # for a swap, in one step
_SEED = 20260101
_USUAL_SCENES = 3
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Effort:
    """Effort of the search: parallel plans, visits of every radio; start and end temperature, in log units."""

    trials: int
    sweeps: int
    hot: float = 0.25
    cold: float = 0.02
    swaps: bool = True


def effort_for(count: int, scenes: int = _USUAL_SCENES) -> Effort:
    """Steps that take a few seconds up to 30 radios, ten up to 60 and twenty up to 200 on a small machine.

    scenes: of the joint arrays, see Objective; where there are more than the usual three, fewer are evaluated.
    """
    fewer = min(_USUAL_SCENES / scenes, 1.0)
    if count <= 6:
        return Effort(trials=1, sweeps=5)  # a start for the proof
    if count <= 30:
        side_by_side = 8 * min((20 / count) ** 2, 1.0) * fewer
        return Effort(trials=max(round(side_by_side), 1), sweeps=36)
    if count <= 80:
        return Effort(trials=1, sweeps=round(54 * fewer), hot=0.35, cold=0.03)
    return Effort(trials=1, sweeps=max(8, round(5000 / count)), hot=0.2, cold=0.03, swaps=False)


def search(
    objective: Objective,
    effort: Effort,
    most_moves: int | None,
    progress: Progress = lambda done: None,
    seed: int = _SEED,
) -> IntArray:
    """The best choice found, at most `most_moves` of it changes. Never worse than where everybody is now.

    progress gets the share done, and may raise to end the search.
    """
    chance = np.random.default_rng(seed)
    trials = DeltaEvaluator(objective, np.repeat(objective.start[None], effort.trials, axis=0))
    for sweep, warm in enumerate(np.geomspace(effort.hot, effort.cold, effort.sweeps)):
        progress(sweep / effort.sweeps)
        for m in chance.permutation(objective.count):
            gains = _open(trials, int(m), most_moves)
            drawn = gains / warm + chance.gumbel(size=gains.shape)  # by chance, exp(gain / warm) to one
            trials.move(np.full(effort.trials, m), drawn.argmax(axis=1))
            if effort.swaps and objective.count > 1 and most_moves is None:
                _maybe_swap(trials, int(m), warm, chance)
    # Of hundreds so few visits of each may end no better than a plain descent from where they are.
    ends = np.concatenate([objective.start[None], trials.chosen])
    found = np.concatenate(
        [objective.start[None], (settle if effort.swaps else descend)(objective, ends, most_moves)]
    )
    return np.asarray(found[int(np.argmax(objective.score(found)))])


def settle(objective: Objective, start: IntArray, most_moves: int | None) -> IntArray:
    """Descend, let pairs change places where that gains, and again until nothing does; (b, n), each by itself."""
    chosen = descend(objective, start, most_moves)
    while most_moves is None and objective.count > 1:
        trials = DeltaEvaluator(objective, chosen)
        for m in range(objective.count):
            partners = np.array([k for k in range(objective.count) if k != m])
            gains = trials.swap_gains(m, partners)
            better = gains.max(axis=1) > LEAST_GAIN
            if better.any():
                trials.swap(m, np.where(better, partners[gains.argmax(axis=1)], m))
        if np.array_equal(trials.chosen, chosen):
            break
        chosen = descend(objective, trials.chosen, most_moves)
    return chosen


def descend(objective: Objective, start: IntArray, most_moves: int | None) -> IntArray:
    """Move one radio at a time to its best option as long as the objective grows; (b, n), each by itself."""
    trials = DeltaEvaluator(objective, start)
    idle = 0
    while idle < objective.count:
        for m in range(objective.count):
            gains = _open(trials, m, most_moves)
            best = gains.argmax(axis=1)
            better = gains.max(axis=1) > LEAST_GAIN
            trials.move(np.full(len(best), m), np.where(better, best, trials.chosen[:, m]))
            idle = 0 if better.any() else idle + 1
            if idle >= objective.count:
                break
    return trials.chosen


def _open(trials: DeltaEvaluator, m: int, most_moves: int | None) -> FloatArray:
    """Gains of the options of a radio, -inf for those that the number of changes closes."""
    gains = trials.gains(m)
    if most_moves is not None:
        start = trials.objective.start
        moved = trials.chosen != start
        full = moved.sum(axis=1) - moved[:, m] >= most_moves
        gains = np.where(full[:, None] & (np.arange(gains.shape[1]) != start[m]), -np.inf, gains)
    return gains


def _maybe_swap(trials: DeltaEvaluator, m: int, warm: float, chance: np.random.Generator) -> None:
    """Change channels with another radio, or with none, by chance."""
    partners = chance.permutation(trials.objective.count)[:_PARTNERS]
    partners = partners[partners != m]
    drawn = trials.swap_gains(m, partners) / warm + chance.gumbel(size=(len(trials.chosen), len(partners)))
    best = drawn.argmax(axis=1)
    takes = drawn.max(axis=1) > chance.gumbel(size=len(best))
    if takes.any():
        trials.swap(m, np.where(takes, partners[best], m))
