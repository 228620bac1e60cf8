"""One BSSID as the answers show it: its network, rates, clients, and where else it was heard."""

import numpy as np

from gray_kettle.analysis.assessment import Network, OffChannel
from gray_kettle.analysis.inventory.stations import clients_of, rates_of
from gray_kettle.analysis.observed.bssid_index import (
    TUNED_HZ,
    BssidIndex,
    BssidRows,
    StationInfo,
    fast_median,
)
from gray_kettle.analysis.observed.coverage import channel_at
from gray_kettle.phy.airtime import beacon_share

_USUAL_BEACON_BYTES = 250  # a listing does not report the length of a beacon


def network_of(one: BssidRows, ground: BssidIndex, about: StationInfo) -> Network:
    """The network of one BSSID, as it was last heard."""
    sightings, latest = ground.sightings, one.latest
    here = ground.rows_on(latest.channel, one.rows)
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
        load_utilisation=round(fast_median(busy), 4) if len(busy) else None,
        basic_rates_mbps=latest.basic_rates_mbps,
        level_dbm=ground.level_on(latest.channel, one.rows),
        frames=int(one.frames.frames.sum()),
        retries=int(one.frames.retries.sum()),
        # Cases of before 0.8 do not know how many of the frames could be sent again.
        retriable=int(one.frames.retriable.sum()) or int(one.frames.frames.sum()),
        clients=clients_of(one.bssid, one.frames, about, ground.observations.spots),
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
        off_channel=_off_channel(one, ground),
        first_s=float(sightings.time_s[one.rows[0]]),
        last_s=float(sightings.time_s[one.rows[-1]]),
    )


def _off_channel(one: BssidRows, ground: BssidIndex) -> tuple[OffChannel, ...]:
    """Where else it was heard; channels of the receiver in order."""
    sightings = ground.sightings
    away = one.rows[ground.away_hz[one.rows] > TUNED_HZ]
    if not len(away):
        return ()
    out = []
    for hz in np.unique(sightings.receiver_hz[away]).tolist():
        rows = away[sightings.receiver_hz[away] == hz]
        band, number = channel_at(hz)
        if not band:  # the receiver reported a frequency without a channel
            continue
        level_mw, levels = sightings.level_mw[rows].sum(), sightings.levels[rows].sum()
        level = round(float(10 * np.log10(level_mw / levels)), 2) if levels else None
        out.append(OffChannel(band, number, int(sightings.frames[rows].sum()), level))
    return tuple(out)
