"""Sightings and traffic to radios: who is there, where, how strong, how busy."""

from typing import TypedDict

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import Network, Radio, Stay
from gray_kettle.analysis.inventory.activity_prior import (
    activity_interval,
    posterior_activity,
    prior_activity,
)
from gray_kettle.analysis.inventory.channel_changes import (
    changes_of,
    episodes_of,
    level_drop,
    most_in_a_day,
    swing_db,
    with_siblings,
)
from gray_kettle.analysis.inventory.networks import network_of
from gray_kettle.analysis.inventory.not_reported import abilities_of, completed
from gray_kettle.analysis.inventory.outages import outages_of, without_switched_off
from gray_kettle.analysis.inventory.radio_grouping import (
    ALONE,
    BY_HAND,
    CERTAIN,
    PROBABLE,
    GroupingInput,
    group,
)
from gray_kettle.analysis.inventory.stations import (
    asked_for_by_mac,
    capabilities_by_mac,
    links_by_station,
    names_asked_for,
)
from gray_kettle.analysis.observed.bssid_index import (
    TUNED_HZ,
    BssidIndex,
    BssidRows,
    StationInfo,
    by_bssid,
    fast_median,
    in_order_of_bssid,
    level_dbm,
    present,
)
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.analysis.observed.traffic_totals import TrafficTotals
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.model.records import IntArray, Observations
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel
from gray_kettle.safe_text import is_hidden, network_name

_LEAST_AWAY_S = 300.0
_AWAY_SCANS = 3
_SWITCHED_OFF_S = 3600.0  # around a step that is marked as done


def find_radios(
    observations: Observations, setup: Setup, coverage: Coverage, sent: TrafficTotals
) -> tuple[Radio, ...]:
    """Every radio heard in the window, own ones first, then by level."""
    observations, moment = in_order_of_bssid(completed(observations))
    about = StationInfo(
        capabilities_by_mac(observations),
        links_by_station(observations, dict(setup.names)),
        names_asked_for(observations),
        dict(setup.names),
        asked_for_by_mac(observations),
    )
    bssids = by_bssid(observations, sent, about.names)
    ground = BssidIndex(observations, moment)
    heard = [_grouping_input(one, ground) for one in bssids]
    own_names = {name.encode() for name in setup.own}
    own_addresses = {name.lower() for name in setup.own}
    own = [
        (b.latest.ssid in own_names or b.bssid in own_addresses) and b.bssid not in setup.foreign
        for b in bssids
    ]
    radios = []
    gone_s = 60 * thresholds_of(setup).gone_min
    for members in group(heard, setup.together, setup.apart):
        chosen = sorted((bssids[k] for k in members), key=lambda b: b.bssid)
        is_own = any(own[k] for k in members)
        radios.append(_radio(chosen, is_own, ground, setup, coverage, about, gone_s))
    found = with_siblings(tuple(radios))
    return tuple(sorted(found, key=lambda r: (not r.own, -(r.level_dbm or -200.0), r.id)))


def _grouping_input(one: BssidRows, ground: BssidIndex) -> GroupingInput:
    levels_mw = ground.levels_mw
    rows = ground.rows_on(one.latest.channel, one.rows)
    known = rows[levels_mw[rows] > 0]
    time_s = ground.sightings.time_s[known]  # in order: rows are
    first = np.ones(len(time_s), np.bool_)
    first[1:] = time_s[1:] > time_s[:-1]
    moments = time_s[first]
    return GroupingInput(
        one.bssid,
        one.latest.channel,
        one.latest.beacon_interval_tu,
        one.latest.fingerprint,
        ground.level_on(one.latest.channel, one.rows),
        moments,
        10 * np.log10(levels_mw[known][first]),
        one.latest.transmitted_by,
    )


def _radio(
    members: list[BssidRows],
    own: bool,
    ground: BssidIndex,
    setup: Setup,
    coverage: Coverage,
    about: StationInfo,
    gone_s: float,
) -> Radio:
    sightings = ground.sightings
    all_rows = members[0].rows
    if len(members) > 1:
        all_rows = np.concatenate([m.rows for m in members])
        all_rows = all_rows[np.argsort(ground.moment[all_rows])]
    latest = max(members, key=lambda m: (sightings.time_s[m.rows[-1]], m.bssid)).latest
    channel = latest.channel
    stays = _stays(all_rows, ground, coverage)
    changes = changes_of(all_rows, ground)
    on_channel = ground.rows_on(channel, all_rows)
    noise = sightings.noise_dbm[on_channel]
    noise = noise[~np.isnan(noise)]
    networks = tuple(network_of(m, ground, about) for m in members)
    air_share = _air_share(members, channel, coverage)
    beacons = sum(n.beacon_share for n in networks)
    retriable, retries = sum(n.retriable for n in networks), sum(n.retries for n in networks)
    known = next((s.reported_utilisation for s in stays if s.channel == channel), None)
    dwell_s = coverage.dwell_s(channel.primary_hz) if air_share is not None else 0.0
    abilities = abilities_of([m.latest for m in members], latest)
    prior = prior_activity(channel.band, abilities["generation"])
    activity, source = _activity(air_share, dwell_s, beacons, prior, known if own else None)
    return Radio(
        id=members[0].bssid,
        name=_name(members, channel, setup),
        own=own,
        channel=channel,
        level_dbm=ground.level_on(channel, all_rows),
        noise_dbm=round(fast_median(noise), 2) if len(noise) else None,
        air_share=air_share,
        retry_share=retries / retriable if retriable else None,
        activity=activity,
        activity_source=source,
        activity_interval=activity_interval(round(activity, 4), dwell_s),
        **abilities,
        first_s=float(sightings.time_s[all_rows[0]]),
        last_s=float(sightings.time_s[all_rows[-1]]),
        stays=stays,
        moves=len(changes),
        networks=networks,
        grouped=_why_grouped(members, setup),
        client_level_dbm=_client_level(networks, stays),
        level_estimated=bool(len(on_channel) and sightings.estimated[on_channel].all()),
        changes=changes,
        moves_a_day=most_in_a_day(changes),
        swing_db=swing_db(on_channel, ground),
        level_drop=level_drop(on_channel, ground) if own else None,
        **_absences(all_rows, channel.band, ground, coverage, gone_s),
        outages=_outages(members, all_rows, ground, setup, coverage) if own else (),
    )


class _Absences(TypedDict):
    episodes: tuple[tuple[float, float], ...]
    is_gone: bool


def _absences(rows: IntArray, band: str, ground: BssidIndex, coverage: Coverage, gone_s: float) -> _Absences:
    """When it was there, as heard at the spot where it was heard most; and whether it is gone."""
    spots = ground.sightings.spot[rows]
    home = int(np.bincount(spots).argmax())
    heard_s, scan_times_s = ground.sightings.time_s[rows[spots == home]], coverage.moments(band, home)
    is_gone = bool(len(scan_times_s) and scan_times_s[-1] > heard_s[-1] + gone_s)
    away_s = max(_LEAST_AWAY_S, coverage.median_gap_s(band, home) * _AWAY_SCANS)
    return {"episodes": episodes_of(heard_s, scan_times_s, away_s), "is_gone": is_gone}


def _outages(
    members: list[BssidRows], rows: IntArray, ground: BssidIndex, setup: Setup, coverage: Coverage
) -> tuple[tuple[float, float | None], ...]:
    """At the spot where it was heard most."""
    spots = ground.sightings.spot[rows]
    home = int(np.bincount(spots).argmax())
    scans_s = coverage.moments(members[0].latest.channel.band, home)
    found = outages_of(ground.sightings.time_s[rows[spots == home]], scans_s)
    return without_switched_off(found, (m.bssid for m in members), setup.done, _SWITCHED_OFF_S)


def _why_grouped(members: list[BssidRows], setup: Setup) -> str:
    if len(members) == 1:
        return ALONE
    names = {m.bssid for m in members}
    if any(len(names & set(known)) > 1 for known in setup.together):
        return BY_HAND
    speaks_for = sum(m.latest.transmitted_by in names for m in members)
    return CERTAIN if speaks_for == len(members) - 1 else PROBABLE


def _client_level(networks: tuple[Network, ...], stays: tuple[Stay, ...]) -> float | None:
    """Median level of the clients at the spot where their radio is strongest: elsewhere it says nothing of the link."""
    at = [item for s in stays for item in s.level_at]
    if not at:
        return None
    home = max(at, key=lambda item: (item[1], item[0]))[0]
    levels = [level for n in networks for c in n.clients for spot, level in c.level_at if spot == home]
    return round(float(np.median(levels)), 2) if levels else None


def _activity(
    air_share: float | None, dwell_s: float, beacons: float, prior: float, own_reported: float | None
) -> tuple[float, str]:
    """Share of time a radio is taken to transmit, and what that rests on. What frames show of seconds is an estimate.

    Of the busy time that an own radio reports, half is taken for its own: how much of it is, it does not say.
    (What foreign ones report counts for their channel as a whole, see analysis.loss.interference_loss.)
    """
    if air_share is not None:
        return min(max(posterior_activity(prior + beacons, air_share, dwell_s), beacons), 1.0), "frames"
    least = min(prior + beacons, 1.0)
    if own_reported is not None and own_reported / 2 > least:
        return own_reported / 2, "half of its BSS load"
    return least, "beacons"


def _name(members: list[BssidRows], channel: Channel, setup: Setup) -> str:
    names = dict(setup.names)
    given = next((names[m.bssid] for m in members if m.bssid in names), None)
    if given is not None:
        return given
    known = [network_name(m.latest.ssid) for m in members if not is_hidden(m.latest.ssid)]
    return known[0] if known else network_name(b"")


def _stays(rows: IntArray, ground: BssidIndex, coverage: Coverage) -> tuple[Stay, ...]:
    """Channels in order of first hearing."""
    sightings, levels_mw, spots = ground.sightings, ground.levels_mw, ground.observations.spots
    codes = ground.channel_of[rows]
    here_codes = present(codes)
    first = np.array([int(np.argmax(codes == code)) for code in here_codes])
    stays = []
    for code in here_codes[np.argsort(first)]:
        channel, found = ground.channels[code], rows[codes == code]
        here = ground.rows_on(channel, found)
        known = sightings.load_utilisation[here]
        known = known[~np.isnan(known)]
        at, there = [], present(sightings.spot[here])
        for spot in there:
            of_spot = here if len(there) == 1 else here[sightings.spot[here] == spot]
            level = ground.level_on(channel, found) if len(there) == 1 else level_dbm(levels_mw[of_spot])
            if level is not None:
                at.append((spots[spot], level))
        stays.append(
            Stay(
                channel=channel,
                presence=coverage.presence(channel.band, sightings.time_s[here], sightings.spot[here]),
                level_dbm=ground.level_on(channel, found),
                level_at=tuple(at),
                reported_utilisation=round(fast_median(known), 4) if len(known) else None,
                first_s=float(sightings.time_s[found[0]]),
                last_s=float(sightings.time_s[found[-1]]),
            )
        )
    return tuple(stays)


def _air_share(members: list[BssidRows], channel: Channel, coverage: Coverage) -> float | None:
    """Airtime of the radio's frames over the time listened on its primary; None when that was too short."""
    dwell_s = coverage.dwell_s(channel.primary_hz)
    timed_s = 0.0
    for member in members:
        for sent in (member.frames, member.nameless):
            if not len(sent.receiver_hz):
                continue
            on_it = np.abs(sent.receiver_hz - channel.primary_hz) < TUNED_HZ
            timed_s += float(sent.airtime_s[on_it].sum())
    if dwell_s < model_constants.LEAST_DWELL_S or not timed_s:
        return None
    return round(min(timed_s / dwell_s, 1.0), 6)
