"""When a listing was made: most do not say, so a line before one may.

A line that holds only Unix seconds or an ISO 8601 time (as from `date +%s` or `date -Is` in a loop) dates what
follows it; without one the file's own time is taken.
"""

import re
from datetime import UTC, datetime

from gray_kettle.model.records import LATEST_S

_DATE = re.compile(r"\s*(?:(\d{9,11}(?:\.\d+)?)|(\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d\S*))\s*")


class Clock:
    """The time of what is being read, and whether the listing reported it."""

    def __init__(self, fallback_s: float) -> None:
        self.now_s = self.fallback_s = fallback_s
        self.dates = 0
        self._is_live = False

    def arrived(self, time_s: float) -> None:
        """When what follows came in: as good as a date, so nothing is to be said."""
        self._is_live = True
        if not self.dates:
            self.now_s = self.fallback_s = time_s

    def takes(self, line: str) -> bool:
        """Whether a line was a date; the clock is set by it."""
        if len(line) > 60 or not line.lstrip()[:1].isdigit():  # nearly all lines: no search
            return False
        match = _DATE.fullmatch(line)
        time_s = time_of(match[2] or match[1]) if match else None
        if time_s is None:
            return False
        self.now_s = time_s
        self.dates += 1
        return True

    def notes(self) -> list[str]:
        """What is to be said when nothing was dated."""
        if self.dates or self._is_live:
            return []
        when = datetime.fromtimestamp(self.fallback_s, UTC).isoformat(timespec="seconds")
        return [f"The listing has no date; the file's modification time was used ({when})."]


def time_of(text: str) -> float | None:
    """Seconds since the epoch of Unix seconds or an ISO 8601 time (UTC where it reports no zone); None of others."""
    try:
        if text[4:5] == "-":
            moment = datetime.fromisoformat(text)
            time_s = (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()
        else:
            time_s = float(text)
    except (ValueError, OverflowError):
        return None
    return time_s if 0 <= time_s < LATEST_S else None
