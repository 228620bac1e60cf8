"""The JSON answer of `heard`: radios, their networks, their clients."""

from typing import Literal

from pydantic import Field

from gray_kettle.analysis.assessment import Client, Link, Network, Radio
from gray_kettle.analysis.inventory.radio_grouping import CERTAINTY
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.export.utc import iso
from gray_kettle.safe_text import network_name, printable


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
    name: str


class ClientAnswer(Answer):
    """Nulls: its capabilities were not observed."""

    mac: str
    level_dbm: float | None
    frames: int
    retries: int
    generation: str | None
    streams: int | None
    width_mhz: int | None
    bands: list[str]
    channels: dict[str, list[int]]
    airtime_s: float
    mbps: float | None
    level_at: dict[str, float]
    link: LinkAnswer | None
    name: str
    security: str | None
    asked_for: list[str]
    first_hour: str
    last_hour: str


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
    security: str | None
    generation: str | None
    streams: int | None
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
    first: str
    last: str


class EpisodeAnswer(Answer):
    """An interval in which it was there."""

    first: str
    last: str


class ChangeAnswer(Answer):
    """A move. announced: by a channel switch announcement."""

    time: str
    before: str
    after: str
    announced: bool


class RadioAnswer(Answer):
    id: str
    name: str
    own: bool
    band: str
    primary: int
    width_mhz: int | None
    centre_mhz: float
    level_dbm: float | None
    level_estimated: bool
    noise_dbm: float | None
    air_share: float | None
    retry_share: float | None
    first: str
    last: str
    activity: float
    activity_source: str
    activity_interval: tuple[float, float]
    presence: float
    gone: bool
    episodes: list[EpisodeAnswer]
    swing_db: float | None
    channels_seen: list[str]
    changes: list[ChangeAnswer]
    moves_a_day: int
    siblings: list[str]
    grouped: str
    certainty: str
    bssids: list[BssidAnswer]


class HeardAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/heard/1"] = Field(default="gray-kettle/heard/1", alias="schema")
    radios: list[RadioAnswer]
    links: list[LinkAnswer]


def heard_answer(radios: tuple[Radio, ...], links: tuple[Link, ...] = ()) -> HeardAnswer:
    return HeardAnswer(radios=[_radio(r) for r in radios], links=[_link(link) for link in links])


def _link(link: Link) -> LinkAnswer:
    known = {name: value for name, value in vars(link).items() if name not in ("first_s", "last_s")}
    return LinkAnswer(**known, first=iso(link.first_s), last=iso(link.last_s))


_MADE_ANEW = ("channels", "link", "level_at", "security", "asked_for", "first_s", "last_s")


def _client(client: Client) -> ClientAnswer:
    known = {n: value for n, value in vars(client).items() if n not in _MADE_ANEW}
    by_band = {band: [n for b, n in client.channels if b == band] for band in client.bands}
    link = _link(client.link) if client.link else None
    at = {printable(spot): level for spot, level in client.level_at}
    return ClientAnswer(
        **known,
        bands=list(client.bands),
        channels=by_band,
        level_at=at,
        link=link,
        security=client.security or None,
        asked_for=[network_name(name) for name in client.asked_for],
        first_hour=iso(client.first_s),
        last_hour=iso(client.last_s),
    )


def _radio(radio: Radio) -> RadioAnswer:
    return RadioAnswer(
        id=radio.id,
        name=radio.name,
        own=radio.own,
        band=radio.band,
        primary=radio.channel.primary,
        width_mhz=radio.channel.known_width_mhz,
        centre_mhz=radio.channel.centre_hz / 1e6,
        level_dbm=radio.level_dbm,
        level_estimated=radio.level_estimated,
        noise_dbm=radio.noise_dbm,
        air_share=radio.air_share,
        retry_share=radio.retry_share,
        first=iso(radio.first_s),
        last=iso(radio.last_s),
        activity=radio.activity,
        activity_source=radio.activity_source,
        activity_interval=radio.activity_interval,
        presence=radio.stay.presence,
        gone=radio.is_gone,
        episodes=[EpisodeAnswer(first=iso(a), last=iso(b)) for a, b in radio.episodes],
        swing_db=radio.swing_db,
        channels_seen=[s.channel.label for s in radio.stays],
        changes=[
            ChangeAnswer(
                time=iso(c.time_s), before=c.before.label, after=c.after.label, announced=c.announced
            )
            for c in radio.changes
        ],
        moves_a_day=radio.moves_a_day,
        siblings=list(radio.siblings),
        grouped=radio.grouped,
        certainty=CERTAINTY[radio.grouped],
        bssids=[_bssid(n) for n in radio.networks],
    )


def _bssid(network: Network) -> BssidAnswer:
    return BssidAnswer(
        bssid=network.bssid,
        ssid=network_name(network.ssid),
        ssid_hex=network.ssid.hex(),
        hidden=network.hidden,
        security=network.security or None,
        generation=network.generation or None,
        streams=network.streams or None,
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
        first=iso(network.first_s),
        last=iso(network.last_s),
    )
