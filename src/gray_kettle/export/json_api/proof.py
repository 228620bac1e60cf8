"""The answer of `proof`."""

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.export.json_api.trials import TrialAnswer, trial_answer
from gray_kettle.export.utc import iso
from gray_kettle.proof.changed import Changed
from gray_kettle.proof.prove import Proof, Result
from gray_kettle.proof.soak import HOUR_S, Hour, Soak
from gray_kettle.proof.trials import TrialResult


class WindowAnswer(Answer):
    start: str
    end: str


class MeasureAnswer(Answer):
    name: str = Field(
        description="utilisation, level, retries, clear_air, expected_mbps, co_channel, adjacent, …"
    )
    subject: str = Field(description='Id of the own radio; "" for the site.')
    radio: str = Field(description="Its name.")
    band: str
    unit: str = Field(description="share (0 to 1), dBm, Mb/s or radios.")
    before: float | None
    after: float | None
    difference: float | None
    low: float | None = Field(description="Interval of the difference, 95 %.")
    high: float | None
    verdict: str = Field(description="better, worse, no change shown or too little data.")
    promised: float | None = Field(
        description="Difference that the plan expected of the change; null for none."
    )
    expected: float | None = Field(
        description="Difference that the model expects in the hours compared, from the data before alone."
    )
    hours: float = Field(description="Of like hours on each side.")
    hours_needed: float = Field(description="On each side, to settle it; 0 where it is settled.")


class ChangeAnswer(Answer):
    time: str
    subject: str
    radio: str
    text: str
    carried_out: bool = Field(description="Marked as done about then; else it moved by itself.")


class EventAnswer(Answer):
    kind: str = Field(
        description="own radio off the air, level drop, own radio moved, newcomer, non-Wi-Fi emitter or nothing "
        "collected."
    )
    text: str
    spans: list[WindowAnswer] = Field(description="Each time that it happened.")


class HourAnswer(Answer):
    start: str
    clear_air: float = Field(description="Mean over own radios, 0 to 1.")
    worst: str = Field(description="The own radio with least of it.")
    worst_clear_air: float


class SoakAnswer(Answer):
    start: str = Field(description="When the change was made.")
    end: str = Field(description="Of what was collected so far.")
    planned_hours: float
    observed_hours: float
    is_over: bool
    events: list[EventAnswer]
    hours: list[HourAnswer]
    worst_hour: HourAnswer | None


class RecordAnswer(Answer):
    expected: int = Field(description="Figures of which the model expected something.")
    came: int = Field(description="Of them, those whose interval holds it.")


class ProofAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/proof/1"] = Field(default="gray-kettle/proof/1", alias="schema")
    before: WindowAnswer
    after: WindowAnswer
    measures: list[MeasureAnswer]
    changes: list[ChangeAnswer]
    inseparable: list[str] = Field(description="Changes made at one time: no comparison tells them apart.")
    trials: list[TrialAnswer] = Field(description="Download by setting, as of `trial show`.")
    came: list[str]
    went: list[str]
    unmatched_hours: float
    absent: list[str] = Field(description="Own radios without data on one side: not compared.")
    record: RecordAnswer
    soak: SoakAnswer | None


def proof_answer(proof: Proof, trials: Sequence[TrialResult]) -> ProofAnswer:
    before, after = (WindowAnswer(start=iso(s), end=iso(e)) for s, e in (proof.before, proof.after))
    return ProofAnswer(
        before=before,
        after=after,
        measures=[_measure(result) for result in proof.results],
        changes=[_change(change) for change in proof.changes],
        inseparable=list(proof.together),
        trials=[trial_answer(result) for result in trials],
        came=list(proof.came),
        went=list(proof.went),
        unmatched_hours=round(proof.unmatched_hours, 2),
        absent=list(proof.absent),
        record=RecordAnswer(expected=proof.record[1], came=proof.record[0]),
        soak=None if proof.soak is None else _soak(proof.soak),
    )


def _soak(soak: Soak) -> SoakAnswer:
    return SoakAnswer(
        start=iso(soak.start_s),
        end=iso(soak.end_s),
        planned_hours=round(soak.planned_s / HOUR_S, 2),
        observed_hours=round(soak.seen_s / HOUR_S, 2),
        is_over=soak.is_over,
        events=[
            EventAnswer(
                kind=str(event.kind),
                text=event.text,
                spans=[WindowAnswer(start=iso(a), end=iso(b)) for a, b in event.spans],
            )
            for event in soak.events
        ],
        hours=[_hour(hour) for hour in soak.hours],
        worst_hour=None if soak.worst is None else _hour(soak.worst),
    )


def _hour(hour: Hour) -> HourAnswer:
    return HourAnswer(
        start=iso(hour.start_s),
        clear_air=round(hour.clear_air, 4),
        worst=hour.worst,
        worst_clear_air=round(hour.worst_clear_air, 4),
    )


def _measure(result: Result) -> MeasureAnswer:
    found = result.found
    return MeasureAnswer(
        name=result.kind.key,
        subject=result.radio,
        radio=result.name,
        band=result.band,
        unit=result.kind.unit,
        before=_number(found.before),
        after=_number(found.after),
        difference=_number(found.difference),
        low=_number(found.low),
        high=_number(found.high),
        verdict=str(result.verdict),
        promised=_number(result.promised),
        expected=_number(result.expected),
        hours=round(found.hours, 2),
        hours_needed=round(result.hours_needed, 1),
    )


def _change(change: Changed) -> ChangeAnswer:
    return ChangeAnswer(
        time=iso(change.time_s),
        subject=change.radio,
        radio=change.name,
        text=change.text,
        carried_out=change.is_carried_out,
    )


def _number(value: float) -> float | None:
    return None if math.isnan(value) else round(value, 4)
