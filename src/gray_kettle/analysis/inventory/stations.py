"""Clients: who exchanges frames with which BSSID, what each can do, and what its link's own counters report."""

import math
from collections.abc import Mapping, Sequence

import numpy as np

from gray_kettle.analysis.assessment import Client, Link, Rate
from gray_kettle.analysis.observed.bssid_index import StationInfo
from gray_kettle.analysis.observed.traffic_totals import TrafficTotals
from gray_kettle.decode.dot11.mac_headers import address, address_number
from gray_kettle.model.records import ClientCapability, FloatArray, IntArray, Links, Observations
from gray_kettle.phy.modes import generation_of, table

_GROUP_BIT = 40
_LADDER = ("", "b", "g", "a", "n", "ac", "ax", "be")


def sums(which: IntArray, values: FloatArray | IntArray, count: int) -> FloatArray:
    """Sums of values by group; shape (count,)."""
    return np.bincount(which, weights=values.astype(np.float64), minlength=count).astype(np.float64)


def clients_of(
    bssid: str,
    frames: TrafficTotals,
    about: StationInfo,
    spots: Sequence[str],
) -> tuple[Client, ...]:
    """Everyone but the access point who sent frames in a BSSID; frames: those of it."""
    own = address_number(bssid)
    if not len(frames.frames) or (frames.transmitter == own).all():
        return ()
    usable = (
        (frames.transmitter != 0) & (frames.transmitter != own) & (frames.transmitter >> _GROUP_BIT & 1 == 0)
    )
    if not usable.any():
        return ()
    frames = frames.rows(usable)
    macs, which = np.unique(frames.transmitter, return_inverse=True)
    counts, retries, levels, level_mw = (
        sums(which, column, len(macs))
        for column in (frames.frames, frames.retries, frames.levels, frames.level_mw)
    )
    airtime_s = sums(which, frames.airtime_s, len(macs))
    first_s, last_s = np.full(len(macs), np.iinfo(np.int64).max), np.zeros(len(macs), np.int64)
    np.minimum.at(first_s, which, frames.first_s)
    np.maximum.at(last_s, which, frames.last_s)
    bits = sums(which, np.where(frames.airtime_s > 0, 8 * frames.octets, 0), len(macs))
    at: dict[int, list[tuple[str, float]]] = {}
    for spot in np.unique(frames.spot).tolist():
        here = frames.spot == spot
        mw, count = (sums(which[here], c[here], len(macs)) for c in (frames.level_mw, frames.levels))
        for n in np.flatnonzero(count).tolist():
            at.setdefault(n, []).append((spots[spot], _mean_dbm(mw[n], count[n]) or 0.0))
    out = []
    for k, mac in enumerate(macs.tolist()):
        text = address(mac)
        level = _mean_dbm(level_mw[k], levels[k])
        can = about.capabilities.get(text)
        out.append(
            Client(
                mac=text,
                level_dbm=level,
                frames=int(counts[k]),
                retries=int(retries[k]),
                generation=can.generation if can else None,
                streams=can.streams if can else None,
                width_mhz=can.width_mhz if can else None,
                channels=can.channels if can else (),
                link=about.links.get(text),
                airtime_s=round(float(airtime_s[k]), 6),
                mbps=round(float(bits[k] / airtime_s[k] / 1e6), 1) if airtime_s[k] else None,
                level_at=tuple(at.get(k, ())),
                name=about.given.get(text, ""),
                security=can.security if can else "",
                asked_for=about.asked_for.get(text, ()),
                first_s=float(first_s[k]),
                last_s=float(last_s[k]),
            )
        )
    return tuple(out)


def _mean_dbm(level_mw: float, levels: float) -> float | None:
    return round(float(10 * np.log10(level_mw / levels)), 2) if levels else None


def rates_of(frames: TrafficTotals) -> tuple[Rate, ...]:
    """How often each data rate was used, slow to fast; frames whose rate was not reported are skipped."""
    by_mode: dict[int, tuple[int, int]] = {}
    columns = (frames.mode.tolist(), frames.frames.tolist(), frames.retries.tolist())
    for mode, count, again in zip(*columns, strict=True):
        had = by_mode.get(mode, (0, 0))
        by_mode[mode] = had[0] + count, had[1] + again
    found: dict[tuple[float, str], tuple[int, int]] = {}
    mbps = table().rate_mbps
    for mode, (count, again) in by_mode.items():
        if mode and not math.isnan(mbps[mode]):
            key = (round(float(mbps[mode]), 1), generation_of(mode))
            had = found.get(key, (0, 0))
            found[key] = had[0] + count, had[1] + again
    return tuple(Rate(rate, generation, *found[rate, generation]) for rate, generation in sorted(found))


def capabilities_by_mac(observations: Observations) -> dict[str, ClientCapability]:
    """The most that each device said it can do, over all of its requests."""
    out: dict[str, ClientCapability] = {}
    for known in observations.capabilities:
        had = out.get(known.mac)
        if had is None:
            out[known.mac] = known
            continue
        best = max(had, known, key=lambda a: (bool(a.bssid), _LADDER.index(a.generation), a.width_mhz, a.mac))
        channels = tuple(sorted(set(had.channels) | set(known.channels)))
        out[known.mac] = ClientCapability(
            known.mac,
            best.bssid,
            best.ssid,
            best.band,
            max(had.generation, known.generation, key=_LADDER.index),
            max(had.streams, known.streams),
            max(had.width_mhz, known.width_mhz),
            channels,
            tuple(sorted(set(had.roaming) | set(known.roaming))),
            best.security or had.security or known.security,
        )
    return out


def asked_for_by_mac(observations: Observations) -> dict[str, tuple[bytes, ...]]:
    """Names that devices probed for; most name none."""
    out: dict[str, set[bytes]] = {}
    for known in observations.capabilities:
        if not known.bssid and known.ssid:
            out.setdefault(known.mac, set()).add(known.ssid)
    return {mac: tuple(sorted(names)) for mac, names in out.items()}


def names_asked_for(observations: Observations) -> dict[str, bytes]:
    """Names of networks by BSSID, from clients that asked to join: they say them even where beacons do not."""
    return {a.bssid: a.ssid for a in observations.capabilities if a.bssid and a.ssid}


def links_by_station(observations: Observations, given: Mapping[str, str]) -> dict[str, Link]:
    """What the counters of each link gained in the window; all that they hold where there is one reading alone.

    given: names of devices, by address.
    """
    links = observations.links
    found = {}
    for mac in np.unique(links.station).tolist():
        text = address(mac)
        found[text] = _link(mac, links.rows(links.station == mac), given.get(text, ""))
    return found


def _link(mac: int, rows: Links, name: str) -> Link:
    sent, retried, failed = (_gained(column) for column in (rows.sent, rows.retried, rows.failed))
    known = rows.level_dbm[~np.isnan(rows.level_dbm)]
    return Link(
        station=address(mac),
        level_dbm=round(float(np.median(known)), 2) if len(known) else None,
        sent=sent,
        retry_share=min(retried / sent, 1.0) if sent and retried is not None else None,
        failed_share=min(failed / sent, 1.0) if sent and failed is not None else None,
        send_mbps=_last(rows.send_mbps),
        receive_mbps=_last(rows.receive_mbps),
        first_s=float(rows.time_s[0]),
        last_s=float(rows.time_s[-1]),
        name=name,
    )


def _gained(counter: FloatArray) -> float | None:
    """By how much a counter grew; where it began anew, that counts from 0. One reading counts whole."""
    known = counter[~np.isnan(counter)]
    if not len(known):
        return None
    if len(known) == 1:
        return float(known[0])
    steps = np.diff(known)
    return float(np.where(steps < 0, known[1:], steps).sum())


def _last(values: FloatArray) -> float | None:
    known = values[~np.isnan(values)]
    return float(known[-1]) if len(known) else None
