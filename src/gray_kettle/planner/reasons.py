"""Why a radio should change or keep its channel, in sentences whose figures are those of the model."""

from collections.abc import Sequence
from dataclasses import replace

from gray_kettle.analysis.assessment import ChannelAssessment, Finding, OwnView
from gray_kettle.analysis.findings import count, heard_at, percent, why_assumed
from gray_kettle.analysis.loss.channel_plan import FOUR, THREE, fits_plan, plan_text
from gray_kettle.model.enums import ChannelAction, LossKind
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.options import NOT_LISTENED_TO, Option
from gray_kettle.planner.proposal import Alternative, ChannelOutcome
from gray_kettle.safe_text import dbm

_DISRUPTION = 0.1  # about what the solver's cost of a change asks for
_WORTH_SAYING = 0.03
_SAME_MBPS = 0.5
_HOW = {
    LossKind.CO_CHANNEL: "shares its channel and takes",
    LossKind.ADJACENT: "overlaps its channel in part and costs",
    LossKind.SECONDARY: "uses its secondary channel and forces a narrower width for",
    LossKind.NON_WIFI: "is not Wi-Fi and costs",
    LossKind.UNIDENTIFIED: "was measured and takes",
}


def reasons_for(
    view: OwnView,
    after: ChannelAssessment,
    target: Channel,
    alternatives: tuple[Alternative, ...],
    options: tuple[Option, ...],
    conflict: tuple[str, ...],
    channel_plan: tuple[int, ...],
    power_db: float = 0.0,
    busy_mbps: tuple[float, float] | None = None,
    done: int = 0,
) -> tuple[str, ...]:
    """Reasons, the weightiest first; never empty.

    conflict: rules that together leave the radio no channel. channel_plan: the 2.4 GHz channels of the site's plan.
    power_db: change of the permitted power, 0 or less. busy_mbps: throughput before and after in the busy hour.
    done: changes of its channel that were marked as carried out, which are none of its own.
    """
    now, source = view.now, view.radio.channel
    out: list[str] = []
    here = next((o.barred for o in options if o.channel == source), "")
    if here and target != source:
        out.append(f"It may not stay on {source.label}: {here}.")
    if conflict:
        named = " and ".join(f"“{rule}”" for rule in conflict)
        leave = "leave" if len(conflict) > 1 else "leaves"
        out.append(
            f"No channel is available: {named} {leave} none. It stays until one of these rules is relaxed."
        )
    elif target == source:
        out.append(_why_stay(after, alternatives))
    elif now is not None:
        out += _what_is_wrong(now, after, source, target, channel_plan, bool(here))
        out.append(
            f"On {target.label} clear air is expected to change from {percent(now.clear_air)} "
            f"to {percent(after.clear_air)}, "
            f"and throughput from {now.expected_mbps:.0f} to {after.expected_mbps:.0f} Mb/s."
        )
        if busy_mbps is not None:
            # First where it is the reason: as observed, the radio has less after the move.
            at = 0 if after.expected_mbps < now.expected_mbps else len(out)
            out.insert(
                at,
                "In the busy hour, with all own radios at their design load, throughput is expected to change from "
                f"{busy_mbps[0]:.0f} to {busy_mbps[1]:.0f} Mb/s.",
            )
        out.append(_what_remains(after))
    unheard = sum(1 for o in options if o.barred == NOT_LISTENED_TO)
    if unheard:
        were = "was not listened to and is" if unheard == 1 else "were not listened to and are"
        out.append(
            f"{count(unheard, 'channel')} {were} left out: a scan of the whole band may find a better one."
        )
    watch_s = next((o.watch_s for o in options if o.channel == target), 0.0)
    if watch_s and target != source:
        out.append(
            f"It is a DFS channel: the radio must listen for radar for {_minutes(watch_s)} before it may send."
        )
    if power_db < 0:
        out.append(
            f"On {target.label} the country permits {-power_db:.0f} dB less power than on {source.label}: "
            "range and level of the clients are counted with that."
        )
    if any(o.radar_heard and o.channel == source for o in options):
        out.append(f"Radar was detected on {source.label}: the radio will have to leave it again.")
    out += _mistakes(view, target, channel_plan, done)
    if view.client_level_assumed:
        out.append(
            f"This depends on the client level, assumed as {dbm(view.client_level_dbm)}: {why_assumed(view)}."
        )
    return tuple(out)


def _minutes(seconds: float) -> str:
    minutes = round(seconds / 60)
    return "a minute" if minutes <= 1 else f"{minutes} minutes"


def _mistakes(view: OwnView, target: Channel, channel_plan: tuple[int, ...], done: int) -> list[str]:
    """Common mistakes: automatic channel selection, and channels off the plan."""
    radio, out = view.radio, []
    moves = radio.moves - done
    if moves > 0:
        out.append(
            f"It changed channel {count(moves, 'time')} by itself in this window. Set {target.label} as a fixed "
            "channel: automatic selection reacts to single minutes, and each change disconnects the clients."
        )
    if not fits_plan(target, channel_plan):
        out.append(
            f"{target.label} is off the channel plan {plan_text(channel_plan)}: it is still best with all levels "
            "3 dB lower or higher."
        )
    elif target.band == "2.4" and channel_plan == FOUR:
        out.append(
            "No radio here uses DSSS, whose signal is wider. So the four channels "
            f"{plan_text(channel_plan)} fit side by side, if all our radios keep to them."
        )
    return out


def _what_is_wrong(
    now: ChannelAssessment,
    after: ChannelAssessment,
    source: Channel,
    target: Channel,
    channel_plan: tuple[int, ...],
    limited: bool,
) -> list[str]:
    """limited: a rule forbids the present channel, which is said for itself."""
    out = []
    if not fits_plan(source, channel_plan) and fits_plan(source, THREE):
        out.append(
            f"{source.label} belongs to the plan {plan_text(THREE)}. This site uses {plan_text(channel_plan)}, and "
            "our radios on both sides would overlap it."
        )
    elif not fits_plan(source, channel_plan):
        out.append(
            f"{source.label} lies between the channels {plan_text(channel_plan)}. It seems empty in a list, but "
            "stations that cannot decode each other do not take turns, and frames collide."
        )
    worst = [h for h in now.losses if h.share_lost >= 0.01][:2]
    for cause in worst:
        where = f"{cause.channel.label}, " if cause.channel else ""
        out.append(
            f"{cause.name} ({where}{heard_at(cause)}) {_HOW[cause.kind]} {percent(cause.share_lost)} of its "
            "time now."
        )
    if target.width_mhz < source.width_mhz and after.expected_mbps < now.expected_mbps:
        out.append(
            f"{source.width_mhz} MHz give this radio more while the others are quiet, and take it from them: in "
            "2.4 GHz they fill two of the three channels."
            if source.band == "2.4"
            else f"{source.width_mhz} MHz give this radio more while the others are quiet, and take it from them."
        )
    elif target.width_mhz < source.width_mhz and not limited:
        out.append(
            f"{source.width_mhz} MHz are rarely free here: {target.width_mhz} MHz give more throughput overall."
        )
    elif target.width_mhz > source.width_mhz and not worst:
        out.append(f"{target.width_mhz} MHz are free.")
    return out


def _what_remains(after: ChannelAssessment) -> str:
    if not after.losses:
        return "No observed radio shares or overlaps that channel."
    worst = after.losses[0]
    if worst.kind == LossKind.UNIDENTIFIED:
        share = percent(worst.share_lost)
        return f"The largest remaining loss is {share}: measured busy time, its cause not identified."
    where = f" on {worst.channel.label}" if worst.channel else ""
    return f"The largest remaining loss is {percent(worst.share_lost)} to {worst.name}{where}."


def _why_stay(after: ChannelAssessment, alternatives: tuple[Alternative, ...]) -> str:
    if not alternatives:
        return "Stay: no other channel is available."
    best = alternatives[0]
    if best.expected_mbps <= after.expected_mbps:
        return (
            f"Stay: no other channel is expected to give more than the {after.expected_mbps:.0f} Mb/s here "
            f"({best.channel.sided_label}: {best.expected_mbps:.0f} Mb/s)."
        )
    offered = f"{best.expected_mbps:.0f} instead of {after.expected_mbps:.0f} Mb/s"
    offer = f"Stay: {best.channel.sided_label} would give {offered}, "
    if best.expected_mbps > after.expected_mbps * (1 + _DISRUPTION):
        return (
            offer + "but would take more than that from own radios or neighbours there, or in the busy hour."
        )
    return offer + "too little to justify the disruption."


def loss_text(chosen: ChannelAssessment, mbps: float, clear_air: float) -> str:
    """What an alternative gives up against the proposal."""
    less = chosen.expected_mbps - mbps
    if less > 0.5:
        return f"{less:.0f} Mb/s less ({percent(clear_air)} clear air)"
    if less < -0.5:
        return (
            f"{-less:.0f} Mb/s more for this radio now; other own radios, the busy hour, neighbours, a radar check or "
            "the change cost more than that"
        )
    return "same throughput; the change, a radar check or slower discovery by clients rank it second"


def _against_best(move: ChannelOutcome, after: ChannelAssessment) -> str:
    """What speaks against the best other channel, in agreement with the alternatives that the plan lists."""
    if move.best_other is None:
        return "no other channel is available"
    channel, mbps = move.best_other
    if mbps <= after.expected_mbps + _SAME_MBPS:
        return "no available channel promises more"
    offered = f"{channel.sided_label} would give it {mbps:.0f} instead of {after.expected_mbps:.0f} Mb/s"
    return f"{offered}, less than the change and what it costs others"


def with_first_step(finding: Finding, moves: Sequence[ChannelOutcome]) -> Finding:
    """The finding with the plan's own figures as its first step, where that step is a change of channel."""
    if finding.action == ChannelAction.NONE:
        return finding
    move = next((m for m in moves if m.radio.id == finding.radio), None)
    if move is None or move.before is None or move.after is None:
        return finding
    fixed = " as a fixed channel" if finding.action == ChannelAction.FIX else ""
    clear = f"clear air {percent(move.before.clear_air)} → {percent(move.after.clear_air)}"
    mbps = f"expected throughput {move.before.expected_mbps:.0f} → {move.after.expected_mbps:.0f} Mb/s"
    if move.busy_mbps is not None and not move.stays:
        mbps += f", in the busy hour {move.busy_mbps[0]:.0f} → {move.busy_mbps[1]:.0f} Mb/s"
    leaving = [m for m in moves if not m.stays and m.radio.band == move.radio.band]
    away = [f"{m.radio.name} to {m.target.label}" for m in leaving]
    if not move.stays:
        step = f"Set {move.target.label}{fixed}: {clear}, {mbps}."
    elif away and move.after.clear_air > move.before.clear_air + _WORTH_SAYING:
        step = f"Keep {move.source.label}{fixed}, and move {' and '.join(away)}: {clear}, {mbps}."
    else:
        step = f"{'Set' if fixed else 'Keep'} {move.source.label}{fixed}: {_against_best(move, move.after)}."
    return replace(finding, first_step=step)
