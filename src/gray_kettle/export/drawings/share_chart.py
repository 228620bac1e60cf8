"""Shares by channel, for paper: clear air and losses of each own radio, and utilisation."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gray_kettle.analysis.assess import channels_seen_from
from gray_kettle.analysis.assessment import ChannelView, Radio
from gray_kettle.export.drawings.style import EMITTER, FOREIGN, INK, OWN, PAPER, bars, literal, say_left_out
from gray_kettle.safe_text import printable
from gray_kettle.session import Session

_CLEAR, _OVERLAP = "#e9ded0", "#9a8f86"
_MARKS = {"survey": "D", "sweep": "s", "frames": "^", "BSS load": "o", "beacons": "x"}
_MOST = 16


def share_chart_figure(session: Session, band: str) -> Figure:
    """One line of bars an own radio (the receiver, where there is none), and below what each source says is busy."""
    assessment = session.assessment
    own = sorted(
        (v for v in assessment.own if v.radio.band == band), key=lambda v: v.now.clear_air if v.now else 1.0
    )
    chosen = own[:_MOST]  # those with least clear air; in the order of the list
    seats: list[Radio | None] = [v.radio for v in assessment.own if v in chosen] or [None]
    figure = Figure(figsize=(10.5, 1.6 + 1.15 * len(seats) + 1.6), facecolor=PAPER, layout="constrained")
    rows = figure.subplots(len(seats) + 1, 1, squeeze=False, height_ratios=[1.15] * len(seats) + [1.6])[:, 0]
    for axes, seat in zip(rows, seats, strict=False):
        channel_views = [p for p in channels_seen_from(assessment, seat) if p.channel.band == band]
        _shares(axes, channel_views, seat)
    busy = [p for p in assessment.channels if p.channel.band == band]
    _sources(rows[-1], busy)
    site = printable(session.setup.site) or "Site not named"
    title = literal(f"{site}: {band} GHz, clear air and losses on each channel")
    figure.suptitle(title, x=0.01, ha="left", fontsize=12, color=INK)
    handles, labels = rows[0].get_legend_handles_labels()
    figure.legend(handles, labels, loc="outside lower left", ncols=5, fontsize=8, frameon=False)
    say_left_out(figure, [v.radio.name for v in own[_MOST:]], "with more clear air")
    return figure


def _shares(axes: Axes, channel_views: list[ChannelView], seat: Radio | None) -> None:
    measured = [(k, p.assessed) for k, p in enumerate(channel_views) if p.assessed is not None]
    bottom = [0.0] * len(measured)
    for name, colour, hatch in (
        ("clear air", _CLEAR, ""),
        ("co-channel", FOREIGN, ""),
        ("adjacent-channel", _OVERLAP, "////"),
        ("non-Wi-Fi", EMITTER, "...."),
        ("not identified", FOREIGN, "xxxx"),
    ):
        heights = []
        for _, s in measured:
            parts = {
                "co-channel": s.co_channel_lost,
                "adjacent-channel": s.adjacent_lost,
                "non-Wi-Fi": s.non_wifi_lost,
                "not identified": s.unidentified_lost,
            }
            total, lost = sum(parts.values()), 1 - s.clear_air
            heights.append(
                s.clear_air if name == "clear air" else lost * parts[name] / total if total else 0.0
            )
        bars(axes, [k for k, _ in measured], bottom, heights, 0.82, label=name, facecolor=colour,
             hatch=hatch, edgecolor=PAPER, linewidth=0.4)  # fmt: skip
        bottom = [b + h for b, h in zip(bottom, heights, strict=True)]
    for k, view in enumerate(channel_views):
        mine = seat is not None and view.channel.primary in seat.channel.parts
        if view.assessed is None:
            axes.text(k, 0.5, "–", ha="center", color=FOREIGN)
        else:
            weight = "bold" if mine else "normal"
            words = f"{100 * view.assessed.clear_air:.0f}"
            axes.text(
                k, 0.03, words, ha="center", fontsize=6.5, color=OWN if mine else INK, fontweight=weight
            )
    name = "seen by the receiver" if seat is None else f"■ {seat.name}\n{seat.channel.label}"
    axes.set_ylabel(literal(printable(name.split("\n")[0])) + "\n" + "".join(name.split("\n")[1:]), rotation=0,
                    ha="right", va="center", fontsize=8, color=INK)  # fmt: skip
    _channel_views(axes, channel_views)


def _sources(axes: Axes, channel_views: list[ChannelView]) -> None:
    for source, mark in _MARKS.items():
        points = [
            (k, share, name == p.utilisation.source)
            for k, p in enumerate(channel_views)
            for name, share in [(p.utilisation.source, p.utilisation.value), *p.utilisation.others]
            if name == source and share is not None
        ]
        for used in (False, True):
            chosen = [(k, share) for k, share, is_used in points if is_used == used]
            axes.plot([k for k, _ in chosen], [s for _, s in chosen], mark, markersize=5 if used else 4,
                      color=OWN if used else FOREIGN, markerfacecolor=OWN if used else "none",
                      label=source if not used else None, linestyle="none")  # fmt: skip
    axes.set_ylabel(
        "busy, by source\n(filled: used)", rotation=0, ha="right", va="center", fontsize=8, color=INK
    )
    axes.legend(loc="upper right", ncols=5, fontsize=7, frameon=False)
    _channel_views(axes, channel_views)
    axes.set_xlabel("channel", color=INK)


def _channel_views(axes: Axes, channel_views: list[ChannelView]) -> None:
    turned = 90 if len(channel_views) > 16 else 0
    axes.set_xticks(
        range(len(channel_views)),
        [str(p.channel.primary) for p in channel_views],
        fontsize=7,
        rotation=turned,
    )
    axes.set_xlim(-0.6, len(channel_views) - 0.4)
    axes.set_ylim(0, 1)
    axes.set_yticks([0, 0.5, 1], ["0", "50", "100 %"], fontsize=7)
    axes.spines[["top", "right"]].set_visible(False)
