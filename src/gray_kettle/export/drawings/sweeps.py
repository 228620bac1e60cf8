"""Sweeps for paper: presence with the highest and mean level, and the waterfall, over places and radios.

Paper is white and often gray: dark stands for much, and everything is said in words and shapes too.
"""

from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.dates import ConciseDateFormatter
from matplotlib.figure import Figure

from gray_kettle.analysis.assessment import Emitter, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.export.drawings.style import EMITTER, FOREIGN, INK, OWN, PAPER, literal, say_left_out
from gray_kettle.model.records import SweptChannel
from gray_kettle.phy.channels import Channel
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.views import LEVEL_DBM, Spectrogram

_TOP_DBM, _BOTTOM_DBM = -20.0, -115.0
_WATER_DBM = (-112.0, -40.0)
_MOST_RADIOS = 28
_LEAST_PITCH = 0.022  # of the width, between numbers that are to be read
# Evenly darker from white to near black, so that a gray print keeps the order.
_WATER = LinearSegmentedColormap.from_list(
    "kettle water", ["#ffffff", "#dfe3e6", "#b4bdc5", "#c98f5f", "#8f4a1c", "#26150b"]
)
_PRESENCE = LinearSegmentedColormap.from_list("kettle presence", ["#ffffff", "#cfd6dc", "#8696a5", "#3f4c59"])


@dataclass(frozen=True, eq=False)
class Sweeping:
    """What a drawing of sweeps shows. zone: name of the time that its labels are in; offset_s: of it to UTC."""

    view: Spectrogram
    band: str
    site: str
    spot: str
    channel_views: tuple[SweptChannel, ...]
    radios: tuple[Radio, ...]
    offset_s: float
    zone: str
    emitters: tuple[Emitter, ...] = ()


def sweep_figure(shown: Sweeping) -> Figure:
    """Presence, with the share of time of every channel and the radios that were heard under it."""
    inside = _radios(shown)
    radios = inside[:_MOST_RADIOS]
    lines = len(radios) + len(shown.emitters)
    figure = Figure(figsize=(10.5, 5.2 + 0.2 * lines), facecolor=PAPER, layout="constrained")
    ratios = (3.6, 0.75, 0.2 * lines + 0.35)
    above, middle, below = figure.subplots(3, 1, sharex=True, height_ratios=ratios)
    _presence(above, shown)
    _shares(middle, shown)
    _spans(below, shown, radios)
    _title(figure, shown, "level and share of time")
    say_left_out(figure, [r.name for r in inside[_MOST_RADIOS:]], "fainter")
    return figure


def waterfall_figure(shown: Sweeping) -> Figure:
    """Levels over time, time running down; the radios that were heard under it."""
    inside = _radios(shown)
    radios = inside[:_MOST_RADIOS]
    lines = len(radios) + len(shown.emitters)
    figure = Figure(figsize=(10.5, 7.2 + 0.2 * lines), facecolor=PAPER, layout="constrained")
    ratios = (5.6, 0.75, 0.2 * lines + 0.35)
    above, middle, below = figure.subplots(3, 1, sharex=True, height_ratios=ratios)
    _waterfall(figure, above, shown)
    _shares(middle, shown)
    _spans(below, shown, radios)
    _title(figure, shown, "level over time")
    say_left_out(figure, [r.name for r in inside[_MOST_RADIOS:]], "fainter")
    return figure


def _radios(shown: Sweeping) -> list[Radio]:
    frame = shown.view.frame
    inside = [
        r
        for r in shown.radios
        if any(c + w / 2 > frame.low_hz and c - w / 2 < frame.high_hz for c, w in r.channel.segments)
    ]
    inside.sort(key=lambda r: (not r.own, -(r.level_dbm if r.level_dbm is not None else -200.0)))
    return inside


def _title(figure: Figure, shown: Sweeping, what: str) -> None:
    site = printable(shown.site) or "Site not named"
    where = f", {printable(shown.spot)}" if shown.spot else ""
    text = literal(f"{site}{where}: {shown.band} GHz, {what}")
    figure.suptitle(text, x=0.01, ha="left", fontsize=12, color=INK)


def _edges_mhz(view: Spectrogram) -> tuple[float, float]:
    return view.frame.low_hz / 1e6, view.frame.high_hz / 1e6


def _presence(axes: Axes, shown: Sweeping) -> None:
    view = shown.view
    low, high = _edges_mhz(view)
    with np.errstate(divide="ignore"):
        shade = np.clip((np.log10(view.presence) + 3.2) / 2.9, 0, 1)
    axes.imshow(
        np.where(view.presence > 0, shade, 0.0),
        extent=(low, high, float(LEVEL_DBM[0]), float(LEVEL_DBM[-1]) + 1),
        origin="lower", aspect="auto", cmap=_PRESENCE, vmin=0, vmax=1, interpolation="nearest",
    )  # fmt: skip
    mhz = view.frame.column_hz / 1e6
    axes.step(mhz, view.highest_dbm, where="mid", color=INK, linewidth=1.1, label="highest level")
    axes.step(
        mhz, view.average_dbm, where="mid", color=OWN, linewidth=1.3, label="mean level", linestyle="--"
    )
    axes.plot(mhz, view.floor_dbm, color=FOREIGN, linewidth=0.9, linestyle=":", label="noise floor")
    axes.set_ylim(_BOTTOM_DBM, _TOP_DBM)
    axes.set_ylabel("dBm in a bin", color=INK)
    axes.legend(loc="upper right", fontsize=7.5, frameon=False, ncols=3)
    detector = (
        " Each row is the highest of its interval: shares are upper bounds." if view.detector == "max" else ""
    )
    note = "Shade: share of time at each level, from a thousandth (light) to a half (dark)."
    note += f" {view.rows:,} rows.{detector}"
    axes.set_title(note, loc="left", fontsize=7.5, color=INK)
    axes.spines[["top", "right"]].set_visible(False)


def _waterfall(figure: Figure, axes: Axes, shown: Sweeping) -> None:
    view = shown.view
    frame = view.frame
    low, high = _edges_mhz(view)
    days = [(t + shown.offset_s) / 86400 for t in (frame.start_s, frame.end_s)]
    image = axes.imshow(
        view.peak_dbm,
        extent=(low, high, days[1], days[0]),
        aspect="auto", cmap=_WATER, vmin=_WATER_DBM[0], vmax=_WATER_DBM[1], interpolation="nearest",
    )  # fmt: skip
    axes.yaxis_date()
    axes.yaxis.set_major_formatter(ConciseDateFormatter(axes.yaxis.get_major_locator()))  # type: ignore[no-untyped-call]
    axes.set_ylabel(f"time ({shown.zone}), running down", color=INK)
    axes.set_facecolor("#f3efe8")
    axes.set_title(
        f"Highest level of each bin. {view.rows:,} rows; tinted where nothing was swept.",
        loc="left", fontsize=7.5, color=INK,
    )  # fmt: skip
    bar = figure.colorbar(image, cax=axes.inset_axes((1.03, 0.3, 0.016, 0.7)))
    bar.set_label("dBm in a bin", fontsize=8, color=INK)
    bar.ax.tick_params(labelsize=7)
    bar.outline.set_visible(False)


def _shares(axes: Axes, shown: Sweeping) -> None:
    """Bars of the share of time that each 20 MHz channel was taken."""
    low, high = _edges_mhz(shown.view)
    best: dict[Channel, SweptChannel] = {}
    for swept in shown.channel_views:
        channel = swept.channel
        if channel.band == shown.band and channel.width_mhz == 20 and shown.spot in ("", swept.spot):
            best.setdefault(channel, swept)
    last = -np.inf
    for channel in sorted(best, key=lambda c: c.centre_hz):
        x = channel.centre_hz / 1e6
        if not low < x < high:
            continue
        axes.bar(x, best[channel].duty, width=2.6 if shown.band == "2.4" else 12, color=FOREIGN, linewidth=0)
        if (x - last) / (high - low) >= _LEAST_PITCH:
            axes.text(
                x,
                best[channel].duty + 0.04,
                f"{100 * best[channel].duty:.0f}",
                fontsize=7,
                ha="center",
                color=INK,
            )
            axes.text(x, -0.06, str(channel.primary), fontsize=7, ha="center", va="top", color=INK)
            last = x
    axes.set_ylim(0, 1.18)
    axes.set_xlim(low, high)
    axes.set_yticks([0, 1], ["0", "100 %"])
    axes.tick_params(axis="x", length=0, labelbottom=False)
    axes.set_ylabel("taken", color=INK, fontsize=8)
    axes.spines[["top", "right"]].set_visible(False)


def _spans(axes: Axes, shown: Sweeping, radios: list[Radio]) -> None:
    """Lines over what radios fill (own ones thick, foreign ones thin), and under them what is not Wi-Fi, dashed."""
    low, high = _edges_mhz(shown.view)
    for row, radio in enumerate(radios):
        colour = OWN if radio.own else FOREIGN
        for centre, width in radio.channel.segments:
            ends = [max((centre - width / 2) / 1e6, low), min((centre + width / 2) / 1e6, high)]
            axes.plot(
                ends, [-row, -row], color=colour, linewidth=4 if radio.own else 1.6, solid_capstyle="butt"
            )
        mark = "■" if radio.own else "□"
        level = "" if radio.level_dbm is None else f"  −{-radio.level_dbm:.0f} dBm"
        axes.text(
            1.01, -row, literal(f"{mark} {printable(radio.name)}  {radio.channel.label}{level}"),
            transform=axes.get_yaxis_transform(), fontsize=7.5, va="center", color=INK, family="DejaVu Sans Mono",
        )  # fmt: skip
    for row, emitter in enumerate(shown.emitters, len(radios)):
        ends = [max(emitter.low_hz / 1e6, low), min(emitter.high_hz / 1e6, high)]
        axes.plot(
            ends, [-row, -row], color=EMITTER, linewidth=2.2, linestyle=(0, (1, 0.7)), solid_capstyle="butt"
        )
        name = printable(emitter.name) or ADVICE[emitter.kind].short
        sure = "set by hand" if emitter.was_found_as else f"{100 * emitter.confidence:.0f} %"
        axes.text(
            1.01, -row, literal(f"✶ {name}  {sure}  −{-emitter.level_dbm:.0f} dBm"),
            transform=axes.get_yaxis_transform(), fontsize=7.5, va="center", color=EMITTER, family="DejaVu Sans Mono",
        )  # fmt: skip
    lines = len(radios) + len(shown.emitters)
    axes.set_ylim(-max(lines, 1) + 0.4, 0.6)
    axes.set_yticks([])
    axes.set_xlim(low, high)
    axes.set_xlabel("MHz (channel numbers above)", color=INK)
    axes.spines[["top", "right", "left"]].set_visible(False)
