"""In which stretch of the mains' wave a tube is on, and which way its frequency goes meanwhile.

It comes on and goes off once a wave, and its middle goes evenly, or in an arc, from the one to the other. So what shows
at some parts of the wave and on some frequencies tells of those that channels cover, and of those no look fell on.

Source: docs/radio-model.md, "Mains-synchronous bursts".
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, IntArray

_ROUNDS, _STEPS = 12, range(-12, 13)
_ON = 1 / 8, 5 / 8  # least and most of the wave
USUAL_ON, _ON_SPREAD, _ARC_COSTS = 0.42, 0.08, 0.01
_LEAST_HALF, _FEW = 0.5, 3
_DRIFTS, _HALVES = (-16.0, -8.0, 0.0, 8.0, 16.0), (3.0, 8.0)
_LEAST, _MOST = 0.02, 0.98


@dataclass(frozen=True)
class Tube:
    """first, parts: of the wave, in which it is on. middle, drift, arc, half: of its way and to both sides of it, in
    cells: from end to end it goes so far, and half way it is so far beside the straight line.
    """

    first: int
    parts: int
    middle: float
    drift: float
    arc: float
    half: float

    def longer(self, before: int = 0, behind: int = 0) -> "Tube":
        """The same way, begun so many parts of the wave sooner and ended so many later."""
        parts = self.parts + before + behind
        each = self.drift / self.parts
        middle = self.middle + each * (behind - before) / 2
        return replace(self, first=self.first - before, parts=parts, middle=middle, drift=each * parts)

    def at(self, wave_parts: int) -> IntArray:
        """Parts of the wave in which it is on, shape (parts,)."""
        return (self.first + np.arange(self.parts)) % wave_parts

    def ends(self) -> tuple[FloatArray, FloatArray]:
        """(lowest, highest) that it reaches in each of them, in cells, shape (parts,)."""
        at = (np.arange(self.parts) + 0.5) / self.parts - 0.5
        middle = self.middle + self.drift * at + self.arc * (1 / 3 - 4 * at**2)
        return middle - self.half, middle + self.half


def fitted(
    samples: FloatArray,
    met: FloatArray,
    off: FloatArray,
    on: FloatArray | float,
    start: NDArray[np.bool_],
) -> Tube | None:
    """The tube that explains best what is met; None where nothing is asked.

    looked, met: looks, and those in which something is there, by part of the wave and cell, shape (parts, cells). off:
    share of them while it is off, shape (cells,). on: share while it is on and nothing else is, of all or of each cell;
    0 where something hides it. start: roughly where it is, shape (parts, cells).
    """
    usual = np.clip(off, _LEAST, _MOST)
    then = np.clip(usual + (1 - usual) * on, _LEAST, (1 + _MOST) / 2)
    for_it = met * np.log(then / usual) + (samples - met) * np.log((1 - then) / (1 - usual))
    total = np.zeros((len(for_it), for_it.shape[1] + 1))
    np.cumsum(for_it, axis=1, out=total[:, 1:])
    starts = [t for t in (_roughly(start), _anywhere(total)) if t is not None]
    return max((_better(total, t) for t in starts), key=lambda t: _worth(total, t), default=None)


def _anywhere(total: FloatArray) -> Tube | None:
    """The best of tubes that are on for as long as usual, on a coarse grid."""
    wave, cells = total.shape[0], total.shape[1] - 1
    parts = round(USUAL_ON * wave)
    candidates = (
        Tube(first, parts, float(middle), drift, 0.0, half)
        for first in range(0, wave, max(wave // 16, 1))
        for middle in range(2, cells, 4)
        for drift in _DRIFTS
        for half in _HALVES
    )
    return max(candidates, key=lambda t: _worth(total, t), default=None)


def _better(total: FloatArray, best: Tube) -> Tube:
    """The same, changed bit by bit for as long as that explains more."""
    worth, before = _worth(total, best), -np.inf
    for _ in range(_ROUNDS):
        if worth <= before:
            break
        before = worth
        for changed in _CHANGES:
            candidates = [
                best,
                *(t for step in _STEPS if _may_be(t := changed(best, step), len(total))),
            ]
            best = max(candidates, key=lambda t: _worth(total, t))
        worth = _worth(total, best)
    return best


def _may_be(tube: Tube, wave_parts: int) -> bool:
    return _ON[0] <= tube.parts / wave_parts <= _ON[1] and tube.half >= _LEAST_HALF


def _worth(total: FloatArray, tube: Tube) -> float:
    """Logarithm of how much likelier what is met is with it than without. total: running, along the cells.

    Where no look tells when it comes on or goes off, it is on for as long as tubes usually are.
    """
    low, high = (np.clip(np.rint(end), 0, total.shape[1] - 1).astype(int) for end in tube.ends())
    at = tube.at(len(total))
    unusual = (tube.parts / len(total) - USUAL_ON) / _ON_SPREAD
    return float((total[at, high] - total[at, low]).sum()) - unusual**2 / 2 - _ARC_COSTS * abs(tube.arc)


def _roughly(start: NDArray[np.bool_]) -> Tube | None:
    parts = len(start)
    on = np.flatnonzero(start.any(axis=1))
    if not len(on):
        return None
    gaps = np.diff(np.append(on, on[0] + parts))
    longest = int(np.argmax(gaps))
    first, many = int(on[(longest + 1) % len(on)]), parts - int(gaps[longest]) + 1
    its = [np.flatnonzero(start[k]) for k in (first + np.arange(many)) % parts]
    ends = np.array([(cells[0], cells[-1] + 1) for cells in its if len(cells)], float)
    middle, half = ends.mean(axis=1), float(np.median(np.ptp(ends, axis=1))) / 2
    drift = (
        float(np.polyfit(np.linspace(-0.5, 0.5, len(middle)), middle, 1)[0]) if len(middle) > _FEW else 0.0
    )
    least, most = (round(share * parts) for share in _ON)
    return Tube(
        first, int(np.clip(many, least, most)), float(middle.mean()), drift, 0.0, max(half, _LEAST_HALF)
    )


_CHANGES: tuple[Callable[[Tube, int], Tube], ...] = (
    lambda t, n: t.longer(before=n),
    lambda t, n: t.longer(behind=n),
    lambda t, n: t.longer(before=n, behind=-n),
    lambda t, n: replace(t, middle=t.middle + n / 2),
    lambda t, n: replace(t, drift=t.drift + n),
    lambda t, n: replace(t, half=t.half + n / 2),
    lambda t, n: replace(t, half=t.half + abs(n) / 4, middle=t.middle + n / 4),
    lambda t, n: replace(t, half=t.half - abs(n) / 4, middle=t.middle + n / 4),
    lambda t, n: replace(t, drift=t.drift + n, half=t.half - n / 4),
    lambda t, n: replace(t, arc=t.arc + n),
)
