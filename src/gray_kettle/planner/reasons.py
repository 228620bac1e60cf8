"""Why a radio should go, or stay, in sentences whose figures are those of the model."""

from collections.abc import Sequence
from dataclasses import replace

from gray_kettle.analysis.assessment import ChannelAssessment, Finding, OwnView
from gray_kettle.analysis.findings import CHANGE_CHANNEL, FIX_CHANNEL, percent
from gray_kettle.analysis.loss.channel_plan import FOUR, THREE, fits_plan, places
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.options import Option
from gray_kettle.planner.proposal import Alternative, Move
from gray_kettle.safe_text import dbm


def reasons_for(
    view: OwnView,
    after: ChannelAssessment,
    target: Channel,
    alternatives: tuple[Alternative, ...],
    options: tuple[Option, ...],
    conflict: tuple[str, ...],
    raster: tuple[int, ...],
) -> tuple[str, ...]:
    """Reasons, the weightiest first; never empty. conflict: rules that leave the radio nothing. raster: the site's."""
    now, source = view.now, view.radio.channel
    out: list[str] = []
    here = next((o.barred for o in options if o.channel == source), "")
    if here and target != source:
        out.append(f"It may not stay on {source.label}: {here}.")
    if conflict:
        named = " and ".join(f"“{rule}”" for rule in conflict)
        out.append(f"Nothing is open to it: {named} leave no channel. It stays until one of them gives way.")
    elif target == source:
        out.append(_why_stay(after, alternatives))
    elif now is not None:
        out += _what_is_wrong(now, source, target, raster)
        out.append(
            f"On {target.label} clear air is expected to go from {percent(now.clear_air)} "
            f"to {percent(after.clear_air)}, "
            f"throughput from {now.expected_mbps:.0f} to {after.expected_mbps:.0f} Mb/s."
        )
        out.append(_what_remains(after))
    unheard = sum(1 for o in options if o.barred == "not listened to")
    if unheard:
        out.append(
            f"{unheard} channels were not listened to and are left out: a scan of the whole band may find better."
        )
    watch_s = next((o.watch_s for o in options if o.channel == target), 0.0)
    if watch_s and target != source:
        out.append(f"It must watch for radar there: {_minutes(watch_s)} of silence before it may start.")
    if any(o.radar_heard and o.channel == source for o in options):
        out.append(f"Radar was met on {source.label}: it will have to leave there again.")
    out += _mistakes(view, target, raster)
    if view.client_level_assumed:
        out.append(
            f"It hangs on the level of the clients, taken as {dbm(view.client_level_dbm)}: none was heard."
        )
    return tuple(out)


def _minutes(seconds: float) -> str:
    minutes = round(seconds / 60)
    return "a minute" if minutes <= 1 else f"{minutes} minutes"


def _mistakes(view: OwnView, target: Channel, raster: tuple[int, ...]) -> list[str]:
    """What people do and should not: an automatic channel, four names on one radio."""
    radio, out = view.radio, []
    if radio.moves:
        out.append(
            f"It moved {radio.moves} times by itself in this window. Set {target.label} fixed: a radio that chooses "
            "by a minute's look leaves a good channel for the next passer-by, and drops its clients each time."
        )
    if not fits_plan(target, raster):
        out.append(
            f"{target.label} lies off the places {places(raster)}: it wins even with all levels 3 dB lower or higher."
        )
    elif target.band == "2.4" and raster == FOUR:
        out.append(
            "Nobody here sends in the old way (DSSS), which fills more: there is room for the four places "
            f"{places(raster)}, if all of our radios keep to them."
        )
    return out


def _what_is_wrong(
    now: ChannelAssessment, source: Channel, target: Channel, raster: tuple[int, ...]
) -> list[str]:
    out = []
    if not fits_plan(source, raster) and fits_plan(source, THREE):
        out.append(
            f"{source.label} keeps to {places(THREE)}; this plan has the four places {places(raster)}, and ours on "
            "both sides would overlap it there."
        )
    elif not fits_plan(source, raster):
        out.append(
            f"{source.label} lies between the places {places(raster)}: it looks empty in a list, but neither side "
            "gives way to what it cannot decode, and frames collide."
        )
    worst = [h for h in now.losses if h.share_lost >= 0.01][:2]
    for loss_cause in worst:
        how = {
            "co-channel": "shares its channel and takes",
            "adjacent": "overlaps it from the side and costs",
            "secondary": "uses its wide half and takes back the width for",
            "non-wi-fi": "is no Wi-Fi, lies over it and costs",
        }[loss_cause.kind]
        name, place = loss_cause.name, loss_cause.channel.label if loss_cause.channel else "not Wi-Fi"
        out.append(
            f"{name} ({place}, {dbm(loss_cause.level_dbm)}) {how} {percent(loss_cause.share_lost)} of its time now."
        )
    if target.width_mhz < source.width_mhz:
        out.append(f"{source.width_mhz} MHz find no room here: {target.width_mhz} MHz carry more in the end.")
    elif target.width_mhz > source.width_mhz and not worst:
        out.append(f"There is room for {target.width_mhz} MHz.")
    return out


def _what_remains(after: ChannelAssessment) -> str:
    if not after.losses:
        return "Nothing that was heard shares or overlaps it there."
    worst = after.losses[0]
    place = f" on {worst.channel.label}" if worst.channel else ""
    return f"What remains is {worst.name}{place}, {percent(worst.share_lost)}."


def _why_stay(after: ChannelAssessment, alternatives: tuple[Alternative, ...]) -> str:
    if not alternatives:
        return "No other channel is open to it: stay."
    best = alternatives[0]
    if best.expected_mbps <= after.expected_mbps:
        return (
            f"Stay: no other channel is expected to give more than the {after.expected_mbps:.0f} Mb/s here "
            f"({best.channel.label} comes to {best.expected_mbps:.0f})."
        )
    offer = f"Stay: {best.channel.label} would give {best.expected_mbps:.0f} against {after.expected_mbps:.0f} Mb/s, "
    if best.expected_mbps > after.expected_mbps * (1 + _DISRUPTION):
        return offer + "but take more than that from own radios that are there, or make it wait for radar."
    return offer + "too little to earn the disruption."


_DISRUPTION = 0.1  # about what the solver's cost of a change asks for


def loss_text(chosen: ChannelAssessment, mbps: float, clear_air: float) -> str:
    """What an alternative gives up against the proposal."""
    less = chosen.expected_mbps - mbps
    if less > 0.5:
        return f"{less:.0f} Mb/s less ({percent(clear_air)} clear air)"
    if less < -0.5:
        return (
            f"{-less:.0f} Mb/s more for it alone; other own radios, radar watch or the change would cost more"
        )
    return "nothing in throughput; the change, radar watch or being hard to find makes it second"


def with_first_step(finding: Finding, moves: Sequence[Move]) -> Finding:
    """The finding with the plan's own figures as its first step, where that step is a change of channel."""
    if finding.first_step not in (CHANGE_CHANNEL, FIX_CHANNEL):
        return finding
    move = next((m for m in moves if m.radio.id == finding.radio), None)
    if move is None or move.before is None or move.after is None:
        return finding
    fixed = ", fixed" if finding.first_step == FIX_CHANNEL else ""
    clear = f"clear air {percent(move.before.clear_air)} → {percent(move.after.clear_air)}"
    mbps = f"{move.before.expected_mbps:.0f} → {move.after.expected_mbps:.0f} Mb/s expected"
    leaving = [m for m in moves if not m.stays and m.radio.band == move.radio.band]
    away = [f"{m.radio.name} to {m.target.label}" for m in leaving]
    if not move.stays:
        step = f"Go to {move.target.label}{fixed}: {clear}, {mbps}."
    elif away and move.after.clear_air > move.before.clear_air + _WORTH_SAYING:
        step = f"Keep {move.source.label}{fixed}, and move {' and '.join(away)}: {clear}, {mbps}."
    elif fixed:
        step = f"Fix it on {move.source.label}: no other channel promises more."
    else:
        step = f"Keep {move.source.label}: no free channel is better. See the other steps of the plan."
    return replace(finding, first_step=step)


_WORTH_SAYING = 0.03
