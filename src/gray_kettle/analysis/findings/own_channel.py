"""Findings about where an own radio stands: what shares, overlaps and fills its channel."""

from collections.abc import Callable, Iterator

from gray_kettle.analysis.assessment import Finding, OwnView, Radio
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
from gray_kettle.safe_text import dbm

_WORTH_NAMING = 0.02


def _is_between(facts: Facts, radio: Radio) -> bool:
    return not any(fits_plan(radio.channel, raster) for raster in facts.channel_plans)


def _off_plan(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if not _is_between(facts, radio) or view.now is None:
        return
    neighbours = of_kind(view, "adjacent")
    lost = view.now.adjacent_lost
    costs = sorted(
        (
            (h.share_lost, title(v.radio))
            for v in facts.own
            for h in of_kind(v, "adjacent")
            if h.radio == radio.id and h.share_lost >= _WORTH_NAMING
        ),
        reverse=True,
    )
    in_turn = (
        f" It costs {listed(f'{name} {percent(share)}' for share, name in costs)} in turn." if costs else ""
    )
    yield Finding(
        severity=facts.severity(max(lost, facts.limits.watch_lost)),
        kind="off-raster",
        subject=title(radio),
        cause=f"It sits on channel {radio.channel.primary}, between the places 1, 6 and 11: that looks empty, but "
        "overlaps both sides, and neither gives way.",
        effect=f"{percent(lost)} of its time is lost to overlapping neighbours"
        + (f": {named(neighbours)}." if neighbours else ".")
        + in_turn,
        first_step=CHANGE_CHANNEL,
        figures={
            "channel": radio.channel.primary,
            "adjacent_lost": lost,
            "neighbours": len(neighbours),
            "costs": {name: share for share, name in costs},
        },
        radio=radio.id,
        lost=lost,
        see="plan",
    )


def _wide_in_2_4(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio = view.radio
    if radio.band != "2.4" or radio.channel.width_mhz == 20 or view.now is None:
        return
    lost = joined_loss(of_kind(view, "secondary") + of_kind(view, "adjacent"))
    yield Finding(
        severity=facts.severity(max(lost, facts.limits.watch_lost)),
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


def _co_channel(facts: Facts, view: OwnView) -> Iterator[Finding]:
    losses = of_kind(view, "co-channel")
    lost = joined_loss(losses)
    if lost < facts.limits.watch_lost:
        return
    radio = view.radio
    yield Finding(
        severity=facts.severity(lost),
        kind="co-channel",
        subject=title(radio),
        cause=f"It shares channel {radio.channel.primary} with {named(losses)}.",
        effect=f"They take {percent(lost)} of its time.",
        first_step=CHANGE_CHANNEL,
        figures={"radios": len({h.radio for h in losses}), "lost": lost},
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _overlap(facts: Facts, view: OwnView) -> Iterator[Finding]:
    """Partly overlapping neighbours of a radio that sits well itself; an own one between two places is told there."""
    told = {v.radio.id for v in facts.own if _is_between(facts, v.radio)}
    radio, losses = view.radio, [h for h in of_kind(view, "adjacent") if h.radio not in told]
    lost = joined_loss(losses)
    if lost < facts.limits.watch_lost or _is_between(facts, radio):
        return
    yield Finding(
        severity=facts.severity(lost),
        kind="overlap",
        subject=title(radio),
        cause=f"{named(losses)} reach into its channel from the side; neither gives way to the other.",
        effect=f"{percent(lost)} of its time is lost to frames that collide.",
        first_step=CHANGE_CHANNEL,
        figures={"radios": len({h.radio for h in losses}), "lost": lost},
        radio=radio.id,
        lost=lost,
        see="air",
    )


def _secondary_busy(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio, losses = view.radio, of_kind(view, "secondary")
    lost = joined_loss(losses)
    if radio.band == "2.4" or lost < facts.limits.watch_lost:
        return
    yield Finding(
        severity="watch" if lost >= facts.limits.act_lost else "note",
        kind="wide-secondary-busy",
        subject=title(radio),
        cause=f"Its {radio.channel.width_mhz} MHz reach over places that others use: {named(losses)}.",
        effect=f"In {percent(lost)} of the time it falls back to a narrower channel.",
        first_step=CHANGE_CHANNEL,
        figures={"width_mhz": radio.channel.width_mhz, "lost": lost},
        radio=radio.id,
        lost=lost / 2,
        see="plan",
    )


def _margin(facts: Facts, view: OwnView) -> Iterator[Finding]:
    radio, now = view.radio, view.now
    if now is None or now.co_channel_strongest_dbm is None or radio.level_dbm is None:
        return
    if now.co_channel_lost >= facts.limits.watch_lost:
        return  # said already, and worse
    margin_db = best_level_dbm(radio) - now.co_channel_strongest_dbm
    if (
        margin_db >= facts.limits.least_margin_db
        or now.co_channel_strongest_dbm < facts.limits.strong_neighbour_dbm
    ):
        return
    yield Finding(
        severity="note",
        kind="margin",
        subject=title(radio),
        cause=f"The strongest other radio on its channel is heard at {dbm(now.co_channel_strongest_dbm)}.",
        effect=f"It stands only {margin_db:.0f} dB over it; {facts.limits.least_margin_db:g} dB are wanted.",
        first_step=CHANGE_CHANNEL,
        figures={"margin_db": round(margin_db, 1), "strongest_dbm": now.co_channel_strongest_dbm},
        radio=radio.id,
        see="heard",
    )


def _hidden(facts: Facts, view: OwnView) -> Iterator[Finding]:
    """Two on one channel that do not hear each other do not wait for each other, and meet at the one between them."""
    names = [
        f"{one.name} and {other.name}"
        for a, b in view.hidden
        if (one := facts.radio(a)) is not None and (other := facts.radio(b)) is not None
    ]
    if names:
        yield Finding(
            severity="note",
            kind="hidden-neighbours",
            subject=title(view.radio),
            cause=f"On its channel it hears {listed(names, 2)}, that hardly hear each other (levels at the spots).",
            effect="They do not wait for one another: their frames collide where both are heard.",
            first_step="Where one of them is ours, part them by channel; protection by RTS helps a little.",
            figures={"pairs": [list(pair) for pair in view.hidden]},
            radio=view.radio.id,
            see="air",
        )


def _busy_places(facts: Facts) -> Iterator[Finding]:
    for place in facts.places:
        used = place.utilisation
        mine = [
            v
            for v in facts.own
            if (v.radio.band, v.radio.channel.primary) == (place.channel.band, place.channel.primary)
        ]
        if used.value is None or used.value < facts.limits.high_utilisation or not mine:
            continue
        by = sorted(
            {h.radio: h for v in mine if v.now for h in v.now.losses}.values(), key=lambda h: -h.share_lost
        )
        whose = f"; most by {listed(f'{h.name} ({percent(h.share_lost)})' for h in by)}" if by else ""
        hours = sorted(used.by_hour, key=lambda item: -item[2])
        peak = f" Busiest hour: {facts.hour(hours[0][0])}, {percent(hours[0][2])}." if len(hours) > 1 else ""
        yield Finding(
            severity="watch",
            kind="high-utilisation",
            subject=f"channel {place.channel.primary}, {place.channel.band} GHz",
            cause=f"It is busy {percent(used.value)} of the time "
            f"(source: {used.source}, confidence {used.confidence}){whose}.",
            effect=f"{listed(title(v.radio) for v in mine)} must wait that long to send.{peak}",
            first_step="See in the plan whether another place serves it better; else a cable for what does not move.",
            figures={
                "utilisation": used.value,
                "source": used.source,
                "by_hour": [list(h) for h in used.by_hour],
            },
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


RULES = (_of_views, _busy_places)
