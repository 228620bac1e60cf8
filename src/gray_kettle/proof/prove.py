"""The proof: every figure before and after a change, with a verdict, and what else changed. Source: docs/proof.md."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from gray_kettle.analysis.assessment import Change, Radio
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.proof.changed import Changed
from gray_kettle.proof.compare import (
    Difference,
    Stretch,
    Verdict,
    adjusted,
    compared,
    expected_difference,
    verdict_of,
)
from gray_kettle.proof.measures import SITE, Kind, Measured
from gray_kettle.proof.soak import Soak

AT_THE_TIME_S = 3600.0  # within which a step that is marked as done and a change that was seen are the same
_LEAST_MBPS = 1.0
_EXPECTED_SLACK = 0.5
Window = tuple[float, float]


@dataclass(frozen=True)
class Result:
    """One figure of one own radio, or of the site: radio is "" then.

    hours_needed: on each side, to settle it; 0 where it is settled. promised: the difference that the plan expected of
    the change when it was made; expected: what the model expects of it in the hours that are compared, from the data
    before alone. NaN where they say nothing.
    """

    kind: Kind
    radio: str
    name: str
    band: str
    found: Difference
    verdict: Verdict
    hours_needed: float
    promised: float = math.nan
    expected: float = math.nan

    @property
    def is_expected(self) -> bool | None:
        """Whether what was expected lies in the interval; None where nothing was, or there is too little."""
        wanted = self.promised if math.isnan(self.expected) else self.expected
        if math.isnan(wanted) or math.isnan(self.found.low):
            return None
        slack = _EXPECTED_SLACK * self.least  # less than what matters is no error
        return self.found.low - slack <= wanted <= self.found.high + slack

    @property
    def subject(self) -> str:
        """ "hall 2.4 GHz", or "the site"."""
        return f"{self.name} {self.band} GHz" if self.radio else self.name

    @property
    def least(self) -> float:
        """The smallest difference that matters, in the unit of the figure."""
        return _least(self.kind, self.found)


@dataclass(frozen=True)
class Proof:
    """before, after: what was compared. together: changes that no comparison can tell apart. came, went: foreign
    radios that were heard only after, and only before. unmatched_hours: that have nothing like them on the other side.
    soak: of the hours after the change, None where no own radio was changed. absent: own radios without data before or
    after.
    """

    before: Window
    after: Window
    results: tuple[Result, ...]
    changes: tuple[Changed, ...]
    together: tuple[str, ...]
    came: tuple[str, ...]
    went: tuple[str, ...]
    unmatched_hours: float
    soak: Soak | None = None
    absent: tuple[str, ...] = ()

    @property
    def record(self) -> tuple[int, int]:
        """(figures of which the model's expectation lies in the interval, all of which it expected something)."""
        said = [result.is_expected for result in self.results if result.is_expected is not None]
        return sum(said), len(said)

    def count(self, verdict: Verdict) -> int:
        return sum(result.verdict is verdict for result in self.results)


def judged(
    measured: Sequence[Measured],
    before: Window,
    after: Window,
    radios: Sequence[Radio],
    done: Sequence[CompletedStep] = (),
    expected: Sequence[Measured] = (),
) -> tuple[Result, ...]:
    """Every figure with its verdict, all of them looked at together. The clearest changes come first.

    Radios that have no figure at all on one side are left out: see absent_of. done: steps that were carried out; what
    the plan promised of those between before and after is put beside. expected: of the windows before, with the
    changes.
    """
    promised = {
        (step.radio, key): now - was
        for step in done
        if before[1] - AT_THE_TIME_S <= step.time_s <= after[0] + AT_THE_TIME_S
        for key, was, now in step.promised
    }
    by_id = {radio.id: radio for radio in radios}
    with_changes = {(one.radio, one.kind): one.stretch for one in expected}
    absent = {radio.id for radio in absent_of(measured, before, after, radios)}
    pairs, wanted_of = [], []
    for one in measured:
        was, now = _sides(one.stretch, before, after)
        if one.radio not in absent and (len(was) or len(now)):
            pairs.append((one, compared(was, now, one.kind.bounds)))
            then = with_changes.get((one.radio, one.kind))
            wanted_of.append(math.nan if then is None else expected_difference(was, then, now))
    chances = adjusted([found.p for _, found in pairs])
    out = []
    for (one, found), p, wanted in zip(pairs, chances, wanted_of, strict=True):
        verdict, hours = verdict_of(found, float(p), _least(one.kind, found), one.kind.is_more_better)
        radio = by_id.get(one.radio)
        who = (radio.id, radio.name, radio.band) if radio else ("", SITE, "")
        by_plan = promised.get((one.radio, one.kind.key), math.nan)
        out.append(Result(one.kind, *who, found, verdict, hours, by_plan, wanted))
    order = list(Verdict)
    out.sort(key=lambda r: (order.index(r.verdict), r.radio != "", r.name, r.band, r.kind.key))
    return tuple(out)


def _sides(stretch: Stretch, before: Window, after: Window) -> tuple[Stretch, Stretch]:
    start_s = stretch.slot * stretch.slot_s
    was, now = (
        stretch.rows((start_s >= from_s) & (start_s + stretch.slot_s / 2 <= to_s))
        for from_s, to_s in (before, after)
    )
    return was, now


def absent_of(
    measured: Sequence[Measured], before: Window, after: Window, radios: Sequence[Radio]
) -> tuple[Radio, ...]:
    """Radios of which nothing was measured on one of the sides, such as one that was switched off."""
    found: dict[str, list[int]] = {}
    for one in measured:
        counts = found.setdefault(one.radio, [0, 0])
        for k, side in enumerate(_sides(one.stretch, before, after)):
            counts[k] += len(side)
    return tuple(radio for radio in radios if min(found.get(radio.id, [0, 0])) == 0)


def _least(kind: Kind, found: Difference) -> float:
    if kind.unit != "Mb/s":
        return kind.least
    return max(kind.least * found.before, _LEAST_MBPS) if found.before == found.before else _LEAST_MBPS


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
                out.append(Changed(change.time_s, radio.id, title_of(radio), text, False))
    return tuple(sorted(out, key=lambda change: change.time_s))


def _is_marked(radio: Radio, change: Change, done: Sequence[CompletedStep]) -> bool:
    return any(s.radio == radio.id and abs(s.time_s - change.time_s) <= AT_THE_TIME_S for s in done)


def _name(radios: Sequence[Radio], radio_id: str) -> str:
    return next((title_of(r) for r in radios if r.id == radio_id), SITE)


def title_of(radio: Radio) -> str:
    """For example "hall 2.4 GHz"."""
    return f"{radio.name} {radio.band} GHz"


def inseparable(changes: Sequence[Changed], after: Window) -> tuple[str, ...]:
    """Changes between which nothing lies that could tell them apart."""
    near = [c for c in changes if abs(c.time_s - after[0]) <= AT_THE_TIME_S]
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
    return f"{title_of(radio)} on {radio.channel.label}"


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
    return groups_of(changes, span)[-1]


def groups_of(changes: Sequence[Changed], span: Window) -> list[tuple[Window, Window]]:
    """(before, after) of each change, those together that were made within an hour of one another.

    Changes that were carried out count before moves that came by themselves.
    """
    made = [c.time_s for c in changes if c.is_carried_out] or [c.time_s for c in changes]
    groups: list[list[float]] = []
    for time_s in sorted(made):
        if groups and time_s - groups[-1][-1] <= AT_THE_TIME_S:
            groups[-1].append(time_s)
        else:
            groups.append([time_s])
    edges = [span[0], *(group[-1] for group in groups)]
    ends = [*(group[0] for group in groups[1:]), span[1]]
    return [
        ((edge, group[0]), (group[-1], end)) for edge, group, end in zip(edges, groups, ends, strict=False)
    ]
