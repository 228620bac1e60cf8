"""Findings about clients: on the wrong band, at the wrong radio, far away, or slow beside fast ones."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Client, Finding, Radio
from gray_kettle.analysis.findings.facts import Facts, percent, title
from gray_kettle.analysis.loss.channel_assessment import home_spot
from gray_kettle.phy.contention import BURST_US, payload_shares
from gray_kettle.safe_text import dbm

_NEARER_DB = 10.0
_FEWEST_CLIENTS = 2
_BETTER = 0.15
_SLOWER = 3.0  # times as slow as the rest


def _clients(radio: Radio) -> list[Client]:
    return [c for n in radio.networks for c in n.clients]


def _imbalance(facts: Facts) -> Iterator[Finding]:
    """Clients in 2.4 GHz that said they can use a band in which the same box is free."""
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
                severity="watch" if len(able) > there else "note",
                kind="band-imbalance",
                subject=title(radio),
                cause=f"{len(able)} of its {len(clients)} clients said that they can use {sibling.radio.band} GHz, "
                f"where {title(sibling.radio)} carries {there}.",
                effect=f"They share {percent(here)} clear air here; "
                f"there {percent(sibling.now.clear_air)} is free.",
                first_step=f"Steer them: give {sibling.radio.band} GHz a name of its own or prefer it, "
                "and turn 2.4 GHz down by 6 dB.",
                figures={"able": len(able), "clients": len(clients), "there": there},
                radio=radio.id,
                lost=0.05,
                see="heard",
            )


def _sticky(facts: Facts) -> Iterator[Finding]:
    """A client that is weak at its own radio and strong at another of ours with the same name."""
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
            yield Finding(
                severity="watch",
                kind="sticky-client",
                subject=title(radio),
                cause=f"{client.mac} is heard here at {dbm(level)} and much louder where {title(better)} hangs"
                + (f"; so are {len(held) - 1} more." if len(held) > 1 else "."),
                effect="It sends slowly from afar, and takes the air of those that are near.",
                first_step="Switch off low basic rates, help roaming (802.11k, v); less power makes cells end.",
                figures={"clients": [c.mac for c, _, _ in held]},
                radio=radio.id,
                lost=0.04,
                see="heard",
            )


def _far(facts: Facts) -> Iterator[Finding]:
    for view in facts.own:
        if view.client_level_assumed or view.client_level_dbm >= facts.limits.weak_client_dbm:
            continue
        yield Finding(
            severity="watch",
            kind="far-clients",
            subject=title(view.radio),
            cause=f"Half of its clients are heard at {dbm(view.client_level_dbm)} or less; {view.snr_db:.0f} dB "
            f"over the noise ({view.noise_source}).",
            effect="So they send at slow rates, and every exchange takes long.",
            first_step="Bring a radio nearer to where they are.",
            figures={"client_level_dbm": view.client_level_dbm, "snr_db": round(view.snr_db, 1)},
            radio=view.radio.id,
            lost=0.05,
            see="heard",
        )


def _slow(facts: Facts) -> Iterator[Finding]:
    """One client that takes most of a radio's time because its bits take long."""
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
            severity="watch",
            kind="slow-client",
            subject=title(view.radio),
            cause=f"{slowest.mac} sends at {slowest.mbps:g} Mb/s and takes {percent(share)} of its clients' airtime; "
            f"the rest send at {rate:.0f}.",
            effect=f"When both are busy, a fast one beside it gets {percent(float(fast / alone))} of what it would get "
            "beside its like.",
            first_step="Bring it nearer, or give it a cable or another radio; turns equal in time help too.",
            figures={"client": slowest.mac, "share": round(share, 4), "times_as_slow": round(times, 1)},
            radio=view.radio.id,
            lost=0.05,
            see="heard",
        )


RULES = (_imbalance, _sticky, _far, _slow)
