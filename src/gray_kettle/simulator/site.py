"""A made-up site: radios with places, timetables and clients, and what a receiver at a spot hears of them."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from gray_kettle.phy.channels import Channel

Point = tuple[float, float]
_HEARD_DBM = -85.0  # from which a radio defers


@dataclass(frozen=True)
class SimNetwork:
    """One BSSID. security: "open", "wep", "wpa-tkip", "wpa2", "wpa2-wpa3", "wpa3"."""

    ssid: bytes
    bssid: bytes
    security: str


@dataclass(frozen=True)
class SimClient:
    mac: bytes
    away_m: float  # from its access point
    share: float  # of the radio's activity
    network: int = 0  # which of the radio's networks it is in
    generation: str = "ax"
    streams: int = 2
    channels: tuple[tuple[int, int], ...] = (
        (1, 13),
        (36, 8),
        (100, 11),
        (149, 5),
    )  # first number and how many


@dataclass(frozen=True)
class SimRadio:
    """A transmitter. channel_at, activity_at, present_at: functions of time (Unix seconds)."""

    name: str
    own: bool
    at: Point
    power_dbm: float
    generation: str
    streams: int
    networks: tuple[SimNetwork, ...]
    channel_at: Callable[[float], Channel]
    activity_at: Callable[[float], float]
    present_at: Callable[[float], bool] = lambda _: True
    basic_rates_mbps: tuple[float, ...] = (6.0, 12.0, 24.0)
    tells_load: bool = True
    retry_share: float = 0.05
    clients: tuple[SimClient, ...] = ()
    phase: float = field(default=0.0)  # of its slow fading
    answers_as: bytes = b""  # name in probe responses of a network that hides it in beacons


@dataclass(frozen=True)
class Site:
    name: str
    country: str
    spots: dict[str, Point]
    radios: tuple[SimRadio, ...]


def path_loss_db(metres: float, freq_hz: float) -> float:
    """Indoor log-distance: free space to one metre, then 30 dB a decade."""
    first_metre_db = 20 * math.log10(freq_hz / 1e6) - 27.55
    return first_metre_db + 30 * math.log10(max(metres, 1.0))


def level_dbm(radio: SimRadio, listener: Point, time_s: float) -> float:
    """Median level at a point, with a slow swing of some decibels over the hours."""
    metres = math.dist(radio.at, listener)
    freq_hz = radio.channel_at(time_s).centre_hz
    swing = 1.5 * math.sin(time_s / 1700 + radio.phase) + 1.0 * math.sin(time_s / 410 + 2.3 * radio.phase)
    return radio.power_dbm - path_loss_db(metres, freq_hz) + (swing if metres > 2 else 0.3 * swing)


def busy_shares(site: Site, time_s: float) -> dict[int, float]:
    """What each radio that is there finds its own channel busy, by its position: all present radios on its primary
    that it hears, itself included.
    """
    there = [(k, r, r.channel_at(time_s)) for k, r in enumerate(site.radios) if r.present_at(time_s)]
    active = {k: r.activity_at(time_s) for k, r, _ in there}
    out = {}
    for k, radio, channel in there:
        free = 1.0
        for n, other, its in there:
            is_same = (its.primary, its.band) == (channel.primary, channel.band)
            if is_same and level_dbm(other, radio.at, time_s) > _HEARD_DBM:
                free *= 1 - active[n]
        out[k] = 1 - free
    return out
