"""The plan's one call: assessment and setup in, proposal out."""

import numpy as np

from gray_kettle.air.channels import BANDS, Channel
from gray_kettle.judge.assessment import Assessment, OwnView, Standing
from gray_kettle.judge.harms import Weighed, weigh
from gray_kettle.judge.standing import asking_of, mutual_level_dbm, others_for, standings
from gray_kettle.plan import reasons
from gray_kettle.plan.limits import Limit, parse_limit
from gray_kettle.plan.options import Option, is_on_raster, options_for
from gray_kettle.plan.other_steps import other_steps
from gray_kettle.plan.proposal import Alternative, FieldCell, Move, Proposal
from gray_kettle.plan.solver import CHANGE_COST, RADAR_COST, Player, Solution, company_of, in_company, score_of, solve
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
        self.foreign = [
            others_for(tuple(r for r in assessment.radios if not r.own), v.radio) for v in views
        ]
        self.players = tuple(self._player(k) for k in range(len(views)))
        self.start = tuple(p.options.index(v.radio.channel) for p, v in zip(self.players, views, strict=True))

    def _player(self, k: int) -> Player:
        radio = self.views[k].radio
        allowed = tuple(o for o in self.all_options[k] if not o.barred and self._earns_its_place(k, o))
        asking, _ = asking_of(radio)
        costs = [CHANGE_COST * (o.channel != radio.channel) + RADAR_COST * o.radar for o in allowed]
        return Player(
            asking=asking,
            others=self.foreign[k][0],
            options=tuple(o.channel for o in allowed),
            costs=np.array(costs),
            activity=radio.activity,
            dsss_only=radio.generation == "b",
            level_at=tuple(mutual_level_dbm(radio, v.radio) for v in self.views),
        )

    def _earns_its_place(self, k: int, option: Option) -> bool:
        """Off the 2.4 GHz raster only where that wins whatever the levels do within their error."""
        radio = self.views[k].radio
        if is_on_raster(option.channel) or option.channel == radio.channel:
            return True
        asking, _ = asking_of(radio)
        raster = tuple(o.channel for o in self.all_options[k] if not o.barred and is_on_raster(o.channel))
        if not raster:
            return True
        others, _ = others_for(self.assessment.radios, radio)
        for shift in _SHIFTS_DB:
            got = weigh(asking, (option.channel, *raster), others.louder_by(shift)).expected_mbps
            if got[0] <= got[1:].max() * np.exp(CHANGE_COST):
                return False
        return True

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
        weighed = weigh(player.asking, tuple(o.channel for o in options), others)
        after = standings(weighed, others, rows)
        target = player.options[solution.chosen[k]]
        chosen = next(s for s in after if s.channel == target)
        alternatives = self._alternatives(k, target, weighed, chosen)
        field = tuple(
            FieldCell(o.channel, None if o.barred else s.expected_mbps, None if o.barred else s.clear_air, o.barred)
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
        worth = np.log(np.maximum([weighed.expected_mbps[place[c]] for c in player.options], 0.1)) - player.costs
        out: list[Alternative] = []
        taken = {(target.centre_hz, target.width_mhz)}
        for n in np.argsort(-worth, kind="stable"):
            channel = player.options[n]
            if (channel.centre_hz, channel.width_mhz) in taken:
                continue
            taken.add((channel.centre_hz, channel.width_mhz))
            mbps, clear = float(weighed.expected_mbps[place[channel]]), float(weighed.clear_air[place[channel]])
            loses = reasons.what_is_lost(chosen, mbps, clear)
            out.append(Alternative(channel, round(mbps, 1), round(clear, 4), loses))
            if len(out) == _ALTERNATIVES:
                break
        return tuple(out)
