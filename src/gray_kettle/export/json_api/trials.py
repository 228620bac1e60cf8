"""The answer of `trial show`."""

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer
from gray_kettle.proof.trials import SettingResult, TrialResult


class SettingAnswer(Answer):
    setting: str
    runs: int
    median: float
    typical: float = Field(description="Geometric mean.")
    low: float | None = Field(description="Interval of the typical value, 95 %; null with one run of each.")
    high: float | None
    spread: float | None = Field(description="Factor within which two thirds of the runs lie.")
    chance_best: float | None


class TrialAnswer(Answer):
    client: str
    spot: str
    settings: list[SettingAnswer]
    best: str = Field(description="Empty while none can be named.")
    runs_needed: int = Field(description="More of each of the first two; 0 where none are.")


class TrialsAnswer(Answer):
    schema_: Literal["gray-kettle/trials/1"] = Field(default="gray-kettle/trials/1", alias="schema")
    figure: str
    trials: list[TrialAnswer] = Field(description="One for each client at each spot, most runs first.")


def trials_answer(results: Sequence[TrialResult], figure: str) -> TrialsAnswer:
    return TrialsAnswer(figure=figure, trials=[trial_answer(result) for result in results])


def trial_answer(result: TrialResult) -> TrialAnswer:
    return TrialAnswer(
        client=result.client,
        spot=result.spot,
        settings=[_setting(setting) for setting in result.settings],
        best=result.best,
        runs_needed=result.runs_needed,
    )


def _setting(found: SettingResult) -> SettingAnswer:
    return SettingAnswer(
        setting=found.setting,
        runs=found.runs,
        median=round(found.median, 3),
        typical=round(found.typical, 3),
        low=_number(found.low),
        high=_number(found.high),
        spread=_number(found.spread),
        chance_best=_number(found.chance_best),
    )


def _number(value: float) -> float | None:
    return None if math.isnan(value) else round(value, 4)
