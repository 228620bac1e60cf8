"""The plan's one call: assessment and setup in, proposal out."""

import numpy as np

from gray_kettle.air.channels import BANDS, Channel
from gray_kettle.judge.assessment import Assessment, OwnView, Standing
from gray_kettle.judge.harms import Candidates, Weighed, weigh
from gray_kettle.judge.standing import asking_of, mutual_level_dbm, others_for, standings
from gray_kettle.plan import reasons
from gray_kettle.plan.limits import Limit, parse_limit
from gray_kettle.plan.options import Option, is_on_raster, options_for
from gray_kettle.plan.other_steps import other_steps
from gray_kettle.plan.proposal import Alternative, FieldCell, Move, Proposal
from gray_kettle.plan.solver import (
    CHANGE_COST,
    HARD_TO_FIND_COST,
    RADAR_COST,
    Player,
    Solution,
    company_of,
    in_company,
    score_of,
    solve,
)
from gray_kettle.records import Setup

_ALTERNATIVES = 2
_SHIFTS_DB = (-3.0, 0.0, 3.0)  # a place off the raster must win under all of these


def propose(assessment: Assessment, setup: Setup) -> Proposal:
    """Channel and width for every own radio together, band by band, and the other steps."""
    limits = tuple(parse_limit(text) for text in setup.clients)
    moves: list[Move] = []
    proved, stay, score = True, 0.0, 0.0
    for band in BANDS:
        views = tuple(v for v in assessment.own if v.radio.band == band and v.now is not None)
        if not views:
            continue
        table = _Band(views, assessment, setup, limits)
        solution = table.solve()
        moves += table.moves(solution)
        proved &= solution.proved
        score += solution.score
        stay += score_of(table.players, table.start)
    found = tuple(reasons.with_first_step(f, moves) for f in assessment.findings)
    return Proposal(tuple(moves), other_steps(assessment), found, proved, stay, score)


class _Band:
    """The own radios of one band with their options, as players of the solver."""

    def __init__(
        self, views: tuple[OwnView, ...], assessment: Assessment, setup: Setup, limits: tuple[Limit, ...]
    ) -> None:
        self.views, self.assessment = views, assessment
        self.all_options = [options_for(v.radio, assessment, setup.country, limits) for v in views]
        foreign = tuple(r for r in assessment.radios if not r.own)
        self.foreign = [others_for(foreign, v.radio, assessment.emitters) for v in views]
        self.players = tuple(self._player(k) for k in range(len(views)))
        self.start = tuple(
            p.options.channels.index(v.radio.channel) for p, v in zip(self.players, views, strict=True)
        )

    def _player(self, k: int) -> Player:
        radio = self.views[k].radio
        robust = self._robust(k)
        kept = {o.channel for o in self.all_options[k] if not o.barred and is_on_raster(o.channel)}
        kept |= robust | {radio.channel}
        allowed = tuple(o for o in self.all_options[k] if o.channel in kept)
        asking, _ = asking_of(radio)
        costs = [self._cost(o, radio.channel) for o in allowed]
        return Player(
            asking=asking,
            others=self.foreign[k][0],
            options=Candidates([o.channel for o in allowed]),
            costs=np.array(costs),
            activity=radio.activity,
            dsss_only=radio.generation == "b",
            level_at=tuple(mutual_level_dbm(radio, v.radio) for v in self.views),
        )

    def _cost(self, option: Option, now: Channel) -> float:
        if option.channel == now:
            return RADAR_COST * option.radar
        hard_to_find = option.channel.band == "6" and option.channel.primary % 16 != 5
        return CHANGE_COST + RADAR_COST * option.radar + HARD_TO_FIND_COST * hard_to_find

    def _robust(self, k: int) -> frozenset[Channel]:
        """Allowed channels off the 2.4 GHz raster that win whatever the levels do within their error."""
        radio = self.views[k].radio
        asking, _ = asking_of(radio)
        open_to_it = [o.channel for o in self.all_options[k] if not o.barred]
        off = {c for c in open_to_it if not is_on_raster(c)}
        if not off or len(off) == len(open_to_it):
            return frozenset(off)
        others, _ = others_for(self.assessment.radios, radio, self.assessment.emitters)
        candidates = Candidates(open_to_it)
        for shift in _SHIFTS_DB:
            got = weigh(asking, candidates, others.louder_by(shift)).expected_mbps
            best = max(mbps for c, mbps in zip(open_to_it, got, strict=True) if is_on_raster(c))
            off &= {c for c, mbps in zip(open_to_it, got, strict=True) if mbps > best * np.exp(CHANGE_COST)}
        return frozenset(off)

    def solve(self) -> Solution:
        return solve(self.players, self.start)

    def moves(self, solution: Solution) -> list[Move]:
        return [self._move(k, solution) for k in range(len(self.players))]

    def _move(self, k: int, solution: Solution) -> Move:
        view, player = self.views[k], self.players[k]
        options = self.all_options[k]
        company = company_of(self.players, solution.chosen, k)
        others = in_company(player, company)
        neighbours = [(v.radio, v.radio.stay) for m, v in enumerate(self.views) if m != k]
        rows = (*self.foreign[k][1], *neighbours)
        weighed = weigh(player.asking, Candidates([o.channel for o in options]), others)
        after = standings(weighed, others, rows)
        target = player.options.channels[solution.chosen[k]]
        chosen = next(s for s in after if s.channel == target)
        alternatives = self._alternatives(k, target, weighed, chosen)
        field = tuple(
            FieldCell(
                o.channel, None if o.barred else s.expected_mbps, None if o.barred else s.clear_air, o.barred
            )
            for o, s in zip(options, after, strict=True)
        )
        why = reasons.reasons_for(view, chosen, target, alternatives, options)
        return Move(view.radio, view.radio.channel, target, view.now, chosen, why, alternatives, field)

    def _alternatives(
        self, k: int, target: Channel, weighed: Weighed, chosen: Standing
    ) -> tuple[Alternative, ...]:
        """The next best allowed channels, each a real alternative: not the same spectrum with another primary."""
        player = self.players[k]
        place = {c: n for n, c in enumerate(weighed.candidates)}
        worth = (
            np.log(np.maximum([weighed.expected_mbps[place[c]] for c in player.options.channels], 0.1))
            - player.costs
        )
        out: list[Alternative] = []
        taken = {(target.centre_hz, target.width_mhz)}
        for n in np.argsort(-worth, kind="stable"):
            channel = player.options.channels[n]
            if (channel.centre_hz, channel.width_mhz) in taken:
                continue
            taken.add((channel.centre_hz, channel.width_mhz))
            mbps, clear = (
                float(weighed.expected_mbps[place[channel]]),
                float(weighed.clear_air[place[channel]]),
            )
            loses = reasons.what_is_lost(chosen, mbps, clear)
            out.append(Alternative(channel, round(mbps, 1), round(clear, 4), loses))
            if len(out) == _ALTERNATIVES:
                break
        return tuple(out)
