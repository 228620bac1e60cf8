"""The answer of `since`."""

from typing import Literal

from pydantic import Field

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.inventory.since import ChangesSince
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.export.utc import iso


class SinceRadio(Answer):
    radio: str
    name: str
    own: bool
    band: str
    channel: str
    level_dbm: float | None


class MissingRadio(SinceRadio):
    scans: int = Field(description="Moments since in which its band was heard where it had been.")
    sure: bool = Field(description="False where a scan may have missed it by chance.")


class MovedRadio(SinceRadio):
    time: str
    before: str
    after: str
    announced: bool


class SinceAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/since/1"] = Field(default="gray-kettle/since/1", alias="schema")
    since: str
    scans: int
    new: list[SinceRadio]
    missing: list[MissingRadio]
    moved: list[MovedRadio]


def since_answer(found: ChangesSince) -> SinceAnswer:
    return SinceAnswer(
        since=iso(found.moment_s),
        scans=found.scans,
        new=[SinceRadio(**_of(r)) for r in found.new],
        missing=[MissingRadio(**_of(m.radio), scans=m.scans, sure=m.is_sure) for m in found.missing],
        moved=[
            MovedRadio(
                **_of(r),
                time=iso(c.time_s),
                before=c.before.label,
                after=c.after.label,
                announced=c.announced,
            )
            for r, c in found.moved
        ],
    )


def _of(radio: Radio) -> dict[str, object]:
    return {
        "radio": radio.id,
        "name": radio.name,
        "own": radio.own,
        "band": radio.band,
        "channel": radio.channel.label,
        "level_dbm": radio.level_dbm,
    }
