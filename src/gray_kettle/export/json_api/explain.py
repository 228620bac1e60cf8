"""The answer of `explain`: figures opened, of what was asked about."""

from typing import Literal

from pydantic import Field

from gray_kettle.analysis.explain import Explanation, of_emitter, of_finding, of_own, of_radio
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.errors import KettleError
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.safe_text import printable
from gray_kettle.session import Session


class InputAnswer(Answer):
    what: str
    value: str
    source: str


class ExplanationAnswer(Answer):
    title: str
    value: str
    how: str
    inputs: list[InputAnswer]
    source: str
    changes: str


class ExplainAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/explain/1"] = Field(default="gray-kettle/explain/1", alias="schema")
    figures: list[ExplanationAnswer]


def explained(session: Session, about: list[str]) -> tuple[Explanation, ...]:
    """Figures of radios, emitters and findings by name; of all own radios when nothing is named.

    Raises: KettleError, for a word that names nothing in this window.
    """
    assessment = session.assessment
    if not about:
        return tuple(e for view in assessment.own for e in of_own(view, assessment))
    out: list[Explanation] = []
    for word in about:
        known = assessment.radio(word.lower())
        radios = [r for r in assessment.radios if r.name == word] or ([known] if known else [])
        found: list[Explanation] = []
        for radio in radios:
            view = next((v for v in assessment.own if v.radio.id == radio.id), None)
            found += [*of_radio(radio), *(of_own(view, assessment) if view else ())]
        emitter = assessment.emitter(word)
        found += of_emitter(emitter) if emitter else ()
        limits = thresholds_of(session.setup)
        found += [of_finding(f, limits) for f in assessment.findings if f.kind == word]
        if not found:
            raise KettleError(f"“{printable(word)}” is no radio, emitter or kind of finding of this window.")
        out += found
    return tuple(out)


def explain_answer(found: tuple[Explanation, ...]) -> ExplainAnswer:
    return ExplainAnswer(
        figures=[
            ExplanationAnswer(
                title=e.title,
                value=e.value,
                how=e.how,
                inputs=[InputAnswer(what=w, value=v, source=s) for w, v, s in e.inputs],
                source=e.source,
                changes=e.changes,
            )
            for e in found
        ]
    )
