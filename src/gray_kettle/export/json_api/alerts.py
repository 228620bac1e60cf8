"""The answer of `alerts`, and what `watch` says of each as it begins."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer
from gray_kettle.export.utc import iso
from gray_kettle.model.records import Alert


class AlertAnswer(Answer):
    time: str
    kind: str
    about: str = Field(description="Id of the radio, channel or emitter.")
    text: str


class AlertsAnswer(Answer):
    schema_: Literal["gray-kettle/alerts/1"] = Field(default="gray-kettle/alerts/1", alias="schema")
    alerts: list[AlertAnswer]


def alerts_answer(alerts: tuple[Alert, ...]) -> AlertsAnswer:
    return AlertsAnswer(alerts=[_answer(alert) for alert in alerts])


def alert_document(alert: Alert) -> dict[str, str]:
    """One alert by itself, as it is printed and handed on while it happens."""
    return {"schema": "gray-kettle/alert/1", **_answer(alert).model_dump()}


def _answer(alert: Alert) -> AlertAnswer:
    return AlertAnswer(time=iso(alert.time_s), kind=str(alert.kind), about=alert.about, text=alert.text)
