"""The field of channels × widths, for paper: what each own radio would get everywhere, the others staying put."""

from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from gray_kettle.analysis.assessment import ChannelAssessment, OwnView
from gray_kettle.analysis.loss.channel_assessment import assess_all_channels
from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, literal, say_left_out
from gray_kettle.planner.options import barred
from gray_kettle.safe_text import printable
from gray_kettle.session import Session

_COPPER = LinearSegmentedColormap.from_list("copper on paper", [PAPER, "#ecd3bd", "#c98a55"])
_MOST = 16


def heatmap_figure(session: Session, band: str) -> Figure:
    """A block of cells an own radio: the fuller the ground, the more is expected; the present channel is framed."""
    own = [v for v in session.assessment.own if v.radio.band == band]
    views = own[:_MOST]
    fields = [_cells(v, session) for v in views]
    heights = [0.5 + 0.3 * len({w for w, _ in cells}) for cells in fields] or [1.0]
    figure = Figure(figsize=(10.5, 1.0 + sum(heights)), facecolor=PAPER, layout="constrained")
    rows = figure.subplots(max(len(views), 1), 1, squeeze=False, height_ratios=heights)[:, 0]
    for axes, view, cells in zip(rows, views, fields, strict=False):
        _draw(axes, view, cells)
    if not views:
        rows[0].text(0.5, 0.5, f"no own radio in {band} GHz", ha="center", transform=rows[0].transAxes)
        rows[0].set_axis_off()
    site = printable(session.setup.site) or "Site not named"
    title = f"{site}: {band} GHz, expected Mb/s on every channel and width (framed: now; –: not available)"
    figure.suptitle(literal(title), x=0.01, ha="left", fontsize=11, color=INK)
    say_left_out(figure, [v.radio.name for v in own[_MOST:]], "fainter at the receiver")
    return figure


def _cells(view: OwnView, session: Session) -> dict[tuple[int, int], ChannelAssessment | None]:
    """The best of each width and primary; None where the plan would not go either."""
    out: dict[tuple[int, int], ChannelAssessment | None] = {}
    closed = barred(view.radio, session.assessment, session.setup)
    for assessed in assess_all_channels(view, session.assessment):
        channel = assessed.channel
        key = (channel.width_mhz, channel.primary)
        had = out.setdefault(key, None)
        here = channel == view.radio.channel
        if here or (channel not in closed and (had is None or _better(assessed, had, view))):
            out[key] = assessed
    open_to_it = {primary for (_, primary), assessed in out.items() if assessed is not None}
    return {key: assessed for key, assessed in out.items() if key[1] in open_to_it}


def _better(one: ChannelAssessment, other: ChannelAssessment, view: OwnView) -> bool:
    return other.channel != view.radio.channel and one.expected_mbps > other.expected_mbps


def _draw(axes: Axes, view: OwnView, cells: dict[tuple[int, int], ChannelAssessment | None]) -> None:
    widths, primaries = sorted({w for w, _ in cells}), sorted({n for _, n in cells})
    best = max((s.expected_mbps for s in cells.values() if s), default=1.0) or 1.0
    for (width, primary), assessed in cells.items():
        x, y = primaries.index(primary), widths.index(width)
        share = assessed.expected_mbps / best if assessed else 0.0
        axes.add_patch(
            Rectangle((x - 0.5, y - 0.5), 1, 1, facecolor=_COPPER(share), edgecolor=PAPER, linewidth=0.6)
        )
        if assessed is not None and assessed.channel == view.radio.channel:
            axes.add_patch(
                Rectangle(
                    (x - 0.46, y - 0.44), 0.92, 0.88, fill=False, edgecolor=OWN, linewidth=1.6, zorder=3
                )
            )
        word = f"{assessed.expected_mbps:.0f}" if assessed else "–"
        small = 5.5 if len(primaries) > 20 else 7
        axes.text(x, y, word, ha="center", va="center", fontsize=small, color=INK if assessed else FOREIGN)
    axes.set_xlim(-0.6, len(primaries) - 0.4)
    axes.set_ylim(-0.6, len(widths) - 0.4)
    turned = 90 if len(primaries) > 20 else 0
    axes.set_xticks(range(len(primaries)), [str(n) for n in primaries], fontsize=6.5, rotation=turned)
    axes.set_yticks(range(len(widths)), [f"{w} MHz" for w in widths], fontsize=7)
    axes.tick_params(length=0)
    axes.spines[:].set_visible(False)
    title = literal(f"■ {printable(view.radio.name)}, now {view.radio.channel.label}")
    axes.set_title(title, loc="left", fontsize=8.5, color=INK)
