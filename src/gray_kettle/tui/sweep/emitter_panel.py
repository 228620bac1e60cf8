"""Emitters beside the picture: a list, and for the chosen one evidence, location and test."""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.analysis.assessment import Emitter
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.findings import RECEIVER_TEST, confidence_text
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.views import Spectrogram
from gray_kettle.tui.sweep.axis import Scale
from gray_kettle.tui.sweep.picture import clock
from gray_kettle.tui.theme import Cell, fit, minus, percent, wrap
from gray_kettle.tui.view_state import ViewState

Lines = list[list[Cell]]
_ABOVE_DB, _BELOW_DB = 9.0, 14.0  # what belongs to bursts of a level, in the bins of a picture
_NARROW_HZ = 4e6


def called(emitter: Emitter) -> str:
    """Its own name, or that of its kind, short."""
    return printable(emitter.name) or ADVICE[emitter.kind].short


def list_lines(emitters: tuple[Emitter, ...], chosen: str, width: int, state: ViewState) -> Lines:
    """One line each; nothing is said where nothing was examined."""
    if state.session.observations.rows_pending and not emitters:
        return [[("detecting emitters …", "dim")]]
    if not emitters:
        swept = state.band in state.assessment.swept_bands
        return [[("no non-Wi-Fi emitter detected", "dim")]] if swept else []
    room = max(width - 19, 8)
    out: Lines = [[(fit("non-Wi-Fi", room + 3), "steam!"), (" dBm  duty conf", "faint")]]
    for e in emitters:
        ink = "faint" if e.is_dismissed else "emitter"
        is_chosen = e.id == chosen
        confidence = "set" if e.was_found_as else percent(e.confidence)
        out.append(
            [
                ("▸ " if is_chosen else "✶ ", "steam!" if is_chosen else ink),
                (
                    fit(called(e), room) + " ",
                    "steam!" if is_chosen else "faint" if e.is_dismissed else "text",
                ),
                (fit(minus(e.level_dbm), 4, right=True), "dim"),
                (fit(percent(e.duty) if e.duty >= 0.005 else "<1 %", 6, right=True), "dim"),
                (fit(confidence, 5, right=True), "dim"),
            ]
        )
    return out


def chosen_lines(emitter: Emitter, width: int, state: ViewState) -> Lines:
    """Everything that is known of one."""
    site_time = state.setup.site_time
    low, high = emitter.low_hz / 1e6, emitter.high_hz / 1e6
    where = f"{low:.1f}–{high:.1f} MHz" if high - low >= 1 else f"{emitter.centre_hz / 1e6:.2f} MHz"
    out: Lines = [
        [(called(emitter), "steam!"), (f"  {confidence_text(emitter)}", "dim")],
        [(where, "text"), (f"  {minus(emitter.level_dbm)} dBm", "text")],
    ]
    form = "%a %H:%M"
    seen, blocks = emitter.blocks
    ended = (
        f"not since {clock(emitter.gone_since_s, site_time, form)}" if emitter.gone_since_s else "still there"
    )
    out += _wrapped("", f"first {clock(emitter.first_s, site_time, form)}, {ended}", width, "dim")
    out.append([(f"on {percent(emitter.duty_while_on)} of {seen} of {blocks} blocks", "dim")])
    if emitter.is_dismissed:
        out.append([("dismissed: d undoes that", "watch")])
    if emitter.may_be_receiver:
        out += _wrapped("", "may be the receiver's own: no channel is charged for it", width, "watch")
    out += _wrapped("because ", "; ".join(emitter.evidence), width, "text")
    others = [
        f"{ADVICE[k].called} {percent(p)}" for k, p in emitter.likely[1:] if p >= 0.05 and k != "unknown"
    ]
    if others and not emitter.was_found_as:
        out += _wrapped("or ", ", ".join(others), width, "dim")
    touched = [(n, d) for b, n, d in emitter.channels if b == state.band]
    if touched:
        out += _wrapped("busy ", _channels_text(touched), width, "dim")
    advice = ADVICE[emitter.kind]
    if emitter.may_be_receiver:
        out += _wrapped("test ", RECEIVER_TEST, width, "own")
    else:
        out += _wrapped("where ", advice.where, width, "dim")
        out += _wrapped("test ", advice.test, width, "own")
    out.append([("n name   k kind   d dismiss", "faint")])
    return out


def chosen_in_short(emitter: Emitter, width: int, state: ViewState) -> Lines:
    """The same in three lines, where there is no panel."""
    where = f"{emitter.low_hz / 1e6:.0f}–{emitter.high_hz / 1e6:.0f} MHz"
    ended = (
        f"not since {clock(emitter.gone_since_s, state.setup.site_time, '%a %H:%M')}; "
        if emitter.gone_since_s
        else ""
    )
    figures = f"  {where}  {minus(emitter.level_dbm)} dBm  on {percent(emitter.duty_while_on)}"
    first, *rest = wrap(ended + "; ".join(emitter.evidence), max(width - 2, 10), 2)
    return [
        [
            ("▸ ", "steam!"),
            (called(emitter), "steam!"),
            (f"  {confidence_text(emitter)}", "text"),
            (figures, "dim"),
        ],
        *([(line, "text")] for line in (first, *rest)),
    ]


def _channels_text(touched: list[tuple[int, float]]) -> str:
    """Share of time on each channel; of many with the same value in one."""
    shares = [d for _, d in touched]
    if len(touched) > 4 and max(shares) - min(shares) < 0.035:
        low, high = percent(min(shares)), percent(max(shares))
        words = high if low == high else f"{low.removesuffix(' %')}–{high}"
        return f"{words} of each of {touched[0][0]}–{touched[-1][0]}"
    return ", ".join(f"{n}: {percent(d)}".replace(" %", "%") for n, d in touched)


def _wrapped(head: str, text: str, width: int, ink: str) -> Lines:
    lines = wrap(text, max(width - len(head), 10))
    return [[(head if k == 0 else " " * len(head), "faint"), (line, ink)] for k, line in enumerate(lines)]


def lit(emitter: Emitter, view: Spectrogram, scale: Scale) -> NDArray[np.bool_]:
    """Dots of the waterfall that belong to it, shape (lines, columns): its places, its time, bursts of its level."""
    hz = np.array([scale.hz(k) for k in range(scale.columns)])
    half_hz = max((scale.high_hz - scale.low_hz) / scale.columns, 0.0)
    inside = (hz >= emitter.low_hz - half_hz) & (hz <= emitter.high_hz + half_hz)
    frame = view.frame
    each_s = (frame.end_s - frame.start_s) / frame.lines
    at_s = frame.start_s + (np.arange(frame.lines) + 0.5) * each_s
    during = np.zeros(frame.lines, bool)
    for first_s, last_s in emitter.episodes:
        during |= (at_s >= first_s - each_s / 2) & (at_s <= last_s + each_s / 2)
    out = during[:, None] & inside[None, :]
    if emitter.burst_hz < _NARROW_HZ and emitter.bandwidth_hz > 2 * _NARROW_HZ:  # among others, by its level
        with np.errstate(invalid="ignore"):
            level = view.peak_dbm - emitter.level_dbm
            out &= (level < _ABOVE_DB) & (level > -_BELOW_DB)
    return out
