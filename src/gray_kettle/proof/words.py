"""Figures of the proof as people read them."""

import math
from collections import Counter
from collections.abc import Sequence

from gray_kettle.analysis.explain import Explanation
from gray_kettle.proof.changed import Changed
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.prove import Proof, Result
from gray_kettle.proof.soak import HOUR_S, Event, Soak
from gray_kettle.proof.trials import TrialResult
from gray_kettle.safe_text import printable
from gray_kettle.site_timezone import SiteTime

_MOST_MOVES, _THREE_DIGITS = 3, 100


def figure(value: float, unit: str) -> str:
    """For example "32 %", "−61 dBm", "1.5"; "–" for what is not known."""
    if math.isnan(value):
        return "–"
    form = {"share": f"{100 * value:.0f} %", "dBm": f"{value:.0f} dBm", "Mb/s": f"{value:.0f} Mb/s"}
    return form.get(unit, f"{value:.1f}").replace("-", "−")


def step(value: float, unit: str) -> str:
    """A difference with its sign: shares in points; "–" for what is not known."""
    if math.isnan(value):
        return "–"
    form = {"share": f"{100 * value:+.0f}", "dBm": f"{value:+.1f}", "Mb/s": f"{value:+.0f}"}
    return form.get(unit, f"{value:+.1f}").replace("-", "−")


def interval(result: Result) -> str:
    """For example "−12 to −7"; "–" where there is too little."""
    found, unit = result.found, result.kind.unit
    return "–" if math.isnan(found.low) else f"{step(found.low, unit)} to {step(found.high, unit)}"


def promise(result: Result) -> str:
    """What was expected beside what came; "" where nothing that matters was."""
    wanted = result.promised if math.isnan(result.expected) else result.expected
    if math.isnan(wanted) or (abs(wanted) < result.least and result.is_expected is not False):
        return ""
    text = f"expected {step(wanted, result.kind.unit)}"
    if result.is_expected is None:
        return text
    if result.is_expected:
        return f"{text}, as it came"
    return f"{text}, {'more' if (result.found.difference - wanted) * wanted > 0 else 'less'} came"


def verdict(result: Result) -> str:
    """The verdict, with what would settle it."""
    of_what = " of captures" if result.kind.is_of_captures else ""
    hours = (
        f": {result.hours_needed:.0f} h{of_what} on each side would settle it" if result.hours_needed else ""
    )
    expected = promise(result)
    return f"{result.verdict}{hours}{'; ' if expected else ''}{expected}"


def trials(result: TrialResult) -> str:
    """Settings with their medians, and which is best or what would say so."""
    listed = ", ".join(
        f"{s.setting} {number(s.median)} ({s.runs} run{'s' * (s.runs != 1)})" for s in result.settings
    )
    return f"{listed}. {best(result)}"


def number(value: float) -> str:
    """A rate or a delay: "47", "23.9", "1890"."""
    return f"{value:.0f}" if abs(value) >= _THREE_DIGITS else f"{value:.3g}"


def measured_by(result: TrialResult) -> str:
    """For example "by till 2 at tea bar"; "" where neither was noted."""
    client = f"by {printable(result.client)}" if result.client else ""
    return f"{client}{' at ' + printable(result.spot) if result.spot else ''}".strip()


def best(result: TrialResult) -> str:
    """Which setting is best, or how many more runs would say so."""
    if result.best:
        return f"Best: {result.best}."
    if len(result.settings) < 2:
        return "One setting alone: try another."
    if result.runs_needed:
        first, second = result.settings[0].setting, result.settings[1].setting
        return f"None can be named yet: run {result.runs_needed} more of {first} and of {second}."
    return "No difference that more runs would show: choose by other figures."


def changes(made: Sequence[Changed], site_time: SiteTime) -> list[str]:
    """A line each; moves of one radio by itself, where they are many, in one."""
    by_itself = Counter(change.radio for change in made if not change.is_carried_out)
    lines, summed = [], set()
    for change in made:
        when = f"{site_time.minute(change.time_s):%a %d %H:%M}"
        if change.is_carried_out:
            lines.append(f"{when}  {printable(change.name)}: {printable(change.text)} (carried out)")
        elif by_itself[change.radio] <= _MOST_MOVES:
            lines.append(f"{when}  {printable(change.name)}: {printable(change.text)} (moved by itself)")
        elif change.radio not in summed:
            summed.add(change.radio)
            lines.append(
                f"from {when}  {printable(change.name)} moved by itself {by_itself[change.radio]} times"
            )
    return lines


def soak_progress(soak: Soak, site_time: SiteTime) -> str:
    """How far it is, and its worst hour."""
    hours, planned = (soak.end_s - soak.start_s) / HOUR_S, soak.planned_s / HOUR_S
    until = site_time.minute(soak.start_s + soak.planned_s)
    state = (
        f"{planned:.0f} h, over"
        if soak.is_over
        else f"{hours:.1f} of {planned:.0f} h, until {until:%a %d %H:%M}"
    )
    text = f"{state}, {soak.seen_s / HOUR_S:.1f} h of it observed."
    worst = soak.worst
    if worst is not None:
        when = site_time.minute(worst.start_s)
        text += (
            f" Worst hour {when:%a %H:%M}: {figure(worst.clear_air, 'share')} clear air in the mean, "
            f"{worst.worst} {figure(worst.worst_clear_air, 'share')}."
        )
    return text


def event(what: Event, site_time: SiteTime) -> str:
    """What happened in a soak, and when."""
    start_s, end_s = what.spans[0][0], what.spans[-1][1]
    start, end = site_time.minute(start_s), site_time.minute(end_s)
    when = f"{start:%a %H:%M}"
    if end_s - start_s >= 60:
        when += f" – {end:%H:%M}" if end.date() == start.date() else f" – {end:%a %H:%M}"
    return f"{when}  {what.text}"


def soak_verdict(proof: Proof, soak: Soak, site_time: SiteTime) -> str:
    """What a soak says at its end, in one sentence or two."""
    counts = [f"{proof.count(v)} figures {v}" for v in (Verdict.BETTER, Verdict.WORSE) if proof.count(v)]
    happened = Counter(str(event.kind) for event in soak.events)
    noted = ", ".join(f"{kind} ({count})" if count > 1 else kind for kind, count in happened.items())
    return (
        f"Soak since {site_time.minute(soak.start_s):%a %d %H:%M}: {' and '.join(counts) or 'no change shown'}. "
        f"{soak_progress(soak, site_time)}{f' What happened: {noted}.' if noted else ''}"
    )


def too_early(proof: Proof) -> str:
    """What is to be done where nothing is certain yet; "" where something is."""
    if proof.count(Verdict.BETTER) or proof.count(Verdict.WORSE):
        return ""
    hours = sorted(r.hours_needed for r in proof.results if r.hours_needed and not r.kind.is_of_captures)
    if not hours:
        return ""
    return f"Too early to say: {hours[len(hours) // 2]:.0f} like hours on each side would settle half of the figures."


def record(proof: Proof) -> str:
    """How the model did with what it expected; "" where it expected nothing."""
    right, said = proof.record
    if not said:
        return ""
    return f"Of {said} differences that the model expected from the days before, {right} came so."


def explained(result: Result) -> Explanation:
    """Where a figure and its verdict come from."""
    found, kind = result.found, result.kind
    inputs = (
        ("before", figure(found.before, kind.unit), "mean over like hours"),
        ("after", figure(found.after, kind.unit), "mean over like hours"),
        ("interval of the difference", interval(result), "covers the true one in 95 % of cases"),
        (
            "the plan expected",
            step(result.promised, kind.unit),
            "difference, when the step was marked as done",
        ),
        ("the model expects", step(result.expected, kind.unit), "of these hours, from the data before alone"),
        ("like hours on each side", f"{found.hours:.1f} h", "weekdays with weekdays, each hour with itself"),
        ("hours with nothing like them", f"{found.unmatched:.1f} h", "left out"),
    )
    how = {
        Verdict.BETTER: "The interval lies on the better side of zero, also when all figures are looked at together.",
        Verdict.WORSE: "The interval lies on the worse side of zero, also when all figures are looked at together.",
        Verdict.NO_CHANGE: "No difference that matters is certain, and the interval is narrow.",
        Verdict.TOO_LITTLE: "The interval is too wide for a verdict, or there are no like hours.",
    }[result.verdict]
    title = f"{result.subject}: {kind.title}"
    return Explanation(
        title,
        verdict(result),
        how,
        inputs,
        "docs/proof.md",
        "More hours before and after narrow the interval.",
    )
