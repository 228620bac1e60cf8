"""What is wrong, with its cause, its effect in figures and a first step. Worst first by time lost.

A rule is a function from what is known of one radio (or of all) to findings. Steps that are a change of channel are
worded by the plan, which knows where to go; here they say what kind of step it is.
"""

from collections.abc import Iterator

from gray_kettle.decode.security import is_outdated
from gray_kettle.judge import settings
from gray_kettle.judge.assessment import Emitter, Finding, Harm, OwnView, PlaceView, Radio
from gray_kettle.judge.emitter_findings import of_emitters
from gray_kettle.safe_text import dbm, network_name

SEVERITIES = ("act", "watch", "note")
# The plan puts its own figures in the place of these two.
CHANGE_CHANNEL = "Change its channel: see the plan."
FIX_CHANNEL = "Give it a fixed channel: see the plan."
_RASTER_2_4 = (1, 6, 11)


def find(
    radios: tuple[Radio, ...],
    own: tuple[OwnView, ...],
    places: tuple[PlaceView, ...],
    emitters: tuple[Emitter, ...] = (),
) -> tuple[Finding, ...]:
    """Every finding, worst first; the order does not depend on the order of the radios."""
    found: list[Finding] = []
    for view in own:
        for rule in (_off_raster, _wide_in_2_4, _co_channel, _overlap, _secondary_busy, _margin, _own_radio):
            found += rule(view)
    for radio in radios:
        found += _any_radio(radio)
    found += _slow_rates(own)
    found += _chase(radios)
    found += _outdated(radios)
    found += _busy_places(places, own)
    found += of_emitters(emitters, own)
    return tuple(sorted(found, key=lambda f: (SEVERITIES.index(f.severity), -f.lost, f.kind, f.subject)))


def title(radio: Radio) -> str:
    """A radio as a sentence begins with it: "hall 2.4 GHz"."""
    return f"{radio.name} {radio.band} GHz"


# What a kind says in a few words behind its subject.
HEADLINES = {
    "off-raster": "sits between two places",
    "wide-in-2.4": "is too wide for 2.4 GHz",
    "co-channel": "shares its channel",
    "overlap": "is overlapped from the side",
    "wide-secondary-busy": "is wider than there is room",
    "margin": "stands barely over its neighbour",
    "retries": "sends much again",
    "own-mover": "does not settle on a channel",
    "beacons": "spends its air on beacons",
    "low-basic-rates": "announce at a crawl",
    "weak-own": "is weak where it was measured",
    "foreign-mover": "wanders",
    "chase": "and a neighbour chase each other",
    "outdated-security": "outdated cipher",
    "high-utilisation": "is busy",
    "emitter": "is on the air",
}


def percent(share: float) -> str:
    return f"{100 * share:.0f} %"


def _severity(lost: float) -> str:
    return "act" if lost >= settings.ACT_LOST else "watch" if lost >= settings.WATCH_LOST else "note"


def _of_kind(view: OwnView, kind: str) -> list[Harm]:
    return [h for h in view.now.harms if h.kind == kind] if view.now else []


def _joined_loss(harms: list[Harm]) -> float:
    left = 1.0
    for harm in harms:
        left *= 1 - harm.share_lost
    return 1 - left


def _named(harms: list[Harm], most: int = 3) -> str:
    names = list(
        dict.fromkeys(f"{h.name} on {h.channel.label} ({dbm(h.level_dbm)})" for h in harms if h.channel)
    )
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def _off_raster(view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if radio.band != "2.4" or radio.channel.primary in _RASTER_2_4 or view.now is None:
        return
    neighbours = _of_kind(view, "adjacent")
    lost = view.now.adjacent_lost
    yield Finding(
        severity=_severity(max(lost, settings.WATCH_LOST)),
        kind="off-raster",
        subject=title(radio),
        cause=f"It sits on channel {radio.channel.primary}, between the places 1, 6 and 11, and overlaps both sides.",
        effect=f"{percent(lost)} of its time is lost to overlapping neighbours"
        + (f": {_named(neighbours)}." if neighbours else "."),
        first_step=CHANGE_CHANNEL,
        figures={"channel": radio.channel.primary, "adjacent_lost": lost, "neighbours": len(neighbours)},
        radio=radio.id,
        lost=lost,
        see="plan",
    )


def _wide_in_2_4(view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if radio.band != "2.4" or radio.channel.width_mhz == 20 or view.now is None:
        return
    lost = _joined_loss(_of_kind(view, "secondary") + _of_kind(view, "adjacent"))
    yield Finding(
        severity=_severity(max(lost, settings.WATCH_LOST)),
        kind="wide-in-2.4",
        subject=title(radio),
        cause=f"It is {radio.channel.width_mhz} MHz wide on {radio.channel.label}: half of the whole band.",
        effect=f"Neighbours on either half take {percent(lost)} of its time; it disturbs all of them in turn.",
        first_step="Set its width to 20 MHz.",
        figures={"width_mhz": radio.channel.width_mhz, "lost": lost},
        radio=radio.id,
        lost=lost * 0.99,  # beside "off-raster" the place is the first thing to change
        see="plan",
    )


def _co_channel(view: OwnView) -> Iterator[Finding]:
    harms = _of_kind(view, "co-channel")
    lost = _joined_loss(harms)
    if lost < settings.WATCH_LOST:
        return
    radio = view.radio
    yield Finding(
        severity=_severity(lost),
        kind="co-channel",
        subject=title(radio),
        cause=f"It shares channel {radio.channel.primary} with {_named(harms)}.",
        effect=f"They take {percent(lost)} of its time.",
        first_step=CHANGE_CHANNEL,
        figures={"radios": len({h.radio for h in harms}), "lost": lost},
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _overlap(view: OwnView) -> Iterator[Finding]:
    """Partly overlapping neighbours of a radio that sits well itself."""
    radio, harms = view.radio, _of_kind(view, "adjacent")
    lost = _joined_loss(harms)
    if lost < settings.WATCH_LOST or (radio.band == "2.4" and radio.channel.primary not in _RASTER_2_4):
        return
    yield Finding(
        severity=_severity(lost),
        kind="overlap",
        subject=title(radio),
        cause=f"{_named(harms)} reach into its channel from the side; neither gives way to the other.",
        effect=f"{percent(lost)} of its time is lost to frames that collide.",
        first_step=CHANGE_CHANNEL,
        figures={"radios": len({h.radio for h in harms}), "lost": lost},
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _secondary_busy(view: OwnView) -> Iterator[Finding]:
    radio, harms = view.radio, _of_kind(view, "secondary")
    lost = _joined_loss(harms)
    if radio.band == "2.4" or lost < settings.WATCH_LOST:
        return
    yield Finding(
        severity="watch" if lost >= settings.ACT_LOST else "note",
        kind="wide-secondary-busy",
        subject=title(radio),
        cause=f"Its {radio.channel.width_mhz} MHz reach over places that others use: {_named(harms)}.",
        effect=f"In {percent(lost)} of the time it falls back to a narrower channel.",
        first_step=CHANGE_CHANNEL,
        figures={"width_mhz": radio.channel.width_mhz, "lost": lost},
        radio=radio.id,
        lost=lost / 2,
        see="plan",
    )


def _margin(view: OwnView) -> Iterator[Finding]:
    radio, now = view.radio, view.now
    if now is None or now.co_channel_strongest_dbm is None or radio.level_dbm is None:
        return
    if now.co_channel_lost >= settings.WATCH_LOST:
        return  # said already, and worse
    margin_db = best_level_dbm(radio) - now.co_channel_strongest_dbm
    if margin_db >= settings.LEAST_MARGIN_DB or now.co_channel_strongest_dbm < settings.STRONG_NEIGHBOUR_DBM:
        return
    yield Finding(
        severity="note",
        kind="margin",
        subject=title(radio),
        cause=f"The strongest other radio on its channel is heard at {dbm(now.co_channel_strongest_dbm)}.",
        effect=f"It stands only {margin_db:.0f} dB over it; {settings.LEAST_MARGIN_DB:g} dB are wanted.",
        first_step=CHANGE_CHANNEL,
        figures={"margin_db": round(margin_db, 1), "strongest_dbm": now.co_channel_strongest_dbm},
        radio=radio.id,
        see="heard",
    )


def _own_radio(view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    frames = sum(n.frames for n in radio.networks)
    if (
        radio.retry_share is not None
        and radio.retry_share >= settings.RETRY_SHARE
        and frames >= settings.FEWEST_FRAMES
    ):
        yield Finding(
            severity="watch",
            kind="retries",
            subject=title(radio),
            cause=f"Of {frames:,} frames heard, {percent(radio.retry_share)} were sent again.",
            effect="Each repeat costs the air of the first attempt once more.",
            first_step="Look at what overlaps its channel, then at how far its clients are.",
            figures={"frames": frames, "retry_share": round(radio.retry_share, 4)},
            radio=radio.id,
            see="heard",
        )
    if radio.moves > settings.MOVES_OF_A_MOVER:
        yield Finding(
            severity="watch",
            kind="own-mover",
            subject=title(radio),
            cause=f"It changed channel {radio.moves} times in this window: automatic selection does not settle.",
            effect="Every change drops its clients for seconds.",
            first_step=FIX_CHANNEL,
            figures={"moves": radio.moves, "channels": [s.channel.label for s in radio.stays]},
            radio=radio.id,
            lost=0.1,
            see="plan",
        )
    beacons = sum(n.beacon_share for n in radio.networks)
    if beacons >= settings.BEACON_SHARE:
        yield Finding(
            severity="watch",
            kind="beacons",
            subject=title(radio),
            cause=f"{len(radio.networks)} networks are announced at {_slowest(radio):g} Mb/s.",
            effect=f"Beacons alone take {percent(beacons)} of its channel.",
            first_step="Announce fewer networks, and switch off basic rates below 12 Mb/s.",
            figures={"networks": len(radio.networks), "beacon_share": round(beacons, 4)},
            radio=radio.id,
            lost=beacons,
            see="heard",
        )
    if radio.level_dbm is not None and best_level_dbm(radio) < settings.WEAK_OWN_DBM:
        yield Finding(
            severity="note",
            kind="weak-own",
            subject=title(radio),
            cause=f"It is heard at {dbm(best_level_dbm(radio))} where it is strongest.",
            effect="Where this was measured it gives slow rates, if any.",
            first_step="Measure where people use it; add coverage there if it is as weak.",
            figures={"level_dbm": best_level_dbm(radio)},
            radio=radio.id,
            see="heard",
        )


def best_level_dbm(radio: Radio) -> float:
    """Level at the spot where the radio is strongest; -200 when none was told."""
    return max((level for _, level in radio.stay.level_at), default=-200.0)


def _slow_rates(own: tuple[OwnView, ...]) -> Iterator[Finding]:
    slow = [v.radio for v in own if v.radio.band == "2.4" and _slowest(v.radio) <= 2]
    if not slow:
        return
    shares = {title(r): round(sum(n.beacon_share for n in r.networks), 4) for r in slow}
    worst = max(shares, key=lambda name: (shares[name], name))
    yield Finding(
        severity="note",
        kind="low-basic-rates",
        subject=f"{len(slow)} own radio{'s' * (len(slow) > 1)}, 2.4 GHz",
        cause=f"They send beacons at 1 or 2 Mb/s: {', '.join(shares)}.",
        effect=f"On {worst} beacons take {percent(shares[worst])} of the air, and far clients hang on at a crawl.",
        first_step="Make 12 Mb/s the lowest basic rate, if no client is older than that.",
        figures={"beacon_shares": shares},
        see="heard",
    )


def _slowest(radio: Radio) -> float:
    rates = [rate for n in radio.networks for rate in n.basic_rates_mbps]
    return min(rates, default=6.0)


def _any_radio(radio: Radio) -> Iterator[Finding]:
    if not radio.own and radio.moves > settings.MOVES_OF_A_MOVER:
        places = " → ".join(s.channel.label for s in radio.stays[:5]) + (" …" if len(radio.stays) > 5 else "")
        yield Finding(
            severity="note",
            kind="foreign-mover",
            subject=title(radio),
            cause=f"This foreign radio changed channel {radio.moves} times: {places}.",
            effect="Wherever it goes it is taken for present for its share of the time.",
            first_step="Keep own radios on fixed channels, so that the two do not chase each other.",
            figures={"moves": radio.moves, "channels": [s.channel.label for s in radio.stays]},
            see="heard",
        )


def _chase(radios: tuple[Radio, ...]) -> Iterator[Finding]:
    movers = [r for r in radios if r.moves > settings.MOVES_OF_A_MOVER]
    for mine in (r for r in movers if r.own):
        for theirs in (r for r in movers if not r.own and r.band == mine.band):
            shared = {s.channel.centre_hz for s in mine.stays} & {s.channel.centre_hz for s in theirs.stays}
            if len(shared) >= 2:
                yield Finding(
                    severity="watch",
                    kind="chase",
                    subject=title(mine),
                    cause=f"It and {theirs.name} take turns on {len(shared)} channels: "
                    "two automatic radios answer each other.",
                    effect=f"{mine.moves} changes on our side, {theirs.moves} on theirs; "
                    "each drops clients for seconds.",
                    first_step=FIX_CHANNEL,
                    figures={
                        "own_moves": mine.moves,
                        "their_moves": theirs.moves,
                        "shared_channels": len(shared),
                    },
                    radio=mine.id,
                    lost=0.12,
                    see="plan",
                )


def _outdated(radios: tuple[Radio, ...]) -> Iterator[Finding]:
    for own in (True, False):
        weak = sorted(
            {
                network_name(n.ssid)
                for r in radios
                if r.own is own
                for n in r.networks
                if is_outdated(n.security)
            }
        )
        if weak:
            yield Finding(
                severity="watch" if own else "note",
                kind="outdated-security",
                subject=", ".join(weak[:4]),
                cause=f"{len(weak)} {'own' if own else 'foreign'} network{'s' * (len(weak) > 1)} "
                "still allow an outdated cipher.",
                effect="Such a cipher can be broken, and it holds clients at 54 Mb/s."
                if own
                else "No harm to us.",
                first_step="Allow WPA2 with CCMP or WPA3 only."
                if own
                else "Nothing to do; tell them if you meet them.",
                figures={"networks": weak},
                see="heard",
            )


def _busy_places(places: tuple[PlaceView, ...], own: tuple[OwnView, ...]) -> Iterator[Finding]:
    for place in places:
        used = place.utilisation
        mine = [
            v.radio
            for v in own
            if (v.radio.band, v.radio.channel.primary) == (place.channel.band, place.channel.primary)
        ]
        if used.value is None or used.value < settings.HIGH_UTILISATION or not mine:
            continue
        yield Finding(
            severity="watch",
            kind="high-utilisation",
            subject=f"channel {place.channel.primary}, {place.channel.band} GHz",
            cause=f"It is busy {percent(used.value)} of the time "
            f"(source: {used.source}, confidence {used.confidence}).",
            effect=f"{', '.join(title(r) for r in mine)} must wait that long to send.",
            first_step="See in the plan whether another place serves it better; else a cable for what does not move.",
            figures={"utilisation": used.value, "source": used.source},
            radio=mine[0].id,
            lost=used.value / 4,
            see="air",
        )
