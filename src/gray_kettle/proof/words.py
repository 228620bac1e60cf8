"""Figures of the proof as people read them."""

import math

from gray_kettle.analysis.explain import Explanation
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.prove import Result
from gray_kettle.proof.trials import TrialResult


def figure(value: float, unit: str) -> str:
    """For example "32 %", "−61 dBm", "1.5"; "–" for what is not known."""
    if math.isnan(value):
        return "–"
    form = {"share": f"{100 * value:.0f} %", "dBm": f"{value:.0f} dBm", "Mb/s": f"{value:.0f} Mb/s"}
    return form.get(unit, f"{value:.1f}").replace("-", "−")


def step(value: float, unit: str) -> str:
    """A difference with its sign: shares in points."""
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
    return f"{text}, as it came" if result.is_expected else f"{text}, missed"


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
        f"{s.setting} {s.median:.3g} ({s.runs} run{'s' * (s.runs != 1)})" for s in result.settings
    )
    return f"{listed}. {best(result)}"


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


def explained(result: Result) -> Explanation:
    """Where a figure and its verdict come from."""
    found, kind = result.found, result.kind
    inputs = (
        ("before", figure(found.before, kind.unit), "mean over like hours"),
        ("after", figure(found.after, kind.unit), "mean over like hours"),
        ("interval of the difference", interval(result), "covers the true one in 95 % of cases"),
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
