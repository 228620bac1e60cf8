"""What the air holds at some hours of the day: the assessment of a window, as it would be for these hours alone.

Radios count by how much of the hours they were there, emitters by how much of the looks at these hours met them. What
a radio sends while it is there, and how strong it is, stays as over the whole window. Source: docs/scoring.md,
"Hours that count".
"""

import re
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.analysis.assessment import Assessment, Emitter, OwnView, Radio
from gray_kettle.analysis.loss.channel_assessment import assess_channel, victim_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.records import FloatArray
from gray_kettle.safe_text import printable
from gray_kettle.site_timezone import SiteTime

_STEP_S = 60.0
_MOST_MOMENTS = 20_000  # of a long window, fewer and further apart
_SAME = 0.05  # presences that differ by less are the same hours
_SPAN = re.compile(r"^(\d{1,2})-(\d{1,2})$")


def hours_from(text: str) -> frozenset[int]:
    """Hours of the day out of “8-16” or “11-14,17-19”, the end not included, over midnight if it is smaller.

    Raises: InvalidInput for people.
    """
    out: set[int] = set()
    for word in text.replace(" ", "").split(","):
        match = _SPAN.match(word)
        first, last = (int(match[1]), int(match[2])) if match else (24, 0)
        if first > 23 or last > 24 or first == last:
            raise InvalidInput(
                f"“{printable(text)}” are no hours of the day: write for example 8-16 or 11-14,17-19."
            )
        out |= {hour % 24 for hour in range(first, last if last > first else last + 24)}
    return frozenset(out)


@dataclass(frozen=True, eq=False)
class Moments:
    """Moments of a window with their local hour of the day, (n,)."""

    time_s: FloatArray
    hour: NDArray[np.int64]


def moments_of(assessment: Assessment, site_time: SiteTime) -> Moments:
    """Even steps through the window at which anything was heard."""
    start_s, end_s = assessment.start_s, assessment.end_s
    step_s = max(_STEP_S, (end_s - start_s) / _MOST_MOMENTS)
    time_s = np.arange(start_s, end_s, step_s) + step_s / 2
    there = np.zeros(len(time_s), bool)
    for radio in assessment.radios:
        there |= _inside(time_s, radio.episodes)
    time_s = time_s[there]
    # Time zones jump at full hours: one lookup in the calendar for each.
    whole, which = np.unique(np.floor(time_s / 3600).astype(np.int64), return_inverse=True)
    ahead_s = [site_time.offset_s(int(h) * 3600) for h in whole]
    local_s = time_s + (np.array(ahead_s, dtype=np.float64)[which] if len(whole) else 0.0)
    return Moments(time_s, (local_s // 3600 % 24).astype(np.int64))


def _inside(time_s: FloatArray, episodes: tuple[tuple[float, float], ...]) -> NDArray[np.bool_]:
    """Which moments lie in one of the episodes, which do not overlap, widened by a step."""
    if not episodes:
        return np.zeros(len(time_s), bool)
    starts, ends = np.array(sorted(episodes)).T
    at = np.searchsorted(starts, time_s + _STEP_S, "right") - 1
    return np.asarray((at >= 0) & (time_s <= ends[at] + _STEP_S))


def are_heard(hours: frozenset[int], moments: Moments) -> bool:
    """Whether anything was heard at these hours."""
    return bool(np.isin(moments.hour, list(hours)).any())


def at_hours(
    assessment: Assessment, hours: frozenset[int], moments: Moments, site_time: SiteTime
) -> Assessment:
    """The same radios and emitters with their presence at these hours, and the own radios assessed among them.

    Findings, channels and utilisation stay those of the window. The same assessment where nothing was observed at
    these hours.
    """
    then = _present_at(assessment, hours, moments, site_time)
    if then is assessment:
        return assessment
    by_id = {r.id: r for r in then.radios}
    own = tuple(_view_at(v, by_id[v.radio.id], then) for v in assessment.own)
    return replace(then, own=own)


def _present_at(
    assessment: Assessment, hours: frozenset[int], moments: Moments, site_time: SiteTime
) -> Assessment:
    """Radios and emitters as present at these hours; own views are still those of the window."""
    of_hours = np.isin(moments.hour, list(hours))
    if not of_hours.any() or of_hours.all():
        return assessment
    radios = tuple(_radio_at(r, moments, of_hours) for r in assessment.radios)
    shift = round(site_time.offset_s(assessment.start_s) / 3600)
    utc = frozenset((hour - shift) % 24 for hour in hours)
    emitters = tuple(_emitter_at(e, utc) for e in assessment.emitters)
    return replace(assessment, radios=radios, emitters=emitters)


def _radio_at(radio: Radio, moments: Moments, of_hours: NDArray[np.bool_]) -> Radio:
    if radio.own or not radio.episodes:
        return radio
    there = _inside(moments.time_s, radio.episodes)
    usual, then = float(there.mean()), float(there[of_hours].mean())
    factor = then / usual if usual else 1.0
    stays = tuple(replace(s, presence=min(s.presence * factor, 1.0)) for s in radio.stays)
    return replace(radio, stays=stays)


def _emitter_at(emitter: Emitter, utc: frozenset[int]) -> Emitter:
    at_these = [share for hour, share in emitter.hours if hour in utc]
    usual = np.mean([share for _, share in emitter.hours]) if emitter.hours else 0.0
    if not at_these or not usual:
        return emitter  # nothing was swept at these hours: as in the whole window
    duty = min(emitter.duty_while_on * float(np.mean(at_these)), 1.0)
    factor = duty / emitter.duty if emitter.duty else 1.0
    channels = tuple((band, n, min(d * factor, 1.0)) for band, n, d in emitter.channels)
    return replace(emitter, duty=duty, channels=channels)


def _view_at(view: OwnView, radio: Radio, then: Assessment) -> OwnView:
    if view.now is None:
        return view
    victim, channel = victim_of(radio)[0], view.now.channel
    now = assess_channel(channel, victim, then.radios, radio, then.emitters, then.unidentified)
    return replace(view, radio=radio, now=now)


def times_of_day(
    assessment: Assessment, moments: Moments, site_time: SiteTime, counted: frozenset[int] | None, most: int
) -> tuple[tuple[float, Assessment], ...]:
    """The parts of the day that differ, with the weight of each; none where all are the same. Own views are not made.

    A plan that is good on average may be bad at noon: each part counts by itself. counted: hours that count alone.
    """
    length = 24 // most
    found: list[tuple[float, tuple[float, ...], Assessment]] = []
    for first in range(0, 24, length):
        hours = frozenset(range(first, first + length)) & (counted or frozenset(range(24)))
        if not are_heard(hours, moments):
            continue
        then = _present_at(assessment, hours, moments, site_time)
        shape = _shape(then)
        for k, (weight, known, same) in enumerate(found):
            if max((abs(a - b) for a, b in zip(shape, known, strict=True)), default=0.0) < _SAME:
                found[k] = weight + len(hours), known, same
                break
        else:
            found.append((float(len(hours)), shape, then))
    total = sum(weight for weight, _, _ in found)
    return tuple((weight / total, then) for weight, _, then in found) if len(found) > 1 else ()


def _shape(assessment: Assessment) -> tuple[float, ...]:
    presences = [s.presence for r in assessment.radios if not r.own for s in r.stays]
    return (*presences, *(e.duty for e in assessment.emitters))
