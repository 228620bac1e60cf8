"""Findings about clients: on the wrong band, on the wrong radio, weak, or slow beside fast ones."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Client, Finding, Radio
from gray_kettle.analysis.figures import BandImbalance, SlowClient, StickyClients, WeakClients
from gray_kettle.analysis.findings.facts import Facts, count, percent, title
from gray_kettle.analysis.loss.channel_assessment import home_spot
from gray_kettle.model.enums import FindingKind, Severity
from gray_kettle.phy.contention import BURST_US, payload_shares
from gray_kettle.safe_text import dbm

_NEARER_DB = 10.0
_FEWEST_CLIENTS = 2
_BETTER = 0.15
_SLOWER = 3.0  # times as slow as the rest


def _clients(radio: Radio) -> list[Client]:
    return [c for n in radio.networks for c in n.clients]


def _imbalance(facts: Facts) -> Iterator[Finding]:
    """2.4 GHz clients that advertised support for a band in which the same access point is free."""
    for view in facts.own:
        radio = view.radio
        if radio.band != "2.4" or view.now is None:
            continue
        clients, here = _clients(radio), view.now.clear_air
        for sibling in (facts.view(s) for s in radio.siblings):
            if sibling is None or sibling.now is None or sibling.now.clear_air < here + _BETTER:
                continue
            able = [c for c in clients if sibling.radio.band in c.bands]
            there = len(_clients(sibling.radio))
            if len(able) < _FEWEST_CLIENTS or len(able) < there:
                continue
            yield Finding(
                severity=Severity.WATCH if len(able) > there else Severity.NOTE,
                kind=FindingKind.BAND_IMBALANCE,
                subject=title(radio),
                cause=f"{len(able)} of its {count(len(clients), 'client')} support {sibling.radio.band} GHz, "
                f"where {title(sibling.radio)} serves {there}.",
                effect=f"They share {percent(here)} clear air here; "
                f"{percent(sibling.now.clear_air)} is free there.",
                first_step=f"Steer them to {sibling.radio.band} GHz: prefer it or give it its own SSID, "
                "and reduce the 2.4 GHz transmit power by 6 dB.",
                figures=BandImbalance(len(able), len(clients), there),
                radio=radio.id,
                lost=0.05,
                see="heard",
            )


def _sticky(facts: Facts) -> Iterator[Finding]:
    """A client that is weak at its own radio and strong at another of ours with the same SSID."""
    for view in facts.own:
        radio, home = view.radio, home_spot(view.radio)
        held = []
        for network in radio.networks:
            others = [
                v.radio
                for v in facts.own
                if v.radio.id != radio.id
                and v.radio.band == radio.band
                and any(n.ssid == network.ssid for n in v.radio.networks)
            ]
            for client in network.clients:
                at = dict(client.level_at)
                here = at.get(home or "")
                near = [
                    r
                    for r in others
                    if here is not None and at.get(home_spot(r) or "", -200) > here + _NEARER_DB
                ]
                if near and here is not None and here < facts.limits.weak_client_dbm:
                    held.append((client, here, near[0]))
        if held:
            client, level, better = held[0]
            more = (
                f" {count(len(held) - 1, 'more client does', 'more clients do')} the same."
                if held[1:]
                else ""
            )
            yield Finding(
                severity=Severity.WATCH,
                kind=FindingKind.STICKY_CLIENT,
                subject=title(radio),
                cause=f"{client.label} stays connected here at {dbm(level)}, though it is much stronger near "
                f"{title(better)}.{more}",
                effect="It sends at low rates from far away and takes airtime from nearby clients.",
                first_step="Disable low basic rates, enable 802.11k and v, and reduce the transmit power.",
                figures=StickyClients(tuple(c.mac for c, _, _ in held)),
                radio=radio.id,
                lost=0.04,
                see="heard",
            )


def _weak(facts: Facts) -> Iterator[Finding]:
    for view in facts.own:
        if view.client_level_assumed or view.client_level_dbm >= facts.limits.weak_client_dbm:
            continue
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.FAR_CLIENTS,
            subject=title(view.radio),
            cause=f"Half of its clients are received at {dbm(view.client_level_dbm)} or less, an SNR of "
            f"{view.snr_db:.0f} dB (noise: {view.noise_source}).",
            effect="They send at low rates, and every exchange takes long.",
            first_step="Bring an access point closer to them.",
            figures=WeakClients(view.client_level_dbm, round(view.snr_db, 1)),
            radio=view.radio.id,
            lost=0.05,
            see="heard",
        )


def _slow(facts: Facts) -> Iterator[Finding]:
    """One client that takes most of a radio's airtime because its data rate is low."""
    for view in facts.own:
        clients = [c for c in _clients(view.radio) if c.airtime_s > 0 and c.mbps]
        total_s = sum(c.airtime_s for c in clients)
        if len(clients) < 2 or sum(c.frames for c in clients) < facts.limits.fewest_frames:
            continue
        slowest = max(clients, key=lambda c: (c.airtime_s, c.mac))
        rest = [c for c in clients if c is not slowest]
        rate = sum((c.mbps or 0) * c.airtime_s for c in rest) / sum(c.airtime_s for c in rest)
        share = slowest.airtime_s / total_s
        times = rate / (slowest.mbps or rate)
        if share < facts.limits.slow_client_share or times < _SLOWER:
            continue
        fast, alone = (
            payload_shares([BURST_US, BURST_US * times])[0],
            payload_shares([BURST_US, BURST_US])[0],
        )
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.SLOW_CLIENT,
            subject=title(view.radio),
            cause=f"{slowest.label} sends at {slowest.mbps:g} Mb/s and takes {percent(share)} of the clients' airtime; "
            f"the others send at {rate:.0f} Mb/s.",
            effect=f"When both are busy, a fast client gets {percent(float(fast / alone))} of the throughput that "
            "it would get beside another fast one.",
            first_step="Move it closer, connect it by cable or to another radio. Airtime fairness helps too.",
            figures=SlowClient(slowest.mac, round(share, 4), round(times, 1)),
            radio=view.radio.id,
            lost=0.05,
            see="heard",
        )


RULES = (_imbalance, _sticky, _weak, _slow)
