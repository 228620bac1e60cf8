"""The JSON answer of `best`."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.best import Best, Pick, which_band
from gray_kettle.safe_text import printable


class ChannelAnswer(Answer):
    channel: int
    width_mhz: int | None


class PickAnswer(ChannelAnswer):
    clear_air: float
    expected_mbps: float


class NotAnswer(Answer):
    what: str
    why: str


class BestAnswer(Answer):
    band: str
    radio: str | None = Field(description="Id of the own radio; null: for any radio where the receiver is.")
    name: str
    now: ChannelAnswer | None
    best: PickAnswer | None = Field(description="Null: the band was not listened to.")
    stays: bool
    runner_up: PickAnswer | None
    runner_up_why: str
    leaves_for: str
    confidence: str
    rests_on: str
    not_these: list[NotAnswer]
    settles: str


class BestAnswers(CaseAnswer):
    schema_: Literal["gray-kettle/best/1"] = Field(default="gray-kettle/best/1", alias="schema")
    answers: list[BestAnswer]
    which_band: str


def best_answer(found: tuple[Best, ...]) -> BestAnswers:
    return BestAnswers(answers=[_one(b) for b in found], which_band=which_band(found))


def _one(found: Best) -> BestAnswer:
    return BestAnswer(
        band=found.band,
        radio=found.radio or None,
        name=printable(found.name),
        now=_channel(found.now),
        best=_pick(found.best),
        stays=found.stays,
        runner_up=_pick(found.runner_up),
        runner_up_why=found.runner_up_why,
        leaves_for=found.leaves_for,
        confidence=found.is_sure,
        rests_on=found.rests_on,
        not_these=[NotAnswer(what=what, why=why) for what, why in found.not_these],
        settles=found.settles,
    )


def _channel(channel: Channel | None) -> ChannelAnswer | None:
    return ChannelAnswer(channel=channel.primary, width_mhz=channel.known_width_mhz) if channel else None


def _pick(pick: Pick | None) -> PickAnswer | None:
    if pick is None:
        return None
    return PickAnswer(
        channel=pick.channel.primary,
        width_mhz=pick.channel.known_width_mhz,
        clear_air=pick.clear_air,
        expected_mbps=pick.expected_mbps,
    )
