"""Moving and resizing the time window. Pure: from a view state to (start, end), seconds since the epoch."""

import math
from collections.abc import Callable
from functools import partial

from gray_kettle.tui.view_state import ViewState

_SHORTEST_S, _CLOSE_S = 5.0, 1e-3
_LEAST_JUMP_S, _HOUR_S, _DAY_S = 60.0, 3600.0, 86400.0
_QUARTER_S = 900.0
_ZOOMS_S = (3600.0, 6 * 3600.0, 24 * 3600.0)


Window = tuple[float, float]


def shifted(state: ViewState, direction: int) -> Window:
    """By half its length, within the case; over a time without data to the next that has some."""
    length = state.end_s - state.start_s
    start = min(max(state.start_s + direction * length / 2, state.case_start_s), state.case_end_s - length)
    return _with_data(state, (start, start + length), direction)


def take_beside(state: ViewState, step: int) -> Window | None:
    """The span of the next take (or the one before) that begins elsewhere; None where there is none."""
    spans = _spans(state)
    later = [s for s in spans if (s[0] - state.start_s) * step > 1.0]
    if not later:
        return None
    first = min(later) if step > 0 else max(later)
    return around(state, sum(first) / 2, max(first[1] - first[0], _LEAST_JUMP_S))


def day_before(state: ViewState) -> Window:
    """The same hours of the day before, or the last before that with data."""
    length = min(state.end_s - state.start_s, _DAY_S)
    start = max(state.start_s - _DAY_S, state.case_start_s)
    return _with_data(state, (start, start + length), -1)


def newest(state: ViewState) -> Window:
    """The last hour of the case."""
    return max(state.case_end_s - _HOUR_S, state.case_start_s), state.case_end_s


def before_change(state: ViewState) -> Window | None:
    """Up to the last steps that were marked as done, from those before them on; None without any."""
    groups = _done(state)
    return (groups[-2][1] if len(groups) > 1 else state.case_start_s, groups[-1][0]) if groups else None


def since_change(state: ViewState) -> Window | None:
    """From the last step that was marked as done on."""
    groups = _done(state)
    return (groups[-1][1], state.case_end_s) if groups else None


def _done(state: ViewState) -> list[Window]:
    """First and last moment of steps that were marked as done, those together that lie within an hour."""
    groups: list[Window] = []
    for time_s in sorted(step.time_s for step in state.setup.done):
        if not state.case_start_s < time_s < state.case_end_s:
            continue
        if groups and time_s - groups[-1][1] <= _HOUR_S:
            groups[-1] = groups[-1][0], time_s
        else:
            groups.append((time_s, time_s))
    return groups


def busiest(state: ViewState) -> Window | None:
    """The quarter of an hour in which access points of the band reported most; None where none reported."""
    busy = state.busy.get(state.band) or []
    known = [(share, k) for k, share in enumerate(busy) if not math.isnan(share)]
    if not known:
        return None
    bin_s = (state.case_end_s - state.case_start_s) / len(busy)
    middle_s = state.case_start_s + (max(known)[1] + 0.5) * bin_s
    return around(state, middle_s, max(_QUARTER_S, bin_s))


def _spans(state: ViewState) -> list[Window]:
    """When something was taken."""
    takes = state.session.observations.takes
    return sorted({(t.start_s, t.end_s) for t in takes if t.start_s})


def _with_data(state: ViewState, window: Window, direction: int) -> Window:
    """The window, or where nothing was taken in it the nearest of its length in that direction that has data."""
    spans, length = _spans(state), window[1] - window[0]
    if not spans or any(start <= window[1] and end >= window[0] for start, end in spans):
        return window
    beyond = [s for s in spans if (s[0] > window[1] if direction > 0 else s[1] < window[0])]
    if not beyond:
        return state.start_s, state.end_s
    start = min(beyond)[0] if direction > 0 else max(end for _, end in beyond) - length
    return max(start, state.case_start_s), min(start + length, state.case_end_s)


def resized(state: ViewState, factor: float) -> tuple[float, float]:
    return around(state, (state.start_s + state.end_s) / 2, (state.end_s - state.start_s) * factor)


def around(state: ViewState, middle_s: float, length_s: float) -> tuple[float, float]:
    """A window around a moment; at an edge of the case it grows the other way."""
    length = max(length_s, _SHORTEST_S)
    start, end = max(middle_s - length / 2, state.case_start_s), min(middle_s + length / 2, state.case_end_s)
    if end - start < length:
        start, end = max(end - length, state.case_start_s), min(start + length, state.case_end_s)
    return start, end


def next_zoom(state: ViewState) -> tuple[float, float] | None:
    """The next of one hour, six hours, a day and everything; None where the case is shorter than an hour."""
    whole, length = state.case_end_s - state.case_start_s, state.end_s - state.start_s
    steps = [s for s in _ZOOMS_S if s < whole]
    shorter = [s for s in steps if s < length * 0.99]
    if not steps:
        return None
    zoomed = around(state, (state.start_s + state.end_s) / 2, max(shorter) if shorter else whole)
    return _with_data(state, zoomed, -1)  # a case begins with data: there is some before a gap


def is_whole(state: ViewState, start_s: float, end_s: float) -> bool:
    return start_s <= state.case_start_s + _CLOSE_S and end_s >= state.case_end_s - _CLOSE_S


# Key, name of its binding, and where it goes.
KEYS = (
    ("comma", "take-before", "take before"),
    ("full_stop", "take-after", "next take"),
    ("y", "day-before", "day before"),
    ("exclamation_mark", "busiest", "busiest quarter hour"),
    ("0", "newest", "last hour"),
    ("left_parenthesis", "before-change", "before the change"),
    ("right_parenthesis", "since-change", "since the change"),
)
JUMPS: dict[str, Callable[[ViewState], Window | None]] = {
    "take before": partial(take_beside, step=-1),
    "next take": partial(take_beside, step=1),
    "day before": day_before,
    "busiest quarter hour": busiest,
    "last hour": newest,
    "before the change": before_change,
    "since the change": since_change,
}
