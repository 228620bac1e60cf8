"""Jumps of the window: to takes, over times without data, to the busiest time."""

from types import SimpleNamespace

import pytest

from gray_kettle.tui.controllers import window as windows
from gray_kettle.tui.view_state import ViewState

DAY, HOUR = 86400.0, 3600.0
# A visit of three days, ten days later an hour, and half an hour of today.
TAKES = ((0.0, 2 * DAY), (2 * DAY, 3 * DAY), (13 * DAY, 13 * DAY + HOUR), (20 * DAY, 20 * DAY + 1800))
END = TAKES[-1][1]


def state(start_s, end_s, busy=()):
    takes = tuple(SimpleNamespace(start_s=a or 0.5, end_s=b) for a, b in TAKES)
    session = SimpleNamespace(observations=SimpleNamespace(takes=takes))
    return ViewState(session, None, None, "2.4", start_s, end_s, 0.0, END, {"2.4": list(busy)})


def has_data(window):
    return any(a <= window[1] and b >= window[0] for a, b in TAKES)


def test_a_visit_ten_days_ago_is_two_keys_away():
    first = windows.take_beside(state(20 * DAY, END), -1)
    assert first == pytest.approx((13 * DAY, 13 * DAY + HOUR))
    assert windows.take_beside(state(*first), -1) == pytest.approx((2 * DAY, 3 * DAY))
    assert windows.take_beside(state(*first), 1) == pytest.approx((20 * DAY, END))
    assert windows.take_beside(state(20 * DAY, END), 1) is None


@pytest.mark.parametrize("direction", [-1, 1])
@pytest.mark.parametrize("start", [0.0, 2.9 * DAY, 13 * DAY, 20 * DAY])
def test_no_shift_ends_where_nothing_was_taken(start, direction):
    window = start, start + HOUR / 2
    for _ in range(200):
        window = windows.shifted(state(*window), direction)
        assert has_data(window)
        assert window[1] - window[0] == pytest.approx(HOUR / 2, abs=1)


def test_no_zoom_ends_where_nothing_was_taken():
    window = 0.0, END  # its middle lies in the ten days between two visits
    for _ in range(4):
        window = windows.next_zoom(state(*window))
        assert has_data(window)


def test_the_day_before_the_newest_and_the_busiest():
    assert windows.day_before(state(1.5 * DAY, 1.5 * DAY + HOUR)) == (0.5 * DAY, 0.5 * DAY + HOUR)
    assert has_data(windows.day_before(state(13 * DAY, 13 * DAY + HOUR)))
    assert windows.newest(state(0, HOUR)) == (END - HOUR, END)
    bins = [0.1] * 41
    bins[13] = 0.8
    start, end = windows.busiest(state(0, HOUR, bins))
    assert start <= END * 13.5 / 41 <= end
    assert windows.busiest(state(0, HOUR, [float("nan")] * 4)) is None
