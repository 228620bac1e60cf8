"""The band as lanes, for paper: each radio over the frequencies it fills, and what is left of each channel below."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gray_kettle.analysis.assessment import ChannelView, Radio
from gray_kettle.analysis.loss.channel_assessment import level_at
from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, bars, literal, say_left_out
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.masks import SKIRT_BELOW_MASK_DB, mask_db, mask_points
from gray_kettle.safe_text import dbm, printable
from gray_kettle.session import Session

_MOST = 48
_FLOOR_DBM = -95.0
_EDGES_MHZ = {"2.4": (2395.0, 2490.0), "5": (5160.0, 5900.0), "6": (5935.0, 7125.0)}


def lanes_figure(session: Session, band: str) -> Figure:
    """One lane a radio, followed ones first, then own ones; under them clear air and what takes the rest."""
    followed = set(session.setup.followed)
    heard = [r for r in session.assessment.radios if r.band == band]
    heard.sort(key=lambda r: r.id not in followed)
    radios = heard[:_MOST]
    channel_views = [p for p in session.assessment.channels if p.channel.band == band]
    height = 2.9 + 0.24 * max(len(radios), 3)
    figure = Figure(figsize=(10.5, height), facecolor=PAPER, layout="constrained")
    if not heard and all(view.assessed is None for view in channel_views):
        figure.text(0.5, 0.5, f"nothing was listened to in {band} GHz", ha="center", color=INK)
        return figure
    lanes, ledger = figure.subplots(2, 1, sharex=True, height_ratios=(max(len(radios), 3) * 0.24, 1.5))
    _draw_lanes(lanes, radios, band)
    _draw_ledger(ledger, channel_views, band)
    site = printable(session.setup.site) or "Site not named"
    figure.suptitle(
        literal(f"{site}: {band} GHz, radios by frequency"), x=0.01, ha="left", fontsize=12, color=INK
    )
    say_left_out(figure, [r.name for r in heard[_MOST:]], "fainter")
    return figure


def _draw_lanes(axes: Axes, radios: list[Radio], band: str) -> None:
    low, high = _edges(radios, band)
    for row, radio in enumerate(radios):
        colour = OWN if radio.own else FOREIGN
        channel, level = radio.channel, level_at(radio.stay, None)
        freq_hz, density = _spectrum(radio, low * 1e6, high * 1e6)
        over = np.clip((level + density - _FLOOR_DBM) / (-30 - _FLOOR_DBM), 0, 1)
        base = -row
        axes.fill_between(freq_hz / 1e6, base, base + 0.85 * over, color=colour, alpha=0.45, linewidth=0)
        primary = channel.primary_hz / 1e6
        top = base + 0.85 * float(np.clip((level - _FLOOR_DBM) / (-30 - _FLOOR_DBM), 0.05, 1))
        axes.fill_between([primary - 10, primary + 10], base, top, color=colour, linewidth=0)
        mark = "■" if radio.own else "□"
        label = literal(
            f"{mark} {radio.name}  {channel.label}  {'level unknown' if radio.level_dbm is None else dbm(level)}"
        )
        axes.text(
            1.01,
            base + 0.1,
            label,
            transform=axes.get_yaxis_transform(),
            fontsize=8,
            color=INK,
            family="DejaVu Sans Mono",
        )
    axes.set_ylim(-max(len(radios), 1) + 0.8, 1.0)
    axes.set_yticks([])
    axes.spines[["top", "right", "left"]].set_visible(False)
    axes.set_ylabel("radios, by level", color=INK)


def _spectrum(radio: Radio, low_hz: float, high_hz: float) -> tuple[FloatArray, FloatArray]:
    """Frequencies and density (dBr) of a radio: the corners of its mask, and some points between."""
    kind = "dsss" if radio.generation == "b" else "ofdm"
    freqs = [np.linspace(low_hz, high_hz, 160)]
    for centre_hz, width_hz in radio.channel.segments:
        corners, _ = mask_points(kind, 20 if kind == "dsss" else round(width_hz / 1e6))
        freqs += [centre_hz + corners, centre_hz - corners]
    freq_hz = np.unique(np.clip(np.concatenate(freqs), low_hz, high_hz))
    density = np.full(len(freq_hz), -200.0)
    for centre_hz, width_hz in radio.channel.segments:
        width = 20 if kind == "dsss" else round(width_hz / 1e6)
        density = np.maximum(density, mask_db(kind, width, freq_hz - centre_hz, SKIRT_BELOW_MASK_DB[kind]))
    return freq_hz, density


def _draw_ledger(axes: Axes, channel_views: list[ChannelView], band: str) -> None:
    half = 2.2 if band == "2.4" else 9.0
    turned = 0 if band == "2.4" else 90  # channels are close there
    parts: dict[str, list[tuple[float, float, float]]] = {"clear": [], "adjacent": [], "co": []}
    for view in channel_views:
        x = view.channel.centre_hz / 1e6
        if view.assessed is None:
            axes.text(x, 0.5, "not\nmeasured", fontsize=5, ha="center", va="center", color=FOREIGN)
            continue
        s = view.assessed
        lost = 1 - s.clear_air
        total = s.co_channel_lost + s.adjacent_lost
        co = lost * s.co_channel_lost / total if total else 0.0
        parts["clear"].append((x, 0.0, s.clear_air))
        parts["adjacent"].append((x, s.clear_air, lost - co))
        parts["co"].append((x, 1 - co, co))
        axes.text(x, 0.03, f"{100 * s.clear_air:.0f}", fontsize=6.5, ha="center", rotation=turned, color=INK)
        number = str(view.channel.primary)
        axes.text(x, -0.04, number, fontsize=6.5, ha="center", va="top", rotation=turned, color=INK)
    for name, colour, hatch in (
        ("clear", "#e9ded0", ""),
        ("adjacent", "#9a8f86", "////"),
        ("co", FOREIGN, ""),
    ):
        at, bottom, height = zip(*parts[name], strict=True) if parts[name] else ((), (), ())
        bars(
            axes, at, bottom, height, 2 * half, facecolor=colour, edgecolor=PAPER, hatch=hatch, linewidth=0.4
        )
    axes.set_ylim(0, 1)
    axes.set_yticks([0, 0.5, 1], ["0", "50", "100 %"])
    axes.spines[["top", "right"]].set_visible(False)
    axes.tick_params(axis="x", pad=12 if band == "2.4" else 18)
    axes.set_xlabel("MHz (channel numbers above)", color=INK)
    axes.set_ylabel("clear air", color=INK)
    note = "light: clear air · hatched: adjacent-channel · dark: co-channel"
    axes.text(
        1.01, 0.5, note.replace(" · ", "\n"), transform=axes.transAxes, fontsize=7.5, va="center", color=INK
    )


def _edges(radios: list[Radio], band: str) -> tuple[float, float]:
    low, high = _EDGES_MHZ[band]
    if band != "6" or not radios:
        return low, high
    centres = [r.channel.centre_hz / 1e6 for r in radios]
    return max(low, min(centres) - 200), min(high, max(centres) + 200)
