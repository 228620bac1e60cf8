"""Below the figures of the proof: the soak as a line of hours with its events, and the trials by setting."""

import math

from gray_kettle.proof import words
from gray_kettle.proof.soak import HOUR_S, Event, EventKind, Soak
from gray_kettle.proof.trials import SettingResult, TrialResult
from gray_kettle.safe_text import printable
from gray_kettle.site_timezone import SiteTime
from gray_kettle.tui.frame.row_list import Row
from gray_kettle.tui.theme import BARS, Cell, fit

_TRIAL_BAR, _MOST_EVENTS, _MARGIN, _MOST_CLIENTS = 24, 6, 4, 6
# What is drawn below an hour, the gravest first.
_SIGNS = {
    EventKind.OUTAGE: ("▼", "act!"),
    EventKind.LEVEL_DROP: ("▽", "act"),
    EventKind.MOVED: ("→", "watch"),
    EventKind.EMITTER: ("✶", "emitter"),
    EventKind.NEWCOMER: ("□", "foreign"),
    EventKind.GAP: ("┄", "faint"),
}


def soak_rows(soak: Soak | None, site_time: SiteTime, width: int) -> list[Row]:
    """Progress, clear air hour by hour, and what happened."""
    if soak is None:
        return []
    lines: list[tuple[Cell, ...]] = [
        (),
        (
            ("Soak   ", "steam!"),
            (fit(words.soak_progress(soak, site_time), max(width - 8, 20)), "text"),
        ),
    ]
    lines += _hours(soak, site_time, width)
    for event in soak.events[:_MOST_EVENTS]:
        sign, ink = _SIGNS[event.kind]
        lines.append(((f"  {sign} ", ink), (fit(words.event(event, site_time), width - 6), "text")))
    if len(soak.events) > _MOST_EVENTS:
        lines.append(((f"    and {len(soak.events) - _MOST_EVENTS} more, in gray-kettle proof", "dim"),))
    return [Row("soak", tuple(lines))]


def _hours(soak: Soak, site_time: SiteTime, width: int) -> list[tuple[Cell, ...]]:
    """Three lines: the clear air of each hour, signs of what happened in it, and the time of day."""
    first = soak.start_s // HOUR_S
    count = min(int((soak.start_s + soak.planned_s) // HOUR_S - first) + 1, max(width - _MARGIN, 12))
    shares = {int(hour.start_s // HOUR_S - first): hour.clear_air for hour in soak.hours}
    low, high = min(shares.values(), default=0.0), max(shares.values(), default=1.0)
    low, high = math.floor(low * 20) / 20, math.ceil(high * 20) / 20  # to five points
    eighths = {k: round(8 * (share - low) / max(high - low, 0.05)) for k, share in shares.items()}
    bars = "".join(BARS[max(1, min(8, eighths[k]))] if k in shares else "┄" for k in range(count))
    scale_text = f"  clear air of the hour, {100 * low:.0f} to {100 * high:.0f} %" if shares else ""
    signs: list[Cell] = []
    for k in range(count):
        start_s = (first + k) * HOUR_S
        here = next((e.kind for e in soak.events if _touches(e, start_s)), None)
        signs.append(_SIGNS[here] if here is not None else (" ", "text"))
    scale = [" "] * count
    for k in range(count):
        hour = site_time.minute((first + k) * HOUR_S).hour
        label = f"{hour:02d}"
        if hour % 6 == 0 and k + 2 <= count:
            scale[k : k + 2] = label
    return [
        (("  ", "dim"), (bars, "own"), (fit(scale_text, max(width - count - 3, 0)), "dim")),
        (("  ", "dim"), *signs),
        (("  ", "dim"), ("".join(scale), "faint")),
    ]


def _touches(event: Event, start_s: float) -> bool:
    return any(a < start_s + HOUR_S and b >= start_s for a, b in event.spans)


def trial_rows(results: tuple[TrialResult, ...], width: int) -> list[Row]:
    """Speed with each setting, where runs were kept: of each client at each spot."""
    return [_trial(f"trials {k}", result, width) for k, result in enumerate(results[:_MOST_CLIENTS])]


def _trial(key: str, result: TrialResult, width: int) -> Row:
    by = words.measured_by(result)
    lines: list[tuple[Cell, ...]] = [
        (),
        (
            ("Trials, download   ", "steam!"),
            (f"{by}   " if by else "", "dim"),
            (words.best(result), "text"),
        ),
    ]
    ends = [_ends(setting) for setting in result.settings]
    most = max(high for _, high in ends)
    for setting, (low, high) in zip(result.settings, ends, strict=True):
        ink = "own" if setting.setting == result.best else "dim"
        figures = f"{words.number(setting.median)} Mb/s, {setting.runs} run{'s' * (setting.runs != 1)}"
        cells: list[Cell] = [(f"  {fit(printable(setting.setting), 14)} ", "text")]
        cells.append((_range(low / most, setting.typical / most, high / most), ink))
        lines.append((*cells, (fit(f"  {figures}", max(width - _TRIAL_BAR - 18, 10)), "dim")))
    return Row(key, tuple(lines))


def _ends(setting: SettingResult) -> tuple[float, float]:
    """The interval; with one run of each there is none."""
    if math.isnan(setting.low):
        return setting.typical, setting.typical
    return setting.low, setting.high


def _range(low: float, middle: float, high: float) -> str:
    """An interval with its best estimate, on a line from nothing (left) to one."""
    first, at, last = (min(round(share * (_TRIAL_BAR - 1)), _TRIAL_BAR - 1) for share in (low, middle, high))
    return "".join("●" if x == at else "━" if first <= x <= last else " " for x in range(_TRIAL_BAR))
