"""What is left of thinned details: times and channel duty of sweep rows, sums of them, and traffic by the hour.

Copies and exports take it along. Source: docs/decisions/035-thinning.md.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import zstandard

from gray_kettle.model.records import LATEST_S, FloatArray, Span, Traffic
from gray_kettle.spectrum.channel_power import channels_in_span
from gray_kettle.spectrum.multires import COUNTED_FROM, TOP, Counts, Entries
from gray_kettle.store.merging import HOUR_S
from gray_kettle.store.packing import UNREADABLE, pack_arrays, unpack_arrays, unpacked
from gray_kettle.store.sweeps import Run, Sweeps


@dataclass(frozen=True, eq=False)
class ThinnedHour:
    """Traffic of (a part of) an hour, summed up. start_s, end_s: of the seconds that went into it."""

    start_s: float
    end_s: float
    sums: Traffic


@dataclass(frozen=True, eq=False)
class ThinnedChunk:
    """A chunk of sweep rows without their levels (level 0: head alone), or of sums of rows. counts: of the sums, from
    level 2 on, shape (entries, columns, 128).
    """

    level: int
    head: dict[str, Any]
    entries: Entries | None = None
    counts: Counts | None = None

    @property
    def starts_s(self) -> FloatArray:
        """Of each entry; of rows the start of the first."""
        return self.head["time_s"][:1] if self.entries is None else self.entries.start_s

    def part(self, chosen: "np.ndarray[Any, np.dtype[np.bool_]]") -> "ThinnedChunk":
        """Some entries of a chunk of sums."""
        if self.entries is None:
            return self
        counts = None if self.counts is None else self.counts[chosen]
        return sums_chunk(self.level, self.entries.part(chosen), counts)

    def row(self) -> dict[str, Any]:
        """As the table of sweep chunks keeps it, without the sweep."""
        payload, counts = b"", None
        if self.entries is None:
            times_s = self.head["time_s"]
            start_s, end_s, rows = times_s[0], times_s[-1], len(times_s)
        else:
            e = self.entries
            start_s, end_s, rows = e.start_s[0], e.end_s[-1], e.rows.sum()
            payload = b"".join((e.peak.tobytes(), e.mean.tobytes(), e.share.tobytes()))
            payload = zstandard.ZstdCompressor(level=1).compress(payload)
            if self.counts is not None:
                counts = pack_arrays(
                    {"counts": self.counts.astype(np.min_scalar_type(int(self.counts.max())))}
                )
        return {
            "level": self.level, "start_s": float(start_s), "end_s": float(end_s), "rows": int(rows),
            "head": pack_arrays(self.head), "payload": payload, "counts": counts,
        }  # fmt: skip


def sums_chunk(level: int, entries: Entries, counts: Counts | None) -> ThinnedChunk:
    """A chunk of sums."""
    head = {name: getattr(entries, name) for name in ("start_s", "end_s", "rows")}
    return ThinnedChunk(level, head, entries, counts)


def chunk_of(row: dict[str, Any], span: Span) -> ThinnedChunk:
    """The reverse of `ThinnedChunk.row`, checked against the bins of its sweep. Raises: UNREADABLE."""
    head = unpack_arrays(row["head"])
    if row["level"] == 0:
        _check_rows(head, span)
        return ThinnedChunk(0, head)
    if not 1 <= row["level"] <= TOP:
        raise ValueError("no such level of sums")
    starts_s, ends_s, rows = head["start_s"], head["end_s"], head["rows"]
    _check_times(starts_s)
    _check_times(ends_s)
    if not len(starts_s) == len(ends_s) == len(rows) or (ends_s < starts_s).any() or (rows <= 0).any():
        raise ValueError("sums of no rows")
    shape = 3, len(rows), span.bins
    layers = np.frombuffer(unpacked(row["payload"], math.prod(shape)), np.uint8).reshape(shape)
    counts = unpack_arrays(row["counts"])["counts"] if row["counts"] else None
    if counts is not None and (counts.ndim != 3 or len(counts) != len(rows)):
        raise ValueError("counts of other sums")
    return sums_chunk(row["level"], Entries(starts_s, ends_s, rows, *layers), counts)


def _check_rows(head: dict[str, Any], span: Span) -> None:
    times_s, offset_s = head["time_s"], head["offset_s"]
    _check_times(times_s)
    shape = len(times_s), len(channels_in_span(span))
    fits = head["power"].shape == head["over"].shape == shape and head["floor"].shape == (span.bins,)
    if not fits or offset_s.ndim != 2 or len(offset_s) != len(times_s):
        raise ValueError("rows that do not fit their sweep")


def _check_times(times_s: FloatArray) -> None:
    if times_s.ndim != 1 or not len(times_s) or not ((times_s >= 0) & (times_s <= LATEST_S)).all():
        raise ValueError("impossible times")
    if (np.diff(times_s) < 0).any():
        raise ValueError("times that go back")


def thinned_chunks(sweeps: Sweeps, run: Run, start_s: float, end_s: float) -> Iterator[ThinnedChunk]:
    """What is left of the thinned rows of a run that touch an interval of time. Chunks of rows come whole, sums that
    touch the interval one by one; sums over rows that are still there are left out. Damage is named by the sweeps.
    """
    until_s = sweeps.thin_until_s().get(run.number, -np.inf)
    low_s, high_s = np.inf, -np.inf
    for head, payload in sweeps.chunks(run, 0, start_s, end_s, "payload"):
        if payload is None:
            low_s = min(low_s, float(head["time_s"][0]))
            high_s = max(high_s, float(head["time_s"][-1]))
            yield ThinnedChunk(0, head)
    if high_s < low_s:
        return
    for level in range(1, TOP + 1):
        counts = {}
        if level >= COUNTED_FROM:
            packed = sweeps.chunks(run, level, low_s, high_s, "counts")
            counts = {float(head["start_s"][0]): counted for head, counted in packed}
        for head, payload in sweeps.chunks(run, level, low_s, high_s, "payload"):
            row = {
                "level": level, "head": pack_arrays(head), "payload": payload,
                "counts": counts.get(float(head["start_s"][0])),
            }  # fmt: skip
            try:
                chunk = chunk_of(row, run.span)
            except UNREADABLE:
                continue  # a picture is drawn from the next level of sums
            starts_s, ends_s = head["start_s"], head["end_s"]
            chosen = (ends_s >= low_s) & (starts_s <= high_s) & (ends_s <= until_s)
            if chosen.any():
                yield chunk.part(chosen)


def by_hour(start_s: float, end_s: float, sums: Traffic) -> Iterator[ThinnedHour]:
    """The hours of a chunk of traffic of which the sums are left."""
    for hour in np.unique(sums.second).tolist():
        yield ThinnedHour(
            max(start_s, float(hour)),
            min(end_s, float(hour + HOUR_S - 1)),
            sums.rows(np.flatnonzero(sums.second == hour)),
        )
