"""The channel map: every 20 MHz channel with who is on it, how busy it is, and what speaks for or against it.

Source: docs/scoring.md, "The channel map".
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from gray_kettle.analysis.assess import channels_seen_from
from gray_kettle.analysis.assessment import Assessment, ChannelView, Radio, Utilisation
from gray_kettle.analysis.emitters.tracking import non_wifi_share
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import BANDS, Channel
from gray_kettle.phy.countries import is_allowed, is_indoor_only, most_eirp_dbm, radar_watch_s
from gray_kettle.planner.best import Best
from gray_kettle.planner.rules import is_by_clients, rules_for, rules_of_clients


class Mark(StrEnum):
    """What is to be known of a channel before it is used."""

    BEST = "recommended"
    FORBIDDEN = "not permitted"
    INDOOR = "indoor only"
    RADAR = "DFS"
    OUR_RADIOS = "our radios cannot use it"
    CLIENTS = "clients cannot use it"


@dataclass(frozen=True)
class MapRow:
    """One 20 MHz channel.

    own, foreign: radios whose primary it is; covering: others whose channel holds it. clients: of the former.
    retry_share: of the frames of radios whose primary it is, None where none was heard. noise_dbm: as reported with
    frames on it, the median. clear_air: None where it was not listened to. most_eirp_dbm: None where nothing says.
    """

    channel: Channel
    utilisation: Utilisation
    own: tuple[Radio, ...]
    foreign: tuple[Radio, ...]
    covering: tuple[Radio, ...]
    clients: int
    retry_share: float | None
    strongest_foreign_dbm: float | None
    non_wifi: float | None
    noise_dbm: float | None
    clear_air: float | None
    marks: frozenset[Mark]
    most_eirp_dbm: float | None


def channel_map(
    assessment: Assessment, setup: Setup, answers: tuple[Best, ...], seen_by: Radio | None = None
) -> tuple[MapRow, ...]:
    """Band by band, channel by channel. seen_by: the own radio whose clear air is given, the receiver for None.

    Raises: InvalidInput, for a limit in the setup that cannot be parsed.
    """
    rows = []
    marks = channel_marks(assessment, setup, answers)
    for band in BANDS:
        whose = seen_by if seen_by is not None and seen_by.band == band else None
        views = [v for v in channels_seen_from(assessment, whose) if v.channel.band == band]
        radios = [r for r in assessment.radios if r.band == band]
        rows += [_row(view, radios, marks[view.channel], assessment, setup) for view in views]
    return tuple(rows)


def _row(
    view: ChannelView,
    radios: list[Radio],
    marks: frozenset[Mark],
    assessment: Assessment,
    setup: Setup,
) -> MapRow:
    channel, number = view.channel, view.channel.primary
    on_it = [r for r in radios if r.channel.primary == number]
    covering = tuple(r for r in radios if number in r.channel.parts and r.channel.primary != number)
    foreign = [r for r in (*on_it, *covering) if not r.own and r.level_dbm is not None]
    noise = sorted(r.noise_dbm for r in on_it if r.noise_dbm is not None)
    retriable = sum(n.retriable for r in on_it for n in r.networks)
    retries = sum(n.retries for r in on_it for n in r.networks)
    is_swept = any(s.channel == channel for s in assessment.swept)
    return MapRow(
        channel,
        view.utilisation,
        tuple(r for r in on_it if r.own),
        tuple(r for r in on_it if not r.own),
        covering,
        sum(len(n.clients) for r in on_it for n in r.networks),
        retries / retriable if retriable else None,
        max((r.level_dbm for r in foreign if r.level_dbm is not None), default=None),
        non_wifi_share(assessment, channel) if is_swept else None,
        noise[len(noise) // 2] if noise else None,
        view.assessed.clear_air if view.assessed else None,
        marks,
        most_eirp_dbm(setup.country, channel),
    )


def channel_marks(
    assessment: Assessment, setup: Setup, answers: tuple[Best, ...]
) -> dict[Channel, frozenset[Mark]]:
    """What speaks for or against each 20 MHz channel. Raises: InvalidInput, for a limit that cannot be parsed."""
    best = {(a.best.channel.band, n) for a in answers if a.best is not None for n in a.best.channel.parts}
    out = {}
    for band in BANDS:
        barred = _barred(band, assessment, setup)
        for channel in (v.channel for v in assessment.channels if v.channel.band == band):
            marks = {mark for mark, numbers in barred if channel.primary in numbers}
            if not is_allowed(setup.country, channel):
                marks.add(Mark.FORBIDDEN)
            else:
                marks |= {Mark.INDOOR} if is_indoor_only(setup.country, channel) else set()
                marks |= {Mark.RADAR} if radar_watch_s(setup.country, channel) else set()
            if (band, channel.primary) in best:
                marks.add(Mark.BEST)
            out[channel] = frozenset(marks)
    return out


def _barred(band: str, assessment: Assessment, setup: Setup) -> list[tuple[Mark, frozenset[int]]]:
    """Channels that all of our radios of a band, or some of their clients, cannot use."""
    ours = [view.radio for view in assessment.own if view.radio.band == band]
    channels = [view.channel for view in assessment.channels if view.channel.band == band]
    by_radio, by_clients = [], set[int]()
    for radio in ours:
        mine, rules = set(), [*rules_for(radio, setup), *rules_of_clients(radio)]
        for channel in channels:
            for rule in rules:
                if is_by_clients(rule.name):
                    if not rule.permits(channel) and channel.primary != radio.channel.primary:
                        by_clients.add(channel.primary)
                elif rule.name.startswith("radio limit") and not rule.permits(channel):
                    mine.add(channel.primary)
        by_radio.append(mine)
    none_can = frozenset(set.intersection(*by_radio)) if by_radio else frozenset[int]()
    return [(Mark.OUR_RADIOS, none_can), (Mark.CLIENTS, frozenset(by_clients))]


FILTERS: dict[str, Callable[[MapRow], bool]] = {
    "all": lambda row: True,
    "permitted": lambda row: Mark.FORBIDDEN not in row.marks,
    "usable": lambda row: not row.marks & {Mark.FORBIDDEN, Mark.OUR_RADIOS, Mark.CLIENTS},
    "recommended": lambda row: Mark.BEST in row.marks,
    "in use": lambda row: bool(row.own or row.foreign or row.covering),
    "free": lambda row: not (row.own or row.foreign or row.covering),
}
SORTS = {
    "channel": lambda row: (BANDS.index(row.channel.band), row.channel.primary),
    "busy": lambda row: -(row.utilisation.value if row.utilisation.value is not None else -1.0),
    "clear": lambda row: -(row.clear_air if row.clear_air is not None else -1.0),
    "radios": lambda row: -(len(row.own) + len(row.foreign)),
    "clients": lambda row: -row.clients,
    "foreign": lambda row: (
        -(row.strongest_foreign_dbm if row.strongest_foreign_dbm is not None else -math.inf)
    ),
    "non-wifi": lambda row: -(row.non_wifi if row.non_wifi is not None else -1.0),
    "retries": lambda row: -(row.retry_share if row.retry_share is not None else -1.0),
}
