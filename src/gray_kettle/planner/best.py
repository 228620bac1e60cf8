"""One answer: for each band the best channel and width, for our radios or, where none is ours, for a radio here.

Source: docs/scoring.md, "One answer".
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from gray_kettle.analysis.assess import TYPICAL_CLIENT
from gray_kettle.analysis.assessment import Assessment, ChannelAssessment, ChannelView
from gray_kettle.analysis.loss.channel_assessment import channel_assessments, interferers_for
from gray_kettle.analysis.loss.channel_plan import channel_plans, fits_plan, plan_text
from gray_kettle.analysis.loss.interference_loss import Candidates, score_channels
from gray_kettle.model.enums import UtilisationSource
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel, all_channels, narrow
from gray_kettle.phy.countries import is_allowed, radar_watch_s
from gray_kettle.planner.options import HARD_TO_FIND_COST, RADAR_COST, RADAR_HEARD_COST, radar_heard
from gray_kettle.planner.proposal import Move, Proposal

_WIDEST_MHZ = {"2.4": 20, "5": 80, "6": 80}
_NEWEST_5 = 165  # above it many devices have no channels
_PLAINLY = 0.1  # of clear air: a difference that needs no second look
_ALIKE = 0.05  # share of throughput within which two channels are as good
_COUNTERS = "The access point's own counters of the channel (survey)"
_SWEEP = "A sweep of the channel, or the access point's own counters (survey)"
_MEASURED = (UtilisationSource.SURVEY, UtilisationSource.SWEEP, UtilisationSource.FRAMES)


@dataclass(frozen=True)
class Pick:
    """A channel with what it gives."""

    channel: Channel
    clear_air: float
    expected_mbps: float


@dataclass(frozen=True)
class Best:
    """The answer for one radio. radio: its id, "" for any radio where the receiver is; name: its name.

    now: where it is, None without a radio. best: None where the band was not listened to. is_sure: "high", "medium" or
    "low", from how the channel was measured; rests_on says how. not_these: (what, why) of channels that look right and
    are not. settles: the measurement that would make it surer, "" where none would.
    runner_up_why: what the runner-up gives up against the best. leaves_for: why it may not stay, "" where it may.
    """

    band: str
    radio: str
    name: str
    now: Channel | None
    best: Pick | None
    runner_up: Pick | None
    is_sure: str
    rests_on: str
    not_these: tuple[tuple[str, str], ...]
    settles: str
    runner_up_why: str = ""
    leaves_for: str = ""

    @property
    def stays(self) -> bool:
        """Leave it: it is right."""
        return self.best is not None and self.now == self.best.channel


def best_answers(proposal: Proposal, assessment: Assessment, setup: Setup) -> tuple[Best, ...]:
    """Band by band: one for each own radio, or one for a radio at the receiver in a band without any."""
    out: list[Best] = []
    for band in ("2.4", "5", "6"):
        moves = [move for move in proposal.moves if move.radio.band == band]
        if moves:
            out += [_of_move(move, moves, assessment, setup) for move in moves]
        elif any(heard == band for heard, _ in assessment.covered):
            out.append(_of_band(band, assessment, setup))
    return tuple(out)


def which_band(answers: tuple[Best, ...]) -> str:
    """Which band to use, where the difference is plain; "" where it is not."""
    best: dict[str, float] = {}
    for answer in answers:
        if answer.best is not None:
            best[answer.band] = max(answer.best.clear_air, best.get(answer.band, 0.0))
    clearer = [b for b in best if b != "2.4" and "2.4" in best and best[b] >= best["2.4"] + _PLAINLY]
    if not clearer:
        return ""
    words = ", ".join(f"{100 * best[band]:.0f} % in {band} GHz" for band in ("2.4", *clearer))
    bands = " or ".join(clearer)
    return f"Clear air at its best is {words}: use {bands} GHz where devices can and the signal reaches."


def _of_move(move: Move, moves: list[Move], assessment: Assessment, setup: Setup) -> Best:
    used = {m.target.primary for m in moves}
    best = Pick(move.target, move.after.clear_air, move.after.expected_mbps) if move.after else None
    other = move.alternatives[0] if move.alternatives else None
    runner_up = Pick(other.channel, other.clear_air, other.expected_mbps) if other else None
    sure, source, settles = _sureness(move.target, assessment)
    return Best(
        move.radio.band,
        move.radio.id,
        move.radio.name,
        move.source,
        best,
        runner_up,
        sure,
        source,
        tuple(_not_these(move.radio.band, used, assessment, setup, best)),
        settles,
        other.loses if other else "",
        _leaves_for(move, assessment),
    )


def _leaves_for(move: Move, assessment: Assessment) -> str:
    if not move.stays and radar_heard(move.source, assessment):
        return f"radar was detected on {move.source.label}"
    return ""


def _of_band(band: str, assessment: Assessment, setup: Setup) -> Best:
    """For a radio of two streams at the receiver, with clients at a usual level."""
    scored = sorted(_here(band, assessment, setup), key=lambda item: -item[0])
    picks = [Pick(a.channel, a.clear_air, a.expected_mbps) for _, a in scored]
    if not picks:
        why = f"Scan all of {band} GHz."
        return Best(band, "", "a radio here", None, None, None, "low", "not listened to", (), why)
    best = picks[0]
    rest = [p for p in picks[1:] if not set(p.channel.parts) & set(best.channel.parts)]
    sure, source, settles = _sureness(best.channel, assessment)
    wrong = tuple(_not_these(band, {best.channel.primary}, assessment, setup, best))
    return Best(band, "", "a radio here", None, best, rest[0] if rest else None, sure, source, wrong, settles)


def _here(band: str, assessment: Assessment, setup: Setup) -> Iterator[tuple[float, ChannelAssessment]]:
    """(worth in log units, assessment) of every channel that a new radio at the receiver may use."""
    plans = channel_plans(assessment.radios, setup.country)
    candidates = tuple(
        channel
        for channel in all_channels(band)
        if channel.width_mhz <= _WIDEST_MHZ[band]
        and is_allowed(setup.country, channel)
        and fits_plan(channel, plans[0])
        and all((band, part) in assessment.covered for part in channel.parts)
        and not (band == "5" and max(channel.parts) > _NEWEST_5)
        and not (setup.preferences.radar == "avoid" and radar_watch_s(setup.country, channel))
    )
    if not candidates:
        return
    radios = tuple(radio for radio in assessment.radios if radio.band == band)
    emitters = tuple(e for e in assessment.emitters if e.band == band)
    others, rows = interferers_for(radios, None, emitters, unidentified=_unidentified(band, assessment))
    for found in channel_assessments(
        score_channels(TYPICAL_CLIENT, Candidates(candidates), others), others, rows
    ):
        worth = math.log(max(found.expected_mbps, 0.1))
        if radar_watch_s(setup.country, found.channel) and setup.preferences.radar != "prefer":
            worth -= RADAR_COST + RADAR_HEARD_COST * radar_heard(found.channel, assessment)
        if band == "6" and found.channel.primary % 16 != 5:
            worth -= HARD_TO_FIND_COST
        yield worth, found


def _unidentified(band: str, assessment: Assessment) -> Mapping[tuple[str, int], float]:
    return {key: share for key, share in assessment.unidentified.items() if key[0] == band}


def _sureness(channel: Channel, assessment: Assessment) -> tuple[str, str, str]:
    """(high, medium or low; what that rests on; what would settle it): of the worst known part of a channel."""
    by_channel = {v.channel: v for v in assessment.channels}
    views = [
        by_channel[part] for part in (narrow(channel.band, n) for n in channel.parts) if part in by_channel
    ]
    order = ("high", "medium", "low")
    worst = max(views, key=lambda v: order.index(_sure(v)), default=None)
    if worst is None:
        return "low", "not listened to", f"Listen to channel {channel.label}."
    sure, used = _sure(worst), worst.utilisation
    source = "radios heard alone" if used.value is None else str(used.source)
    if sure == "high":
        return sure, source, ""
    by = _COUNTERS if used.source in _MEASURED else _SWEEP
    return sure, source, f"{by}, for an hour in which it is busy."


def _sure(view: ChannelView) -> str:
    if view.assessed is None or view.utilisation.value is None:
        return "low"
    return view.utilisation.confidence if view.utilisation.source in _MEASURED else "medium"


def _not_these(
    band: str, used: set[int], assessment: Assessment, setup: Setup, best: Pick | None
) -> Iterator[tuple[str, str]]:
    """What looks right and is not, and the worst channel of those that are right to use."""
    views = [v for v in assessment.channels if v.channel.band == band and v.assessed is not None]
    plan: tuple[int, ...] = ()
    if band == "2.4":
        plans = channel_plans(assessment.radios, setup.country)
        plan = next((p for p in plans if used <= set(p)), plans[0])
        between = [v for v in views if v.channel.primary not in plan and v.channel.primary < max(plan)]
        emptiest = max(between, key=lambda v: v.assessed.clear_air if v.assessed else 0.0, default=None)
        if emptiest is not None and emptiest.assessed is not None:
            yield str(emptiest.channel.primary), _between(emptiest, plan, best)
        yield "40 MHz", f"it takes two of the channels {plan_text(plan)} for one radio"
    worst = min(
        (v for v in views if v.channel.primary not in used and (not plan or v.channel.primary in plan)),
        key=lambda v: v.assessed.clear_air if v.assessed else 1.0,
        default=None,
    )
    if best is None or worst is None or worst.assessed is None:
        return
    if worst.assessed.clear_air < best.clear_air - _PLAINLY:
        cause = max(worst.assessed.losses, key=lambda loss: loss.share_lost, default=None)
        taken = f", {cause.name} takes {100 * cause.share_lost:.0f} %" if cause is not None else ""
        yield str(worst.channel.primary), f"{100 * worst.assessed.clear_air:.0f} % clear air{taken}"


def _between(view: ChannelView, plan: tuple[int, ...], best: Pick | None) -> str:
    number = view.channel.primary
    below = max((n for n in plan if n < number), default=plan[0])
    above = min((n for n in plan if n > number), default=plan[-1])
    looks = ""
    if best is not None and view.assessed is not None and view.assessed.clear_air > best.clear_air:
        share = f"{100 * view.assessed.clear_air:.0f} %"
        looks = f"; its {share} clear air lasts until a neighbour comes to {below} or {above}"
    return f"it lies between {below} and {above}, hears both and disturbs both{looks}"


def as_good(answer: Best) -> bool:
    """Whether the runner-up gives this radio about the same, or more."""
    if answer.best is None or answer.runner_up is None:
        return False
    return answer.runner_up.expected_mbps >= (1 - _ALIKE) * answer.best.expected_mbps
