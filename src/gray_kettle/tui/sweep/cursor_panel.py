"""Figures under the cursor: level and time, the channel and its busy share, and the radios on it."""

import math

import numpy as np

from gray_kettle.analysis.assessment import Emitter, Radio
from gray_kettle.analysis.explain import Explanation, of_emitter, of_swept
from gray_kettle.model.records import SweptChannel
from gray_kettle.phy.channels import Channel
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.views import Spectrogram
from gray_kettle.tui.hour_bars import hour_lines
from gray_kettle.tui.sweep.live import SHOWN_S
from gray_kettle.tui.sweep.picture import SweepPicture, clock
from gray_kettle.tui.theme import Cell, fit, minus, percent
from gray_kettle.tui.view_state import ViewState

Lines = list[list[Cell]]
_LIVE = f" busy in the last {SHOWN_S:.0f} s"


def side_lines(
    picture: SweepPicture,
    state: ViewState,
    spot: str,
    live_state: str,
    radios: tuple[Radio, ...],
    live: dict[Channel, float] | None,
) -> Lines:
    """Everything, for a panel of its own."""
    view = picture.view
    if view is None or view.is_empty:
        return []
    out = cursor_lines(picture, view, state)
    channel_20 = picture.channel_at_cursor()
    if channel_20 is not None:
        out += [[], *channel_lines(channel_20, state, live)]
    out += [[], *who(picture, radios)]
    out += [[], *about(view, spot, live_state)]
    return out


def cursor_lines(picture: SweepPicture, view: Spectrogram, state: ViewState) -> Lines:
    column, site_time = picture.column, state.setup.site_time
    from_s, to_s = picture.cell_times()
    form = "%a %d %H:%M" if view.frame.end_s - view.frame.start_s > 20 * 3600 else "%H:%M:%S"
    dots = slice(2 * picture.row, 2 * picture.row + 2)
    with np.errstate(all="ignore"):
        peak = _most(view.peak_dbm[dots, column])
        mean = _most(view.mean_dbm[dots, column])
        share = _most(view.share[dots, column])
    nothing = "  nothing measured" if math.isnan(peak) else ""
    middle, high = view.quantile_dbm(0.5)[column], view.quantile_dbm(0.95)[column]
    whole = (view.highest_dbm[column], view.average_dbm[column], view.over[column])
    return [
        [(f"{picture.scale.hz(column) / 1e6:.2f} MHz", "steam!"), (nothing, "dim")],
        [(f"{clock(from_s, site_time, form)} – {clock(to_s, site_time, form)}", "dim")],
        [("dBm      highest   mean    busy", "dim")],
        _figures("then", peak, mean, share),
        _figures("window", *whole),
        [
            ("median ", "dim"),
            (minus(_or_none(middle)), "text"),
            ("  95 % ", "dim"),
            (minus(_or_none(high)), "text"),
            ("  floor ", "dim"),
            (minus(_or_none(view.floor_dbm[column])), "text"),
        ],
    ]


def _figures(name: str, highest: float, mean: float, share: float) -> list[Cell]:
    return [
        (fit(name, 9), "dim"),
        (fit(minus(_or_none(highest)), 7, right=True), "text!"),
        (fit(minus(_or_none(mean)), 7, right=True), "text"),
        (fit(percent(_or_none(share)), 8, right=True), "text"),
    ]


def channel_lines(channel_20: Channel, state: ViewState, live: dict[Channel, float] | None = None) -> Lines:
    """The 20 MHz channel and the wider ones that it is part of. live: shares in the newest rows, while one collects."""
    of_band = [s for s in state.assessment.swept if s.channel.band == channel_20.band]
    if live is not None:
        return [
            [
                (f"channel {channel_20.primary}  ", "steam!"),
                (percent(live.get(channel_20)), "text!"),
                (_LIVE, "dim"),
            ]
        ]
    mine = _longest(
        [s for s in of_band if s.channel.width_mhz == 20 and s.channel.primary == channel_20.primary]
    )
    if mine is None:
        return [[(f"channel {channel_20.primary}", "steam!"), ("  not swept in this window", "dim")]]
    bound = "at most " if mine.bound else ""
    out: Lines = [
        [
            (f"channel {channel_20.primary}  ", "steam!"), (f"{bound}{percent(mine.duty)} ", "text!"),
            ("of the time busy", "dim"),
        ],
        [
            ("busy at ", "dim"), (f"{minus(_or_none(mine.level_dbm))} dBm", "text!"),
            ("  noise ", "dim"), (f"{minus(mine.floor_dbm)} dBm", "text"),
        ],
    ]  # fmt: skip
    wider = sorted(
        {
            s.channel: s
            for s in of_band
            if s.channel.width_mhz > 20
            and abs(s.channel.centre_hz - channel_20.centre_hz) < s.channel.width_mhz * 0.5e6
        }.values(),
        key=lambda s: (s.channel.width_mhz, s.channel.centre_hz),
    )
    for width in sorted({s.channel.width_mhz for s in wider}):
        duties = [s.duty for s in wider if s.channel.width_mhz == width]
        low, high = percent(min(duties)).removesuffix(" %"), percent(max(duties))
        words = high if len(duties) == 1 else f"{low}–{high}"
        out.append([(f"{width} MHz with it ", "dim"), (words, "text")])
    hours = ((hour, duty) for hour, duty, _ in mine.by_hour)
    return [*out, *hour_lines(hours, state, "busy, by hour of the day")]


def explanations(
    channel_20: Channel | None, emitter: Emitter | None, state: ViewState | None
) -> tuple[Explanation, ...]:
    """Of the emitter that is lit; and of the place under the cursor."""
    swept = [s for s in state.assessment.swept if s.channel == channel_20] if state else []
    mine = _longest(swept)
    return (*(of_emitter(emitter) if emitter else ()), *(of_swept(mine) if mine else ()))


def who(picture: SweepPicture, radios: tuple[Radio, ...]) -> Lines:
    """Radios that fill the frequency under the cursor."""
    hz = picture.scale.hz(picture.column)
    here = [r for r in radios if any(abs(centre - hz) <= width / 2 for centre, width in r.channel.segments)]
    if not here:
        return [[("no observed radio uses this frequency", "dim")]]
    out: Lines = [[("radios on this frequency", "dim")]]
    for radio in here[:6]:
        out.append(
            [
                ("■ " if radio.own else "□ ", "own" if radio.own else "foreign"),
                (fit(printable(radio.name), 16) + " ", "own" if radio.own else "text"),
                (fit(radio.channel.label, 8), "dim"),
                (minus(radio.level_dbm), "dim"),
            ]
        )
    return [*out, [(f"and {len(here) - 6} more", "dim")]] if len(here) > 6 else out


def about(view: Spectrogram, spot: str, live_state: str) -> Lines:
    """What the picture is made of."""
    detector = "" if view.detector == "sample" else f", {view.detector} detector"
    bound = ": shares are upper bounds" if view.detector == "max" else ""
    where = printable(spot) or "no spot named"
    return [
        [(f"{view.rows:,} rows".replace(",", " ") + f"{detector}{bound}", "dim")],
        [(where, "dim"), (f"  {live_state}" if live_state else "", "steam!")],
        [
            ("above: ", "dim"),
            ("━", "steam!"),
            (" highest ", "dim"),
            ("━", "own!"),
            (" mean", "dim"),
        ],
    ]


def _longest(found: list[SweptChannel]) -> SweptChannel | None:
    return max(found, key=lambda s: (s.seconds, s.spot), default=None)


def _most(values: "np.ndarray") -> float:
    words = values[np.isfinite(values)]
    return float(words.max()) if len(words) else math.nan


def _or_none(value: float) -> float | None:
    return None if math.isnan(value) else float(value)
