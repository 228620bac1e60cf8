"""Findings about own radios themselves: repeats, moves, beacons, levels, and one that nobody thinks of any more."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding, Radio
from gray_kettle.analysis.findings.facts import (
    FIX_CHANNEL,
    Facts,
    beacons_of,
    best_level_dbm,
    listed,
    percent,
    slowest_mbps,
    title,
)
from gray_kettle.safe_text import dbm, network_name

_SLOW_MBPS = 2
_OLD = {"b", "g", "a", "n"}
_LOUDER_DB = 5.0


def _retries(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        frames = sum(n.frames for n in radio.networks)
        share = radio.retry_share
        if share is None or share < facts.limits.retry_share or frames < facts.limits.fewest_frames:
            continue
        yield Finding(
            severity="watch",
            kind="retries",
            subject=title(radio),
            cause=f"Of {frames:,} frames heard, {percent(share)} were sent again.",
            effect="Each repeat costs the air of the first attempt once more.",
            first_step="Look at what overlaps its channel, then at how far its clients are.",
            figures={"frames": frames, "retry_share": round(share, 4)},
            radio=radio.id,
            see="heard",
        )


def _mover(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        if radio.moves_a_day <= facts.limits.moves_a_day:
            continue
        told = sum(c.announced for c in radio.changes)
        how = (
            ""
            if told == len(radio.changes)
            else f" {len(radio.changes) - told} of them without telling its clients."
        )
        yield Finding(
            severity="watch",
            kind="own-mover",
            subject=title(radio),
            cause=f"It changed channel {radio.moves} times in this window, up to {radio.moves_a_day} in a day: "
            "automatic selection does not settle.",
            effect=f"Every change drops its clients for seconds.{how}",
            first_step=FIX_CHANNEL,
            figures={
                "moves": radio.moves,
                "moves_a_day": radio.moves_a_day,
                "channels": [s.channel.label for s in radio.stays],
            },
            radio=radio.id,
            lost=0.1,
            see="plan",
        )


def _beacons(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        share = beacons_of(radio)
        if share < facts.limits.beacon_share:
            continue
        yield Finding(
            severity="watch",
            kind="beacons",
            subject=title(radio),
            cause=f"{len(radio.networks)} networks are announced at {slowest_mbps(radio):g} Mb/s.",
            effect=f"Beacons alone take {percent(share)} of its channel.",
            first_step="Announce fewer networks, and switch off basic rates below 12 Mb/s.",
            figures={"networks": len(radio.networks), "beacon_share": round(share, 4)},
            radio=radio.id,
            lost=share,
            see="heard",
        )


def _slow_rates(facts: Facts) -> Iterator[Finding]:
    slow = [v.radio for v in facts.own if v.radio.band == "2.4" and slowest_mbps(v.radio) <= _SLOW_MBPS]
    if not slow:
        return
    shares = {title(r): round(beacons_of(r), 4) for r in slow}
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


def _weak(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        level = best_level_dbm(radio)
        if radio.level_dbm is None or level >= facts.limits.weak_own_dbm:
            continue
        yield Finding(
            severity="note",
            kind="weak-own",
            subject=title(radio),
            cause=f"It is heard at {dbm(level)} where it is strongest.",
            effect="Where this was measured it gives slow rates, if any.",
            first_step="Measure where people use it; add coverage there if it is as weak.",
            figures={"level_dbm": level},
            radio=radio.id,
            see="heard",
        )


def _coverage(facts: Facts) -> Iterator[Finding]:
    """A spot where our best is low, and where somebody else's is the louder one."""
    bands = sorted({v.radio.band for v in facts.own})
    for band in bands:
        best: dict[str, tuple[float, Radio]] = {}
        other: dict[str, tuple[float, Radio]] = {}
        for radio in facts.radios:
            for spot, level in radio.stay.level_at if radio.band == band else ():
                loudest = best if radio.own else other
                if spot not in loudest or level > loudest[spot][0]:
                    loudest[spot] = (level, radio)
        for spot, (level, theirs) in sorted(other.items()):
            ours = best.get(spot)
            if ours is None or ours[0] >= facts.limits.coverage_dbm or level < ours[0] + _LOUDER_DB:
                continue
            yield Finding(
                severity="watch" if ours[0] < facts.limits.weak_own_dbm else "note",
                kind="coverage",
                subject=f"{spot or 'the spot'}, {band} GHz",
                cause=f"Our best there is {title(ours[1])} at {dbm(ours[0])}; {theirs.name} stands at {dbm(level)}.",
                effect=f"Clients get slow rates from us, and wait for one that is {level - ours[0]:.0f} dB louder.",
                first_step="If people use it there: add a radio near, or move one; more power helps one way only.",
                figures={"own_dbm": ours[0], "other_dbm": level},
                radio=ours[1].id,
                see="heard",
            )


def _forgotten(facts: Facts) -> Iterator[Finding]:
    """An own radio with a name that no other has, that nobody uses, and that is old."""
    for view in facts.own:
        radio = view.radio
        elsewhere = {n.ssid for v in facts.own if v.radio.id != radio.id for n in v.radio.networks}
        used = any(n.clients or n.load_stations for n in radio.networks)
        is_old = radio.generation in _OLD or slowest_mbps(radio) <= _SLOW_MBPS
        if used or not is_old or any(n.ssid in elsewhere for n in radio.networks) or len(facts.own) < 2:
            continue
        names = listed(network_name(n.ssid) for n in radio.networks)
        affected = [
            (loss_cause.share_lost, title(v.radio))
            for v in facts.own
            if v.now
            for loss_cause in v.now.losses
            if loss_cause.radio == radio.id
        ]
        cost = f" {max(affected)[1]} loses {percent(max(affected)[0])} to it." if affected else ""
        yield Finding(
            severity="watch",
            kind="forgotten",
            subject=title(radio),
            cause=f"It announces {names}, that none of our other radios has, and nobody was heard to use it.",
            effect=f"Its beacons take {100 * beacons_of(radio):.1f} % of channel {radio.channel.primary} "
            f"for nothing.{cost}",
            first_step="Ask who might miss it, then switch it off.",
            figures={
                "beacon_share": round(beacons_of(radio), 4),
                "lost": {name: share for share, name in affected},
            },
            radio=radio.id,
            lost=max((s for s, _ in affected), default=0.0),
            see="heard",
        )


def _unsteady(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        if radio.swing_db is None or radio.swing_db < facts.limits.swing_db or radio.moves:
            continue
        yield Finding(
            severity="note",
            kind="unsteady",
            subject=title(radio),
            cause=f"At one spot its level spreads over {radio.swing_db:.0f} dB, from the lowest tenth to the highest.",
            effect="At its low moments clients fall to slow rates or to another radio.",
            first_step="Look for what moves between: doors, vehicles, people; or an antenna or cable that is loose.",
            figures={"swing_db": radio.swing_db},
            radio=radio.id,
            see="heard",
        )


RULES = (_retries, _mover, _beacons, _slow_rates, _weak, _coverage, _forgotten, _unsteady)
