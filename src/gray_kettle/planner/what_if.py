"""What a step that is no change of channel would give, all own radios being where the plan puts them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.analysis.assessment import Assessment, Radio
from gray_kettle.analysis.loss.interference_loss import Candidates
from gray_kettle.model.records import FloatArray
from gray_kettle.planner.objective import Objective
from gray_kettle.planner.radio_model import RadioModel

_LEAST_WORTH = 0.01  # in log units over the site: a percent of one radio's throughput


def is_unused(radio: Radio, assessment: Assessment) -> bool:
    """Whether nobody was heard to use it, although use would have been heard."""
    stations = sum(n.load_stations or 0 for n in radio.networks)
    clients = sum(len(n.clients) for n in radio.networks)
    known = any(n.load_stations is not None for n in radio.networks)
    framed = any(n.frames for r in assessment.radios for n in r.networks)
    return not stations and not clients and (known or framed)


def reports_no_clients(radio: Radio) -> bool:
    """Whether every network of it reports that it has no stations, and none was heard."""
    return all(n.load_stations == 0 and not n.clients for n in radio.networks)


@dataclass(frozen=True)
class Effect:
    """worth: sum over the site of log(throughput), weighted. best: the radio that gains most, by what factor."""

    worth: float
    best: str
    factor: float


class WhatIf:
    """The own radios of each band, each alone on the channel of the plan, ready to be asked “what if”."""

    def __init__(
        self, bands: Mapping[str, tuple[tuple[str, ...], tuple[RadioModel, ...], tuple[int, ...]]]
    ) -> None:
        self._placed: dict[str, dict[str, RadioModel]] = {}
        self._order: dict[str, tuple[str, ...]] = {}
        self._now: dict[str, FloatArray] = {}
        self._without: dict[str, FloatArray] = {}
        for band, (ids, models, chosen) in bands.items():
            self._order[band] = ids
            self._placed[band] = {
                key: replace(
                    p, options=Candidates((p.options.channels[o],)), costs=np.zeros(1), start=0, times=()
                )
                for key, p, o in zip(ids, models, chosen, strict=True)
            }
            objective = Objective(tuple(self._placed[band].values()), (0.0,))
            self._now[band] = objective.logs_of(objective.start)
            self._without[band] = _without_each(objective)

    def band_of(self, radio: str) -> str | None:
        return next((band for band, placed in self._placed.items() if radio in placed), None)

    def without(self, radio: str) -> Effect | None:
        """If it were switched off."""
        band = self.band_of(radio)
        if band is None:
            return None
        at = self._order[band].index(radio)
        gains = self._without[band][:, at].copy()
        gains[at] = 0.0
        return self._effect(band, gains)

    def in_the_way(self, band: str, most: int) -> tuple[str, ...]:
        """Those of a band without which the others would have most more, the first so many."""
        if band not in self._placed:
            return ()
        weights = np.array([p.weight for p in self._placed[band].values()])
        used = weights @ self._without[band]
        return tuple(self._order[band][k] for k in np.argsort(-used, kind="stable")[:most] if used[k] > 0)

    def with_changed(self, band: str, change: Callable[[str, RadioModel], RadioModel]) -> Effect | None:
        """If each radio of a band were changed so."""
        if band not in self._placed:
            return None
        objective = Objective(tuple(change(key, p) for key, p in self._placed[band].items()), (0.0,))
        return self._effect(band, objective.logs_of(objective.start) - self._now[band])

    def _effect(self, band: str, gains: FloatArray) -> Effect | None:
        weights = np.array([p.weight for p in self._placed[band].values()])
        worth = float((gains * weights).sum())
        if worth < _LEAST_WORTH:
            return None
        best = max(range(len(gains)), key=lambda k: (gains[k] * weights[k], self._order[band][k]))
        return Effect(worth, self._order[band][best], float(np.exp(gains[best])))


def _without_each(objective: Objective) -> FloatArray:
    """What each radio (rows) gains in log units without each other one (columns), all where they are."""
    who = np.arange(objective.count)
    on = objective.channel[who, objective.start]
    pair_class = objective.pair_class[objective.dsss, on[:, None], on[None, :]]
    sums = objective.sums_of(objective.start)[:, :, None] - objective.term(who[:, None], who, pair_class)
    rates = objective.rates[who, objective.start]
    gains = (
        objective.mean(objective.logs(sums, rates[None, :, None]))
        - objective.logs_of(objective.start)[:, None]
    )
    np.fill_diagonal(gains, 0.0)
    return np.maximum(gains, 0.0)


def quieter(radio: str, step_db: float) -> Callable[[str, RadioModel], RadioModel]:
    """One radio sends with less power: others hear it less, and its clients do."""

    def change(key: str, model: RadioModel) -> RadioModel:
        if key != radio:
            return model
        victim = replace(model.victim, client_level_dbm=model.victim.client_level_dbm - step_db)
        return replace(model, victim=victim, level_at=tuple(level - step_db for level in model.level_at))

    return change


def sending_less(shares: Mapping[str, float]) -> Callable[[str, RadioModel], RadioModel]:
    """Radios send so much less of the time."""
    return lambda key, model: replace(model, activity=max(model.activity - shares.get(key, 0.0), 0.0))


def without_emitter(emitter_id: str) -> Callable[[str, RadioModel], RadioModel]:
    def change(key: str, model: RadioModel) -> RadioModel:
        rest = tuple(e for e in model.others.emissions if e.emitter.id != emitter_id)
        return replace(model, others=replace(model.others, emissions=rest))

    return change


def clients_at(radio: str, level_dbm: float) -> Callable[[str, RadioModel], RadioModel]:
    """The clients of one radio are heard so well."""

    def change(key: str, model: RadioModel) -> RadioModel:
        louder = max(level_dbm, model.victim.client_level_dbm)
        return (
            replace(model, victim=replace(model.victim, client_level_dbm=louder)) if key == radio else model
        )

    return change
