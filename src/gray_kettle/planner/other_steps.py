"""Steps other than channel changes: the largest gain for the effort comes first."""

import math
from collections.abc import Iterator, Sequence

from gray_kettle.analysis.assessment import Assessment, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.figures import BandImbalance
from gray_kettle.analysis.findings import count, percent, title
from gray_kettle.model.enums import EmitterKind, FindingKind
from gray_kettle.phy.channels import BANDS
from gray_kettle.planner.proposal import Move, OtherStep
from gray_kettle.planner.radio_model import LEAST_MBPS
from gray_kettle.planner.what_if import (
    Effect,
    WhatIf,
    clients_at,
    is_unused,
    quieter,
    sending_less,
    without_emitter,
)
from gray_kettle.safe_text import dbm

_QUIETER_DB, _MOST_QUIETER = 6.0, 6  # how much, and how many of a band: those most in the way
_WORTH_LIFTING = 1.1
_NEAR_DBM = -58.0  # level of a client close to its radio
_BASIC_SAVED = 0.85  # at 12 Mb/s a beacon takes about a seventh of its time at 1 Mb/s
_NOT_WORTH_IT = (
    EmitterKind.BLUETOOTH,
    EmitterKind.BLE_ADVERTISING,
    EmitterKind.RADAR,
    EmitterKind.CELLULAR_CARRIER,
)  # nobody can or needs to remove these
_EFFORTS = ("minutes", "an hour", "a visit", "a purchase")  # each costs about twice the one before


def other_steps(assessment: Assessment, sites: WhatIf, moves: Sequence[Move]) -> tuple[OtherStep, ...]:
    """Worth doing beside the moves, the best for its effort first."""
    found = [
        *_emitters(assessment, sites),
        *_unused(assessment, sites),
        *_beacons(assessment, sites),
        *_bands(assessment, sites),
        *_power(assessment, sites),
        *_far(assessment, sites),
        *_lifted(moves),
        *_of_findings(assessment),
    ]
    return tuple(sorted(found, key=lambda s: (-s.worth / 2 ** _effort(s), s.what)))


def _effort(step: OtherStep) -> int:
    return next(k for k, word in enumerate(_EFFORTS) if step.effort.startswith(word))


def _gain(effect: Effect, assessment: Assessment) -> str:
    radio = assessment.radio(effect.best)
    return f"+{percent(effect.factor - 1)} throughput for {title(radio) if radio else effect.best}"


def _emitters(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    for emitter in assessment.emitters:
        effect = (
            None if emitter.is_dismissed else sites.with_changed(emitter.band, without_emitter(emitter.id))
        )
        if effect is None or emitter.kind in _NOT_WORTH_IT:
            continue
        advice = ADVICE[emitter.kind]
        mhz = f"{emitter.low_hz / 1e6:.0f}–{emitter.high_hz / 1e6:.0f} MHz"
        yield OtherStep(
            what=f"Remove or replace the {emitter.name or advice.short} at {mhz}",
            why=f"{advice.remedy} {advice.where}",
            gain=_gain(effect, assessment)
            + f" over the whole window; it is on for {percent(emitter.duty)} of it",
            effort="a purchase, or a cable"
            if emitter.kind in (EmitterKind.MICROWAVE_OVEN, EmitterKind.ANALOGUE_VIDEO)
            else "a visit",
            worth=effect.worth,
        )


def _unused(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    for radio in (v.radio for v in assessment.own if is_unused(v.radio, assessment)):
        effect = sites.without(radio.id)
        gain = _gain(effect, assessment) if effect else "frees airtime for others; no throughput gain today"
        yield OtherStep(
            what=f"Switch {title(radio)} off",
            why="It is ours and no client of it was observed; its beacons take airtime all the same.",
            gain=gain,
            effort="minutes; ask first who might miss it",
            worth=effect.worth if effect else 0.0,
        )


def _beacons(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    for band in ("2.4", "5", "6"):
        own = [v.radio for v in assessment.own if v.radio.band == band]
        many = {r.id: _share(r) * (len(r.networks) - 2) / len(r.networks) for r in own if len(r.networks) > 2}
        effect = sites.with_changed(band, sending_less(many)) if many else None
        if effect is not None:
            names = ", ".join(title(r) for r in own if r.id in many)
            most = max(len(r.networks) for r in own)
            yield OtherStep(
                what=f"Reduce the SSIDs in {band} GHz from {most} to two",
                why=f"Each SSID sends ten beacons a second on {names}.",
                gain=_gain(effect, assessment),
                effort="an hour; clients must know the SSID that remains",
                worth=effect.worth,
            )
        slow = {r.id: _share(r) * _BASIC_SAVED for r in own if band == "2.4" and _slowest(r) <= 2}
        effect = sites.with_changed(band, sending_less(slow)) if slow else None
        if effect is not None:
            names = ", ".join(title(r) for r in own if r.id in slow)
            yield OtherStep(
                what="Set 12 Mb/s as the lowest basic rate in 2.4 GHz",
                why=f"Beacons at 1 or 2 Mb/s on {names} take airtime, and distant clients stay connected at low rates.",
                gain=_gain(effect, assessment),
                effort="minutes; check that no client is older than 802.11g",
                worth=effect.worth,
            )


def _share(radio: Radio) -> float:
    return sum(n.beacon_share for n in radio.networks)


def _slowest(radio: Radio) -> float:
    return min((r for n in radio.networks for r in n.basic_rates_mbps), default=6.0)


def _bands(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    """Clients that support another band leave this one to those that do not."""
    found = [(f.radio, f.figures) for f in assessment.findings if isinstance(f.figures, BandImbalance)]
    shares = {}
    for radio_id, figures in found:
        radio = assessment.radio(radio_id)
        if radio is not None and figures.clients:
            moving = figures.able / figures.clients
            shares[radio.id] = moving * max(radio.activity - _share(radio), 0.0)
    effect = sites.with_changed("2.4", sending_less(shares)) if shares else None
    if effect is not None:
        able = sum(figures.able for _, figures in found)
        yield OtherStep(
            what=f"Move {count(able, 'client')} from 2.4 GHz to 5 or 6 GHz",
            why="They support it. Use band steering, or give each band its own SSID.",
            gain=_gain(effect, assessment) + ", and more for the clients that move",
            effort="an hour; devices without 5 GHz keep the old SSID",
            worth=effect.worth,
        )


def _power(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    loud = {key for band in BANDS for key in sites.in_the_way(band, _MOST_QUIETER)}
    for radio in (v.radio for v in assessment.own if v.radio.id in loud):
        effect = sites.with_changed(radio.band, quieter(radio.id, _QUIETER_DB))
        if effect is not None and not is_unused(radio, assessment):
            yield OtherStep(
                what=f"Reduce the transmit power of {title(radio)} by {_QUIETER_DB:.0f} dB",
                why="Our other radios receive it across the site; its own clients are close enough for less power.",
                gain=_gain(effect, assessment),
                effort="minutes; check the coverage at the edge of its room afterwards",
                worth=effect.worth,
            )


def _far(assessment: Assessment, sites: WhatIf) -> Iterator[OtherStep]:
    for finding in assessment.findings:
        radio = assessment.radio(finding.radio) if finding.kind == FindingKind.FAR_CLIENTS else None
        effect = sites.with_changed(radio.band, clients_at(radio.id, _NEAR_DBM)) if radio else None
        if radio is not None and effect is not None:
            yield OtherStep(
                what=f"Add an access point near the clients of {title(radio)}, or move it there",
                why=finding.cause,
                gain=f"up to {effect.factor:.1f} times the throughput, for clients at {dbm(_NEAR_DBM)}",
                effort="a purchase, and a cable to it",
                worth=effect.worth,
            )


def _lifted(moves: Sequence[Move]) -> Iterator[OtherStep]:
    """Channels that only clients bar, where replacing those clients would pay."""
    for move in moves:
        held, after = move.barred_by_clients, move.after
        if held is None or after is None or held.expected_mbps < after.expected_mbps * _WORTH_LIFTING:
            continue
        factor = held.expected_mbps / max(after.expected_mbps, LEAST_MBPS)
        yield OtherStep(
            what=f"Replace the clients that keep {title(move.radio)} off {held.channel.label}",
            why=f"The channel is barred: {held.rule}.",
            gain=f"{after.expected_mbps:.0f} → {held.expected_mbps:.0f} Mb/s for {title(move.radio)}",
            effort="a purchase, or another band for them",
            worth=math.log(factor),
        )


_FINDING_STEPS = {  # steps whose gain the model cannot compute
    FindingKind.CHASE: (
        "Agree on fixed channels with the neighbour: {subject}",
        "an hour; a talk with the neighbour",
    ),
    FindingKind.SLOW_CLIENT: ("Move the slow client of {subject} closer, or connect it by cable", "a visit"),
    FindingKind.COVERAGE: ("Add or move an access point for {subject}", "a purchase, and a cable to it"),
    FindingKind.OWN_SILENT: ("Check power, uplink and log of {subject}", "minutes"),
    FindingKind.LEVEL_DROP: ("Check antenna, transmit power and obstacles at {subject}", "a visit"),
    FindingKind.UNSTEADY: ("Check for moving obstacles or a loose antenna at {subject}", "a visit"),
    FindingKind.STICKY_CLIENT: (
        "Help clients of {subject} to roam",
        "minutes; 802.11k and v, no low basic rates",
    ),
}


def _of_findings(assessment: Assessment) -> Iterator[OtherStep]:
    for finding in assessment.findings:
        if finding.kind in _FINDING_STEPS:
            what, effort = _FINDING_STEPS[finding.kind]
            yield OtherStep(what.format(subject=finding.subject), finding.cause, finding.effect, effort)
