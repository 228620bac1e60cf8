"""The JSON answers: names and shapes are a contract, documented in docs/formats.md."""

import math
from typing import Any, Literal

from pydantic import Field

from gray_kettle.answers.base import Answer, iso
from gray_kettle.answers.emitters import emitters_answer
from gray_kettle.answers.plan import plan_answer
from gray_kettle.judge.assess import places_seen_from
from gray_kettle.judge.assessment import Assessment, Client, Finding, Link, Network, PlaceView, Radio
from gray_kettle.judge.emitters import non_wifi_share
from gray_kettle.records import Swept
from gray_kettle.safe_text import network_name, printable
from gray_kettle.sources.taking import TakeResult

__all__ = [
    "air_answer",
    "brief_answer",
    "emitters_answer",
    "heard_answer",
    "iso",
    "plan_answer",
    "take_answer",
]


class InputAnswer(Answer):
    source: str
    kind: str
    records: int
    skipped: int
    notes: list[str]


class TakeAnswer(Answer):
    schema_: Literal["gray-kettle/take/1"] = Field(default="gray-kettle/take/1", alias="schema")
    inputs: list[InputAnswer]


class LinkAnswer(Answer):
    station: str
    level_dbm: float | None
    sent: float | None
    retry_share: float | None
    failed_share: float | None
    send_mbps: float | None
    receive_mbps: float | None
    first: str
    last: str


class ClientAnswer(Answer):
    """Nulls: it was not heard to tell what it can do."""

    mac: str
    level_dbm: float | None
    frames: int
    retries: int
    generation: str | None
    streams: int | None
    width_mhz: int | None
    bands: list[str]
    channels: dict[str, list[int]]
    link: LinkAnswer | None


class RateAnswer(Answer):
    mbps: float
    generation: str
    frames: int
    retries: int


class OffChannelAnswer(Answer):
    band: str
    channel: int
    frames: int
    level_dbm: float | None


class NeighbourAnswer(Answer):
    bssid: str
    band: str
    primary: int


class BssidAnswer(Answer):
    bssid: str
    ssid: str
    ssid_hex: str
    hidden: bool
    security: str
    generation: str
    streams: int
    beacon_interval_tu: int
    load_stations: int | None
    load_utilisation: float | None
    min_basic_rate_mbps: float | None
    frames: int
    retries: int
    clients: list[ClientAnswer]
    named_by: str
    transmitted_by: str | None
    ap_name: str | None
    country: str | None
    tx_power_dbm: int | None
    roaming: list[str]
    device: str | None
    neighbours: list[NeighbourAnswer]
    rates: list[RateAnswer]
    off_channel: list[OffChannelAnswer]


class RadioAnswer(Answer):
    id: str
    name: str
    own: bool
    band: str
    primary: int
    width_mhz: int
    centre_mhz: float
    level_dbm: float | None
    level_estimated: bool
    noise_dbm: float | None
    air_share: float | None
    retry_share: float | None
    first: str
    last: str
    channels_seen: list[str]
    grouped: str
    bssids: list[BssidAnswer]


class HeardAnswer(Answer):
    schema_: Literal["gray-kettle/heard/1"] = Field(default="gray-kettle/heard/1", alias="schema")
    radios: list[RadioAnswer]
    links: list[LinkAnswer]


class UtilisationAnswer(Answer):
    value: float | None
    source: str
    confidence: str
    others: dict[str, float]


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


class PlaceAnswer(Answer):
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


class AirAnswer(Answer):
    schema_: Literal["gray-kettle/air/1"] = Field(default="gray-kettle/air/1", alias="schema")
    seen_from: str | None
    places: list[PlaceAnswer]
    sweeps: list[SweptAnswer]


class FindingAnswer(Answer):
    severity: str
    kind: str
    subject: str
    cause: str
    effect: str
    first_step: str
    figures: dict[str, Any]


class BriefAnswer(Answer):
    schema_: Literal["gray-kettle/brief/1"] = Field(default="gray-kettle/brief/1", alias="schema")
    findings: list[FindingAnswer]
    not_known: list[str]


def take_answer(results: list[TakeResult]) -> TakeAnswer:
    return TakeAnswer(
        inputs=[
            InputAnswer(
                source=r.source, kind=r.kind, records=r.records, skipped=r.skipped, notes=list(r.notes)
            )
            for r in results
        ]
    )


def heard_answer(radios: tuple[Radio, ...], links: tuple[Link, ...] = ()) -> HeardAnswer:
    return HeardAnswer(radios=[_radio(r) for r in radios], links=[_link(link) for link in links])


def _link(link: Link) -> LinkAnswer:
    told = {name: value for name, value in vars(link).items() if name not in ("first_s", "last_s")}
    return LinkAnswer(**told, first=iso(link.first_s), last=iso(link.last_s))


def _client(client: Client) -> ClientAnswer:
    told = {name: value for name, value in vars(client).items() if name not in ("channels", "link")}
    by_band = {band: [n for b, n in client.channels if b == band] for band in client.bands}
    link = _link(client.link) if client.link else None
    return ClientAnswer(**told, bands=list(client.bands), channels=by_band, link=link)


def _radio(radio: Radio) -> RadioAnswer:
    return RadioAnswer(
        id=radio.id,
        name=radio.name,
        own=radio.own,
        band=radio.band,
        primary=radio.channel.primary,
        width_mhz=radio.channel.width_mhz,
        centre_mhz=radio.channel.centre_hz / 1e6,
        level_dbm=radio.level_dbm,
        level_estimated=radio.level_estimated,
        noise_dbm=radio.noise_dbm,
        air_share=radio.air_share,
        retry_share=radio.retry_share,
        first=iso(radio.first_s),
        last=iso(radio.last_s),
        channels_seen=[s.channel.label for s in radio.stays],
        grouped=radio.grouped,
        bssids=[_bssid(n) for n in radio.networks],
    )


def _bssid(network: Network) -> BssidAnswer:
    return BssidAnswer(
        bssid=network.bssid,
        ssid=network_name(network.ssid),
        ssid_hex=network.ssid.hex(),
        hidden=network.hidden,
        security=network.security,
        generation=network.generation,
        streams=network.streams,
        beacon_interval_tu=network.beacon_interval_tu,
        load_stations=network.load_stations,
        load_utilisation=network.load_utilisation,
        min_basic_rate_mbps=min(network.basic_rates_mbps, default=None),
        frames=network.frames,
        retries=network.retries,
        clients=[_client(c) for c in network.clients],
        named_by=network.named_by,
        transmitted_by=network.transmitted_by or None,
        ap_name=network.ap_name or None,
        country=network.country or None,
        tx_power_dbm=network.tx_power_dbm,
        roaming=list(network.roaming),
        device=network.device or None,
        neighbours=[NeighbourAnswer(bssid=b, band=band, primary=n) for b, band, n in network.neighbours],
        rates=[RateAnswer(**vars(r)) for r in network.rates],
        off_channel=[OffChannelAnswer(**vars(o)) for o in network.off_channel],
    )


def air_answer(assessment: Assessment, radio: Radio | None, band: str | None) -> AirAnswer:
    places = [p for p in places_seen_from(assessment, radio) if band in (None, p.channel.band)]
    non_wifi = {
        p.channel: non_wifi_share(assessment, p.channel)
        for p in places
        if p.channel.band in assessment.swept_bands
    }
    sweeps = [_swept(s) for s in assessment.swept if band in (None, s.channel.band)]
    return AirAnswer(
        seen_from=radio.id if radio else None,
        places=[_place(p, non_wifi.get(p.channel)) for p in places],
        sweeps=sweeps,
    )


def _swept(swept: Swept) -> SweptAnswer:
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


def _place(place: PlaceView, non_wifi: float | None) -> PlaceAnswer:
    used, standing = place.utilisation, place.standing
    wifi = used.value
    if used.source == "sweep" and used.value is not None and non_wifi is not None:
        wifi = round(max(used.value - non_wifi, 0.0), 4)
    return PlaceAnswer(
        band=place.channel.band,
        channel=place.channel.primary,
        width_mhz=place.channel.width_mhz,
        utilisation=UtilisationAnswer(
            value=used.value, source=used.source, confidence=used.confidence, others=dict(used.others)
        ),
        wifi_share=wifi,
        non_wifi_share=non_wifi,
        co_channel=CoChannelAnswer(
            radios=standing.co_channel_radios,
            strongest_dbm=standing.co_channel_strongest_dbm,
            airtime=standing.co_channel_lost,
        )
        if standing
        else None,
        adjacent=AdjacentAnswer(
            radios=standing.adjacent_radios,
            power_dbm=standing.adjacent_power_dbm,
            cost=standing.adjacent_lost,
        )
        if standing
        else None,
        non_wifi=NonWifiAnswer(
            emitters=standing.non_wifi_emitters if standing and non_wifi is not None else None,
            cost=standing.non_wifi_lost if standing and non_wifi is not None else None,
        ),
        clear_air=standing.clear_air if standing else None,
        expected_mbps=standing.expected_mbps if standing else None,
    )


def brief_answer(assessment: Assessment, findings: tuple[Finding, ...]) -> BriefAnswer:
    return BriefAnswer(findings=[_finding(f) for f in findings], not_known=list(assessment.not_known))


def _finding(finding: Finding) -> FindingAnswer:
    names = FindingAnswer.model_fields
    return FindingAnswer(**{name: getattr(finding, name) for name in names})
