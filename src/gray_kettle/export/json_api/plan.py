"""The answer of `plan`."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.safe_text import printable


class ChannelAnswer(Answer):
    channel: int
    width_mhz: int | None


class AlternativeAnswer(ChannelAnswer):
    expected_mbps: float
    clear_air: float
    loses: str


class MoveAnswer(Answer):
    radio: str
    name: str
    band: str
    from_: ChannelAnswer = Field(alias="from")
    to: ChannelAnswer
    expected_mbps_before: float | None
    expected_mbps_after: float | None
    busy_hour_mbps_before: float | None
    busy_hour_mbps_after: float | None
    clear_air_before: float | None
    clear_air_after: float | None
    reasons: list[str]
    alternatives: list[AlternativeAnswer]


class StepAnswer(Answer):
    what: str
    why: str
    gain: str
    effort: str
    worth: float


class ConflictAnswer(Answer):
    radio: str
    rules: list[str]


class PlanAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/plan/1"] = Field(default="gray-kettle/plan/1", alias="schema")
    proved: bool
    moves: list[MoveAnswer]
    other_steps: list[StepAnswer]
    bound_gap: float
    conflicts: list[ConflictAnswer]
    order: list[list[str]]
    hours: str


def plan_answer(proposal: Proposal, band: str | None) -> PlanAnswer:
    return PlanAnswer(
        proved=proposal.proved,
        moves=[_move(m) for m in proposal.moves if band in (None, m.radio.band)],
        other_steps=[
            StepAnswer(what=s.what, why=s.why, gain=s.gain, effort=s.effort, worth=round(s.worth, 4))
            for s in proposal.other_steps
        ],
        bound_gap=round(max(proposal.bound - proposal.score, 0.0), 4),
        conflicts=[ConflictAnswer(radio=c.radio, rules=list(c.rules)) for c in proposal.conflicts],
        order=[list(s.radios) for s in proposal.order],
        hours=proposal.hours,
    )


def _channel(channel: Channel) -> ChannelAnswer:
    return ChannelAnswer(channel=channel.primary, width_mhz=channel.known_width_mhz)


def _move(move: Move) -> MoveAnswer:
    return MoveAnswer(
        radio=move.radio.id,
        name=printable(move.radio.name),
        band=move.radio.band,
        from_=_channel(move.source),
        to=_channel(move.target),
        expected_mbps_before=move.before.expected_mbps if move.before else None,
        expected_mbps_after=move.after.expected_mbps if move.after else None,
        busy_hour_mbps_before=move.busy_mbps[0] if move.busy_mbps else None,
        busy_hour_mbps_after=move.busy_mbps[1] if move.busy_mbps else None,
        clear_air_before=move.before.clear_air if move.before else None,
        clear_air_after=move.after.clear_air if move.after else None,
        reasons=list(move.reasons),
        alternatives=[
            AlternativeAnswer(
                channel=a.channel.primary,
                width_mhz=a.channel.known_width_mhz,
                expected_mbps=a.expected_mbps,
                clear_air=a.clear_air,
                loses=a.loses,
            )
            for a in move.alternatives
        ],
    )
