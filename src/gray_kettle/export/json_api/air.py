"""The answer of `air`: utilisation, losses and clear air of every channel, and the sweeps."""

import math
from typing import Literal

from pydantic import Field

from gray_kettle.analysis.assess import channels_seen_from
from gray_kettle.analysis.assessment import Assessment, ChannelView, LossCause, Radio
from gray_kettle.analysis.emitters.tracking import non_wifi_share
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.model.records import SweptChannel
from gray_kettle.safe_text import printable


class HourShareAnswer(Answer):
    hour_utc: int
    source: str
    value: float


class LossAnswer(Answer):
    """One cause of loss. kind: see model.enums.LossKind; radio: its id, of an emitter for non-Wi-Fi.

    For "unidentified" radio is "" and level_dbm null: busy time that was measured and that nothing explains.
    """

    kind: str
    radio: str
    name: str
    channel: str | None
    level_dbm: float | None
    activity: float
    share_lost: float


class UtilisationAnswer(Answer):
    value: float | None
    source: str
    confidence: str
    others: dict[str, float]
    at_most: bool
    interval: tuple[float, float] | None
    by_hour: list[HourShareAnswer]


class CoChannelAnswer(Answer):
    radios: int
    strongest_dbm: float | None
    airtime: float


class AdjacentAnswer(Answer):
    radios: int
    power_dbm: float | None
    cost: float


class NonWifiAnswer(Answer):
    """Null figures: no sweep has been taken."""

    emitters: int | None
    cost: float | None


class ChannelAirAnswer(Answer):
    band: str
    channel: int
    width_mhz: int
    utilisation: UtilisationAnswer
    wifi_share: float | None
    non_wifi_share: float | None
    co_channel: CoChannelAnswer | None
    adjacent: AdjacentAnswer | None
    non_wifi: NonWifiAnswer
    clear_air: float | None
    expected_mbps: float | None
    losses: list[LossAnswer]


class HourAnswer(Answer):
    hour_utc: int
    duty: float
    rows: int


class SweptAnswer(Answer):
    band: str
    channel: int
    width_mhz: int
    centre_mhz: float
    spot: str
    duty: float
    bound: str
    level_dbm: float | None
    median_dbm: float | None
    floor_dbm: float | None
    rows: int
    rows_per_s: float
    by_hour: list[HourAnswer]


class AirAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/air/2"] = Field(default="gray-kettle/air/2", alias="schema")
    seen_from: str | None
    channels: list[ChannelAirAnswer]
    sweeps: list[SweptAnswer]


def air_answer(assessment: Assessment, radio: Radio | None, band: str | None) -> AirAnswer:
    channel_views = [p for p in channels_seen_from(assessment, radio) if band in (None, p.channel.band)]
    non_wifi = {
        p.channel: non_wifi_share(assessment, p.channel)
        for p in channel_views
        if p.channel.band in assessment.swept_bands
    }
    sweeps = [_swept(s) for s in assessment.swept if band in (None, s.channel.band)]
    return AirAnswer(
        seen_from=radio.id if radio else None,
        channels=[_channel(p, non_wifi.get(p.channel)) for p in channel_views],
        sweeps=sweeps,
    )


def _swept(swept: SweptChannel) -> SweptAnswer:
    channel = swept.channel
    levels = {name: getattr(swept, name) for name in ("level_dbm", "median_dbm", "floor_dbm")}
    return SweptAnswer(
        band=channel.band,
        channel=channel.primary,
        width_mhz=channel.width_mhz,
        centre_mhz=channel.centre_hz / 1e6,
        spot=printable(swept.spot),
        duty=swept.duty,
        bound=swept.bound,
        rows=swept.rows,
        rows_per_s=swept.rows_per_s,
        by_hour=[HourAnswer(hour_utc=hour, duty=duty, rows=rows) for hour, duty, rows in swept.by_hour],
        **{name: None if math.isnan(level) else level for name, level in levels.items()},
    )


def _channel(view: ChannelView, non_wifi: float | None) -> ChannelAirAnswer:
    used, assessed = view.utilisation, view.assessed
    wifi = used.value
    if used.source == "sweep" and used.value is not None and non_wifi is not None:
        wifi = round(max(used.value - non_wifi, 0.0), 4)
    return ChannelAirAnswer(
        band=view.channel.band,
        channel=view.channel.primary,
        width_mhz=view.channel.width_mhz,
        utilisation=UtilisationAnswer(
            value=used.value,
            source=used.source,
            confidence=used.confidence,
            others=dict(used.others),
            at_most=used.at_most,
            interval=used.interval,
            by_hour=[HourShareAnswer(hour_utc=h, source=s, value=v) for h, s, v in used.by_hour],
        ),
        wifi_share=wifi,
        non_wifi_share=non_wifi,
        co_channel=CoChannelAnswer(
            radios=assessed.co_channel_radios,
            strongest_dbm=assessed.co_channel_strongest_dbm,
            airtime=assessed.co_channel_lost,
        )
        if assessed
        else None,
        adjacent=AdjacentAnswer(
            radios=assessed.adjacent_radios,
            power_dbm=assessed.adjacent_power_dbm,
            cost=assessed.adjacent_lost,
        )
        if assessed
        else None,
        non_wifi=NonWifiAnswer(
            emitters=assessed.non_wifi_emitters if assessed and non_wifi is not None else None,
            cost=assessed.non_wifi_lost if assessed and non_wifi is not None else None,
        ),
        clear_air=assessed.clear_air if assessed else None,
        expected_mbps=assessed.expected_mbps if assessed else None,
        losses=[_loss_cause(h) for h in assessed.losses] if assessed else [],
    )


def _loss_cause(loss_cause: LossCause) -> LossAnswer:
    known = {name: value for name, value in vars(loss_cause).items() if name != "channel"}
    return LossAnswer(**known, channel=loss_cause.channel.label if loss_cause.channel else None)
