"""What there is to say of one client: where it is, what it can do against what it gets, and what would be better."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Assessment, Client, Radio
from gray_kettle.analysis.findings.facts import percent
from gray_kettle.analysis.inventory.pivots import ClientEntry
from gray_kettle.decode.dot11.security import OPEN
from gray_kettle.phy.rates import schemes, widest_mhz
from gray_kettle.safe_text import network_name

Fact = tuple[str, str, bool]  # what, text, whether it is worth a look
_LOCAL_BIT = 0x02
_WEAK_DBM = -75.0
_BESIDE_DBM = -50.0  # an access point so strong is in the same room as the receiver
_MUCH = 0.3  # more clear air, from which another band is plainly better
_SLOW, _MANY_RETRIES, _ENOUGH_FRAMES = 0.4, 0.2, 50


def top_mbps(client: Client, radio: Radio) -> float | None:
    """The highest rate that a client and its radio have in common; None where it did not say what it can do."""
    if client.generation is None:
        return None
    order = ("b", "g", "a", "n", "ac", "ax", "be")
    generation = min(client.generation, radio.generation, key=order.index)
    width_mhz = min(client.width_mhz or 20, radio.channel.width_mhz, widest_mhz(generation))
    streams = min(client.streams or 1, radio.streams)
    return float(schemes(generation, width_mhz, streams)[1].max())


def client_facts(entry: ClientEntry, assessment: Assessment) -> list[Fact]:
    """In the order in which somebody asks."""
    client, radio = entry.main, entry.radio
    latest = entry.latest
    where = f"{latest.radio.name}, {latest.radio.band} GHz, channel {latest.radio.channel.label}"
    out: list[Fact] = [("with", f"{network_name(latest.network.ssid)} on {where}", False)]
    out += _bands(entry)
    out += _levels(client, radio)
    if client.generation:
        bands = f", names channels in {' and '.join(client.bands)} GHz" if client.bands else ""
        streams = f"{client.streams} stream{'' if client.streams == 1 else 's'}"
        out.append(("can do", f"802.11{client.generation}, {streams}, {client.width_mhz} MHz{bands}", False))
    else:
        out.append(("can do", "not heard: it says so when it joins a network", False))
    top = top_mbps(client, radio)
    if client.mbps is not None:
        share = "" if top is None else f", {percent(client.mbps / top)} of the {top:.0f} that both can do"
        out.append(
            (
                "gets",
                f"{client.mbps:g} Mb/s mean rate of its frames{share}",
                top is not None and client.mbps < _SLOW * top,
            )
        )
    retries = client.retries / client.frames if client.frames else 0.0
    many = retries >= _MANY_RETRIES and client.frames >= _ENOUGH_FRAMES
    out.append(
        (
            "frames",
            f"{entry.frames:,} heard, {percent(entry.retries / max(entry.frames, 1))} of them again",
            many,
        )
    )
    out.append(("air", f"{sum(c.airtime_s for _, c in entry.seen):.1f} s of its frames heard", False))
    out += _security(client, entry)
    if client.asked_for:
        names = ", ".join(network_name(name) for name in client.asked_for[:8])
        out.append(("looks for", f"probe requests name {names}", False))
    if int(entry.key[:2], 16) & _LOCAL_BIT:
        out.append(("address", "made up by the device: it may have another one tomorrow", False))
    return [*out, *could_do_better(entry, assessment)]


def _bands(entry: ClientEntry) -> Iterator[Fact]:
    if len(entry.bands) > 1:
        total = max(entry.frames, 1)
        shares = [
            f"{percent(sum(c.frames for b, c in entry.seen if b.radio.band == band) / total)} in {band} GHz"
            for band in entry.bands
        ]
        yield "bands", f"{' and '.join(shares)}, by frames heard", False


def _levels(client: Client, radio: Radio) -> Iterator[Fact]:
    here = "no level reported" if client.level_dbm is None else f"its frames {client.level_dbm:.0f} dBm"
    beside = f", its access point {radio.level_dbm:.0f} dBm" if radio.level_dbm is not None else ""
    yield "level", f"{here}{beside}, at the receiver".replace("-", "−"), False
    link = client.link
    if link is not None and link.level_dbm is not None:
        rates = [
            f"{word} {mbps:g} Mb/s"
            for word, mbps in (("to it", link.send_mbps), ("from it", link.receive_mbps))
            if mbps is not None
        ]
        more = f", {', '.join(rates)}" if rates else ""
        text = f"{link.level_dbm:.0f} dBm by the counters of the device at its other end{more}"
        yield "link", text.replace("-", "−"), link.level_dbm < _WEAK_DBM


def _level_at_access_point(client: Client, radio: Radio) -> float | None:
    """By the counters of the access point; else by a receiver that was beside it."""
    if client.link is not None and client.link.level_dbm is not None:
        return client.link.level_dbm
    beside = {spot for stay in radio.stays for spot, level in stay.level_at if level >= _BESIDE_DBM}
    return max((level for spot, level in client.level_at if spot in beside), default=None)


def _security(client: Client, entry: ClientEntry) -> Iterator[Fact]:
    offered = sorted({b.network.security for b, _ in entry.seen if b.network.security})
    if client.security:
        yield (
            "security",
            f"{client.security}; its network offers {', '.join(offered) or 'nothing that was heard'}",
            False,
        )
    elif offered:
        is_open = offered == [OPEN]
        text = f"its network offers {', '.join(offered)}; which it uses shows when it joins"
        yield "security", "none: its network is open" if is_open else text, is_open


def could_do_better(entry: ClientEntry, assessment: Assessment) -> list[Fact]:
    """What would be better, and why it is slow; nothing where nothing that was heard says so."""
    client, here = entry.main, entry.latest
    radio = here.radio
    out: list[Fact] = []
    clear_air = {v.radio.id: v.now.clear_air for v in assessment.own if v.now is not None}
    siblings = [r for r in assessment.radios if r.id in radio.siblings and r.band != radio.band]
    for other in siblings:
        same = any(n.ssid == here.network.ssid for n in other.networks)
        able = other.band in client.bands or other.band in entry.bands
        if not same or not able or other.id not in clear_air or radio.id not in clear_air:
            continue
        gain = clear_air[other.id] - clear_air[radio.id]
        if gain >= _MUCH or (gain > 0 and radio.band == "2.4"):
            text = (
                f"It can use {other.band} GHz, where the same access point has {percent(clear_air[other.id])} "
                f"clear air instead of {percent(clear_air[radio.id])}."
            )
            out.append(("better", text, True))
    if (
        not out
        and radio.band == "2.4"
        and siblings
        and client.generation
        and not client.bands
        and len(entry.bands) == 1
    ):
        text = "Whether it can use 5 GHz was not heard: it names its channels when it joins."
        out.append(("other band", text, False))
    top = top_mbps(client, entry.radio)
    if top is not None and client.mbps is not None and client.mbps < _SLOW * top:
        level = _level_at_access_point(client, entry.radio)
        if level is None:
            text = (
                "How strong it is at its access point is not known: a take beside the access point, or its counters, "
                "shows whether distance makes it slow."
            )
            out.append(("why slow", text, False))
        elif level < _WEAK_DBM:
            far = f"Its frames are slow as its signal is weak ({level:.0f} dBm there): it is far from its access point."
            out.append(("why slow", far.replace("-", "−"), True))
        elif client.frames and client.retries / client.frames >= _MANY_RETRIES:
            text = "Its frames are often sent again: interference at its access point, or a hidden station."
            out.append(("why slow", text, True))
    offered = here.network.security
    if client.security and client.security != offered and "WPA3" in offered:
        text = (
            f"Its network offers {offered} and it uses {client.security}: look for a newer driver or setting."
        )
        out.append(("better", text, True))
    return out
