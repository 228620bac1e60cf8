"""What a choice of channels gives all own radios of a band, as arrays: one step sees every option of a radio.

The same figures as the loss model's (a test compares them), taken apart so that one radio's move costs little: what a
radio has left is a product over the others, so its logarithm is a sum, kept for each radio and changed by one term
when another moves. Pairs of channels lie to each other in few ways (classes), so the terms are computed once for
each pair of radios and class. Source: docs/scoring.md, "How the plan is found".
"""

import math
from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.loss.channel_overlap import VALUES, overlap
from gray_kettle.analysis.loss.interference_loss import (
    ChannelScores,
    efficiency_among,
    pair_effects,
    score_channels,
)
from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.phy.carrier_sense import noise_floor_dbm
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.radio_model import LEAST_MBPS, RadioModel

MOST_PROVED = 6  # radios up to which the best plan is proved
SMALL_SITE = 40  # up to so many radios the levels are taken 3 dB lower, as they are, and 3 dB higher
SHIFTS_DB = (-3.0, 0.0, 3.0)
_CO, _COUNT, _SENDING, _BESIDE, _WIDER = range(
    5
)  # the sums kept for a radio: see Objective; from _WIDER one for each widening
_NEVER = -1e6  # logarithm of no chance at all, finite so that sums stay numbers
_LEAST_FREE = 1e-12


def shifts_for(count: int) -> tuple[float, ...]:
    """Shifts of all levels that the objective is the mean of: a plan must hold where levels are a little off."""
    return SHIFTS_DB if count <= SMALL_SITE else (0.0,)


@dataclass(frozen=True)
class _Scene:
    """shift_db: of all levels. time: index of a time of the day, None for all of it. busy: in the busy hour."""

    shift_db: float
    time: int | None
    busy: bool


class Objective:
    """The own radios of a band with all that they take from one another, in two states: as observed, and in the busy
    hour, in which each of them offers at least its design load.

    Sums of a radio on an option, last axis: log of what those on its primary leave, how many they are, how much they
    send, log of what the rest leaves beside it, and for each widening the log of the chance that it is free.
    Shapes: n radios, s scenes (state and shift of all levels; as observed and unshifted also times of the day), o
    options (of the radio with most; costs of missing ones are infinite), c classes.
    """

    def __init__(
        self,
        models: tuple[RadioModel, ...],
        shifts_db: tuple[float, ...],
        busy_weight: float = model_constants.BUSY_WEIGHT,
    ) -> None:
        """busy_weight: of the busy hour, 0 to 1; the rest is that of the observed load."""
        self.models, self.count = models, len(models)
        self._scenes(shifts_db, busy_weight)
        channels = sorted({c for p in models for c in p.options.channels})
        at = {c: n for n, c in enumerate(channels)}
        most = max(len(p.options.channels) for p in models)
        self.wider = max(round(math.log2(c.width_mhz / 20)) for c in channels)
        shape = (self.count, most)
        self.costs = np.full(shape, np.inf)
        self.channel = np.zeros(shape, dtype=np.int64)  # index into the list of all channels
        self.start = np.array([p.start for p in models])
        self.weight = np.array([p.weight for p in models])
        self.dsss = np.array([int(p.dsss_only) for p in models])
        self._type = np.float64 if self.count <= MOST_PROVED else np.float32
        self.base = np.zeros((len(self.scenes), *shape, _WIDER + self.wider), dtype=self._type)
        self.rates = np.zeros((*shape, self.wider + 1), dtype=self._type)  # what each widening adds, Mb/s
        for k, model in enumerate(models):
            own = model.options.channels
            self.costs[k, : len(own)] = model.costs
            self.channel[k, : len(own)] = [at[c] for c in own]
            self._foreign(k, model)
        self.option = np.full(
            (self.count, len(channels)), -1
        )  # of a radio, by channel; -1 where it is not open to it
        for k, model in enumerate(models):
            self.option[k, self.channel[k, : len(model.costs)]] = np.arange(len(model.costs))
        self._classes(channels)
        self._pairs()

    def _scenes(self, shifts_db: tuple[float, ...], busy_weight: float) -> None:
        """Scenes with the weight of each. The times of the day share that of no shift as observed."""
        times = self.models[0].times if self.models else ()
        grows = any(m.demand > m.activity for m in self.models) and self.count > 1
        self.shifts_db = shifts_db
        self.scenes: list[_Scene] = []
        weights: list[float] = []
        observed = 1 - busy_weight if grows else 1.0
        for shift in shifts_db:
            if shift == 0.0 and times:
                self.scenes += [_Scene(0.0, t, False) for t in range(len(times))]
                weights += [weight * observed for weight, _ in times]
            else:
                self.scenes.append(_Scene(shift, None, False))
                weights.append(observed)
        if grows:
            self.scenes += [_Scene(shift, None, True) for shift in shifts_db]
            weights += [busy_weight] * len(shifts_db)
        self._scene_weight = np.array(weights) / len(shifts_db)
        self._is_busy = np.array([scene.busy for scene in self.scenes])

    def mean(self, logs: FloatArray) -> FloatArray:
        """Weighted mean over the scenes; shape without the first axis."""
        return np.asarray(np.tensordot(self._scene_weight.astype(logs.dtype), logs, axes=(0, 0)))

    def by_state(self, chosen: IntArray) -> tuple[float, float]:
        """The objective as observed and in the busy hour, each by itself, as a mean over the own radios by weight."""
        who = np.arange(self.count)
        logs = self.logs(self.sums_of(chosen), self.rates[who, chosen][None])
        of_site = (logs * self.weight - self.costs[who, chosen]).sum(axis=-1) / max(
            float(self.weight.sum()), 1e-9
        )
        busy = self._is_busy if self._is_busy.any() else ~self._is_busy
        observed, then = (
            float(np.average(of_site[w], weights=self._scene_weight[w] + 1e-9))
            for w in (~self._is_busy, busy)
        )
        return observed, then

    def _foreign(self, k: int, model: RadioModel) -> None:
        """What each option has left by those that are not ours."""
        options = model.options
        rates = options.rates_mbps(model.victim)[:, : self.wider + 1]
        self.rates[k, : len(rates)] = np.diff(rates, axis=1, prepend=0.0).clip(min=0.0)
        widens = options.width_mhz[:, None] > 20 * 2 ** np.arange(self.wider)
        scored: dict[tuple[float, int | None], ChannelScores] = {}
        for s, scene in enumerate(self.scenes):
            key = scene.shift_db, scene.time
            if key not in scored:
                others = model.others if scene.time is None else model.times[scene.time][1]
                scored[key] = score_channels(model.victim, options, others.louder_by(scene.shift_db))
            alone = scored[key]
            sums = self.base[s, k, : len(rates)]
            beside = alone.unspoilt * np.prod(1 - alone.non_wifi_lost_to, axis=1)
            sums[:, _CO] = _log(alone.co_free)
            sums[:, _COUNT], sums[:, _SENDING] = alone.count, alone.contenders
            sums[:, _BESIDE] = _log(beside)
            sums[:, _WIDER:] = np.where(widens, _log(1 - alone.beyond[:, : self.wider]), _NEVER)

    def _classes(self, channels: list[Channel]) -> None:
        """Number the ways in which two channels lie to each other; the same for a sender of DSSS."""
        count = len(channels)
        rows = np.full((1 + int(self.dsss.max()), count, count, VALUES + 2), 20.0)
        if self.count > 1:  # alone it does not matter how
            for d, dsss in enumerate((False, True)[: len(rows)]):
                for k, mine in enumerate(channels):
                    rows[d, k] = [
                        (*overlap(mine, theirs, dsss), mine.width_mhz, theirs.width_mhz)
                        for theirs in channels
                    ]
        self._classes_found, which = np.unique(
            np.round(rows.reshape(-1, VALUES + 2), 9), axis=0, return_inverse=True
        )
        self.pair_class = which.reshape(-1, count, count)  # class by (DSSS, mine, theirs)
        # Of a channel only few classes occur: each once, and which of them each other channel is.
        found = [[np.unique(row, return_inverse=True) for row in table] for table in self.pair_class]
        most = max(len(u) for table in found for u, _ in table)
        self.few = np.zeros((len(found), count, most), dtype=np.int64)
        self.which = np.zeros((len(found), count, count), dtype=np.int64)
        for d, table in enumerate(found):
            for u, (classes, inverse) in enumerate(table):
                self.few[d, u, : len(classes)] = classes
                self.which[d, u] = inverse.reshape(-1)

    def _pairs(self) -> None:
        """The term that each other radio adds to a radio's sums, by class: (s, asking, other, c, sums)."""
        n, classes = self.count, self._classes_found
        geometry = classes[:, :VALUES].T[:, :, None]
        noise = noise_floor_dbm(classes[:, VALUES] * 1e6)[:, None]
        their_width = classes[:, VALUES + 1].astype(np.int64)[:, None]
        step = np.where(classes[:, 2] > 0, np.log2(np.maximum(classes[:, 2], 20) / 20), -1).astype(int)
        loads = [np.array([p.activity for p in self.models])[None, :]]
        if self._is_busy.any():
            loads.append(np.array([p.demand for p in self.models])[None, :])
        shape = (len(loads), len(self.shifts_db), n, n, len(classes), _WIDER + self.wider)
        terms = np.zeros(shape, dtype=self._type)
        for s, shift in enumerate(self.shifts_db):
            for k, model in enumerate(self.models):
                level = np.array([p.level_at[k] for p in self.models])[None, :] + shift
                effects = pair_effects(geometry, their_width, level, noise, model.victim)
                for load, sent in enumerate(loads):
                    term = terms[load, s, k]
                    waits = effects.waited_for
                    term[..., _CO] = _log(1 - sent * waits).T
                    term[..., _COUNT], term[..., _SENDING] = waits.T, (sent * waits).T
                    term[..., _BESIDE] = _log(1 - effects.spoilt_by(sent)).T
                    held = _log(1 - sent * effects.held).T
                    for j in range(self.wider):
                        term[..., _WIDER + j] = np.where(step == j, held, 0.0)
                    term[k] = 0.0  # nobody is its own neighbour
        rows = terms.reshape(len(loads) * len(self.shifts_db), -1, terms.shape[-1])
        of_scene = [c.busy * len(self.shifts_db) + self.shifts_db.index(c.shift_db) for c in self.scenes]
        self.terms = rows if len(of_scene) == len(rows) else rows[of_scene]

    def term(self, victim: IntArray | int, other: IntArray | int, pair_class: IntArray) -> FloatArray:
        """What others add to the sums of victim radios, by their overlap class; broadcast, shape (scenes, …, sums)."""
        rows: IntArray = (np.asarray(victim, dtype=np.int64) * self.count + other) * len(
            self._classes_found
        ) + pair_class
        return np.asarray(self.terms.take(rows, axis=1))

    def logs(self, sums: FloatArray, rates: FloatArray) -> FloatArray:
        """Logarithm of the expected throughput (Mb/s) from the sums and their rates; shape without the last axis."""
        shared = np.maximum(
            sums[..., _CO], -np.log1p(np.maximum(sums[..., _COUNT], 0.0))
        )  # contenders leave a fair share
        mbps = rates[..., 0].astype(sums.dtype)
        free = np.zeros_like(mbps)
        for j in range(self.wider):
            free = free + sums[..., _WIDER + j]
            mbps = mbps + np.exp(free) * rates[..., j + 1]
        mbps = mbps * efficiency_among(sums[..., _SENDING])
        total = shared + sums[..., _BESIDE] + np.log(np.maximum(mbps, _LEAST_FREE))
        return np.asarray(np.maximum(total, math.log(LEAST_MBPS)))

    def sums_of(self, chosen: IntArray) -> FloatArray:
        """Sums of every radio for choices of options: shape (…, radios) to (scenes, …, radios, sums)."""
        who = np.arange(self.count)
        on = self.channel[who, chosen]
        pair_class = self.pair_class[
            self.dsss, on[..., :, None], on[..., None, :]
        ]  # class by (…, asking, other)
        sums = self.base[:, who, chosen]
        return np.asarray(sums + self.term(who[:, None], who, pair_class).sum(axis=-2))

    def logs_of(self, chosen: IntArray) -> FloatArray:
        """Mean logarithm of expected throughput (Mb/s) of every radio, for choices of options; shape (…, radios)."""
        rates = self.rates[np.arange(self.count), chosen]
        return self.mean(self.logs(self.sums_of(chosen), rates[None]))

    def score(self, chosen: IntArray) -> FloatArray:
        """The objective of choices of options, in log units: shape (…, radios) to (…)."""
        costs = self.costs[np.arange(self.count), chosen]
        return np.asarray((self.weight * self.logs_of(chosen) - costs).sum(axis=-1))


def _log(share: FloatArray) -> FloatArray:
    return np.asarray(np.log(np.maximum(share, _LEAST_FREE)))
