"""What a listing does not say of a radio: taken from what else was heard of it, else assumed, and named as assumed."""

from collections.abc import Sequence
from dataclasses import replace
from typing import TypedDict

from gray_kettle.analysis import model_constants
from gray_kettle.model.records import Announcement, Observations


class Abilities(TypedDict):
    """What a radio can do; assumed: which of it nothing reported."""

    generation: str
    streams: int
    assumed: tuple[str, ...]


def completed(observations: Observations) -> Observations:
    """Width, security, generation and streams of an announcement without them: from another of the same BSSID.

    A width counts on the same primary alone. What nothing says stays unknown.
    """
    said = observations.announcements
    if all(a.width_advertised and a.security and a.generation and a.streams for a in said):
        return observations
    backwards = said[::-1]  # the first of a BSSID counts
    widths = {
        (a.bssid, a.channel.band, a.channel.primary): a.channel for a in backwards if a.width_advertised
    }
    generations = {(a.bssid, a.channel.band): a.generation for a in backwards if a.generation}
    security = {(a.bssid, a.channel.band): a.security for a in backwards if a.security}
    streams = {(a.bssid, a.channel.band): a.streams for a in backwards if a.streams}

    def whole(a: Announcement) -> Announcement:
        band = (a.bssid, a.channel.band)
        channel = a.channel
        if not a.width_advertised:
            channel = widths.get((*band, channel.primary), replace(channel, is_width_known=False))
        return replace(
            a,
            channel=channel,
            generation=a.generation or generations.get(band, ""),
            security=a.security or security.get(band, ""),
            streams=a.streams or streams.get(band, 0),
        )

    return replace(observations, announcements=tuple(whole(a) for a in said))


def abilities_of(members: Sequence[Announcement], latest: Announcement) -> Abilities:
    """Generation and streams of a radio, assumed where no announcement of it reports them.

    assumed: which of "width", "generation" and "streams" were not reported.
    """
    generation = latest.generation or next((m.generation for m in members if m.generation), "")
    streams = max(m.streams for m in members)
    missing = {
        "width": not latest.channel.is_width_known,
        "generation": not generation,
        "streams": not streams,
    }
    return {
        "generation": generation or model_constants.USUAL_GENERATION,
        "streams": streams or model_constants.CLIENT_STREAMS,
        "assumed": tuple(name for name, is_missing in missing.items() if is_missing),
    }
