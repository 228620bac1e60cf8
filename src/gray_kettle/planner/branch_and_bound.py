"""The best plan of a few radios, with proof: branch and bound.

What a radio reaches beside some of the others bounds what it reaches in company of all: others only take. Radios that
have no place yet are bounded two by two, each pair by the best that it reaches together.
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.planner.annealing import LEAST_GAIN, Progress
from gray_kettle.planner.objective import Objective

_MOST_NODES = 6000  # some seconds: beyond, the best found is kept without proof


@dataclass(frozen=True)
class Proof:
    """chosen: the best. bound: no plan scores higher. settled: the bound is its own score."""

    chosen: IntArray
    bound: float
    settled: bool


def prove(
    objective: Objective, best: IntArray, most_moves: int | None, progress: Progress = lambda done: None
) -> Proof:
    """Better than a good plan, or the proof that nothing is."""
    return _Prover(objective, best, most_moves, progress).run()


class _Prover:
    def __init__(
        self, objective: Objective, best: IntArray, most_moves: int | None, progress: Progress
    ) -> None:
        self.objective, self.most_moves, self.progress = objective, most_moves, progress
        self.best, self.best_score = best, float(objective.score(best))
        self.nodes, self.left_over = 0, -np.inf
        count = objective.count
        self.beside = {(k, m): self._beside(k, m) for k in range(count) for m in range(count) if k != m}
        alone = [self._worth(k, objective.base) for k in range(count)]
        loss = np.zeros(count)
        for k in range(count):
            for m in range(k):
                lost = alone[k].max() + alone[m].max() - self._pair(k, m, alone[k], alone[m])
                loss[k] += lost
                loss[m] += lost
        self.order = [int(k) for k in np.argsort(-loss, kind="stable")]  # who takes most from others first

    def run(self) -> Proof:
        self._descend(0, {}, self.objective.base)
        settled = self.nodes <= _MOST_NODES
        return Proof(self.best, max(self.best_score, self.left_over), settled)

    def _worth(self, k: int, sums: FloatArray) -> FloatArray:
        """Upper bound of what radio k adds on each option, beside those that its sums have in them: (o,)."""
        j = self.objective
        logs = j.mean(j.logs(sums[:, k], j.rates[k]))
        return np.asarray(j.weight[k] * logs - j.costs[k])

    def _beside(self, k: int, m: int) -> FloatArray:
        """What radio k adds on each of its options beside radio m alone on each of its own: (o of k, o of m)."""
        j = self.objective
        pair_class = j.pair_class[j.dsss[m], j.channel[k][:, None], j.channel[m][None]]
        logs = j.mean(j.logs(j.base[:, k, :, None] + j.term(k, m, pair_class), j.rates[k][:, None]))
        return np.asarray(j.weight[k] * logs - j.costs[k][:, None])

    def _pair(self, k: int, m: int, of_k: FloatArray, of_m: FloatArray) -> float:
        both = np.minimum(of_k[:, None], self.beside[k, m]) + np.minimum(of_m[None], self.beside[m, k].T)
        return float(both.max())

    def _descend(self, depth: int, chosen: dict[int, int], sums: FloatArray) -> None:
        j, rest = self.objective, self.order[depth:]
        self.nodes += 1
        if depth == j.count:
            choice = np.array([chosen[k] for k in range(j.count)])
            score = float(j.score(choice))
            if score > self.best_score + LEAST_GAIN:
                self.best, self.best_score = choice, score
            return
        worth = {k: self._open(k, chosen, self._worth(k, sums)) for k in rest}
        placed = list(self.order[:depth])
        settled = sum(float(self._worth(k, sums)[chosen[k]]) for k in placed)
        bound = settled + self._matched(rest, worth)
        if bound <= self.best_score + LEAST_GAIN:
            return
        if self.nodes > _MOST_NODES:
            self.left_over = max(self.left_over, bound)
            return
        k = rest[0]
        limits = worth[k] + self._placed(k, placed, chosen, sums)
        for m in rest[1:]:
            limits = limits + np.minimum(worth[m][:, None], self.beside[m, k]).max(axis=0)
        for n, option in enumerate(np.argsort(-limits, kind="stable")):
            if limits[option] <= self.best_score + LEAST_GAIN:
                return
            if depth == 0:
                self.progress(n / len(limits))
            on = j.channel[k, option]
            pair_class = j.pair_class[j.dsss[k], j.channel, on]
            with_it = sums + j.term(np.arange(j.count)[:, None], k, pair_class)
            self._descend(depth + 1, {**chosen, k: int(option)}, with_it)

    def _open(self, k: int, chosen: dict[int, int], worth: FloatArray) -> FloatArray:
        """Only where it is now, once as many others have moved as may."""
        start = self.objective.start
        if (
            self.most_moves is None
            or sum(option != start[m] for m, option in chosen.items()) < self.most_moves
        ):
            return worth
        return np.where(np.arange(len(worth)) == start[k], worth, -np.inf)

    def _placed(self, k: int, placed: list[int], chosen: dict[int, int], sums: FloatArray) -> FloatArray:
        """What those that have a place add together, for each option of radio k: (o,)."""
        j = self.objective
        out = np.zeros(len(j.costs[k]))
        for m in placed:
            on = j.channel[m, chosen[m]]
            pair_class = j.pair_class[j.dsss[k], on, j.channel[k]]
            logs = j.logs(sums[:, m, chosen[m]][:, None] + j.term(m, k, pair_class), j.rates[m, chosen[m]])
            out += j.weight[m] * j.mean(logs) - j.costs[m, chosen[m]]
        return out

    def _matched(self, rest: list[int], worth: dict[int, FloatArray]) -> float:
        """The lowest bound that pairing up the rest gives."""
        if not rest:
            return 0.0
        k, others = rest[0], rest[1:]
        single = float(worth[k].max())
        if not others:
            return single
        bounds = []
        if len(rest) % 2:
            bounds.append(single + self._matched(others, worth))
        for m in others:
            left = [n for n in others if n != m]
            bounds.append(self._cached_pair(k, m, worth) + self._matched(left, worth))
        return min(bounds)

    def _cached_pair(self, k: int, m: int, worth: dict[int, FloatArray]) -> float:
        return self._pair(k, m, worth[k], worth[m])
