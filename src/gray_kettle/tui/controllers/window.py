"""Moving and resizing the time window. Pure: from a view state to (start, end), seconds since the epoch."""

from gray_kettle.tui.view_state import ViewState

_SHORTEST_S, _CLOSE_S = 5.0, 1e-3
_ZOOMS_S = (3600.0, 6 * 3600.0, 24 * 3600.0)


def shifted(state: ViewState, direction: int) -> tuple[float, float]:
    """By half its length, within the case."""
    length = state.end_s - state.start_s
    start = min(max(state.start_s + direction * length / 2, state.case_start_s), state.case_end_s - length)
    return start, start + length


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
    return around(state, (state.start_s + state.end_s) / 2, max(shorter) if shorter else whole)


def is_whole(state: ViewState, start_s: float, end_s: float) -> bool:
    return start_s <= state.case_start_s + _CLOSE_S and end_s >= state.case_end_s - _CLOSE_S
