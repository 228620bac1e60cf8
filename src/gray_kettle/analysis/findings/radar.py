"""Findings about radar: detected on a channel of ours, or the likely reason why a DFS channel was left."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Change, Finding, Radio
from gray_kettle.analysis.figures import RadarHeard, RadarLeft
from gray_kettle.analysis.findings.facts import FIX_CHANNEL, Facts, percent, title
from gray_kettle.analysis.inventory.channel_changes import answers
from gray_kettle.model.enums import ChannelAction, EmitterKind, FindingKind, Severity
from gray_kettle.phy.countries import needs_radar_watch

_NON_OCCUPANCY_S = 1800.0  # after radar a channel must not be used for half an hour (EN 301 893, 4.2.6)


def _detected(facts: Facts) -> Iterator[Finding]:
    for emitter in facts.emitters:
        if emitter.kind != EmitterKind.RADAR or emitter.is_dismissed:
            continue
        for radio in (v.radio for v in facts.own):
            overlaps = any(
                emitter.low_hz < hz + width / 2 and emitter.high_hz > hz - width / 2
                for hz, width in radio.channel.segments
            )
            if overlaps and needs_radar_watch(facts.country, radio.channel):
                yield Finding(
                    severity=Severity.WATCH,
                    kind=FindingKind.RADAR_HEARD,
                    subject=title(radio),
                    cause=f"Radar-like pulses at {emitter.centre_hz / 1e6:.0f} MHz, inside {radio.channel.label} "
                    f"(confidence {percent(emitter.confidence)}).",
                    effect="When the radio detects them it must leave at once and stay away for 30 minutes.",
                    first_step=FIX_CHANNEL,
                    action=ChannelAction.FIX,
                    figures=RadarHeard(emitter.id, round(emitter.centre_hz / 1e6, 1)),
                    radio=radio.id,
                    lost=0.05,
                    see="plan",
                )


def _left(facts: Facts) -> Iterator[Finding]:
    """A DFS channel that was left without an early return, and that no neighbour's change explains."""
    for radio in (v.radio for v in facts.own):
        left = [c for c in radio.changes if _is_unexplained(c, radio, facts)]
        if not left:
            continue
        when = ", ".join(f"{c.before.label} on {facts.clock(c.time_s)}" for c in left[:3])
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.RADAR_LEFT,
            subject=title(radio),
            cause=f"It left {when}. That channel requires radar detection (DFS), and no neighbour had changed before.",
            effect="Radar is the usual reason. Clients drop, and the channel is barred for 30 minutes or more.",
            first_step="Check the access point's log for radar events. Otherwise set a fixed channel outside DFS.",
            figures=RadarLeft(tuple((c.before.label, c.time_s) for c in left)),
            radio=radio.id,
            lost=0.03,
            see="plan",
        )


def _is_unexplained(change: Change, radio: Radio, facts: Facts) -> bool:
    if not needs_radar_watch(facts.country, change.before):
        return False
    within_s = 60 * facts.limits.answer_min
    followed = any(
        change in answers(radio, other, within_s)
        for other in facts.radios
        if other.id != radio.id and other.band == radio.band and other.changes
    )
    back = any(
        change.time_s < later.time_s < change.time_s + _NON_OCCUPANCY_S
        and set(later.after.parts) & set(change.before.parts)
        for later in radio.changes
    )
    return not followed and not back


RULES = (_detected, _left)
