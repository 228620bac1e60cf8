"""The answer of `emitters`."""

from typing import Literal

from pydantic import Field

from gray_kettle.analysis.assessment import Assessment, Emitter
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.export.utc import iso
from gray_kettle.safe_text import printable


class EmitterChannelAnswer(Answer):
    band: str
    channel: int
    duty: float


class EmitterAnswer(Answer):
    id: str
    kind: str
    name: str
    confidence: float
    likely: dict[str, float]
    band: str
    centre_mhz: float
    bandwidth_mhz: float
    burst_mhz: float
    level_dbm: float
    duty: float
    duty_while_on: float
    first: str
    last: str
    gone_since: str | None
    channels: list[EmitterChannelAnswer]
    evidence: list[str]
    reasons: str
    where: str
    test: str
    remedy: str
    hours_utc: dict[int, float]
    blocks_with: int
    blocks: int
    spot: str
    found_as: str
    dismissed: bool
    may_be_receiver: bool = Field(
        description="A weak steady line that receivers make too; no channel is charged for it."
    )


class EmittersAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/emitters/2"] = Field(default="gray-kettle/emitters/2", alias="schema")
    emitters: list[EmitterAnswer]
    rows_waiting: int


def emitters_answer(assessment: Assessment, band: str | None, rows_waiting: int) -> EmittersAnswer:
    return EmittersAnswer(
        emitters=[_emitter(e) for e in assessment.emitters if band in (None, e.band)],
        rows_waiting=rows_waiting,
    )


def _emitter(emitter: Emitter) -> EmitterAnswer:
    advice = ADVICE[emitter.kind]
    return EmitterAnswer(
        id=emitter.id,
        kind=emitter.kind,
        name=printable(emitter.name),
        confidence=emitter.confidence,
        likely=dict(emitter.likely),
        band=emitter.band,
        centre_mhz=round(emitter.centre_hz / 1e6, 3),
        bandwidth_mhz=round(emitter.bandwidth_hz / 1e6, 3),
        burst_mhz=round(emitter.burst_hz / 1e6, 3),
        level_dbm=emitter.level_dbm,
        duty=emitter.duty,
        duty_while_on=emitter.duty_while_on,
        first=iso(emitter.first_s),
        last=iso(emitter.last_s),
        gone_since=None if emitter.gone_since_s is None else iso(emitter.gone_since_s),
        channels=[EmitterChannelAnswer(band=b, channel=n, duty=d) for b, n, d in emitter.channels],
        evidence=list(emitter.evidence),
        reasons=emitter.reasons,
        where=advice.where,
        test=advice.test,
        remedy=advice.remedy,
        hours_utc=dict(emitter.hours),
        blocks_with=emitter.blocks[0],
        blocks=emitter.blocks[1],
        spot=printable(emitter.spot),
        found_as=emitter.found_kind,
        dismissed=emitter.is_dismissed,
        may_be_receiver=emitter.may_be_receiver,
    )
