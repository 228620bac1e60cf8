"""Findings about own radios themselves: retries, channel changes, beacons, levels, and unused ones."""

import math
from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding, Radio
from gray_kettle.analysis.figures import (
    BasicRates,
    BeaconAirtime,
    ChannelChanges,
    Coverage,
    Level,
    LevelDrop,
    Retries,
    Silence,
    Swing,
    Unused,
)
from gray_kettle.analysis.findings.facts import (
    FIX_CHANNEL,
    Facts,
    beacons_of,
    best_level_dbm,
    count,
    listed,
    percent,
    slowest_mbps,
    title,
)
from gray_kettle.model.enums import ChannelAction, FindingKind, Severity
from gray_kettle.safe_text import dbm, network_name

_SLOW_MBPS = 2
_OLD = {"b", "g", "a", "n"}
_LOUDER_DB = 5.0


def _retries(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        frames = sum(n.retriable or n.frames for n in radio.networks)
        share = radio.retry_share
        if share is None or share < facts.limits.retry_share or frames < facts.limits.fewest_frames:
            continue
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.RETRIES,
            subject=title(radio),
            cause=f"{percent(share)} of {frames:,} frames were retries.",
            effect="Each retry takes the airtime of the first attempt once more.",
            first_step="Check what overlaps its channel, then how far away its clients are.",
            figures=Retries(frames, round(share, 4)),
            radio=radio.id,
            see="heard",
        )


def _mover(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        if radio.moves_a_day <= facts.limits.moves_a_day:
            continue
        silent = sum(not c.announced for c in radio.changes)
        how = f" {count(silent, 'change was', 'changes were')} not announced to clients." if silent else ""
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.OWN_MOVER,
            subject=title(radio),
            cause=f"It changed channel {count(radio.moves, 'time')} in this window, up to {radio.moves_a_day} in one "
            "day. Automatic channel selection does not settle.",
            effect=f"Every change disconnects its clients for seconds.{how}",
            first_step=FIX_CHANNEL,
            action=ChannelAction.FIX,
            figures=ChannelChanges(
                radio.moves, radio.moves_a_day, tuple(s.channel.label for s in radio.stays)
            ),
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
            severity=Severity.WATCH,
            kind=FindingKind.BEACONS,
            subject=title(radio),
            cause=f"It sends beacons for {count(len(radio.networks), 'network')} at {slowest_mbps(radio):g} Mb/s.",
            effect=f"Beacons alone take {percent(share)} of its channel.",
            first_step="Reduce the number of SSIDs, and disable basic rates below 12 Mb/s.",
            figures=BeaconAirtime(len(radio.networks), round(share, 4)),
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
        severity=Severity.NOTE,
        kind=FindingKind.LOW_BASIC_RATES,
        subject=title(slow[0]) if len(slow) == 1 else f"{len(slow)} own radios, 2.4 GHz",
        cause=f"Beacons are sent at 1 or 2 Mb/s by {', '.join(shares)}.",
        effect=f"On {worst} beacons take {percent(shares[worst])} of the air. Distant clients stay connected at "
        "the lowest rates and slow the cell down.",
        first_step="Set 12 Mb/s as the lowest basic rate, if no client is older than 802.11g.",
        figures=BasicRates(shares),
        see="heard",
    )


def _weak(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        level = best_level_dbm(radio)
        if radio.level_dbm is None or level >= facts.limits.weak_own_dbm:
            continue
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.WEAK_OWN,
            subject=title(radio),
            cause=f"Its strongest level at any spot is {dbm(level)}.",
            effect="At the measured spots it offers low data rates at best.",
            first_step="Measure where people use it. Add coverage there if it is as weak.",
            figures=Level(level),
            radio=radio.id,
            see="heard",
        )


def _coverage(facts: Facts) -> Iterator[Finding]:
    """A spot where our best level is low, and where a foreign radio is stronger."""
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
                severity=Severity.WATCH if ours[0] < facts.limits.weak_own_dbm else Severity.NOTE,
                kind=FindingKind.COVERAGE,
                subject=f"{spot or 'the spot'}, {band} GHz",
                cause=f"Our strongest radio there is {title(ours[1])} at {dbm(ours[0])}; "
                f"{theirs.name} is received at {dbm(level)}.",
                effect=f"Clients get low rates from us, and defer to a neighbour {level - ours[0]:.0f} dB stronger.",
                first_step="If people use it there, add a radio nearby or move one. More transmit power helps in "
                "one direction only.",
                figures=Coverage(ours[0], level),
                radio=ours[1].id,
                see="heard",
            )


def _unused(facts: Facts) -> Iterator[Finding]:
    """An old own radio with an SSID that no other own radio has, and without users."""
    for view in facts.own:
        radio = view.radio
        elsewhere = {n.ssid for v in facts.own if v.radio.id != radio.id for n in v.radio.networks}
        used = any(n.clients or n.load_stations for n in radio.networks)
        is_old = radio.generation in _OLD or slowest_mbps(radio) <= _SLOW_MBPS
        if used or not is_old or any(n.ssid in elsewhere for n in radio.networks) or len(facts.own) < 2:
            continue
        names = listed(network_name(n.ssid) for n in radio.networks)
        affected = [
            (cause.share_lost, title(v.radio))
            for v in facts.own
            if v.now
            for cause in v.now.losses
            if cause.radio == radio.id
        ]
        cost = f" {max(affected)[1]} loses {percent(max(affected)[0])} of its time to it." if affected else ""
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.FORGOTTEN,
            subject=title(radio),
            cause=f"It announces {names}, which no other own radio does, and no client of it was observed.",
            effect=f"Its beacons take {100 * beacons_of(radio):.1f} % of channel {radio.channel.primary} "
            f"without use.{cost}",
            first_step="Ask who might still need it, then switch it off.",
            figures=Unused(round(beacons_of(radio), 4), {name: share for share, name in affected}),
            radio=radio.id,
            lost=max((s for s, _ in affected), default=0.0),
            see="heard",
        )


def _unsteady(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        if radio.swing_db is None or radio.swing_db < facts.limits.swing_db or radio.moves:
            continue
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.UNSTEADY,
            subject=title(radio),
            cause=f"Its level at one spot varies by {radio.swing_db:.0f} dB (10th to 90th percentile).",
            effect="When the level is low, clients fall to low rates or roam to another radio.",
            first_step="Check for moving obstacles (doors, vehicles, people), or a loose antenna or cable.",
            figures=Swing(radio.swing_db),
            radio=radio.id,
            see="heard",
        )


def _silent(facts: Facts) -> Iterator[Finding]:
    """An own radio that was off the air for minutes, or is, although its band was listened to."""
    for radio in (v.radio for v in facts.own):
        if not radio.outages:
            continue
        began_s, ended_s = max(radio.outages, key=_length_s)
        until = "and was not heard again" if ended_s is None else f"until {facts.clock(ended_s)}"
        more = len(radio.outages) - 1
        times = f" That is the longest of {more + 1} times." if more else ""
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.OWN_SILENT,
            subject=title(radio),
            cause=f"It was last heard {facts.clock(began_s)} {until}, while its band was scanned at the same "
            f"spot.{times}",
            effect="Its clients have no network there, or crowd another access point.",
            first_step="Check its power, its uplink and its log for that time; in a DFS channel, for radar.",
            figures=Silence(began_s, ended_s),
            radio=radio.id,
            see="heard",
        )


def _length_s(outage: tuple[float, float | None]) -> float:
    return math.inf if outage[1] is None else outage[1] - outage[0]


def _level_drop(facts: Facts) -> Iterator[Finding]:
    for radio in (v.radio for v in facts.own):
        if radio.level_drop is None:
            continue
        began_s, ended_s, drop_db = radio.level_drop
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.LEVEL_DROP,
            subject=title(radio),
            cause=f"From {facts.clock(began_s)} to {facts.clock(ended_s)} it was {drop_db:.0f} dB below its usual "
            "level at the same spot.",
            effect="In that time its clients had low rates or lost the connection.",
            first_step="Check what changed then: its antenna, its transmit power, a door or vehicle in between.",
            figures=LevelDrop(drop_db, began_s, ended_s),
            radio=radio.id,
            see="heard",
        )


RULES = (_silent, _level_drop, _retries, _mover, _beacons, _slow_rates, _weak, _coverage, _unused, _unsteady)
