"""Findings about radar: heard on a channel of ours, or the likely reason why one was left."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Change, Finding, Radio
from gray_kettle.analysis.findings.facts import FIX_CHANNEL, Facts, percent, title
from gray_kettle.analysis.inventory.channel_changes import answers
from gray_kettle.phy.countries import needs_radar_watch

_KEPT_OFF_S = 1800.0  # a channel on which radar was met must not be used for half an hour


def _heard(facts: Facts) -> Iterator[Finding]:
    for emitter in facts.emitters:
        if emitter.kind != "radar" or emitter.is_dismissed:
            continue
        for radio in (v.radio for v in facts.own):
            met = any(
                emitter.low_hz < hz + width / 2 and emitter.high_hz > hz - width / 2
                for hz, width in radio.channel.segments
            )
            if met and needs_radar_watch(facts.country, radio.channel):
                yield Finding(
                    severity="watch",
                    kind="radar-heard",
                    subject=title(radio),
                    cause=f"Radar-like pulses came at {emitter.centre_hz / 1e6:.0f} MHz, in {radio.channel.label} "
                    f"({percent(emitter.confidence)} sure).",
                    effect="When the radio hears them it must leave at once, and stay away for half an hour.",
                    first_step=FIX_CHANNEL,
                    figures={"emitter": emitter.id, "centre_mhz": round(emitter.centre_hz / 1e6, 1)},
                    radio=radio.id,
                    lost=0.05,
                    see="plan",
                )


def _left(facts: Facts) -> Iterator[Finding]:
    """A leave of a channel that must watch for radar, that no neighbour's move explains, and no early return."""
    for radio in (v.radio for v in facts.own):
        left = [c for c in radio.changes if _is_unexplained(c, radio, facts)]
        if not left:
            continue
        when = ", ".join(f"{c.before.label} on {facts.clock(c.time_s)}" for c in left[:3])
        yield Finding(
            severity="watch",
            kind="radar-left",
            subject=title(radio),
            cause=f"It left {when}, a channel that must watch for radar; no neighbour had moved before.",
            effect="Radar is the usual reason: clients drop, and the channel is barred for half an hour or more.",
            first_step="Read the access point's log for radar; else give it a fixed channel that needs no watch.",
            figures={"left": [[c.before.label, c.time_s] for c in left]},
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
        change.time_s < later.time_s < change.time_s + _KEPT_OFF_S
        and set(later.after.parts) & set(change.before.parts)
        for later in radio.changes
    )
    return not followed and not back


RULES = (_heard, _left)
