"""The own radios of a band as the solver sees them."""

from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio, score_channels
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.channels import Channel

LEAST_MBPS = 0.1  # keeps the logarithm finite where nothing gets through


@dataclass(frozen=True, eq=False)
class RadioModel:
    """One own radio: what it asks for, the others that are not ours, its options with their costs.

    costs: in log units, shape (options,). level_at: dBm at which each player hears this one, by player (own entry
    unused). activity: share of the air that it sends as observed. start: the option where it is now. weight: how much
    its throughput counts. times: the others at times of the day that differ, each with the share of the day that it
    stands for; none where all are the same. demand: share of the air that it offers in the busy hour.
    """

    victim: VictimRadio
    others: Interferers
    options: Candidates
    costs: FloatArray
    activity: float
    dsss_only: bool
    level_at: tuple[float, ...]
    start: int = 0
    weight: float = 1.0
    times: tuple[tuple[float, Interferers], ...] = ()
    demand: float = 0.0

    def sent(self, busy: bool) -> float:
        """Share of the air that it sends, as observed or in the busy hour."""
        return max(self.activity, self.demand) if busy else self.activity


OwnNeighbours = list[
    tuple[Channel, float, float, bool]
]  # own radios on the air: channel, level, activity, DSSS


def with_own_neighbours(model: RadioModel, own_neighbours: OwnNeighbours) -> Interferers:
    """The foreign radios and the given own ones, as one player hears them."""
    o = model.others
    if not own_neighbours:
        return o
    own = np.zeros(len(o), bool) if o.own is None else o.own
    return Interferers(
        (*o.channels, *(c for c, _, _, _ in own_neighbours)),
        np.append(o.level_dbm, [level for _, level, _, _ in own_neighbours]),
        np.append(o.activity, [activity for _, _, activity, _ in own_neighbours]),
        np.append(o.presence, np.ones(len(own_neighbours))),
        np.append(o.reported_utilisation, np.full(len(own_neighbours), np.nan)),
        np.append(o.dsss_only, np.array([d for _, _, _, d in own_neighbours], dtype=bool)),
        o.emissions,
        np.append(own, np.ones(len(own_neighbours), bool)),
        o.unidentified,
    )


def own_neighbours_of(
    models: tuple[RadioModel, ...], chosen: tuple[int, ...], k: int, busy: bool = False
) -> OwnNeighbours:
    """The other players, each on its chosen option, as player k hears them; busy: in the busy hour."""
    return [
        (p.options.channels[chosen[m]], p.level_at[k], p.sent(busy), p.dsss_only)
        for m, p in enumerate(models)
        if m != k
    ]


def mbps_of(
    models: tuple[RadioModel, ...], chosen: tuple[int, ...], shift_db: float = 0.0, busy: bool = False
) -> FloatArray:
    """Expected throughput of each player by the loss model itself, all levels shifted; shape (players,)."""
    out = np.empty(len(models))
    for k, model in enumerate(models):
        others = with_own_neighbours(model, own_neighbours_of(models, chosen, k, busy))
        alone = Candidates((model.options.channels[chosen[k]],))
        out[k] = score_channels(model.victim, alone, others.louder_by(shift_db)).expected_mbps[0]
    return out


def reference_score(
    models: tuple[RadioModel, ...], chosen: tuple[int, ...], shifts_db: tuple[float, ...]
) -> float:
    """The objective computed the slow way: what the joint arrays must agree with."""
    states = [
        np.mean([np.log(np.maximum(mbps_of(models, chosen, s, busy), LEAST_MBPS)) for s in shifts_db], axis=0)
        for busy in (False, True)
    ]
    logs = (1 - model_constants.BUSY_WEIGHT) * states[0] + model_constants.BUSY_WEIGHT * states[1]
    return float(sum(p.weight * v - p.costs[c] for p, v, c in zip(models, logs, chosen, strict=True)))
