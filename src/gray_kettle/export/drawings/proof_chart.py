"""Before and after, for paper: the difference of each figure with its interval, in differences that matter."""

import math

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, literal
from gray_kettle.proof import words
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.prove import Proof, Result
from gray_kettle.safe_text import printable
from gray_kettle.site_timezone import SiteTime

_WORSE = "#b23c14"
_INKS = {Verdict.BETTER: OWN, Verdict.WORSE: _WORSE, Verdict.NO_CHANGE: FOREIGN, Verdict.TOO_LITTLE: FOREIGN}
_MOST, _REACH = 44, 8.0


def proof_figure(proof: Proof, site: str, site_time: SiteTime) -> Figure:
    """A line a figure with an interval, the clearest first. What there is no room or too little data for is counted."""
    with_interval = [result for result in proof.results if not math.isnan(result.found.low)]
    shown = with_interval[:_MOST]
    figure = Figure(figsize=(10.5, 2.0 + 0.24 * len(shown)), facecolor=PAPER, layout="constrained")
    axes = figure.subplots()
    for at, result in enumerate(shown):
        _line(axes, at, result)
    axes.axvline(0, color=INK, linewidth=0.8)
    axes.axvspan(-1, 1, color=INK, alpha=0.05, linewidth=0)
    axes.set_xlim(-_REACH, _REACH)
    axes.set_ylim(len(shown) - 0.4, -0.6)
    names = [f"{printable(r.subject)}: {r.kind.title}   {_values(r)}" for r in shown]
    axes.set_yticks(range(len(shown)), [literal(name) for name in names], fontsize=7)
    axes.set_xlabel(
        "difference, in the smallest that matters (grey: less than that); ▼ worse, ◇ what the model expected from the "
        "days before; arrows: beyond the scale",
        fontsize=8,
    )
    axes.spines[["top", "right", "left"]].set_visible(False)
    axes.tick_params(axis="y", length=0)
    right = axes.secondary_yaxis("right")
    right.set_yticks(range(len(shown)), [str(r.verdict) for r in shown], fontsize=7)
    right.spines["right"].set_visible(False)
    right.tick_params(axis="y", length=0)
    left_out = len(with_interval) - len(shown)
    too_little = len(proof.results) - len(with_interval)
    title = f"{printable(site) or 'Site not named'}: did it help?"
    figure.suptitle(literal(title), x=0.01, ha="left", fontsize=12, color=INK)
    axes.set_title(
        literal(f"before {_span(proof.before, site_time)}, after {_span(proof.after, site_time)}{site_time.suffix}"
                + (f"\n{left_out} more without a certain difference; " if left_out else "\n")
                + (f"{too_little} with too little data" if too_little else "")),
        loc="left", fontsize=8, color=INK,
    )  # fmt: skip
    return figure


def _line(axes: Axes, at: int, result: Result) -> None:
    found, ink = result.found, _INKS[result.verdict]
    least = result.least
    low, high, middle = (
        max(-_REACH, min(_REACH, v / least)) for v in (found.low, found.high, found.difference)
    )
    axes.plot([low, high], [at, at], color=ink, linewidth=2.2, solid_capstyle="round")
    is_beyond = abs(found.difference / least) > _REACH
    sign = ("<" if middle < 0 else ">") if is_beyond else "v" if result.verdict is Verdict.WORSE else "o"
    axes.plot([middle], [at], sign, color=ink, markersize=5, clip_on=False)
    if result.is_expected is not None and abs(result.expected / least) <= _REACH:
        axes.plot([result.expected / least], [at], "D", color=INK, markersize=4, fillstyle="none")


def _values(result: Result) -> str:
    unit = result.kind.unit
    return f"{words.figure(result.found.before, unit)} → {words.figure(result.found.after, unit)}"


def _span(window: tuple[float, float], site_time: SiteTime) -> str:
    start, end = (site_time.minute(time_s) for time_s in window)
    return f"{start:%a %d %b %H:%M} to {end:%a %d %b %H:%M}"
