"""What a walk has heard so far: the newest level of every BSSID, and the course of one radio."""

import math
import time
from collections import deque
from dataclasses import dataclass, field

from gray_kettle.phy.channels import Channel, overlap

RECENT_S = 15.0  # what is older is not "now"
_TREND_S = 30.0
_STEADY_DB = 3.0


@dataclass(frozen=True)
class Sighted:
    """A BSSID with its level in dBm in one scan or second, as it came in."""

    bssid: str
    channel: Channel
    level_dbm: float


@dataclass
class _Newest:
    sighted: Sighted
    at_s: float


@dataclass
class WalkLevels:
    """Levels by BSSID, and of the radio that is followed: now, best and worst. Times are monotonic seconds."""

    bssids: frozenset[str] = frozenset()
    best_dbm: float = -math.inf
    worst_dbm: float = math.inf
    _newest: dict[str, _Newest] = field(default_factory=dict)
    _course: deque[tuple[float, float]] = field(default_factory=deque)

    def follow(self, bssids: frozenset[str]) -> None:
        """Follow another radio: what was heard of it before is not counted."""
        if bssids != self.bssids:
            self.bssids = bssids
            self.begin_spot()

    def begin_spot(self) -> None:
        self.best_dbm, self.worst_dbm = -math.inf, math.inf
        self._course.clear()

    def add(self, sightings: tuple[Sighted, ...], now_s: float | None = None) -> None:
        """What one scan or second heard."""
        at_s = time.monotonic() if now_s is None else now_s
        for sighted in sightings:
            self._newest[sighted.bssid] = _Newest(sighted, at_s)
        ours = [s.level_dbm for s in sightings if s.bssid in self.bssids]
        if ours:
            level = max(ours)
            self.best_dbm, self.worst_dbm = max(self.best_dbm, level), min(self.worst_dbm, level)
            self._course.append((at_s, level))
            while self._course and self._course[0][0] < at_s - _TREND_S:
                self._course.popleft()

    def now_dbm(self, now_s: float) -> float | None:
        """Level of the radio that is followed; None where it was not heard lately."""
        return self._course[-1][1] if self._course and now_s - self._course[-1][0] <= RECENT_S else None

    def trend_db(self) -> float:
        """How much it rose (or fell, below 0) in the last half minute; 0 where it is steady."""
        if len(self._course) < 2:
            return 0.0
        half = len(self._course) // 2
        levels = [level for _, level in self._course]
        change = sum(levels[half:]) / len(levels[half:]) - sum(levels[:half]) / half
        return change if abs(change) >= _STEADY_DB else 0.0

    def rival(self, now_s: float) -> Sighted | None:
        """The loudest other one that shares spectrum with the radio that is followed."""
        ours = next((n.sighted for b, n in self._newest.items() if b in self.bssids), None)
        if ours is None:
            return None
        others = [
            n.sighted
            for b, n in self._newest.items()
            if b not in self.bssids
            and now_s - n.at_s <= RECENT_S
            and overlap(ours.channel, n.sighted.channel)
        ]
        return max(others, key=lambda s: s.level_dbm, default=None)
