"""A plan made by hand: the proposal with some radios elsewhere, and what that does to all of them."""

from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis.assessment import ChannelAssessment
from gray_kettle.analysis.loss.channel_assessment import assess_hypothetical
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.planner.radio_model import LEAST_MBPS


@dataclass(frozen=True, eq=False)
class HypotheticalPlan:
    """Where each own radio would be, and its assessment there, by id."""

    channels: dict[str, Channel]
    channel_assessments: dict[str, ChannelAssessment]

    @property
    def typical_mbps(self) -> float:
        """Geometric mean of the expected throughput of all own radios."""
        logs = [np.log(max(s.expected_mbps, LEAST_MBPS)) for s in self.channel_assessments.values()]
        return float(np.exp(np.mean(logs))) if logs else 0.0


def hypothetical_plan(proposal: Proposal, elsewhere: dict[str, Channel]) -> HypotheticalPlan:
    """The proposal, with some radios on other channels, at the hours that count."""
    channels = {m.radio.id: elsewhere.get(m.radio.id, m.target) for m in proposal.moves}
    return HypotheticalPlan(channels, assess_hypothetical(channels, proposal.judged))


def staying(proposal: Proposal) -> HypotheticalPlan:
    """Everybody where they are."""
    channels = {m.radio.id: m.source for m in proposal.moves}
    return HypotheticalPlan(channels, {m.radio.id: m.before for m in proposal.moves if m.before is not None})


def next_open(move: Move, channel: Channel, step: int) -> Channel:
    """The next channel that is open to a radio, by width and frequency, around the ends."""
    found = [c.channel for c in move.heatmap if not c.barred or c.channel in (move.source, move.target)]
    ordered = sorted(set(found), key=lambda c: (c.width_mhz, c.centre_hz, c.primary))
    return ordered[(ordered.index(channel) + step) % len(ordered)]
