"""What each own radio may do: permitted, sendable, usable by the clients, and listened to."""

from contextlib import suppress
from dataclasses import dataclass

from gray_kettle.air.channels import Channel, all_channels
from gray_kettle.air.countries import is_allowed, needs_radar_watch
from gray_kettle.air.floors import UNHEARD_DBM
from gray_kettle.air.rates import widest_mhz
from gray_kettle.judge.assessment import Assessment, Radio
from gray_kettle.judge.standing import level_at
from gray_kettle.plan.limits import Limit, parse_limit
from gray_kettle.records import Setup
from gray_kettle.safe_text import printable

RASTER_2_4 = (1, 6, 11)


@dataclass(frozen=True)
class Option:
    """One channel for one radio. barred: why it is not to be chosen, "" when it may be."""

    channel: Channel
    barred: str
    radar: bool


def options_for(
    radio: Radio, assessment: Assessment, country: str, limits: tuple[Limit, ...]
) -> tuple[Option, ...]:
    """Every channel that exists for the radio, with the reason why it is out where it is.

    The present channel is always among them and never barred: staying is an answer.
    """
    found = []
    for channel in _sendable(radio):
        why = "" if channel == radio.channel else _barred(channel, radio, assessment, country, limits)
        found.append(Option(channel, why, needs_radar_watch(country, channel)))
    if radio.channel not in {o.channel for o in found}:
        found.append(Option(radio.channel, "", needs_radar_watch(country, radio.channel)))
    return tuple(found)


def barred(radio: Radio, assessment: Assessment, setup: Setup) -> dict[Channel, str]:
    """Why channels are not open to a radio, where they are not. A limit that cannot be read bars nothing."""
    limits = []
    for text in setup.clients:
        with suppress(ValueError):
            limits.append(parse_limit(text))
    options = options_for(radio, assessment, setup.country, tuple(limits))
    return {o.channel: o.barred for o in options if o.barred}


def _sendable(radio: Radio) -> tuple[Channel, ...]:
    # What a radio offers is not announced; at least what it does now, and what its generation can do.
    widest = max(widest_mhz(radio.generation), radio.channel.width_mhz)
    if radio.channel.width_mhz <= 80:
        widest = min(widest, 80)  # 160 and 320 MHz are options of few radios: only where they are in use
    return tuple(c for c in all_channels(radio.band) if c.width_mhz <= widest)


def _barred(
    channel: Channel, radio: Radio, assessment: Assessment, country: str, limits: tuple[Limit, ...]
) -> str:
    if not is_allowed(country, channel):
        return f"not permitted in {printable(country) or 'every country'}"
    for limit in limits:
        if limit.concerns(radio) and not limit.permits(channel):
            return f"clients: {printable(limit.text)}"
    if any((channel.band, part) not in assessment.covered for part in channel.parts):
        return "not listened to"
    if channel.band == "2.4" and channel.width_mhz > 20 and _second_part_is_used(channel, radio, assessment):
        return "its second half is in use"
    return ""


def _second_part_is_used(channel: Channel, radio: Radio, assessment: Assessment) -> bool:
    """40 MHz in 2.4 GHz only where nothing at all is heard on the second part."""
    second = channel.parts[1]
    for other in assessment.radios:
        if other.id == radio.id or other.band != "2.4":
            continue
        for stay in other.stays:
            near = any(abs(part - second) < 4 for part in stay.channel.parts)
            if near and level_at(stay, None) > UNHEARD_DBM:
                return True
    return False


def is_on_raster(channel: Channel) -> bool:
    """Whether a channel keeps to the places that do not overlap one another."""
    return channel.band != "2.4" or channel.primary in RASTER_2_4
