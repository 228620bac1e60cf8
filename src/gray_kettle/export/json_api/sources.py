"""The answer of `sources`."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer
from gray_kettle.sources import SourceState


class SourceAnswer(Answer):
    scheme: str
    title: str
    example: str
    ready: bool
    missing: str = Field(description="What lacks here and how to get it; empty where it can be used.")
    here: list[str] = Field(description="URIs that can be used at once.")


class SourcesAnswer(Answer):
    schema_: Literal["gray-kettle/sources/1"] = Field(default="gray-kettle/sources/1", alias="schema")
    sources: list[SourceAnswer]
    connected: str = Field(
        description="The network that this computer is connected to; empty where not known."
    )


def sources_answer(states: tuple[SourceState, ...], connected: str) -> SourcesAnswer:
    return SourcesAnswer(
        sources=[
            SourceAnswer(
                scheme=s.kind.scheme,
                title=s.kind.title,
                example=s.kind.example,
                ready=not s.missing,
                missing=s.missing,
                here=list(s.here),
            )
            for s in states
        ],
        connected=connected,
    )
