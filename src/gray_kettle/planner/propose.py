"""The plan's one call: assessment and setup in, proposal out."""

from collections.abc import Sequence
from functools import partial

import numpy as np

from gray_kettle.analysis.assessment import Assessment, ChannelAssessment, Finding, OwnView, Radio, Stay
from gray_kettle.analysis.findings import title
from gray_kettle.analysis.loss.channel_assessment import (
    channel_assessments,
    interferers_for,
    mutual_level_dbm,
    victim_of,
)
from gray_kettle.analysis.loss.channel_plan import THREE, channel_plans, fits_plan
from gray_kettle.analysis.loss.interference_loss import Candidates, ChannelScores, Interferers, score_channels
from gray_kettle.model.plan_preferences import CHANGE_COST, PlanPreferences
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import BANDS, Channel
from gray_kettle.phy.countries import power_change_db
from gray_kettle.planner import reasons
from gray_kettle.planner.annealing import Progress
from gray_kettle.planner.hours import are_heard, at_hours, hours_from, moments_of, times_of_day
from gray_kettle.planner.migration_order import Step, steps_of
from gray_kettle.planner.objective import MOST_PROVED, SMALL_SITE, Objective
from gray_kettle.planner.options import OFF_PLAN_COST, Option, options_for, unwise
from gray_kettle.planner.other_steps import other_steps
from gray_kettle.planner.proposal import (
    Alternative,
    ChannelOutcome,
    ClientBarred,
    Conflict,
    HeatmapCell,
    Move,
    Proposal,
)
from gray_kettle.planner.radio_model import RadioModel, mbps_of, own_neighbours_of, with_own_neighbours
from gray_kettle.planner.rules import is_by_clients
from gray_kettle.planner.solver import Solution, estimated_score, solve
from gray_kettle.planner.what_if import WhatIf, is_unused, reports_no_clients
from gray_kettle.safe_text import printable

_ALTERNATIVES = 2
_SHIFTS_DB = (-3.0, 0.0, 3.0)  # a place off the channel plan must win under all of these
_UNUSED_WEIGHT = 0.1  # of a radio that nobody uses: others need not give way to it
_NEAR_DBM = -88.0  # own radios that hear each other so well keep to the channel plan
_WORKING_DAY_S = 8 * 3600.0
_HARDLY = 1.02  # a gain smaller than this is none
_OTHER_PLAN_GAIN = 0.05  # log units: what four places must gain over three
_TIMES, _FEW_TIMES = 6, 3  # of the day, planned for by themselves on a small and on a larger site
_NOT_OPEN = 100.0  # log units: the cost of staying where a rule forbids it; nothing else comes near


def propose(assessment: Assessment, setup: Setup, progress: Progress = lambda done: None) -> Proposal:
    """Channel and width for every own radio together, band by band, and the other steps; for the hours that count.

    progress gets the share of the work done, and may raise to cancel. Raises: InvalidInput, for a limit in the setup
    that cannot be parsed.
    """
    assessed, found, hours = _search(assessment, setup, progress, prove_best=True)
    moves = [m for table, solution in found.values() for m in table.moves(solution)]
    conflicts = tuple(c for table, _ in found.values() for c in table.conflicts)
    objectives = [(table, solution.objective, solution) for table, solution in found.values()]
    return Proposal(
        moves=tuple(moves),
        other_steps=other_steps(assessed, WhatIf({b: t.placed(s) for b, (t, s) in found.items()}), moves),
        findings=tuple(reasons.with_first_step(f, moves) for f in assessed.findings),
        proved=all(s.proved for _, _, s in objectives),
        score_stay=sum(float(j.score(j.start)) for _, j, _ in objectives),
        score=sum(s.score for _, _, s in objectives),
        bound=sum(s.bound for _, _, s in objectives),
        conflicts=conflicts,
        order=tuple(s for table, objective, solution in objectives for s in table.order(objective, solution)),
        judged=assessed,
        hours=hours,
    )


def findings_with_first_steps(
    assessment: Assessment, setup: Setup, progress: Progress = lambda done: None
) -> tuple[Finding, ...]:
    """The findings, with first steps from a bounded plan: searched as in `propose`, without proof and reasons."""
    assessed, found, _ = _search(assessment, setup, progress, prove_best=False)
    outcomes = [o for table, solution in found.values() for o in table.outcomes(solution)]
    return tuple(reasons.with_first_step(f, outcomes) for f in assessed.findings)


def _search(
    assessment: Assessment, setup: Setup, progress: Progress, prove_best: bool
) -> tuple[Assessment, "dict[str, tuple[_Band, Solution]]", str]:
    """The assessment of the hours that count, the solution of each band, and the hours in words."""
    found: dict[str, tuple[_Band, Solution]] = {}
    assessment, times, hours = _at_hours_that_count(assessment, setup)
    bands = [b for b in BANDS if any(v.radio.band == b and v.now for v in assessment.own)]
    left = setup.preferences.most_moves
    for at, band in enumerate(bands):
        views = tuple(v for v in assessment.own if v.radio.band == band and v.now is not None)
        open_plans = channel_plans(assessment.radios, setup.country) if band == "2.4" else (THREE,)
        tables = [_Band(views, assessment, setup, channel_plan, times) for channel_plan in open_plans]
        if len(views) > MOST_PROVED and len(tables) > 1:  # each takes seconds: an estimate chooses
            three, four = (estimated_score(t.models) for t in tables)
            tables = tables[1:] if four > three + _OTHER_PLAN_GAIN else tables[:1]
        for table in tables:
            solution = solve(table.models, left, partial(_report, progress, at, len(bands)), prove_best)
            if band not in found or solution.score > found[band][1].score + _OTHER_PLAN_GAIN:
                found[band] = table, solution
    if left is not None and sum(table.count_moves(s) for table, s in found.values()) > left:
        _share_moves(found, left)
    return assessment, found, hours


Times = tuple[tuple[float, Assessment], ...]


def _at_hours_that_count(assessment: Assessment, setup: Setup) -> tuple[Assessment, Times, str]:
    """The assessment for the hours that count, for those times of the day that differ, and the hours in words."""
    site_time = setup.site_time
    moments = moments_of(assessment, site_time)
    counted = hours_from(setup.preferences.hours) if setup.preferences.hours else None
    judged, words = assessment, ""
    if counted:
        judged, words = (
            at_hours(assessment, counted, moments, site_time),
            f"at {printable(setup.preferences.hours)} h",
        )
        if not are_heard(counted, moments):
            counted, words = None, f"nothing was heard {words}, so all hours count"
    count = max((sum(v.radio.band == band for v in assessment.own) for band in BANDS), default=0)
    if count > SMALL_SITE:
        return judged, (), words
    most = _TIMES if count <= MOST_PROVED else _FEW_TIMES
    return judged, times_of_day(assessment, moments, site_time, counted, most), words


def _report(progress: Progress, at: int, parts: int, done: float) -> None:
    progress((at + done) / parts)


def _share_moves(found: "dict[str, tuple[_Band, Solution]]", most: int) -> None:
    """Where the bands together change more than may be changed, keep the best mix of fewer in each."""
    tables = {band: table for band, (table, _) in found.items()}
    best = {band: _by_moves(table, most) for band, table in tables.items()}
    mixes: dict[int, tuple[float, dict[str, Solution]]] = {0: (0.0, {})}
    for band, by_count in best.items():
        wider: dict[int, tuple[float, dict[str, Solution]]] = {}
        for used, (score, chosen) in mixes.items():
            for count, solution in enumerate(by_count):
                total = score + solution.score
                if used + count <= most and total > wider.get(used + count, (-np.inf, {}))[0]:
                    wider[used + count] = total, {**chosen, band: solution}
        mixes = wider
    _, chosen = max(mixes.values(), key=lambda mix: mix[0])
    for band, solution in chosen.items():
        found[band] = tables[band], solution


def _by_moves(table: "_Band", most: int) -> list[Solution]:
    """The best solution with at most 0, 1, 2 … moves, until more do not help."""
    out: list[Solution] = []
    for count in range(min(most, len(table.models)) + 1):
        out.append(solve(table.models, count))
        if table.count_moves(out[-1]) < count:
            break
    return out


def _foreign(radio: Radio, assessment: Assessment) -> tuple[Interferers, tuple[tuple[Radio, Stay], ...]]:
    """Those that are not ours, as one of our radios hears them."""
    foreign = tuple(r for r in assessment.radios if not r.own)
    ours = tuple(v.radio for v in assessment.own)
    return interferers_for(foreign, radio, assessment.emitters, ours, assessment.unidentified)


def design_load(preferences: PlanPreferences, radio_id: str, is_used: bool = True) -> float:
    """Share of the air that a radio offers in the busy hour; a radio that nobody uses offers none of its own."""
    return dict(preferences.loads).get(radio_id, preferences.design_load if is_used else 0.0)


def _best_other(target: Channel, scores: ChannelScores) -> tuple[Channel, float] | None:
    """The open channel that would give this radio most, other than the target's own spectrum, with its Mb/s."""
    found = [
        (float(mbps), channel)
        for channel, mbps in zip(scores.candidates, scores.expected_mbps, strict=True)
        if (channel.centre_hz, channel.width_mhz) != (target.centre_hz, target.width_mhz)
    ]
    if not found:
        return None
    mbps, channel = max(found, key=lambda item: item[0])
    return channel, round(mbps, 1)


def _raster_cost(channel: Channel, channel_plan: tuple[int, ...]) -> float:
    """What a 2.4 GHz channel off the plan costs neighbours and our own later growth, in log units."""
    return OFF_PLAN_COST * (channel.band == "2.4" and not fits_plan(channel, channel_plan))


class _Band:
    """The own radios of one band with their options, as players of the solver."""

    def __init__(
        self,
        views: tuple[OwnView, ...],
        assessment: Assessment,
        setup: Setup,
        channel_plan: tuple[int, ...],
        times: Times,
    ) -> None:
        self.views, self.assessment, self.setup, self.channel_plan = views, assessment, setup, channel_plan
        options = [options_for(v.radio, assessment, setup) for v in views]
        self.all_options = [o.all for o in options]
        self.conflicts = [
            Conflict(v.radio.id, o.conflict) for v, o in zip(views, options, strict=True) if o.conflict
        ]
        self.foreign = [_foreign(v.radio, assessment) for v in views]
        self.times = [tuple((weight, _foreign(v.radio, then)[0]) for weight, then in times) for v in views]
        self.models = tuple(self._player(k) for k in range(len(views)))

    def placed(self, solution: Solution) -> tuple[tuple[str, ...], tuple[RadioModel, ...], tuple[int, ...]]:
        return tuple(v.radio.id for v in self.views), self.models, solution.chosen

    def count_moves(self, solution: Solution) -> int:
        return sum(o != p.start for o, p in zip(solution.chosen, self.models, strict=True))

    def order(self, objective: Objective, solution: Solution) -> tuple[Step, ...]:
        return steps_of(objective, solution.chosen, tuple(v.radio.id for v in self.views))

    def _player(self, k: int) -> RadioModel:
        radio = self.views[k].radio
        robust = self._robust(k)
        may = [
            o
            for o in self.all_options[k]
            if not o.barred and (fits_plan(o.channel, self.channel_plan) or o.channel in robust)
        ]
        costs = [o.cost + _raster_cost(o.channel, self.channel_plan) for o in may]
        if radio.channel not in {o.channel for o in may}:
            here = next(o for o in self.all_options[k] if o.channel == radio.channel)
            may.append(here)
            # Off the channel plan one may stay, where a rule forbids it not.
            costs.append(
                _NOT_OPEN if here.barred else here.cost + _raster_cost(here.channel, self.channel_plan)
            )
        victim, _ = victim_of(radio)
        default_weight = _UNUSED_WEIGHT if reports_no_clients(radio) else 1.0
        return RadioModel(
            victim=victim,
            others=self.foreign[k][0],
            options=self._candidates(k, [o.channel for o in may]),
            costs=np.array(costs),
            activity=radio.activity,
            dsss_only=radio.generation == "b",
            level_at=self._levels(k),
            demand=max(radio.activity, design_load(self.setup.preferences, radio.id, self._is_used(radio))),
            start=[o.channel for o in may].index(radio.channel),
            weight=dict(self.setup.preferences.weights).get(radio.id, default_weight),
            times=self.times[k],
        )

    def _is_used(self, radio: Radio) -> bool:
        """Whether anybody may use it: silence of minutes is no proof, that of a working day is."""
        long = self.assessment.end_s - self.assessment.start_s >= _WORKING_DAY_S
        return not (reports_no_clients(radio) or (long and is_unused(radio, self.assessment)))

    def _levels(self, k: int) -> tuple[float, ...]:
        """How strong it is at each own radio of the band, dBm."""
        return tuple(mutual_level_dbm(self.views[k].radio, v.radio) for v in self.views)

    def _candidates(self, k: int, channels: Sequence[Channel]) -> Candidates:
        """Channels with the power that is permitted on each."""
        country, here = self.setup.country, self.views[k].radio.channel
        return Candidates(channels, [power_change_db(country, here, c) for c in channels])

    def _robust(self, k: int) -> frozenset[Channel]:
        """Allowed channels off the 2.4 GHz channel plan that win whatever the levels do within their error."""
        radio = self.views[k].radio
        victim, _ = victim_of(radio)
        open_to_it = [o.channel for o in self.all_options[k] if not o.barred]
        off = {c for c in open_to_it if not fits_plan(c, self.channel_plan)}
        if not off or len(off) == len(open_to_it):
            return frozenset(off)
        if any(level >= _NEAR_DBM for m, level in enumerate(self._levels(k)) if m != k):
            return (
                frozenset()
            )  # beside another own radio a channel off the plan leaves that one no whole channel
        found = self.assessment
        others, _ = interferers_for(found.radios, radio, found.emitters, unidentified=found.unidentified)
        candidates = self._candidates(k, open_to_it)
        for shift in _SHIFTS_DB:
            got = score_channels(victim, candidates, others.louder_by(shift)).expected_mbps
            best = max(
                mbps for c, mbps in zip(open_to_it, got, strict=True) if fits_plan(c, self.channel_plan)
            )
            off &= {c for c, mbps in zip(open_to_it, got, strict=True) if mbps > best * np.exp(CHANGE_COST)}
        return frozenset(off)

    def moves(self, solution: Solution) -> list[Move]:
        objective = solution.objective
        busy = self._busy_mbps(solution)
        return [
            self._move(k, solution, self._makes_room(k, objective, solution), busy[k])
            for k in range(len(self.models))
        ]

    def _busy_mbps(self, solution: Solution) -> list[tuple[float, float] | None]:
        """Expected throughput of each radio in the busy hour, before and after."""
        if len(self.models) < 2 or all(m.demand <= m.activity for m in self.models):
            return [None] * len(self.models)
        start = tuple(m.start for m in self.models)
        before, after = (mbps_of(self.models, c, busy=True) for c in (start, solution.chosen))
        return [(round(float(b), 1), round(float(a), 1)) for b, a in zip(before, after, strict=True)]

    def _makes_room(self, k: int, objective: Objective, solution: Solution) -> str:
        """Why a radio goes that has nothing of it itself: who would lose most if it stayed."""
        chosen = np.array(solution.chosen)
        if chosen[k] == objective.start[k]:
            return ""
        stays = chosen.copy()
        stays[k] = objective.start[k]
        with_move, without = np.exp(objective.logs_of(chosen)), np.exp(objective.logs_of(stays))
        now = np.exp(objective.logs_of(objective.start))
        loss = objective.weight * np.log(with_move / without)
        other = int(np.argmax(np.where(np.arange(len(loss)) == k, -np.inf, loss)))
        if with_move[k] > now[k] * _HARDLY or other == k or loss[other] < 1e-3:
            return ""
        here, name = self.views[k].radio.channel.label, title(self.views[other].radio)
        return (
            f"It makes room: were it to stay on {here}, {name} would get {without[other]:.0f} "
            f"instead of {with_move[other]:.0f} Mb/s, and it would itself get {without[k]:.0f} there."
        )

    def outcomes(self, solution: Solution) -> list[ChannelOutcome]:
        """Channels before and after for all own radios, without reasons and alternatives."""
        out = []
        busy = self._busy_mbps(solution)
        for k, view in enumerate(self.views):
            model = self.models[k]
            target = model.options.channels[solution.chosen[k]]
            scores, after = self._scores(k, solution, list(model.options.channels))
            best = _best_other(target, scores)
            chosen = after[solution.chosen[k]]
            out.append(
                ChannelOutcome(view.radio, view.radio.channel, target, view.now, chosen, busy[k], best)
            )
        return out

    def _scores(
        self, k: int, solution: Solution, channels: list[Channel]
    ) -> tuple[ChannelScores, tuple[ChannelAssessment, ...]]:
        """Channels for one radio, the other own radios being on the channels of the solution."""
        model = self.models[k]
        others = with_own_neighbours(model, own_neighbours_of(self.models, solution.chosen, k))
        neighbours = [(v.radio, v.radio.stay) for m, v in enumerate(self.views) if m != k]
        scores = score_channels(model.victim, self._candidates(k, channels), others)
        return scores, channel_assessments(scores, others, (*self.foreign[k][1], *neighbours))

    def _move(
        self, k: int, solution: Solution, makes_room: str, busy_mbps: tuple[float, float] | None
    ) -> Move:
        view, options = self.views[k], self.all_options[k]
        scores, after = self._scores(k, solution, [o.channel for o in options])
        target = self.models[k].options.channels[solution.chosen[k]]
        chosen = next(s for s in after if s.channel == target)
        alternatives = self._alternatives(k, target, scores, chosen)
        open_scores, _ = self._scores(k, solution, list(self.models[k].options.channels))
        heatmap = tuple(
            HeatmapCell(
                o.channel, None if o.barred else s.expected_mbps, None if o.barred else s.clear_air, o.barred
            )
            for o, s in zip(options, after, strict=True)
        )
        conflict = next((c.rules for c in self.conflicts if c.radio == view.radio.id), ())
        power_db = power_change_db(self.setup.country, view.radio.channel, target)
        why = reasons.reasons_for(
            view,
            chosen,
            target,
            alternatives,
            options,
            conflict,
            self.channel_plan,
            power_db,
            busy_mbps,
            sum(step.radio == view.radio.id for step in self.setup.done),
        )
        why = (makes_room, *why) if makes_room else why
        held = self._barred_by_clients(view.radio, options, after)
        return Move(
            view.radio,
            view.radio.channel,
            target,
            view.now,
            chosen,
            busy_mbps,
            _best_other(target, open_scores),
            why,
            alternatives,
            heatmap,
            held,
        )

    def _barred_by_clients(
        self, radio: Radio, options: tuple[Option, ...], after: tuple[ChannelAssessment, ...]
    ) -> ClientBarred | None:
        found = [
            ClientBarred(o.barred, o.channel, s.expected_mbps)
            for o, s in zip(options, after, strict=True)
            if is_by_clients(o.barred)
            and fits_plan(o.channel, self.channel_plan)
            and not unwise(o.channel, radio, self.assessment)
        ]
        return max(found, key=lambda h: h.expected_mbps, default=None)

    def _alternatives(
        self, k: int, target: Channel, scores: ChannelScores, chosen: ChannelAssessment
    ) -> tuple[Alternative, ...]:
        """The next best allowed channels, each a real alternative: not the same spectrum with another primary."""
        model = self.models[k]
        place = {c: n for n, c in enumerate(scores.candidates)}
        worth = (
            np.log(np.maximum([scores.expected_mbps[place[c]] for c in model.options.channels], 0.1))
            - model.costs
        )
        out: list[Alternative] = []
        used = {(target.centre_hz, target.width_mhz)}
        for n in np.argsort(-worth, kind="stable"):
            channel = model.options.channels[n]
            if (channel.centre_hz, channel.width_mhz) in used:
                continue
            used.add((channel.centre_hz, channel.width_mhz))
            mbps, clear = (
                float(scores.expected_mbps[place[channel]]),
                float(scores.clear_air[place[channel]]),
            )
            loses = reasons.loss_text(chosen, mbps, clear)
            out.append(Alternative(channel, round(mbps, 1), round(clear, 4), loses))
            if len(out) == _ALTERNATIVES:
                break
        return tuple(out)
