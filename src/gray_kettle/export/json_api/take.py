"""The answer of `take`."""

from typing import Literal

from pydantic import Field

from gray_kettle.collect.ingest import TakeResult
from gray_kettle.export.json_api.base import Answer


class InputAnswer(Answer):
    source: str
    kind: str
    records: int
    skipped: int
    notes: list[str]


class TakeAnswer(Answer):
    schema_: Literal["gray-kettle/take/1"] = Field(default="gray-kettle/take/1", alias="schema")
    inputs: list[InputAnswer]


def take_answer(results: list[TakeResult]) -> TakeAnswer:
    return TakeAnswer(
        inputs=[
            InputAnswer(
                source=r.source, kind=r.kind, records=r.records, skipped=r.skipped, notes=list(r.notes)
            )
            for r in results
        ]
    )
