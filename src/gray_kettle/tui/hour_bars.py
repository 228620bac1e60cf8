"""Shares by hour of the day as one line of bars, in local time; a dash where nothing was measured."""

from collections.abc import Iterable

from gray_kettle.tui.theme import BARS, Cell
from gray_kettle.tui.view_state import ViewState


def hour_lines(shares: Iterable[tuple[int, float]], state: ViewState, title: str) -> list[list[Cell]]:
    """Three lines, from (hour UTC, share); none where there is but one hour."""
    words = dict(shares)
    if len(words) < 2:
        return []
    local = {state.setup.site_time.hour(hour, state.start_s): share for hour, share in words.items()}
    bars = "".join(BARS[max(1, min(8, round(8 * local[h])))] if h in local else "┄" for h in range(24))
    return [[(title, "dim")], [(bars, "own")], [("0     6     12    18    ", "faint")]]
