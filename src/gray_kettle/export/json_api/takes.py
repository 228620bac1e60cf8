"""The answers of `takes` and `check`."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer
from gray_kettle.export.utc import iso
from gray_kettle.model.enums import TakeState
from gray_kettle.model.records import TakeInfo


class TakeRow(Answer):
    number: int
    source: str
    kind: str
    spot: str
    state: TakeState
    superseded_by: int | None
    counts: bool
    start: str | None
    end: str | None
    records: int
    skipped: int
    notes: list[str]


class TakesAnswer(Answer):
    schema_: Literal["gray-kettle/takes/1"] = Field(default="gray-kettle/takes/1", alias="schema")
    takes: list[TakeRow]


class CheckAnswer(Answer):
    schema_: Literal["gray-kettle/check/1"] = Field(default="gray-kettle/check/1", alias="schema")
    rows: int
    damage: list[str]
    repaired: str | None
    format: int = Field(description="Version of the case file.")
    missing: list[str] = Field(description="What the case lacks though nothing of it is damaged.")


class ThinAnswer(Answer):
    schema_: Literal["gray-kettle/thin/1"] = Field(default="gray-kettle/thin/1", alias="schema")
    sweep_rows: int = Field(description="Sweep rows whose levels were thinned out; their sums stay.")
    traffic_rows: int
    freed: int = Field(description="Bytes that the file is smaller.")


def takes_answer(takes: tuple[TakeInfo, ...]) -> TakesAnswer:
    return TakesAnswer(takes=[_row(take) for take in takes])


def check_answer(
    rows: int, damage: tuple[str, ...], repaired: str | None, version: int, missing: tuple[str, ...]
) -> CheckAnswer:
    return CheckAnswer(
        rows=rows, damage=list(damage), repaired=repaired, format=version, missing=list(missing)
    )


def thin_answer(sweep_rows: int, traffic_rows: int, freed: int) -> ThinAnswer:
    return ThinAnswer(sweep_rows=sweep_rows, traffic_rows=traffic_rows, freed=freed)


def _row(take: TakeInfo) -> TakeRow:
    return TakeRow(
        number=take.number,
        source=take.source,
        kind=take.kind,
        spot=take.spot,
        state=take.state,
        superseded_by=take.superseded_by,
        counts=take.counts,
        start=iso(take.start_s) if take.start_s else None,
        end=iso(take.end_s) if take.end_s else None,
        records=take.records,
        skipped=take.skipped,
        notes=list(take.notes),
    )
