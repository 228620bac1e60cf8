"""Several plans at once, and what a change of one radio, or two that swap, would do to each."""

import numpy as np

from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.planner.objective import Objective


class DeltaEvaluator:
    """Choices of one option for each radio, a few side by side (b), that change a radio at a time.

    The sums of every radio on each of its options are kept (see Objective): looking is cheap, moving costs one term for
    each of them. chosen: (b, n).
    """

    def __init__(self, objective: Objective, chosen: IntArray) -> None:
        self.objective = objective
        self.chosen = np.array(chosen, dtype=np.int64)
        self._who, self._each = np.arange(objective.count), np.arange(len(self.chosen))
        self._on = objective.channel[self._who, self.chosen]
        self._sums = np.repeat(objective.base[:, None], len(self.chosen), axis=1)  # (s, b, n, o, sums)
        for m in range(objective.count):
            self._sums += self._terms_of(np.full(len(self.chosen), m))
        self._look_here()

    def gains(self, m: int) -> FloatArray:
        """Gain in log units with radio m on each of its options, the others as they are; shape (plans, options)."""
        j, on = self.objective, self._on
        own = j.mean(j.logs(self._sums[:, :, m], j.rates[m]))
        now = j.term(self._who, m, j.pair_class[j.dsss[m], on, on[:, m, None]])
        few = j.term(self._who[:, None], m, j.few[j.dsss[m], on])
        beside = (self._here - now)[:, :, :, None] + few
        logs = j.mean(j.logs(beside, self._rates[:, :, None])) * j.weight[:, None]
        logs[:, m] = 0.0
        which = j.which[j.dsss[m], on][:, :, j.channel[m]]
        others = np.take_along_axis(logs, which, axis=2).sum(axis=1)
        total = j.weight[m] * own + others - j.costs[m]
        return np.asarray(total - total[self._each, self.chosen[:, m]][:, None])

    def swap_gains(self, m: int, partners: IntArray) -> FloatArray:
        """Gain in log units if m and a partner swap channels; shape (plans, partners), -inf where they cannot."""
        j, on, with_ = self.objective, self._on, partners
        who, each, at = self._who, self._each[:, None], np.arange(len(with_))
        his, mine = on[:, with_], on[:, m, None]  # channels, (b, partners) and (b, 1)
        to_his, to_mine = j.option[m, his], j.option[with_, mine]
        sends, asks = j.pair_class[j.dsss[m]], on[:, :, None]
        of_him = j.dsss[with_]
        k = who[:, None]
        change = (
            j.term(k, m, sends[asks, his[:, None, :]])
            - j.term(k, m, sends[asks, mine[:, None, :]])
            + j.term(k, with_, j.pair_class[of_him, asks, mine[:, None, :]])
            - j.term(k, with_, j.pair_class[of_him, asks, his[:, None, :]])
        )
        now = j.weight * j.mean(j.logs(self._here, self._rates))
        then = j.mean(j.logs(self._here[:, :, :, None] + change, self._rates[:, :, None]))
        gain = j.weight[:, None] * then - now[:, :, None]
        gain[:, m], gain[:, with_, at] = 0.0, 0.0
        mine_there = self._sums[:, each, m, to_his] + (
            j.term(m, with_, j.pair_class[of_him, his, mine])
            - j.term(m, with_, j.pair_class[of_him, his, his])
        )
        his_here = self._sums[:, each, with_, to_mine] + (
            j.term(with_, m, sends[mine, his]) - j.term(with_, m, sends[mine, mine])
        )
        out = gain.sum(axis=1)
        out += j.weight[m] * j.mean(j.logs(mine_there, j.rates[m, to_his])) - now[:, m, None]
        out += j.weight[with_] * j.mean(j.logs(his_here, j.rates[with_, to_mine])) - now[:, with_]
        paid = j.costs[who, self.chosen]
        out += paid[:, m, None] - j.costs[m, to_his] + paid[:, with_] - j.costs[with_, to_mine]
        return np.where((to_his < 0) | (to_mine < 0) | (his == mine), -np.inf, out)

    def move(self, who: IntArray, option: IntArray) -> None:
        """Put one radio of each choice on one of its options; both of shape (b,)."""
        if np.array_equal(option, self.chosen[self._each, who]):
            return
        self._sums -= self._terms_of(who)
        self.chosen[self._each, who] = option
        self._on[self._each, who] = self.objective.channel[who, option]
        self._sums += self._terms_of(who)
        self._look_here()

    def swap(self, m: int, partner: IntArray) -> None:
        """Let radio m change channels with a partner in each choice, (b,); with itself to leave it."""
        on, j = self._on, self.objective
        his, mine = on[self._each, partner].copy(), on[:, m].copy()
        self.move(np.full(len(partner), m), j.option[m, his])
        self.move(
            partner, j.option[partner, mine if (partner != m).all() else np.where(partner == m, his, mine)]
        )

    def _look_here(self) -> None:
        self._here = self._sums[:, self._each[:, None], self._who, self.chosen]
        self._rates = self.objective.rates[self._who, self.chosen]

    def _terms_of(self, who: IntArray) -> FloatArray:
        """What one radio of each choice, where it is, adds to every radio on each option: (s, b, n, o, sums)."""
        j = self.objective
        pair_class = j.pair_class[
            j.dsss[who][:, None, None], j.channel, self._on[self._each, who][:, None, None]
        ]
        return np.asarray(j.term(self._who[:, None], who[:, None, None], pair_class))
