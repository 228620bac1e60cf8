"""Clear air of each own radio, for paper: two bars a radio, as it was or is and as it is now or would be."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, literal
from gray_kettle.safe_text import printable
from gray_kettle.session import Session

_MOST = 24
_BANDS = ("2.4", "5", "6")
Bar = tuple[str, float, float]


def usable_air_figure(now: Session, before: Session | None) -> Figure:
    """before: the window before a change, None where nothing was changed: then the plan is shown beside what is.

    Of many radios those with least clear air are shown, and the rest is counted.
    """
    bars = {band: _bars(now, before, band) for band in _BANDS}
    bars = {band: found for band, found in bars.items() if found}
    shown, left = _fewer(bars)
    most = max(map(len, shown.values()), default=2)
    figure = Figure(figsize=(7.6, 0.55 + 0.25 * max(most, 2)), facecolor=PAPER, layout="constrained")
    panels = figure.subplots(1, max(len(shown), 1), squeeze=False)[0]
    for axes, (band, rows) in zip(panels, shown.items(), strict=False):
        _panel(axes, band, rows, most)
    if not shown:
        panels[0].text(0.5, 0.5, "no own radio was observed", ha="center", color=INK)
        panels[0].set_axis_off()
        return figure
    if left:
        figure.supxlabel(f"{left} more have more", fontsize=7.5, color=INK, x=0.01, ha="left")
    return figure


def _bars(now: Session, before: Session | None, band: str) -> list[Bar]:
    """(name, first share, second share) of the radios that both are known of."""
    if before is None:
        moves = [m for m in now.proposal.moves if m.radio.band == band and m.before and m.after]
        return [(m.radio.name, m.before.clear_air, m.after.clear_air) for m in moves if m.before and m.after]
    was = {v.radio.id: v.now.clear_air for v in before.assessment.own if v.now}
    return [
        (v.radio.name, was[v.radio.id], v.now.clear_air)
        for v in now.assessment.own
        if v.radio.band == band and v.now and v.radio.id in was
    ]


def _fewer(bars: dict[str, list[Bar]]) -> tuple[dict[str, list[Bar]], int]:
    ranked = sorted(min(second, first) for rows in bars.values() for _, first, second in rows)
    if len(ranked) <= _MOST:
        return bars, 0
    limit = ranked[_MOST - 1]
    shown = {b: [row for row in rows if min(row[1:]) <= limit] for b, rows in bars.items()}
    count = sum(map(len, shown.values()))
    return {b: rows for b, rows in shown.items() if rows}, len(ranked) - count


def _panel(axes: Axes, band: str, rows: list[Bar], room: int) -> None:
    for at, (_, first, second) in enumerate(rows):
        axes.barh(at - 0.19, first, 0.34, color="#c9ced3", edgecolor=FOREIGN, linewidth=0.4, hatch="....")
        axes.barh(at + 0.19, second, 0.34, color=OWN, linewidth=0)
        for y, share in ((at - 0.19, first), (at + 0.19, second)):
            axes.text(share + 0.008, y, f"{100 * share:.0f} %", va="center", fontsize=6.5, color=INK)
    axes.set_yticks(range(len(rows)), [literal(printable(name)) for name, _, _ in rows], fontsize=8)
    axes.set_ylim(max(room, 2) - 0.5, -0.5)
    axes.set_xlim(0, 1.2)
    axes.set_xticks([0, 0.5, 1], ["0", "50", "100 %"], fontsize=7)
    axes.set_title(f"{band} GHz", loc="left", fontsize=8.5, color=INK)
    axes.tick_params(axis="y", length=0)
    axes.spines[["top", "right"]].set_visible(False)
