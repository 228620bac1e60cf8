"""The answer of `spots`."""

from typing import Literal

from pydantic import Field

from gray_kettle.analysis.spots import HeardAt, SpotBand
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.model.enums import SpotCoverage


class HeardAnswer(Answer):
    radio: str
    name: str
    channel: str
    level_dbm: float


class SpotAnswer(Answer):
    spot: str
    band: str
    coverage: SpotCoverage
    own: list[HeardAnswer] = Field(description="Our radios there, the strongest first.")
    rival: HeardAnswer | None = Field(description="The loudest other radio on the channel of our strongest.")
    margin_db: float | None


class SpotsAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/spots/1"] = Field(default="gray-kettle/spots/1", alias="schema")
    limit_dbm: float
    spots: list[SpotAnswer]


def _heard(heard: HeardAt) -> HeardAnswer:
    radio = heard.radio
    return HeardAnswer(
        radio=radio.id, name=radio.name, channel=radio.channel.label, level_dbm=heard.level_dbm
    )


def spots_answer(rows: tuple[SpotBand, ...], limit_dbm: float) -> SpotsAnswer:
    return SpotsAnswer(
        limit_dbm=limit_dbm,
        spots=[
            SpotAnswer(
                spot=row.spot,
                band=row.band,
                coverage=row.coverage,
                own=[_heard(h) for h in row.own],
                rival=None if row.rival is None else _heard(row.rival),
                margin_db=row.margin_db,
            )
            for row in rows
        ],
    )
