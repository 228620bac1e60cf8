"""The soak: what happened in the hours after a change, and the worst of them. Source: docs/proof.md, "Soak"."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from gray_kettle.analysis.assessment import Emitter, Inventory, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.phy.countries import radar_watch_s
from gray_kettle.proof.changed import Changed
from gray_kettle.proof.compare import FloatArray
from gray_kettle.proof.measures import CLEAR_AIR, Measured

HOUR_S = 3600.0
_GAP_S = 1800.0  # without a single observation
_MOST_EVENTS, _MOST_SPANS = 60, 200
_FRESH_S = 900.0  # what began in the first minutes was there before, and was only not heard yet
Span = tuple[float, float]


class EventKind(StrEnum):
    """What can happen in a soak."""

    OUTAGE = "own radio off the air"
    LEVEL_DROP = "level drop"
    MOVED = "own radio moved"
    NEWCOMER = "newcomer"
    EMITTER = "non-Wi-Fi emitter"
    GAP = "nothing collected"


@dataclass(frozen=True)
class Event:
    """spans: from when to when, each time that it happened; what happens in a moment has two equal ends."""

    kind: EventKind
    text: str
    spans: tuple[Span, ...]


@dataclass(frozen=True)
class Hour:
    """clear_air: mean over own radios. worst: title of the radio with least of it."""

    start_s: float
    clear_air: float
    worst: str
    worst_clear_air: float


@dataclass(frozen=True)
class Soak:
    """planned_s: how long it is to last. seen_s: of that, with observations. end_s: of what there is so far."""

    start_s: float
    end_s: float
    planned_s: float
    seen_s: float
    events: tuple[Event, ...]
    hours: tuple[Hour, ...]

    @property
    def is_over(self) -> bool:
        return self.end_s >= self.start_s + self.planned_s

    @property
    def worst(self) -> Hour | None:
        """The hour with least clear air, by the mean over own radios."""
        return min(self.hours, key=lambda hour: hour.clear_air, default=None)


def soak_of(
    span: Span,
    planned_s: float,
    inventory: Inventory,
    observed_s: FloatArray,
    changes: Sequence[Changed],
    measured: Iterable[Measured],
    limits: Thresholds,
    country: str,
) -> Soak:
    """span: from the change to the last observation. observed_s: moments of every observation, in order."""
    start_s, end_s = span[0], min(span[1], span[0] + planned_s)
    times_s = observed_s[(observed_s >= start_s) & (observed_s <= end_s)]
    gaps = _gaps(times_s, start_s, end_s)
    events = [
        *_of_own(inventory.radios, start_s, end_s),
        *_moves(changes, inventory.radios, start_s, end_s, country),
        *_newcomers(inventory.radios, start_s, end_s, limits),
        *_emitters(inventory.emitters, start_s, end_s, limits),
        *([Event(EventKind.GAP, "Nothing was collected.", gaps)] if gaps else []),
    ]
    events.sort(key=lambda event: (list(EventKind).index(event.kind), event.spans[0]))
    seen_s = end_s - start_s - sum(b - a for a, b in gaps)
    titles = {radio.id: f"{radio.name} {radio.band} GHz" for radio in inventory.radios if radio.own}
    hours = _hours(measured, titles, start_s, end_s)
    return Soak(start_s, end_s, planned_s, seen_s, tuple(events[:_MOST_EVENTS]), hours)


def _gaps(times_s: FloatArray, start_s: float, end_s: float) -> tuple[Span, ...]:
    edges = np.concatenate([[start_s], times_s, [end_s]])
    long = np.flatnonzero(np.diff(edges) >= _GAP_S)
    return tuple((float(edges[k]), float(edges[k + 1])) for k in long[:_MOST_SPANS])


def _of_own(radios: Sequence[Radio], start_s: float, end_s: float) -> list[Event]:
    out = []
    for radio in (r for r in radios if r.own):
        off = _clipped(((a, math.inf if b is None else b) for a, b in radio.outages), start_s, end_s)
        if off:
            minutes = sum(b - a for a, b in off) / 60
            text = f"{_title(radio)} was off the air, {_times(off)}, {minutes:.0f} min in all."
            out.append(Event(EventKind.OUTAGE, text, off))
        if radio.level_drop is not None:
            low = _clipped([radio.level_drop[:2]], start_s, end_s)
            if low:
                text = f"{_title(radio)} was {radio.level_drop[2]:.0f} dB under its usual level."
                out.append(Event(EventKind.LEVEL_DROP, text, low))
    return out


def _moves(
    changes: Sequence[Changed], radios: Sequence[Radio], start_s: float, end_s: float, country: str
) -> list[Event]:
    """Moves that nobody marked as done. Out of a channel with radar watch it may have been radar."""
    out = []
    from_radar = {
        (radio.id, change.time_s)
        for radio in radios
        for change in radio.changes
        if radar_watch_s(country, change.before)
    }
    for change in changes:
        if not change.is_carried_out and start_s < change.time_s <= end_s:
            radar = " It left a DFS channel: it may have detected radar."
            text = f"{change.name} moved from {change.text}."
            text += radar if (change.radio, change.time_s) in from_radar else ""
            out.append(Event(EventKind.MOVED, text, ((change.time_s, change.time_s),)))
    return out


def _newcomers(radios: Sequence[Radio], start_s: float, end_s: float, limits: Thresholds) -> list[Event]:
    out = []
    for radio in radios:
        is_loud = radio.level_dbm is not None and radio.level_dbm >= limits.strong_neighbour_dbm
        if not radio.own and is_loud and start_s + _FRESH_S < radio.first_s <= end_s:
            spans = _clipped(radio.episodes, start_s, end_s)
            text = f"{_title(radio)} on {radio.channel.label} at {radio.level_dbm:.0f} dBm, new since the change."
            out.append(Event(EventKind.NEWCOMER, text.replace("-", "−"), spans or ((radio.first_s,) * 2,)))
    return out


def _emitters(emitters: Sequence[Emitter], start_s: float, end_s: float, limits: Thresholds) -> list[Event]:
    out = []
    for emitter in emitters:
        spans = _clipped(emitter.episodes, start_s, end_s)
        most = max((share for *_, share in emitter.channels), default=0.0)
        if spans and not emitter.is_dismissed and most >= limits.watch_lost:
            what = emitter.name or ADVICE[emitter.kind].short
            text = f"{what} at {emitter.centre_hz / 1e6:.0f} MHz, {_times(spans)}."
            text += " It was there before the change too." if emitter.first_s < start_s else ""
            out.append(Event(EventKind.EMITTER, text, spans))
    return out


def _hours(
    measured: Iterable[Measured], titles: dict[str, str], start_s: float, end_s: float
) -> tuple[Hour, ...]:
    by_hour: dict[int, list[tuple[float, str]]] = {}
    for one in measured:
        if one.kind != CLEAR_AIR or one.radio not in titles:
            continue
        slot_s = one.stretch.slot * one.stretch.slot_s
        for time_s, value in zip(slot_s, one.stretch.value, strict=True):
            if start_s - one.stretch.slot_s < time_s < end_s:
                by_hour.setdefault(int(time_s // HOUR_S), []).append((float(value), titles[one.radio]))
    out = []
    for hour, found in sorted(by_hour.items()):
        least, who = min(found)
        mean = sum(value for value, _ in found) / len(found)
        out.append(Hour(hour * HOUR_S, mean, who, least))
    return tuple(out)


def _clipped(spans: Iterable[Span], start_s: float, end_s: float) -> tuple[Span, ...]:
    inside = [(max(a, start_s), min(b, end_s)) for a, b in spans if b >= start_s and a <= end_s]
    return tuple(sorted(inside)[:_MOST_SPANS])


def _times(spans: tuple[Span, ...]) -> str:
    return "once" if len(spans) == 1 else f"{len(spans)} times"


def _title(radio: Radio) -> str:
    return f"{radio.name} {radio.band} GHz"
