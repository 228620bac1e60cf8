"""The best channels for all own radios of a band together.

Objective: sum over radios of log(expected throughput) less a cost for every change and for radar watch; see
docs/scoring.md, "The plan". Exact by branch and bound: adding another own radio never helps a radio, so what a
radio reaches alone is an upper bound for what it reaches in company.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from gray_kettle.air.channels import Channel
from gray_kettle.judge.harms import Asking, Candidates, Others, weigh
from gray_kettle.records import FloatArray

CHANGE_COST = 0.10  # in log units: a move must promise about a tenth more throughput
RADAR_COST = 0.08  # the wait before use, and the risk of having to leave
HARD_TO_FIND_COST = 0.03  # 6 GHz off the preferred scanning channels: clients look there last
LEAST_MBPS = 0.1  # keeps the logarithm finite where nothing gets through
LEAST_GAIN = 1e-6
MOST_WEIGHINGS = 1500  # of the exact search, about a second: beyond, one radio at a time is improved


@dataclass(frozen=True, eq=False)
class Player:
    """One own radio: what it asks for, the others that are not ours, its options with their costs.

    at_other: level at which each player hears this one, by player index (own index unused).
    """

    asking: Asking
    others: Others
    options: Candidates
    costs: FloatArray
    activity: float
    dsss_only: bool
    level_at: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class Solution:
    """One option for each player, by index. proved: no choice scores higher."""

    chosen: tuple[int, ...]
    score: float
    proved: bool


Company = list[tuple[Channel, float, float, bool]]  # own radios on the air: channel, level, activity, DSSS


def value(player: Player, company: Company) -> FloatArray:
    """log(expected throughput) of each option with other own radios on the air."""
    return np.log(
        np.maximum(
            weigh(player.asking, player.options, in_company(player, company)).expected_mbps, LEAST_MBPS
        )
    )


def in_company(player: Player, company: Company) -> Others:
    """The foreign radios and the given own ones."""
    o = player.others
    if not company:
        return o
    return Others(
        (*o.channels, *(c for c, _, _, _ in company)),
        np.append(o.level_dbm, [level for _, level, _, _ in company]),
        np.append(o.activity, [activity for _, _, activity, _ in company]),
        np.append(o.presence, np.ones(len(company))),
        np.append(o.told_busy, np.full(len(company), np.nan)),
        np.append(o.dsss_only, np.array([d for _, _, _, d in company], dtype=bool)),
        o.emissions,
    )


def solve(players: tuple[Player, ...], start: tuple[int, ...]) -> Solution:
    """Best choice of one option for each player; never worse than start."""
    return _Search(players, start).run()


class _Search:
    def __init__(self, players: tuple[Player, ...], start: tuple[int, ...]) -> None:
        self.players = players
        self.best, self.best_score = start, score_of(players, start)
        self.alone = [value(p, []) - p.costs for p in players]
        # Radios with the most to lose first: their choice prunes most.
        self.order = sorted(range(len(players)), key=lambda k: (len(players[k].options.channels), k))
        self.bound = np.cumsum([self.alone[k].max() for k in reversed(self.order)])[::-1]
        self.weighings = 0
        self._pairs: dict[tuple[int, int, int], FloatArray] = {}

    def run(self) -> Solution:
        self._descend(0, {})
        proved = self.weighings <= MOST_WEIGHINGS
        chosen, score = self.best, self.best_score
        if not proved:
            chosen, score = _improved(self.players, chosen, score)
        return Solution(chosen, score, proved)

    def _descend(self, depth: int, chosen: dict[int, int]) -> None:
        if depth == len(self.order):
            choice = tuple(chosen[k] for k in range(len(self.players)))
            self.weighings += len(self.players)
            score = score_of(self.players, choice)
            if score > self.best_score + LEAST_GAIN:
                self.best, self.best_score = choice, score
            return
        k = self.order[depth]
        rest = self.bound[depth + 1] if depth + 1 < len(self.order) else 0.0
        limits = self._limits(k, chosen)
        earlier = sum(self._limit(m, chosen[m], {**chosen}) for m in chosen)
        for option in np.argsort(-limits, kind="stable"):
            if (
                self.weighings > MOST_WEIGHINGS
                or earlier + limits[option] + rest <= self.best_score + LEAST_GAIN
            ):
                return
            self._descend(depth + 1, {**chosen, k: int(option)})

    def _limits(self, k: int, chosen: dict[int, int]) -> FloatArray:
        """Upper bounds of player k's options beside what is chosen: company only takes, so the worst of each alone."""
        out = self.alone[k]
        for m, option in chosen.items():
            out = np.minimum(out, self._with_one(k, m, option))
        return out

    def _limit(self, k: int, option: int, chosen: dict[int, int]) -> float:
        values = [float(self._with_one(k, m, o)[option]) for m, o in chosen.items() if m != k]
        return min(values, default=float(self.alone[k][option]))

    def _with_one(self, k: int, m: int, option: int) -> FloatArray:
        key = (k, m, option)
        if key not in self._pairs:
            player = self.players[k]
            self.weighings += 1
            self._pairs[key] = value(player, [_as_company(self.players[m], option, k)]) - player.costs
        return self._pairs[key]


def _as_company(player: Player, option: int, listener: int) -> tuple[Channel, float, float, bool]:
    return player.options.channels[option], player.level_at[listener], player.activity, player.dsss_only


def company_of(players: tuple[Player, ...], chosen: tuple[int, ...], k: int) -> Company:
    """The other players as player k hears them."""
    return [_as_company(p, chosen[m], k) for m, p in enumerate(players) if m != k]


def score_of(players: tuple[Player, ...], chosen: tuple[int, ...]) -> float:
    """The objective for one choice."""
    total = 0.0
    for k, player in enumerate(players):
        one = weigh(
            player.asking,
            _alone(player.options.channels[chosen[k]]),
            in_company(player, company_of(players, chosen, k)),
        )
        total += float(np.log(max(one.expected_mbps[0], LEAST_MBPS)) - player.costs[chosen[k]])
    return total


@lru_cache(maxsize=4096)
def _alone(channel: Channel) -> Candidates:
    return Candidates((channel,))


def _improved(
    players: tuple[Player, ...], chosen: tuple[int, ...], score: float
) -> tuple[tuple[int, ...], float]:
    """Change one radio at a time as long as that helps."""
    better = True
    while better:
        better = False
        for k, player in enumerate(players):
            own = value(player, company_of(players, chosen, k)) - player.costs
            for option in np.argsort(-own, kind="stable")[:8]:
                trial = (*chosen[:k], int(option), *chosen[k + 1 :])
                trial_score = score_of(players, trial)
                if trial_score > score + LEAST_GAIN:
                    chosen, score, better = trial, trial_score, True
    return chosen, score
