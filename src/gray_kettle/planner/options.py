"""The channels open to each own radio: permitted, supported, usable by its clients, and listened to."""

from contextlib import suppress
from dataclasses import dataclass, replace

from gray_kettle.analysis.assessment import Assessment, Radio
from gray_kettle.analysis.figures import RadarLeft
from gray_kettle.analysis.loss.channel_assessment import level_at
from gray_kettle.model.enums import EmitterKind, FindingKind, UtilisationSource
from gray_kettle.model.plan_preferences import PlanPreferences
from gray_kettle.model.setup import Setup
from gray_kettle.phy.carrier_sense import UNHEARD_DBM
from gray_kettle.phy.channels import Channel, all_channels, narrow, primaries
from gray_kettle.phy.countries import radar_watch_s
from gray_kettle.phy.rates import widest_mhz
from gray_kettle.planner.limits import limit_of_radio, parse_limit
from gray_kettle.planner.rules import broken, contradiction, rules_for, rules_of_clients

RADAR_COST = 0.08  # the check before use, and the risk of having to leave
WEATHER_RADAR_COST = (
    0.15  # more where the check takes ten minutes: so long nothing is sent after each restart
)
_LONG_WATCH_S = 300.0
NEWER_ONLY = "only newer radios and clients have it"
RADAR_HEARD_COST = 0.7  # pulses were detected there: it will have to leave again
HARD_TO_FIND_COST = 0.03  # 6 GHz off the preferred scanning channels: clients scan those first
OFF_PLAN_COST = (
    0.3  # 2.4 GHz between the channels of the plan: frames of neighbours on both sides collide with ours
)
WIDE_2_4_COST = 0.3  # 40 MHz there: two of three channels for one radio
UNPROVEN_WIDE_COST = (
    0.6  # staying 40 MHz wide where nothing shows the second half free: more than the width gives
)
_FREE = 0.1  # busy share up to which a secondary channel counts as free
NOT_LISTENED_TO = "not listened to"


@dataclass(frozen=True)
class Option:
    """One channel for one radio. barred: why it must not be chosen, "" when it may be.

    cost: of going there, in log units. watch_s: how long it must listen for radar first, 0 for not at all.
    """

    channel: Channel
    barred: str
    cost: float = 0.0
    watch_s: float = 0.0
    radar_heard: bool = False


@dataclass(frozen=True)
class Options:
    """All channels that exist for a radio. conflict: names of the rules that together leave it none."""

    all: tuple[Option, ...]
    conflict: tuple[str, ...]

    @property
    def open(self) -> tuple[Option, ...]:
        return tuple(o for o in self.all if not o.barred)


def options_for(radio: Radio, assessment: Assessment, setup: Setup) -> Options:
    """Every channel that exists for the radio, with the reason why it is out where it is.

    The present channel is open unless it breaks a rule: staying is an answer. Where nothing is open, the radio stays
    and the rules that leave it no channel are named. Raises: InvalidInput, for a limit that cannot be parsed.
    """
    rules = (*rules_for(radio, setup), *rules_of_clients(radio))
    channels = _sendable(radio)
    if radio.channel not in channels:
        channels = (*channels, radio.channel)
    found = []
    for channel in channels:
        why = broken(channel, rules)
        if not why and channel != radio.channel:
            why = unwise(channel, radio, assessment)
        watch_s = radar_watch_s(setup.country, channel)
        heard = watch_s > 0 and radar_heard(channel, assessment)
        cost = _cost(channel, radio, setup.preferences, watch_s, heard)
        cost += _wide_cost(channel, radio, assessment)
        found.append(Option(channel, why, cost, watch_s, heard))
    if all(o.barred for o in found):
        conflict = contradiction(channels, rules)
        if not conflict:  # the rules leave channels, but none that can be assessed
            left = {o.barred for o in found if not broken(o.channel, rules)}
            here = broken(radio.channel, rules)
            conflict = (here, *sorted(left))
        found = [replace(o, barred="") if o.channel == radio.channel else o for o in found]
        return Options(tuple(found), conflict)
    return Options(tuple(found), ())


def barred(radio: Radio, assessment: Assessment, setup: Setup) -> dict[Channel, str]:
    """Why channels are barred for a radio. A limit that cannot be parsed bars nothing."""
    clients, offers = [], []
    for text in setup.clients:
        with suppress(ValueError):
            parse_limit(text)
            clients.append(text)
    for owner, text in setup.preferences.offers:
        with suppress(ValueError):
            limit_of_radio(text, radio.band)
            offers.append((owner, text))
    readable = replace(
        setup, clients=tuple(clients), preferences=replace(setup.preferences, offers=tuple(offers), locked=())
    )
    return {o.channel: o.barred for o in options_for(radio, assessment, readable).all if o.barred}


def _sendable(radio: Radio) -> tuple[Channel, ...]:
    if not radio.channel.is_width_known:  # the primary is what can be planned; the width stays what it is
        return primaries(radio.band)
    # What a radio offers is not announced; at least what it does now, and what its generation can do.
    widest = max(widest_mhz(radio.generation), radio.channel.width_mhz)
    if radio.channel.width_mhz <= 80:
        widest = min(widest, 80)  # 160 and 320 MHz are options of few radios: only where they are in use
    return tuple(c for c in all_channels(radio.band) if c.width_mhz <= widest)


def unwise(channel: Channel, radio: Radio, assessment: Assessment) -> str:
    """Why a permitted channel should not be chosen; "" for no reason."""
    if channel.band == "5" and _is_new(channel) and not _is_new(radio.channel):
        return NEWER_ONLY
    if any((channel.band, part) not in assessment.covered for part in channel.parts):
        return NOT_LISTENED_TO
    if channel.band == "2.4" and channel.width_mhz > 20:
        if _second_part_is_used(channel, radio, assessment):
            return "its secondary channel is in use"
        if not _second_part_is_free(channel, assessment):
            return "no survey or sweep shows its secondary channel free"
    return ""


def _wide_cost(channel: Channel, radio: Radio, assessment: Assessment) -> float:
    """What it costs to be 40 MHz wide in 2.4 GHz, in log units."""
    if channel.band != "2.4" or channel.width_mhz == 20:
        return 0.0
    free = _second_part_is_free(channel, assessment) and not _second_part_is_used(channel, radio, assessment)
    return WIDE_2_4_COST + (0.0 if free else UNPROVEN_WIDE_COST)


def _cost(channel: Channel, radio: Radio, preferences: PlanPreferences, watch_s: float, heard: bool) -> float:
    """In log units: for the change, for radar (more where it was detected), and for slower discovery by clients."""
    cost = 0.0 if channel == radio.channel else preferences.change_cost
    if watch_s:
        cost += (0.0 if preferences.radar == "prefer" else RADAR_COST) + RADAR_HEARD_COST * heard
        cost += WEATHER_RADAR_COST * (watch_s > _LONG_WATCH_S)
    if channel.band == "6" and channel.primary % 16 != 5 and channel != radio.channel:
        cost += HARD_TO_FIND_COST
    return cost


def radar_heard(channel: Channel, assessment: Assessment) -> bool:
    """Whether radar was detected on a channel: pulses in a sweep, or an own radio that left for no other reason."""
    for emitter in assessment.emitters:
        if emitter.kind == EmitterKind.RADAR and not emitter.is_dismissed:
            for hz, width_hz in channel.segments:
                if emitter.low_hz < hz + width_hz / 2 and emitter.high_hz > hz - width_hz / 2:
                    return True
    parts = set(channel.parts)
    return any(
        parts & set(change.before.parts)
        for finding in assessment.findings
        if finding.kind == FindingKind.RADAR_LEFT
        for view in assessment.own
        if view.radio.id == finding.radio
        for change in view.radio.changes
        if isinstance(finding.figures, RadarLeft)
        if (change.before.label, change.time_s) in finding.figures.left
    )


def _is_new(channel: Channel) -> bool:
    """Channels over 165, and wide ones with it: many radios and most clients do not have them."""
    return max(channel.parts) > 165 or (165 in channel.parts and channel.width_mhz > 20)


def _second_part_is_free(channel: Channel, assessment: Assessment) -> bool:
    """Whether its secondary channel was measured, by other means than beacons, and found free."""
    return any(
        view.channel == narrow(channel.band, channel.parts[1])
        and view.utilisation.source in (UtilisationSource.SURVEY, UtilisationSource.SWEEP)
        and view.utilisation.value is not None
        and view.utilisation.value <= _FREE
        for view in assessment.channels
    )


def _second_part_is_used(channel: Channel, radio: Radio, assessment: Assessment) -> bool:
    """40 MHz in 2.4 GHz only where nothing at all is received on the secondary channel."""
    second = channel.parts[1]
    for other in assessment.radios:
        if other.id == radio.id or other.band != "2.4":
            continue
        for stay in other.stays:
            near = any(abs(part - second) < 4 for part in stay.channel.parts)
            if near and level_at(stay, None) > UNHEARD_DBM:
                return True
    return False
