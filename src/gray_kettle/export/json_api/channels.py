"""The JSON answer of `channels`."""

from typing import Literal

from pydantic import Field

from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.planner.channel_map import MapRow


class ChannelRowAnswer(Answer):
    band: str
    channel: int
    centre_mhz: float
    utilisation: float | None
    utilisation_source: str
    utilisation_confidence: str
    own: list[str] = Field(description="Ids of our radios whose primary it is.")
    foreign: list[str]
    covering: list[str] = Field(description="Ids of radios whose channel holds it, with another primary.")
    clients: int
    retry_share: float | None
    strongest_foreign_dbm: float | None
    non_wifi_share: float | None
    noise_dbm: float | None
    clear_air: float | None
    marks: list[str]
    most_eirp_dbm: float | None


class ChannelsAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/channels/1"] = Field(default="gray-kettle/channels/1", alias="schema")
    seen_by: str | None = Field(
        description="Id of the own radio whose clear air is given; null: the receiver."
    )
    channels: list[ChannelRowAnswer]


def channels_answer(rows: tuple[MapRow, ...], seen_by: str | None) -> ChannelsAnswer:
    return ChannelsAnswer(seen_by=seen_by, channels=[_row(row) for row in rows])


def _row(row: MapRow) -> ChannelRowAnswer:
    return ChannelRowAnswer(
        band=row.channel.band,
        channel=row.channel.primary,
        centre_mhz=row.channel.centre_hz / 1e6,
        utilisation=row.utilisation.value,
        utilisation_source=str(row.utilisation.source),
        utilisation_confidence=row.utilisation.confidence,
        own=[r.id for r in row.own],
        foreign=[r.id for r in row.foreign],
        covering=[r.id for r in row.covering],
        clients=row.clients,
        retry_share=row.retry_share,
        strongest_foreign_dbm=row.strongest_foreign_dbm,
        non_wifi_share=row.non_wifi,
        noise_dbm=row.noise_dbm,
        clear_air=row.clear_air,
        marks=sorted(row.marks),
        most_eirp_dbm=row.most_eirp_dbm,
    )
