"""The answer of `brief`."""

from typing import Any, Literal

from pydantic import Field

from gray_kettle.analysis.assessment import Assessment, Finding
from gray_kettle.export.json_api.base import Answer, CaseAnswer


class FindingAnswer(Answer):
    severity: str
    kind: str
    subject: str
    cause: str
    effect: str
    first_step: str
    figures: dict[str, Any]


class BriefAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/brief/1"] = Field(default="gray-kettle/brief/1", alias="schema")
    findings: list[FindingAnswer]
    not_known: list[str]


def brief_answer(assessment: Assessment, findings: tuple[Finding, ...]) -> BriefAnswer:
    return BriefAnswer(findings=[_finding(f) for f in findings], not_known=list(assessment.not_known))


def _finding(finding: Finding) -> FindingAnswer:
    values = {name: getattr(finding, name) for name in FindingAnswer.model_fields}
    return FindingAnswer(**{**values, "figures": finding.figures.as_dict()})
