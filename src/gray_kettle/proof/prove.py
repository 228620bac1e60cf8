"""The proof: every figure before and after a change, with a verdict, and what else changed. Source: docs/proof.md."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from gray_kettle.analysis.assessment import Change, Radio
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.proof.compare import Difference, Verdict, adjusted, compared, verdict_of
from gray_kettle.proof.measures import THROUGHPUT, Kind, Measured

_AT_THE_TIME_S = 3600.0  # within which a step that is marked as done and a change that was seen are the same
_LEAST_MBPS = 1.0
Window = tuple[float, float]


@dataclass(frozen=True)
class Result:
    """One figure of one own radio. hours_needed: on each side, to settle it; 0 where it is settled.

    promised: the difference that the plan expected of the change, NaN where it said nothing.
    """

    kind: Kind
    radio: str
    name: str
    band: str
    found: Difference
    verdict: Verdict
    hours_needed: float
    promised: float = math.nan


@dataclass(frozen=True)
class Changed:
    """One change of an own radio. is_carried_out: it was marked as done about then; else it moved by itself."""

    time_s: float
    radio: str
    name: str
    text: str
    is_carried_out: bool


@dataclass(frozen=True)
class Proof:
    """before, after: what was compared. together: changes that no comparison can tell apart. came, went: foreign
    radios that were heard only after, and only before. unmatched_hours: that have nothing like them on the other side.
    """

    before: Window
    after: Window
    results: tuple[Result, ...]
    changes: tuple[Changed, ...]
    together: tuple[str, ...]
    came: tuple[str, ...]
    went: tuple[str, ...]
    unmatched_hours: float

    def count(self, verdict: Verdict) -> int:
        return sum(result.verdict is verdict for result in self.results)


def judged(
    measured: Sequence[Measured],
    before: Window,
    after: Window,
    radios: Sequence[Radio],
    done: Sequence[CompletedStep] = (),
) -> tuple[Result, ...]:
    """Every figure with its verdict, all of them looked at together. The clearest changes come first.

    done: steps that were carried out; what the plan promised of those between before and after is put beside.
    """
    promised = {
        (step.radio, key): now - was
        for step in done
        if before[1] - _AT_THE_TIME_S <= step.time_s <= after[0] + _AT_THE_TIME_S
        for key, was, now in step.promised
    }
    by_id = {radio.id: radio for radio in radios}
    pairs = []
    for one in measured:
        inside = [
            (one.stretch.slot * one.stretch.slot_s >= start_s)
            & ((one.stretch.slot + 1) * one.stretch.slot_s <= end_s + one.stretch.slot_s / 2)
            for start_s, end_s in (before, after)
        ]
        sides = [one.stretch.rows(chosen) for chosen in inside]
        if len(sides[0]) or len(sides[1]):
            pairs.append((one, compared(*sides)))
    chances = adjusted([found.p for _, found in pairs])
    out = []
    for (one, found), p in zip(pairs, chances, strict=True):
        least = one.kind.least
        if one.kind is THROUGHPUT:
            least = max(least * found.before, _LEAST_MBPS) if found.before == found.before else _LEAST_MBPS
        verdict, hours = verdict_of(found, float(p), least, one.kind.is_more_better)
        radio = by_id[one.radio]
        wanted = promised.get((radio.id, one.kind.key), math.nan)
        out.append(Result(one.kind, radio.id, radio.name, radio.band, found, verdict, hours, wanted))
    order = list(Verdict)
    out.sort(key=lambda r: (order.index(r.verdict), r.name, r.band, r.kind.key))
    return tuple(out)


def changes_of(
    radios: Sequence[Radio], done: Sequence[CompletedStep], start_s: float, end_s: float
) -> tuple[Changed, ...]:
    """What was changed between two moments: steps marked as done, and moves that were seen."""
    out = [
        Changed(step.time_s, step.radio, _name(radios, step.radio), step.text, True)
        for step in done
        if start_s <= step.time_s <= end_s
    ]
    for radio in radios:
        for change in radio.changes:
            if start_s <= change.time_s <= end_s and not _is_marked(radio, change, done):
                text = f"{change.before.label} to {change.after.label}"
                out.append(Changed(change.time_s, radio.id, radio.name, text, False))
    return tuple(sorted(out, key=lambda change: change.time_s))


def _is_marked(radio: Radio, change: Change, done: Sequence[CompletedStep]) -> bool:
    return any(s.radio == radio.id and abs(s.time_s - change.time_s) <= _AT_THE_TIME_S for s in done)


def _name(radios: Sequence[Radio], radio_id: str) -> str:
    return next((f"{r.name} {r.band} GHz" for r in radios if r.id == radio_id), "the site")


def inseparable(changes: Sequence[Changed], after: Window) -> tuple[str, ...]:
    """Changes between which nothing lies that could tell them apart."""
    near = [c for c in changes if abs(c.time_s - after[0]) <= _AT_THE_TIME_S]
    return tuple(f"{c.name}: {c.text}" for c in near) if len(near) > 1 else ()


def came_and_went(
    radios: Sequence[Radio], before: Window, after: Window
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Foreign radios that were heard only after, and only before."""

    def heard(radio: Radio, window: Window) -> bool:
        return any(start_s <= window[1] and end_s >= window[0] for start_s, end_s in radio.episodes)

    came = [r for r in radios if not r.own and heard(r, after) and not heard(r, before)]
    went = [r for r in radios if not r.own and heard(r, before) and not heard(r, after)]
    return tuple(map(_title, came)), tuple(map(_title, went))


def _title(radio: Radio) -> str:
    return f"{radio.name} {radio.band} GHz on {radio.channel.label}"


def _without(window: Window, reference: Window) -> Window:
    """The part of a window behind the reference, or before it where nothing lies behind."""
    if reference[1] < window[1]:
        return max(window[0], reference[1]), window[1]
    return window[0], min(window[1], reference[0])


def windows_of(
    reference: Window | None, changes: Sequence[Changed], window: Window, span: Window
) -> tuple[Window, Window] | None:
    """(before, after): the reference and the window where one is set, else up to the last change and from it on.

    Changes that were carried out count before moves that came by themselves. None where nothing was changed.
    """
    if reference is not None:
        return reference, _without(window, reference)
    if not changes:
        return None
    made = [c.time_s for c in changes if c.is_carried_out] or [c.time_s for c in changes]
    last_s = made[-1]
    first_s = max((time_s for time_s in made if last_s - time_s > _AT_THE_TIME_S), default=span[0])
    begins_s = min(time_s for time_s in made if last_s - time_s <= _AT_THE_TIME_S)
    return (first_s, begins_s), (last_s, span[1])
