"""Clocks that report whole seconds: rows with one stamp are spread over the second that they share."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from gray_kettle.model.records import Span, SweepRows


class Evener:
    """Passes rows on; those of the last stamp wait for what follows, where stamps are shared."""

    def __init__(self) -> None:
        self._held: dict[Span, SweepRows] = {}

    def add(self, rows: SweepRows) -> Iterator[SweepRows]:
        held = self._held.pop(rows.span, None)
        if held is not None:
            rows = _joined(held, rows)
        times = rows.time_s
        if len(times) < 2 or (np.floor(times) != times).any() or (np.diff(times) < 0).any():
            yield rows
            return
        if not (np.diff(times) == 0).any() and held is None:
            yield rows
            return
        last = int(np.searchsorted(times, times[-1]))
        self._held[rows.span] = rows.part(last, len(rows))
        if last:
            yield _spread(rows.part(0, last))

    def flush(self) -> Iterator[SweepRows]:
        for rows in self._held.values():
            yield _spread(rows)
        self._held.clear()


def _spread(rows: SweepRows) -> SweepRows:
    stamps, first, counts = np.unique(rows.time_s, return_index=True, return_counts=True)
    rank = np.arange(len(rows)) - np.repeat(first, counts)
    room_s = np.minimum(np.append(np.diff(stamps), 1.0), 1.0)
    return replace(rows, time_s=rows.time_s + rank * np.repeat(room_s / counts, counts))


def _joined(first: SweepRows, second: SweepRows) -> SweepRows:
    offsets = None
    if first.offset_s is not None and second.offset_s is not None:
        offsets = np.concatenate([first.offset_s, second.offset_s])
    times = np.concatenate([first.time_s, second.time_s])
    return SweepRows(first.span, times, np.concatenate([first.levels_dbm, second.levels_dbm]), offsets)
