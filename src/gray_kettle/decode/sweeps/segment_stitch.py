"""Rows of a table to sweeps: a span that is reported piece by piece is put together, each piece with its own time."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.decode.sweeps.number_parsing import Levels
from gray_kettle.model.records import FloatArray, Span, SweepRows

_SWEEPS_AHEAD = 8  # gathered before it is settled which pieces a sweep has
_LONGER = 2.5  # times the usual length: a piece this late belongs to the next sweep
_LEAST_LATE_S = 0.5
_SAME_STEP = 1e-3
_MOST_BINS = 1 << 20
_MOST_STARTS = 1024
_LEAST_PARTED_HZ = 40e6  # a smaller hole is a gap in a span


@dataclass(frozen=True, eq=False)
class Part:
    """One row of a table: levels at even steps."""

    time_s: float
    start_hz: float
    step_hz: float
    levels_dbm: Levels

    @property
    def key(self) -> tuple[float, float, int]:
        return (round(self.start_hz), self.step_hz, len(self.levels_dbm))


class Joiner:
    """Takes rows in the order of the table; gives sweeps. facts: a span whose detector and so on hold for all."""

    def __init__(self, facts: Span) -> None:
        self.facts = facts
        self._sweep: dict[tuple[float, float, int], Part] = {}  # the one that is being filled
        self._ahead: list[dict[tuple[float, float, int], Part]] = []
        self._plan: tuple[Part, ...] = ()  # one part for each piece that a sweep has
        self._grids: dict[tuple[float, float, int], _Grid] = {}  # of each cluster, by its first piece
        self._usual_s = 0.0
        self._starts: dict[tuple[float, int], list[float]] = {}  # by step and bins

    def snapped_hz(self, start_hz: float, step_hz: float, bins: int) -> float:
        """The start itself, or one that was seen and is less than half a bin away: an oscillator that drifts."""
        seen = self._starts.setdefault((step_hz, bins), [])
        near = min(seen, key=lambda hz: abs(hz - start_hz), default=None)
        if near is not None and abs(near - start_hz) < step_hz / 2:
            return near
        if len(seen) < _MOST_STARTS:
            seen.append(start_hz)
        return start_hz

    def add(self, part: Part) -> Iterator[SweepRows]:
        first_s = next(iter(self._sweep.values())).time_s if self._sweep else part.time_s
        late = part.time_s - first_s > max(_LONGER * self._usual_s, _LEAST_LATE_S) if self._usual_s else False
        other_step = self._sweep and not self._fits(part)
        if part.key in self._sweep or late or part.time_s < first_s or other_step:
            yield from self._close()
            if other_step:
                yield from self.flush()
        self._sweep[part.key] = part

    def settled(self, key: tuple[float, float, int]) -> Span | None:
        """The span, where rows of this form alone have come so far: many at once can do without being joined."""
        alone = len(self._plan) == 1 and self._plan[0].key == key and not self._ahead
        return self._span_of(self._plan[0]) if alone and set(self._sweep) <= {key} else None

    def through(self, span: Span, time_s: FloatArray, levels_dbm: Levels) -> Iterator[SweepRows]:
        """Rows of a settled span, behind those that wait."""
        if self._sweep:
            yield from self._close()
        yield from self._release()
        yield SweepRows(span, time_s, levels_dbm)

    def whole(self) -> Iterator[SweepRows]:
        """Of a stream: whole sweeps that wait, as soon as two in a row had the same pieces."""
        if self._plan or (len(self._ahead) > 1 and self._ahead[-1].keys() == self._ahead[-2].keys()):
            yield from self._release()

    def flush(self) -> Iterator[SweepRows]:
        """What is waiting, as it is."""
        if self._sweep:
            self._ahead.append(self._sweep)
            self._sweep = {}
        yield from self._release()
        self._plan = ()

    def _fits(self, part: Part) -> bool:
        step_hz = next(iter(self._sweep.values())).step_hz
        return abs(part.step_hz - step_hz) < _SAME_STEP * step_hz

    def _close(self) -> Iterator[SweepRows]:
        times = [p.time_s for p in self._sweep.values()]
        length_s = max(times) - min(times)
        self._usual_s = (
            max(self._usual_s, length_s) if self._usual_s == 0 else 0.8 * self._usual_s + 0.2 * length_s
        )
        self._ahead.append(self._sweep)
        self._sweep = {}
        if len(self._ahead) >= _SWEEPS_AHEAD:
            yield from self._release()

    def _release(self) -> Iterator[SweepRows]:
        """The sweeps ahead, on the grid of all their pieces."""
        if not self._ahead:
            return
        seen = {p.key: p for p in self._plan}
        for sweep in self._ahead:
            for key, part in sweep.items():
                seen.setdefault(key, part)
        if len(seen) > len(self._plan):
            self._plan = tuple(sorted(seen.values(), key=lambda p: (p.start_hz, len(p.levels_dbm))))
            self._grids = {}
        sweeps, self._ahead = self._ahead, []
        # Rows of one beginning and different lengths are no pieces of one sweep.
        if len({p.key[0] for p in self._plan}) < len(self._plan):
            for part in (p for sweep in sweeps for p in sweep.values()):
                rows = part.levels_dbm[None, :]
                yield SweepRows(self._span_of(part), np.array([part.time_s]), rows, None)
            self._plan = ()
            return
        for cluster in _clusters(self._plan):
            keys = {p.key for p in cluster}
            of_cluster = [{k: p for k, p in sweep.items() if k in keys} for sweep in sweeps]
            if any(of_cluster):
                yield self._joined(cluster, [sweep for sweep in of_cluster if sweep])

    def _span_of(self, part: Part) -> Span:
        return replace(self.facts, start_hz=part.start_hz, step_hz=part.step_hz, bins=len(part.levels_dbm))

    def _joined(
        self, pieces: tuple[Part, ...], sweeps: list[dict[tuple[float, float, int], Part]]
    ) -> SweepRows:
        key = pieces[0].key
        if key not in self._grids:
            self._grids[key] = _Grid(pieces)
        grid = self._grids[key]
        levels = np.full((len(sweeps), grid.bins), np.nan, np.float32)
        offsets = np.full((len(sweeps), len(grid.owners)), np.nan, np.float32)
        times = np.array([min(p.time_s for p in sweep.values()) for sweep in sweeps])
        for row, sweep in enumerate(sweeps):
            for run, (first, last, owner) in enumerate(grid.owners):
                part = sweep.get(pieces[owner].key)
                if part is not None:
                    from_bin = first - grid.starts[owner]
                    levels[row, first:last] = part.levels_dbm[from_bin : from_bin + last - first]
                    offsets[row, run] = part.time_s - times[row]
        firsts = tuple(first for first, _, _ in grid.owners)
        span = replace(
            self.facts, start_hz=pieces[0].start_hz, step_hz=pieces[0].step_hz, bins=grid.bins, pieces=firsts
        )
        return SweepRows(span, times, levels, offsets if len(firsts) > 1 else None)


def _clusters(plan: tuple[Part, ...]) -> list[tuple[Part, ...]]:
    """Pieces that belong to one span; two bands that an instrument looks at in turn are two."""
    out: list[list[Part]] = []
    end_hz = -np.inf
    for part in plan:
        width_hz = part.step_hz * len(part.levels_dbm)
        if part.start_hz - end_hz > max(_LEAST_PARTED_HZ, 2 * width_hz):
            out.append([])
        out[-1].append(part)
        end_hz = max(end_hz, part.start_hz + width_hz)
    return [tuple(cluster) for cluster in out]


class _Grid:
    """Pieces on even bins. Where they overlap, a bin belongs to the piece in whose middle it lies more.

    starts: first bin of each piece. owners: (first bin, bin behind the last, piece) from left to right.
    """

    def __init__(self, plan: tuple[Part, ...]) -> None:
        step, start = plan[0].step_hz, plan[0].start_hz
        self.starts = [round((p.start_hz - start) / step) for p in plan]
        lengths = [len(p.levels_dbm) for p in plan]
        self.bins = min(max(s + n for s, n in zip(self.starts, lengths, strict=True)), _MOST_BINS)
        owner = np.full(self.bins, -1)
        best = np.full(self.bins, np.inf)
        at = np.arange(self.bins)
        for k, (first, count) in enumerate(zip(self.starts, lengths, strict=True)):
            away = np.abs(at - (first + (count - 1) / 2)) / count
            mine = (at >= first) & (at < first + count) & (away < best)
            owner[mine], best[mine] = k, away[mine]
        cuts = np.flatnonzero(np.diff(owner, prepend=-2))
        ends = np.append(cuts[1:], self.bins)
        self.owners = [
            (int(a), int(b), int(owner[a])) for a, b in zip(cuts, ends, strict=True) if owner[a] >= 0
        ]
