"""Tern Quay, a made-up island ferry terminal: who is there, and what is wrong. All of it from one seed."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from gray_kettle.demo_case import BEFORE_S
from gray_kettle.phy.channels import Channel, narrow, wide
from gray_kettle.simulator.site import SimClient, SimNetwork, SimRadio, Site

SEED = 20261112
START_S, END_S = BEFORE_S
RADAR_S = START_S + 3 * 3600 + 1200  # the rain radar turns our way, see radar_on
COMPLAINT = (
    "The ticket scanners drop when a boat is in. The tills freeze at lunch. "
    "The office is slow on video calls. It was fine in spring."
)
OWN_NETWORKS = ("tern-crew", "tern-guest", "tern-gate", "tern-till", "oldshed")
CLIENT_LIMITS = ("tern-gate@2.4:1-11",)
SPOTS = {
    "ticket hall": (0.0, 0.0),
    "tea bar": (26.0, 6.0),
    "pier": (58.0, -12.0),
    "office": (14.0, 30.0),
    "boat shed": (46.0, 40.0),
}
_BERTH = (78.0, -16.0)
_CHANDLERY = (30.0, 52.0)
# Boats lie at the pier from … to …, in hours of the day.
_CALLS = ((8.1, 8.7), (11.6, 12.4), (15.5, 16.2), (18.7, 19.4))


def radar_on(time_s: float) -> bool:
    """Ten minutes in seventy."""
    return int(time_s - RADAR_S) // 600 % 7 == 0


def hour_of(time_s: float) -> float:
    return (time_s % 86400) / 3600


def boat_in(time_s: float) -> bool:
    return any(start <= hour_of(time_s) < end for start, end in _CALLS)


def _daily(night: float, day: float, with_boat: float) -> Callable[[float], float]:
    """Activity that follows the day, and rises when a boat is in."""

    def activity(time_s: float) -> float:
        hour = hour_of(time_s)
        wake = min(max((hour - 6) / 2, 0.0), 1.0) * min(max((22 - hour) / 3, 0.0), 1.0)
        ripple = 1 + 0.2 * np.sin(time_s / 333) + 0.1 * np.sin(time_s / 61)
        share = (night + (day - night) * wake + with_boat * boat_in(time_s)) * ripple
        return float(min(max(share, 0.001), 0.9))

    return activity


def _fixed(channel: Channel) -> Callable[[float], Channel]:
    return lambda _: channel


def _at(band: str, primary: int, width_mhz: int) -> Channel:
    return wide(band, primary, width_mhz)[0]


def _hopping(seed: int, behind: bool) -> Callable[[float], Channel]:
    """A radio on automatic: five changes a day. The one behind goes, minutes later, to where the first one was.

    It began on 116, until the first night's radar on the hill sent it away.
    """
    rng = np.random.default_rng(seed)
    places = [_at("5", n, 80) for n in (44, 60, 108, 124)]
    changes, order = [START_S - 1], [0]
    for day in range(3):
        for hour in sorted(rng.uniform(7, 21, 5)):
            changes.append(START_S + day * 86400 + hour * 3600)
            order.append(int(rng.choice([k for k in range(4) if k != order[-1]])))
    times = np.array(changes)

    def channel(time_s: float) -> Channel:
        if behind and time_s < RADAR_S:
            return _at("5", 116, 80)
        at = int(np.searchsorted(times, time_s - (420 if behind else 0), side="right")) - 1
        return places[order[max(at - 1, 0) if behind else max(at, 0)]]

    return channel


def _address(owner: int, radio: int, network: int) -> bytes:
    return bytes([0x02, 0x7A, 0x10, owner, radio << 4 | 0x0, network])


def _networks(owner: int, radio: int, *names: tuple[str, str]) -> tuple[SimNetwork, ...]:
    return tuple(
        SimNetwork(name.encode(), _address(owner, radio, k), security)
        for k, (name, security) in enumerate(names)
    )


def _clients(owner: int, radio: int, count: int, away_m: float, scanners: int = 0) -> tuple[SimClient, ...]:
    """Clients of a radio; the first ones may be ticket scanners, in its third network."""
    phone = partial(SimClient, network=1)
    scanner = partial(SimClient, network=2, generation="n", streams=1, channels=((1, 11),))
    return tuple(
        (scanner if k < scanners else phone)(
            bytes([0x06, 0x7A, 0x20, owner, radio, k]), away_m * (0.5 + k / count), 1 / (k + 1)
        )
        for k in range(count)
    )


_CREW, _GUEST, _GATE, _TILL = (
    ("tern-crew", "wpa2-wpa3"),
    ("tern-guest", "open"),
    ("tern-gate", "wpa2"),
    ("tern-till", "wpa3"),
)


def site() -> Site:
    """The site as the technician finds it, before anything is changed."""
    slow = (1.0, 2.0, 5.5, 11.0)
    own_2_4 = partial(SimRadio, own=True, power_dbm=18.0, streams=2, generation="ax", basic_rates_mbps=slow)
    own_5 = partial(SimRadio, own=True, power_dbm=20.0, streams=2, generation="ax")
    radios = [
        own_2_4(
            "hall",
            at=(1.0, 2.0),
            networks=_networks(1, 2, _CREW, _GUEST, _GATE),
            channel_at=_fixed(_at("2.4", 3, 40)),
            activity_at=_daily(0.01, 0.10, 0.18),
            retry_share=0.27,
            clients=_clients(1, 2, 9, 9, 4),
        ),
        own_5(
            "hall",
            at=(1.0, 2.0),
            networks=_networks(1, 5, _CREW, _GUEST),
            channel_at=_fixed(_at("5", 149, 80)),
            activity_at=_daily(0.002, 0.01, 0.01),
            clients=_clients(1, 5, 2, 9),
        ),
        own_2_4(
            "tea bar",
            at=(27.0, 7.0),
            networks=_networks(2, 2, _CREW, _GUEST, _TILL),
            channel_at=_fixed(narrow("2.4", 6)),
            activity_at=_daily(0.01, 0.12, 0.10),
            retry_share=0.16,
            clients=_clients(2, 2, 7, 8),
        ),
        own_5(
            "tea bar",
            at=(27.0, 7.0),
            networks=_networks(2, 5, _CREW, _GUEST),
            channel_at=_fixed(_at("5", 36, 80)),
            activity_at=_daily(0.002, 0.04, 0.02),
            clients=_clients(2, 5, 3, 8),
        ),
        own_2_4(
            "pier",
            at=(57.0, -11.0),
            networks=_networks(3, 2, _CREW, _GUEST, _GATE),
            channel_at=_fixed(narrow("2.4", 6)),
            activity_at=_daily(0.01, 0.06, 0.25),
            retry_share=0.18,
            clients=_clients(3, 2, 8, 14, 3),
        ),
        own_5(
            "pier",
            at=(57.0, -11.0),
            networks=_networks(3, 5, _CREW, _GUEST),
            channel_at=_fixed(_at("5", 100, 80)),
            activity_at=_daily(0.002, 0.02, 0.08),
            clients=_clients(3, 5, 3, 14),
        ),
        own_2_4(
            "office",
            at=(15.0, 31.0),
            networks=_networks(4, 2, _CREW, _GUEST),
            channel_at=_fixed(narrow("2.4", 11)),
            activity_at=_daily(0.005, 0.03, 0.0),
            clients=_clients(4, 2, 4, 6),
        ),
        own_5(
            "office",
            at=(15.0, 31.0),
            networks=_networks(4, 5, _CREW, _GUEST),
            channel_at=_hopping(SEED, True),
            activity_at=_daily(0.01, 0.22, 0.0),
            retry_share=0.11,
            clients=_clients(4, 5, 6, 6),
        ),
        SimRadio(
            "office",
            at=(15.0, 31.0),
            networks=_networks(4, 6, ("tern-crew", "wpa3")),
            channel_at=_fixed(_at("6", 37, 80)),
            activity_at=_daily(0.001, 0.03, 0.0),
            own=True,
            power_dbm=18.0,
            streams=2,
            generation="ax",
            clients=_clients(4, 6, 1, 6),
        ),
        SimRadio(
            "shed",
            at=(46.0, 41.0),
            networks=_networks(5, 2, ("oldshed", "wpa2")),
            channel_at=_fixed(narrow("2.4", 11)),
            activity_at=lambda _: 0.004,
            own=True,
            power_dbm=20.0,
            streams=1,
            generation="g",
            basic_rates_mbps=(1.0, 2.0),
        ),
    ]
    foreign = partial(SimRadio, own=False, power_dbm=17.0, streams=2)
    older = partial(foreign, generation="n", basic_rates_mbps=slow)
    radios += [
        older(
            "Guillemot",
            at=_BERTH,
            networks=_networks(32, 2, ("MV Guillemot", "wpa2"), ("MV Guillemot guests", "open")),
            channel_at=_fixed(narrow("2.4", 1)),
            activity_at=lambda _: 0.34,
            present_at=lambda t: boat_in(t) and hour_of(t) < 14,
            clients=_clients(32, 2, 6, 12),
            power_dbm=27.0,
        ),
        older(
            "Razorbill",
            at=_BERTH,
            networks=_networks(33, 2, ("MV Razorbill", "wpa2")),
            channel_at=_fixed(narrow("2.4", 6)),
            activity_at=lambda _: 0.28,
            present_at=lambda t: boat_in(t) and hour_of(t) > 11,
            clients=_clients(33, 2, 5, 12),
            power_dbm=27.0,
        ),
        foreign(
            "chandlery",
            at=_CHANDLERY,
            networks=_networks(34, 5, ("Saltline Chandlery", "wpa2")),
            channel_at=_hopping(SEED, False),
            activity_at=_daily(0.01, 0.30, 0.0),
            generation="ac",
            clients=_clients(34, 5, 4, 8),
            power_dbm=23.0,
        ),
        older(
            "chandlery",
            at=_CHANDLERY,
            networks=_networks(34, 2, ("Saltline Chandlery", "wpa2"), ("saltline-stock", "wpa-tkip")),
            channel_at=_fixed(narrow("2.4", 11)),
            activity_at=_daily(0.005, 0.02, 0.0),
            clients=_clients(34, 2, 3, 8),
        ),
        older(
            "lifeboat",
            at=(-38.0, 20.0),
            networks=_networks(35, 2, ("lifeboat-hall", "wpa2")),
            channel_at=_fixed(narrow("2.4", 1)),
            activity_at=_daily(0.01, 0.05, 0.0),
        ),
        SimRadio(
            "pump house",
            at=(-30.0, -44.0),
            networks=_networks(36, 2, ("pumphouse", "wep")),
            channel_at=_fixed(narrow("2.4", 9)),
            activity_at=lambda _: 0.01,
            own=False,
            power_dbm=17.0,
            streams=1,
            generation="g",
            basic_rates_mbps=(1.0, 2.0),
            tells_load=False,
        ),
        older(
            "cottage",
            at=(-62.0, 12.0),
            networks=_networks(37, 2, ("Net of Many Fishes", "wpa2")),
            channel_at=_fixed(narrow("2.4", 6)),
            activity_at=_daily(0.02, 0.06, 0.0),
            generation="ax",
        ),
        foreign(
            "cottage",
            at=(-62.0, 12.0),
            networks=_networks(37, 5, ("Net of Many Fishes", "wpa2")),
            channel_at=_fixed(_at("5", 44, 80)),
            activity_at=_daily(0.01, 0.05, 0.0),
            generation="ax",
        ),
        older(
            "customs",
            at=(-8.0, -33.0),
            networks=_networks(38, 2, ("", "wpa2")),
            channel_at=_fixed(narrow("2.4", 11)),
            activity_at=_daily(0.01, 0.03, 0.0),
            tells_load=False,
            answers_as=b"customs-shed",
        ),
    ]
    deck = ((41, 1, "deck phone Isla"), (42, 3, "Tove's hotspot"), (43, 6, "deckhand 4"))
    radios += [
        SimRadio(
            name,
            at=(66.0 + owner % 3 * 4, -14.0),
            networks=_networks(owner, 2, (name, "wpa2-wpa3")),
            channel_at=_fixed(narrow("2.4", number)),
            activity_at=lambda _: 0.06,
            present_at=boat_in,
            own=False,
            power_dbm=14.0,
            streams=1,
            generation="ax",
            tells_load=False,
        )
        for owner, number, name in deck
    ]
    phases = np.random.default_rng(SEED).uniform(0, 6.28, len(radios))
    placed = tuple(replace(r, phase=float(p)) for r, p in zip(radios, phases, strict=True))
    return Site("Tern Quay ferry terminal", "GB", SPOTS, placed)


def names_of_own() -> tuple[tuple[str, str], ...]:
    """The technician's names: BSSID to the name of the radio."""
    return tuple((n.bssid.hex(":"), r.name) for r in site().radios if r.own for n in r.networks)
