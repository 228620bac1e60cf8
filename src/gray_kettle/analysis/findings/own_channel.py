"""Findings about the channel of an own radio: what shares it, what overlaps it, how busy it is."""

from collections.abc import Callable, Iterator

from gray_kettle.analysis.assessment import Finding, OwnView, Radio
from gray_kettle.analysis.figures import Busy, HiddenPairs, Margin, OffPlan, SharedLoss, WidthLoss
from gray_kettle.analysis.findings.facts import (
    CHANGE_CHANNEL,
    Facts,
    best_level_dbm,
    joined_loss,
    listed,
    named,
    of_kind,
    percent,
    title,
)
from gray_kettle.analysis.loss.channel_plan import fits_plan
from gray_kettle.model.enums import ChannelAction, FindingKind, LossKind, Severity
from gray_kettle.safe_text import dbm

_WORTH_NAMING = 0.02


def _is_off_plan(facts: Facts, radio: Radio) -> bool:
    return not any(fits_plan(radio.channel, plan) for plan in facts.channel_plans)


def _off_plan(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if not _is_off_plan(facts, radio) or view.now is None:
        return
    neighbours = of_kind(view, LossKind.ADJACENT)
    lost = view.now.adjacent_lost
    costs = sorted(
        (
            (h.share_lost, title(v.radio))
            for v in facts.own
            for h in of_kind(v, LossKind.ADJACENT)
            if h.radio == radio.id and h.share_lost >= _WORTH_NAMING
        ),
        reverse=True,
    )
    in_turn = (
        f" It takes time from own radios too: {listed(f'{name} {percent(share)}' for share, name in costs)}."
        if costs
        else ""
    )
    yield Finding(
        severity=facts.severity(max(lost, facts.limits.watch_lost)),
        kind=FindingKind.OFF_CHANNEL_PLAN,
        subject=title(radio),
        cause=f"Channel {radio.channel.primary} overlaps its neighbours on both sides of the plan 1/6/11, "
        "and neither side defers to the other.",
        effect=f"It loses {percent(lost)} of its time to adjacent-channel interference"
        + (f" from {named(neighbours)}." if neighbours else ".")
        + in_turn,
        first_step=CHANGE_CHANNEL,
        action=ChannelAction.CHANGE,
        figures=OffPlan(radio.channel.primary, lost, len(neighbours), {name: share for share, name in costs}),
        radio=radio.id,
        lost=lost,
        see="plan",
    )


def _wide_in_2_4(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if radio.band != "2.4" or radio.channel.width_mhz == 20 or view.now is None:
        return
    lost = joined_loss(of_kind(view, LossKind.SECONDARY) + of_kind(view, LossKind.ADJACENT))
    yield Finding(
        severity=facts.severity(max(lost, facts.limits.watch_lost)),
        kind=FindingKind.WIDE_IN_2_4,
        subject=title(radio),
        cause=f"It uses {radio.channel.width_mhz} MHz ({radio.channel.label}), half of the whole band.",
        effect=f"Neighbours on either half take {percent(lost)} of its time, and it interferes with all of them.",
        first_step="Set its width to 20 MHz.",
        figures=WidthLoss(radio.channel.width_mhz, lost),
        radio=radio.id,
        lost=lost * 0.99,  # beside an off-plan channel, the channel is the first thing to change
        see="plan",
    )


def _co_channel(facts: Facts, view: OwnView) -> Iterator[Finding]:
    losses = of_kind(view, LossKind.CO_CHANNEL)
    lost = joined_loss(losses)
    if lost < facts.limits.watch_lost:
        return
    radio = view.radio
    yield Finding(
        severity=facts.severity(lost),
        kind=FindingKind.CO_CHANNEL,
        subject=title(radio),
        cause=f"It shares channel {radio.channel.primary} with {named(losses)}.",
        effect=f"They take {percent(lost)} of its time.",
        first_step=CHANGE_CHANNEL,
        action=ChannelAction.CHANGE,
        figures=SharedLoss(len({h.radio for h in losses}), lost),
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _overlap(facts: Facts, view: OwnView) -> Iterator[Finding]:
    """Partly overlapping neighbours of a radio that is on the plan; an own one off the plan has its own finding."""
    off_plan = {v.radio.id for v in facts.own if _is_off_plan(facts, v.radio)}
    radio, losses = view.radio, [h for h in of_kind(view, LossKind.ADJACENT) if h.radio not in off_plan]
    lost = joined_loss(losses)
    if lost < facts.limits.watch_lost or _is_off_plan(facts, radio):
        return
    yield Finding(
        severity=facts.severity(lost),
        kind=FindingKind.OVERLAP,
        subject=title(radio),
        cause=f"The spectrum of {named(losses)} overlaps its channel in part; neither side defers to the other.",
        effect=f"It loses {percent(lost)} of its time to damaged frames.",
        first_step=CHANGE_CHANNEL,
        action=ChannelAction.CHANGE,
        figures=SharedLoss(len({h.radio for h in losses}), lost),
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _secondary_busy(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio, losses = view.radio, of_kind(view, LossKind.SECONDARY)
    lost = joined_loss(losses)
    if radio.band == "2.4" or lost < facts.limits.watch_lost:
        return
    yield Finding(
        severity=Severity.WATCH if lost >= facts.limits.act_lost else Severity.NOTE,
        kind=FindingKind.WIDE_SECONDARY_BUSY,
        subject=title(radio),
        cause=f"Its {radio.channel.width_mhz} MHz include channels that others use: {named(losses)}.",
        effect=f"For {percent(lost)} of the time it falls back to a narrower width.",
        first_step=CHANGE_CHANNEL,
        action=ChannelAction.CHANGE,
        figures=WidthLoss(radio.channel.width_mhz, lost),
        radio=radio.id,
        lost=lost / 2,
        see="plan",
    )


def _margin(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio, now = view.radio, view.now
    if now is None or now.co_channel_strongest_dbm is None or radio.level_dbm is None:
        return
    if now.co_channel_lost >= facts.limits.watch_lost:
        return  # the co-channel finding says more
    margin_db = best_level_dbm(radio) - now.co_channel_strongest_dbm
    if (
        margin_db >= facts.limits.least_margin_db
        or now.co_channel_strongest_dbm < facts.limits.strong_neighbour_dbm
    ):
        return
    yield Finding(
        severity=Severity.NOTE,
        kind=FindingKind.MARGIN,
        subject=title(radio),
        cause=f"The strongest other radio on its channel is received at {dbm(now.co_channel_strongest_dbm)}.",
        effect=f"It is only {margin_db:.0f} dB stronger than that; {facts.limits.least_margin_db:g} dB are wanted.",
        first_step=CHANGE_CHANNEL,
        action=ChannelAction.CHANGE,
        figures=Margin(round(margin_db, 1), now.co_channel_strongest_dbm),
        radio=radio.id,
        see="heard",
    )


def _hidden(facts: Facts, view: OwnView) -> Iterator[Finding]:
    """Two radios on one channel that do not hear each other do not defer: their frames collide at the one between."""
    names = [
        f"{one.name} and {other.name}"
        for a, b in view.hidden
        if (one := facts.radio(a)) is not None and (other := facts.radio(b)) is not None
    ]
    if names:
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.HIDDEN_NEIGHBOURS,
            subject=title(view.radio),
            cause=f"It hears {listed(names, 2)} on its channel, but they hardly hear each other "
            "(by their levels at the spots).",
            effect="They do not defer to each other: their frames collide where both are received.",
            first_step="If one of them is ours, give it another channel. RTS/CTS protection helps a little.",
            figures=HiddenPairs(view.hidden),
            radio=view.radio.id,
            see="air",
        )


def _busy_channels(facts: Facts) -> Iterator[Finding]:
    for view in facts.channels:
        used, channel = view.utilisation, view.channel
        mine = [
            v for v in facts.own if (v.radio.band, v.radio.channel.primary) == (channel.band, channel.primary)
        ]
        if used.value is None or used.at_most or used.value < facts.limits.high_utilisation or not mine:
            continue
        by = sorted(
            {h.radio: h for v in mine if v.now for h in v.now.losses}.values(), key=lambda h: -h.share_lost
        )
        whose = f"; most of it by {listed(f'{h.name} ({percent(h.share_lost)})' for h in by)}" if by else ""
        hours = sorted(used.by_hour, key=lambda item: -item[2])
        peak = (
            f" Busiest hour: {facts.hour(hours[0][0])} with {percent(hours[0][2])}." if len(hours) > 1 else ""
        )
        yield Finding(
            severity=Severity.WATCH,
            kind=FindingKind.HIGH_UTILISATION,
            subject=f"channel {channel.primary}, {channel.band} GHz",
            cause=f"It is busy for {percent(used.value)} of the time "
            f"(source: {used.source}, confidence {used.confidence}){whose}.",
            effect=f"{listed(title(v.radio) for v in mine)} must wait that long to send.{peak}",
            first_step="Check in the plan whether another channel serves it better. Otherwise use a cable for "
            "devices that do not move.",
            figures=Busy(used.value, used.source, used.by_hour),
            radio=mine[0].radio.id,
            lost=used.value / 4,
            see="air",
        )


_OF_VIEW: tuple[Callable[[Facts, OwnView], Iterator[Finding]], ...] = (
    _off_plan,
    _wide_in_2_4,
    _co_channel,
    _overlap,
    _secondary_busy,
    _margin,
    _hidden,
)


def _of_views(facts: Facts) -> Iterator[Finding]:
    for view in facts.own:
        for rule in _OF_VIEW:
            yield from rule(facts, view)


RULES = (_of_views, _busy_channels)
