"""The own radios of a band as the solver sees them."""

from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis.loss.interference_loss import Asking, Candidates, Others, weigh
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.channels import Channel

LEAST_MBPS = 0.1  # keeps the logarithm finite where nothing gets through


@dataclass(frozen=True, eq=False)
class Player:
    """One own radio: what it asks for, the others that are not ours, its options with their costs.

    costs: in log units, shape (options,). level_at: dBm at which each player hears this one, by player (own entry
    unused). start: the option where it is now. weight: how much its throughput counts. times: the others at times of
    the day that differ, each with the share of the day that it stands for; none where all of it is alike.
    """

    asking: Asking
    others: Others
    options: Candidates
    costs: FloatArray
    activity: float
    dsss_only: bool
    level_at: tuple[float, ...]
    start: int = 0
    weight: float = 1.0
    times: tuple[tuple[float, Others], ...] = ()


Company = list[tuple[Channel, float, float, bool]]  # own radios on the air: channel, level, activity, DSSS


def in_company(player: Player, company: Company) -> Others:
    """The foreign radios and the given own ones, as one player hears them."""
    o = player.others
    if not company:
        return o
    own = np.zeros(len(o), bool) if o.own is None else o.own
    return Others(
        (*o.channels, *(c for c, _, _, _ in company)),
        np.append(o.level_dbm, [level for _, level, _, _ in company]),
        np.append(o.activity, [activity for _, _, activity, _ in company]),
        np.append(o.presence, np.ones(len(company))),
        np.append(o.told_busy, np.full(len(company), np.nan)),
        np.append(o.dsss_only, np.array([d for _, _, _, d in company], dtype=bool)),
        o.emissions,
        np.append(own, np.ones(len(company), bool)),
    )


def company_of(players: tuple[Player, ...], chosen: tuple[int, ...], k: int) -> Company:
    """The other players, each on its chosen option, as player k hears them."""
    return [
        (p.options.channels[chosen[m]], p.level_at[k], p.activity, p.dsss_only)
        for m, p in enumerate(players)
        if m != k
    ]


def mbps_of(players: tuple[Player, ...], chosen: tuple[int, ...], shift_db: float = 0.0) -> FloatArray:
    """Expected throughput of each player by the harm model itself, all levels shifted; shape (players,)."""
    out = np.empty(len(players))
    for k, player in enumerate(players):
        others = in_company(player, company_of(players, chosen, k))
        alone = Candidates((player.options.channels[chosen[k]],))
        out[k] = weigh(player.asking, alone, others.louder_by(shift_db)).expected_mbps[0]
    return out


def score_by_the_model(
    players: tuple[Player, ...], chosen: tuple[int, ...], shifts_db: tuple[float, ...]
) -> float:
    """The objective worked out the slow way: what the joint arrays must agree with."""
    logs = np.mean([np.log(np.maximum(mbps_of(players, chosen, s), LEAST_MBPS)) for s in shifts_db], axis=0)
    return float(sum(p.weight * v - p.costs[c] for p, v, c in zip(players, logs, chosen, strict=True)))
