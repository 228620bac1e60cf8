"""Sightings and traffic to radios: who is there, where, how strong, how busy."""

import itertools
from collections import defaultdict
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.air.airtime import beacon_share
from gray_kettle.air.channels import Channel
from gray_kettle.decode.headers import address_number
from gray_kettle.judge import settings
from gray_kettle.judge.assessment import Link, Network, OffChannel, Radio, Stay
from gray_kettle.judge.grouping import ALONE, CERTAIN, PROBABLE, Heard, group
from gray_kettle.judge.listening import Looks, place_at
from gray_kettle.judge.stations import (
    abilities_by_mac,
    clients_of,
    links_by_station,
    names_asked_for,
    rates_of,
)
from gray_kettle.records import (
    Ability,
    Announcement,
    FloatArray,
    IntArray,
    Observations,
    Setup,
    Sightings,
    Traffic,
)
from gray_kettle.safe_text import is_hidden, network_name

_TUNED_HZ = 1e6  # a receiver this near the primary's centre is on it


@dataclass(frozen=True, eq=False)
class _Bssid:
    """All rows of one BSSID. frames: those that name it; nameless: control frames and the like that it sent.

    hidden, named_by: see Network.
    """

    bssid: str
    latest: Announcement
    rows: IntArray
    beacon_bytes: int
    frames: Traffic
    nameless: Traffic
    hidden: bool
    named_by: str


@dataclass(frozen=True, eq=False)
class _Told:
    """What is known of stations, by address."""

    abilities: dict[str, Ability]
    links: dict[str, Link]
    names: dict[str, bytes]


def level_dbm(levels_mw: FloatArray) -> float | None:
    """Median of levels given in milliwatts, in dBm to a hundredth; None of nothing."""
    told = levels_mw[levels_mw > 0]
    return round(float(10 * np.log10(np.median(told))), 2) if len(told) else None


def row_levels_mw(sightings: Sightings) -> FloatArray:
    """Mean level of each row; 0 where none was told."""
    return np.where(sightings.levels > 0, sightings.level_mw / np.maximum(sightings.levels, 1), 0.0)


def find_radios(observations: Observations, setup: Setup, looks: Looks) -> tuple[Radio, ...]:
    """Every radio heard in the window, own ones first, then by level."""
    observations = _widths_filled_in(observations)
    about = _Told(
        abilities_by_mac(observations), links_by_station(observations), names_asked_for(observations)
    )
    bssids = _by_bssid(observations, about.names)
    levels_mw = row_levels_mw(observations.sightings)
    heard = [_heard(one, observations, levels_mw) for one in bssids]
    own_names = {name.encode() for name in setup.own}
    own_addresses = {name.lower() for name in setup.own}
    own = [
        (b.latest.ssid in own_names or b.bssid in own_addresses) and b.bssid not in setup.foreign
        for b in bssids
    ]
    radios = []
    for members in group(heard):
        chosen = sorted((bssids[k] for k in members), key=lambda b: b.bssid)
        is_own = any(own[k] for k in members)
        radios.append(_radio(chosen, is_own, observations, levels_mw, setup, looks, about))
    return tuple(sorted(radios, key=lambda r: (not r.own, -(r.level_dbm or -200.0), r.id)))


def _widths_filled_in(observations: Observations) -> Observations:
    """Where an announcement does not tell its width, that which the same BSSID told elsewhere on the same primary."""
    told = {
        (a.bssid, a.channel.band, a.channel.primary): a.channel
        for a in observations.announcements
        if a.width_told
    }
    filled = tuple(
        a
        if a.width_told
        else replace(a, channel=told.get((a.bssid, a.channel.band, a.channel.primary), a.channel))
        for a in observations.announcements
    )
    return replace(observations, announcements=filled)


def _by_bssid(observations: Observations, names: dict[str, bytes]) -> list[_Bssid]:
    sightings, traffic = observations.sightings, observations.traffic
    if not len(sightings):
        return []
    bssid_of = np.array([address_number(a.bssid) for a in observations.announcements], dtype=np.int64)
    of_row = bssid_of[sightings.announcement]
    order = np.argsort(of_row, kind="stable")
    numbers, starts = np.unique(of_row[order], return_index=True)
    nameless = traffic.rows(traffic.bssid == 0)
    named, unnamed = _Sorted(traffic, traffic.bssid), _Sorted(nameless, nameless.transmitter)
    out = []
    for number, rows in zip(numbers, np.split(order, starts[1:]), strict=True):
        latest = observations.announcements[sightings.announcement[rows[-1]]]
        told = [observations.announcements[k] for k in np.unique(sightings.announcement[rows])]
        beacons = [a for a in told if a.beacon_bytes]
        hidden = any(is_hidden(a.ssid) for a in (beacons or [latest]) if a.channel == latest.channel)
        latest, named_by = _with_name(latest, told, names)
        out.append(
            _Bssid(
                latest.bssid,
                latest,
                rows,
                max(a.beacon_bytes for a in told),
                named.of(number),
                unnamed.of(number),
                hidden,
                named_by,
            )
        )
    return out


def _with_name(
    latest: Announcement, told: list[Announcement], names: dict[str, bytes]
) -> tuple[Announcement, str]:
    """The announcement with the name that the network has, and who told it."""
    if not is_hidden(latest.ssid):
        return latest, "beacon"
    # A name that is hidden in beacons is told in probe responses, and by clients that ask to join.
    answer = next((a for a in reversed(told) if not is_hidden(a.ssid) and a.channel == latest.channel), None)
    if answer is not None:
        return replace(latest, ssid=answer.ssid), "probe response"
    if latest.bssid in names:
        return replace(latest, ssid=names[latest.bssid]), "association request"
    return latest, ""


class _Sorted:
    """Traffic by a key, so that the rows of one are found without looking at all."""

    def __init__(self, traffic: Traffic, key: IntArray) -> None:
        self._traffic = traffic
        self._order = np.argsort(key, kind="stable")
        self._keys = key[self._order]

    def of(self, number: int) -> Traffic:
        low, high = np.searchsorted(self._keys, [number, number + 1])
        return self._traffic.rows(self._order[low:high])


def _heard(one: _Bssid, observations: Observations, levels_mw: FloatArray) -> Heard:
    rows = _rows_on(one.latest.channel, one.rows, observations)
    told = rows[levels_mw[rows] > 0]
    moments, first = np.unique(observations.sightings.time_s[told], return_index=True)
    return Heard(
        one.bssid,
        one.latest.channel,
        one.latest.beacon_interval_tu,
        one.latest.fingerprint,
        level_dbm(levels_mw[told]),
        moments,
        10 * np.log10(levels_mw[told][first]),
        one.latest.transmitted_by,
    )


def _rows_on(channel: Channel, rows: IntArray, observations: Observations) -> IntArray:
    """Rows that announce this channel; those received on it alone, where there are any."""
    sightings = observations.sightings
    same = np.array([a.channel == channel for a in observations.announcements])
    rows = rows[same[sightings.announcement[rows]]]
    tuned = np.abs(sightings.receiver_hz[rows] - channel.primary_hz) < _TUNED_HZ
    return rows[tuned] if tuned.any() else rows


def _radio(
    members: list[_Bssid],
    own: bool,
    observations: Observations,
    levels_mw: FloatArray,
    setup: Setup,
    looks: Looks,
    about: _Told,
) -> Radio:
    sightings = observations.sightings
    all_rows = np.sort(np.concatenate([m.rows for m in members]))
    latest = max(members, key=lambda m: (sightings.time_s[m.rows[-1]], m.bssid)).latest
    channel = latest.channel
    stays, moves = _stays(all_rows, observations, levels_mw, looks)
    on_channel = _rows_on(channel, all_rows, observations)
    noise = sightings.noise_dbm[on_channel]
    noise = noise[~np.isnan(noise)]
    networks = tuple(_network(m, observations, levels_mw, about) for m in members)
    air_share = _air_share(members, channel, looks)
    beacons = sum(n.beacon_share for n in networks)
    frames, retries = sum(n.frames for n in networks), sum(n.retries for n in networks)
    told = next((s.told_busy for s in stays if s.channel == channel), None)
    activity, source = _activity(air_share, beacons, told if own else None)
    return Radio(
        id=members[0].bssid,
        name=_name(members, channel, setup),
        own=own,
        channel=channel,
        level_dbm=level_dbm(levels_mw[on_channel]),
        noise_dbm=round(float(np.median(noise)), 2) if len(noise) else None,
        air_share=air_share,
        retry_share=retries / frames if frames else None,
        activity=activity,
        activity_source=source,
        generation=latest.generation,
        streams=max(m.latest.streams for m in members),
        first_s=float(sightings.time_s[all_rows[0]]),
        last_s=float(sightings.time_s[all_rows[-1]]),
        stays=stays,
        moves=moves,
        networks=networks,
        grouped=_why_grouped(members),
        client_level_dbm=_client_level(members, stays, channel, observations.spots),
        level_estimated=bool(len(on_channel) and sightings.estimated[on_channel].all()),
    )


def _why_grouped(members: list[_Bssid]) -> str:
    if len(members) == 1:
        return ALONE
    names = {m.bssid for m in members}
    speaks_for = sum(m.latest.transmitted_by in names for m in members)
    return CERTAIN if speaks_for == len(members) - 1 else PROBABLE


def _client_level(
    members: list[_Bssid], stays: tuple[Stay, ...], channel: Channel, spots: tuple[str, ...]
) -> float | None:
    """Median level of the clients at the spot where their radio is strongest: elsewhere it says nothing of the link."""
    at = next((s.level_at for s in stays if s.channel == channel), ())
    if not at:
        return None
    home = spots.index(max(at, key=lambda item: (item[1], item[0]))[0])
    levels: list[float] = []
    for member in members:
        frames = member.frames.rows((member.frames.spot == home) & (member.frames.levels > 0))
        found = clients_of(member.bssid, frames, {}, {})
        levels += [client.level_dbm for client in found if client.level_dbm is not None]
    return round(float(np.median(levels)), 2) if levels else None


def _activity(air_share: float | None, beacons: float, own_told: float | None) -> tuple[float, str]:
    """Share of time a radio is taken to transmit, and what that rests on.

    Of the busy time that an own radio tells, half is taken for its own: how much of it is, it does not say.
    (What foreign ones tell counts for their channel as a whole, see judge.harms.)
    """
    if air_share is not None:
        return min(max(air_share, beacons), 1.0), "frames"
    least = min(settings.PRIOR_ACTIVITY + beacons, 1.0)
    if own_told is not None and own_told / 2 > least:
        return own_told / 2, "half of its BSS load"
    return least, "beacons"


def _name(members: list[_Bssid], channel: Channel, setup: Setup) -> str:
    names = dict(setup.names)
    given = next((names[m.bssid] for m in members if m.bssid in names), None)
    if given is not None:
        return given
    told = [network_name(m.latest.ssid) for m in members if not is_hidden(m.latest.ssid)]
    return told[0] if told else network_name(b"")


def _stays(
    rows: IntArray, observations: Observations, levels_mw: FloatArray, looks: Looks
) -> tuple[tuple[Stay, ...], int]:
    """Channels in order of first hearing, and how often it changed from one to another."""
    sightings = observations.sightings
    channels = [observations.announcements[k].channel for k in sightings.announcement[rows]]
    moves = sum(
        1 for a, b in itertools.pairwise(channels) if a.centre_hz != b.centre_hz or a.primary != b.primary
    )
    by_channel: dict[Channel, list[int]] = defaultdict(list)
    for row, channel in zip(rows, channels, strict=True):
        by_channel[channel].append(int(row))
    stays = []
    for channel, found in by_channel.items():
        here = _rows_on(channel, np.array(found), observations)
        told = sightings.load_utilisation[here]
        told = told[~np.isnan(told)]
        at = []
        for spot in np.unique(sightings.spot[here]):
            level = level_dbm(levels_mw[here[sightings.spot[here] == spot]])
            if level is not None:
                at.append((observations.spots[spot], level))
        stays.append(
            Stay(
                channel=channel,
                presence=looks.presence(channel.band, sightings.time_s[here], sightings.spot[here]),
                level_dbm=level_dbm(levels_mw[here]),
                level_at=tuple(at),
                told_busy=round(float(np.median(told)), 4) if len(told) else None,
                first_s=float(sightings.time_s[found[0]]),
                last_s=float(sightings.time_s[found[-1]]),
            )
        )
    return tuple(stays), moves


def _network(one: _Bssid, observations: Observations, levels_mw: FloatArray, about: _Told) -> Network:
    sightings, latest = observations.sightings, one.latest
    here = _rows_on(latest.channel, one.rows, observations)
    stations = sightings.load_stations[here]
    stations = stations[~np.isnan(stations)]
    busy = sightings.load_utilisation[here]
    busy = busy[~np.isnan(busy)]
    slowest = min(latest.basic_rates_mbps, default=1.0 if latest.channel.band == "2.4" else 6.0)
    length = one.beacon_bytes or _USUAL_BEACON_BYTES
    return Network(
        bssid=one.bssid,
        ssid=latest.ssid,
        security=latest.security,
        generation=latest.generation,
        streams=latest.streams,
        beacon_interval_tu=latest.beacon_interval_tu,
        # One that another speaks for sends no beacons.
        beacon_share=0.0
        if latest.transmitted_by
        else beacon_share(length, slowest, latest.beacon_interval_tu, latest.channel.band == "2.4"),
        load_stations=int(stations[-1]) if len(stations) else None,
        load_utilisation=round(float(np.median(busy)), 4) if len(busy) else None,
        basic_rates_mbps=latest.basic_rates_mbps,
        level_dbm=level_dbm(levels_mw[here]),
        frames=int(one.frames.frames.sum()),
        retries=int(one.frames.retries.sum()),
        clients=clients_of(one.bssid, one.frames, about.abilities, about.links),
        hidden=one.hidden,
        named_by=one.named_by,
        transmitted_by=latest.transmitted_by,
        ap_name=latest.ap_name,
        country=latest.country,
        tx_power_dbm=latest.tx_power_dbm,
        roaming=latest.roaming,
        device=latest.device,
        neighbours=latest.neighbours,
        rates=rates_of(one.frames),
        off_channel=_off_channel(one, observations),
    )


def _off_channel(one: _Bssid, observations: Observations) -> tuple[OffChannel, ...]:
    """Where else it was heard; channels of the receiver in order."""
    sightings, announcements = observations.sightings, observations.announcements
    primary_hz = np.array([a.channel.primary_hz for a in announcements])[sightings.announcement[one.rows]]
    receiver_hz = sightings.receiver_hz[one.rows]
    away = one.rows[np.abs(receiver_hz - primary_hz) > _TUNED_HZ]
    out = []
    for hz in np.unique(sightings.receiver_hz[away]).tolist():
        rows = away[sightings.receiver_hz[away] == hz]
        band, number = place_at(hz)
        if not band:  # the receiver told a place where there is no channel
            continue
        level_mw, levels = sightings.level_mw[rows].sum(), sightings.levels[rows].sum()
        level = round(float(10 * np.log10(level_mw / levels)), 2) if levels else None
        out.append(OffChannel(band, number, int(sightings.frames[rows].sum()), level))
    return tuple(out)


_USUAL_BEACON_BYTES = 250  # a listing does not tell the length of a beacon


def _air_share(members: list[_Bssid], channel: Channel, looks: Looks) -> float | None:
    """Airtime of the radio's frames over the time listened on its primary; None when that was too short."""
    dwell_s = looks.dwell_s(channel.primary_hz)
    timed_s = 0.0
    for member in members:
        for sent in (member.frames, member.nameless):
            on_it = np.abs(sent.receiver_hz - channel.primary_hz) < _TUNED_HZ
            timed_s += float(sent.airtime_s[on_it].sum())
    if dwell_s < settings.LEAST_DWELL_S or not timed_s:
        return None
    return round(min(timed_s / dwell_s, 1.0), 6)
