"""Sweeps in a case: rows as bytes in chunks, and sums of them at several time resolutions, written as rows come.

What is asked for an interval of time is read from the sums as far as they reach, and from the rows at its edges.
"""

import itertools
import json
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import sqlalchemy as sa
import zstandard

from gray_kettle.model.records import FloatArray, Span, SweepRows, SweptChannel
from gray_kettle.spectrum.channel_power import channel_floor_dbm, channels_in_span
from gray_kettle.spectrum.duty import (
    ChannelRows,
    busiest_part,
    channel_rows,
    merged_swept,
    swept_from,
    tally,
)
from gray_kettle.spectrum.multires import (
    COUNTED_FROM,
    FIRST_ROWS,
    NEXT,
    TOP,
    Counts,
    Entries,
    Pyramid,
    Summed,
    added_counts,
    rows_as_entries,
)
from gray_kettle.spectrum.noise_floor import floor_of, low_and_spread, threshold_codes
from gray_kettle.spectrum.quantise import Codes, FloatDb, to_codes, to_dbm
from gray_kettle.spectrum.views import Composer, Frame, Spectrogram
from gray_kettle.store import schema
from gray_kettle.store.packing import pack_arrays, unpack_arrays

_CHUNK_BYTES, _CHUNK_ROWS = 1 << 18, (64, 512)  # of a chunk; fewest and most rows
_LONGEST_WAIT_S = 5.0  # rows that came are in the file after at most this long
_ENTRIES_A_LINE = 1.5  # sums are fine enough for a picture where each line has at least so many
_ENTRIES_A_CHUNK = {1: 64, 2: 8, 3: 8}
Writing = Callable[[], AbstractContextManager[sa.Connection]]


@dataclass(frozen=True)
class Run:
    """Rows of one span from one take, in order of time."""

    number: int
    span: Span
    take: int
    spot: str
    start_s: float
    end_s: float
    rows: int


@dataclass(frozen=True, eq=False)
class CodedRows:
    """Rows as they are kept. offset_s: of each piece, shape (rows, pieces); places: see PlaceRows."""

    time_s: FloatArray
    codes: Codes
    offset_s: np.ndarray[Any, np.dtype[np.float32]]
    places: ChannelRows
    floor_dbm: FloatDb

    def part(self, first: int, last: int) -> "CodedRows":
        places = ChannelRows(self.places.power[first:last], self.places.over[first:last])
        return CodedRows(
            self.time_s[first:last], self.codes[first:last], self.offset_s[first:last], places, self.floor_dbm
        )

    def followed_by(self, other: "CodedRows") -> "CodedRows":
        """These rows and those that come behind them, with the newer floor."""
        return _joined([self, other])


class SweepWriter:
    """Writes the sweeps of one take. Feed it within a transaction; flush it before the take is closed."""

    def __init__(self, take: int) -> None:
        self._take = take
        self._runs: dict[Span, _OpenRun] = {}

    def add(self, db: sa.Connection, rows: SweepRows) -> None:
        back = (
            np.flatnonzero(np.diff(rows.time_s) < 0) + 1
        )  # a clock that was set back begins a run of its own
        for first, last in itertools.pairwise([0, *back.tolist(), len(rows)]):
            if first == last:
                continue
            run = self._runs.get(rows.span)
            if run is not None and rows.time_s[first] < run.last_s:
                run.flush(db)
                run = None
            if run is None:
                run = self._runs[rows.span] = _OpenRun(db, self._take, rows.span)
            run.add(db, rows.part(first, last))

    def flush(self, db: sa.Connection) -> None:
        for run in self._runs.values():
            run.flush(db)


class _OpenRun:
    """Rows that wait for a whole chunk, and sums that wait for more rows."""

    def __init__(self, db: sa.Connection, take: int, span: Span) -> None:
        row = {"take": take, "document": json.dumps(asdict(span), sort_keys=True)}
        self.number = int(
            db.execute(schema.sweeps.insert().returning(schema.sweeps.c.number), row).scalar_one()
        )
        self.span = span
        self.last_s = -np.inf
        self._pyramid = Pyramid(span)
        self._floor_dbm: FloatDb | None = None
        self._waiting: list[tuple[FloatArray, Codes, Any]] = []
        self._since_s = 0.0
        self._summed: dict[int, list[Summed]] = {level: [] for level in range(1, TOP + 1)}
        self._chunk_rows = min(max(_CHUNK_BYTES // span.bins, _CHUNK_ROWS[0]), _CHUNK_ROWS[1])
        self._packer = zstandard.ZstdCompressor(level=1)

    def add(self, db: sa.Connection, rows: SweepRows) -> None:
        codes = to_codes(rows.levels_dbm) if rows.codes is None else rows.codes
        offsets = rows.offset_s if rows.offset_s is not None else np.zeros((len(rows), 0), np.float32)
        self.last_s = float(rows.time_s[-1])
        for done in self._pyramid.add(rows.time_s, codes):
            self._keep(db, done)
        at = 0
        while at < len(rows):
            if not self._waiting:
                self._since_s = time.monotonic()
            upto = min(at + self._chunk_rows - sum(len(t) for t, _, _ in self._waiting), len(rows))
            self._waiting.append((rows.time_s[at:upto], codes[at:upto], offsets[at:upto]))
            at = upto
            if sum(len(t) for t, _, _ in self._waiting) == self._chunk_rows:
                self._write_rows(db)
        if self._waiting and time.monotonic() - self._since_s > _LONGEST_WAIT_S:
            self._write_rows(db)

    def flush(self, db: sa.Connection) -> None:
        for done in self._pyramid.close():
            self._keep(db, done)
        if self._waiting:
            self._write_rows(db)
        for level, entries in self._summed.items():
            if entries:
                self._write_entries(db, level)

    def _keep(self, db: sa.Connection, done: Summed) -> None:
        self._floor_dbm = done.floor_dbm
        self._summed[done.level].append(done)
        if len(self._summed[done.level]) == _ENTRIES_A_CHUNK[done.level]:
            self._write_entries(db, done.level)

    def _write_rows(self, db: sa.Connection) -> None:
        time_s, codes, offsets = (np.concatenate(parts) for parts in zip(*self._waiting, strict=True))
        self._waiting = []
        floor_dbm = self._floor_dbm
        if floor_dbm is None:  # not enough rows for a first sum yet
            floor_dbm = floor_of(*low_and_spread(codes), self.span.step_hz)
        places = channel_rows(self.span, codes, floor_dbm)
        head = {
            "time_s": time_s,
            "offset_s": offsets,
            "floor": to_codes(floor_dbm),
            "power": places.power,
            "over": places.over,
        }
        self._insert(db, 0, (time_s[0], time_s[-1], len(time_s)), head, codes.tobytes(), None)

    def _write_entries(self, db: sa.Connection, level: int) -> None:
        done, self._summed[level] = self._summed[level], []
        entries = Entries.joined([d.entry for d in done])
        head = {name: getattr(entries, name) for name in ("start_s", "end_s", "rows")}
        counts = None
        if level >= COUNTED_FROM:
            stacked = np.stack([d.counts for d in done if d.counts is not None])
            counts = pack_arrays({"counts": stacked.astype(np.min_scalar_type(int(stacked.max())))})
        payload = b"".join((entries.peak.tobytes(), entries.mean.tobytes(), entries.share.tobytes()))
        whole = (entries.start_s[0], entries.end_s[-1], int(entries.rows.sum()))
        self._insert(db, level, whole, head, payload, counts)

    def _insert(
        self,
        db: sa.Connection,
        level: int,
        whole: tuple[float, float, int],
        head: dict[str, Any],
        payload: bytes,
        counts: bytes | None,
    ) -> None:
        row = {
            "sweep": self.number,
            "level": level,
            "start_s": float(whole[0]),
            "end_s": float(whole[1]),
            "rows": whole[2],
            "head": pack_arrays(head),
            "payload": self._packer.compress(payload),
            "counts": counts,
        }
        db.execute(schema.sweep_chunks.insert(), row)


class Sweeps:
    """Reads the sweeps of a case."""

    def __init__(self, session: Writing) -> None:
        self._reading = session

    def runs(self, start_s: float = -np.inf, end_s: float = np.inf) -> tuple[Run, ...]:
        """What was swept in an interval of time, by number. rows: of the chunks that touch it."""
        c, s, t = schema.sweep_chunks.c, schema.sweeps.c, schema.takes.c
        chosen = (
            sa.select(
                s.number, s.document, s.take, t.spot,
                sa.func.min(c.start_s), sa.func.max(c.end_s), sa.func.sum(c.rows),
            )
            .join(schema.sweeps, s.number == c.sweep)
            .join(schema.takes, t.number == s.take)
            .where((c.level == 0) & ~t.superseded & (c.end_s >= _low(start_s)) & (c.start_s <= _high(end_s)))
            .group_by(s.number)
            .order_by(s.number)
        )  # fmt: skip
        with self._reading() as db:
            found = db.execute(chosen).all()
        return tuple(Run(number, _span(document), *rest) for number, document, *rest in found)

    def rows(self, run: Run, start_s: float, end_s: float) -> CodedRows:
        """Rows of a run that begin in an interval of time."""
        parts = list(self._row_chunks(run, start_s, end_s, with_bins=True))
        if not parts:
            return _no_rows(run.span)
        return _joined(parts)

    def row_chunks(self, run: Run, start_s: float, end_s: float) -> Iterator[CodedRows]:
        """The same chunk by chunk."""
        return self._row_chunks(run, start_s, end_s, with_bins=True)

    def channel_rows(self, run: Run, start_s: float, end_s: float) -> Iterator[CodedRows]:
        """The same without their bins."""
        return self._row_chunks(run, start_s, end_s, with_bins=False)

    def _row_chunks(self, run: Run, start_s: float, end_s: float, *, with_bins: bool) -> Iterator[CodedRows]:
        for head_bytes, payload in self._chunks(run, 0, start_s, end_s, "payload" if with_bins else None):
            head = unpack_arrays(head_bytes)
            time_s = head["time_s"]
            inside = slice(*np.searchsorted(time_s, (start_s, np.nextafter(end_s, np.inf))))
            codes = np.zeros((0, run.span.bins), np.uint8)
            if payload is not None:
                codes = np.frombuffer(zstandard.decompress(payload), np.uint8)
                codes = codes.reshape(len(time_s), run.span.bins)[inside]
            places = ChannelRows(head["power"][inside], head["over"][inside])
            yield CodedRows(time_s[inside], codes, head["offset_s"][inside], places, to_dbm(head["floor"]))

    def entries(self, run: Run, level: int, start_s: float, end_s: float) -> Entries:
        """Sums of a level whose middle lies in an interval of time; of a lower level where those do not reach."""
        if level == 0:
            rows = self.rows(run, start_s, end_s)
            return rows_as_entries(rows.time_s, rows.codes, threshold_codes(rows.floor_dbm))
        parts, reached_s = [], -np.inf
        for head_bytes, payload in self._chunks(run, level, start_s, end_s, "payload"):
            head = unpack_arrays(head_bytes)
            bins = np.frombuffer(zstandard.decompress(payload or b""), np.uint8)
            part = Entries(
                head["start_s"], head["end_s"], head["rows"], *bins.reshape(3, len(head["rows"]), -1)
            )
            reached_s = float(part.end_s[-1])
            middle = (part.start_s + part.end_s) / 2
            parts.append(part.part((middle >= start_s) & (middle <= end_s)))
        if not parts or reached_s < min(end_s, run.end_s):  # sums that are not written yet
            after_s = np.nextafter(reached_s, np.inf) if parts else start_s
            parts.append(self.entries(run, level - 1, max(after_s, start_s), end_s))
        return Entries.joined(parts)

    def counts(self, run: Run, start_s: float, end_s: float) -> Iterator[tuple[float, Counts | Codes]]:
        """(seconds that a row stands for, counts of sums or codes of rows), which together are all of an interval."""
        yield from self._counts(run, TOP, start_s, end_s)

    def _counts(
        self, run: Run, level: int, start_s: float, end_s: float
    ) -> Iterator[tuple[float, Counts | Codes]]:
        if start_s > end_s:
            return
        if level < COUNTED_FROM:
            rows = self.rows(run, start_s, end_s)
            if len(rows.time_s):
                yield _seconds_a_row(rows.time_s[0], rows.time_s[-1], len(rows.time_s)), rows.codes
            return
        first_s, last_s = np.inf, -np.inf
        for head_bytes, packed in self._chunks(run, level, start_s, end_s, "counts"):
            head = unpack_arrays(head_bytes)
            whole = np.flatnonzero((head["start_s"] >= start_s) & (head["end_s"] <= end_s))
            if not len(whole):
                continue
            counts = unpack_arrays(packed or b"")["counts"]
            for k in whole:
                from_s, to_s = float(head["start_s"][k]), float(head["end_s"][k])
                yield _seconds_a_row(from_s, to_s, int(head["rows"][k])), counts[k]
                first_s, last_s = min(first_s, from_s), max(last_s, to_s)
        if last_s < first_s:
            yield from self._counts(run, level - 1, start_s, end_s)
        else:  # sums follow each other without a row between them: what is left lies before and behind them
            yield from self._counts(run, level - 1, start_s, float(np.nextafter(first_s, -np.inf)))
            yield from self._counts(run, level - 1, float(np.nextafter(last_s, np.inf)), end_s)

    def view(self, frame: Frame, spot: str | None = None) -> Spectrogram:
        """A picture's worth of an interval of time and frequency, of one spot or of all."""
        composer = Composer(frame)
        for run in self.runs(frame.start_s, frame.end_s):
            if (
                spot not in (None, run.spot)
                or run.span.end_hz < frame.low_hz
                or run.span.start_hz > frame.high_hz
            ):
                continue
            level, upto = 0, FIRST_ROWS
            while level < TOP and run.rows >= _ENTRIES_A_LINE * frame.lines * upto:
                level, upto = level + 1, upto * NEXT
            entries = self.entries(run, level, frame.start_s, frame.end_s)
            composer.add(run.span, entries, self._floor_dbm(run, frame.start_s))
            counted = list(self.counts(run, frame.start_s, frame.end_s))
            if counted:
                composer.count(run.span, added_counts(counted, run.span.bins))
        return composer.view()

    def _busiest(self, run: Run, start_s: float, end_s: float, rows: int) -> FloatArray:
        """Duty of each channel, from the share of time of every bin."""
        entries = self.entries(run, 2 if rows > _CHUNK_ROWS[1] * NEXT else 0, start_s, end_s)
        weight = entries.rows / entries.rows.sum() / 255
        return busiest_part(run.span, weight @ entries.share, rows)

    def _floor_dbm(self, run: Run, time_s: float) -> FloatDb:
        """The floor as it was known at a time, or first known after it."""
        c = schema.sweep_chunks.c
        chosen = sa.select(c.head).where((c.sweep == run.number) & (c.level == 0) & (c.end_s >= _low(time_s)))
        with self._reading() as db:
            head = db.execute(chosen.order_by(c.start_s).limit(1)).scalar_one()
        return to_dbm(unpack_arrays(head)["floor"])

    def swept(self, start_s: float, end_s: float) -> tuple[SweptChannel, ...]:
        """What the sweeps of an interval of time say of every channel that they cover, by place and spot."""
        found: list[SweptChannel] = []
        for run in self.runs(start_s, end_s):
            places = channels_in_span(run.span)
            parts = [p for p in self.channel_rows(run, start_s, end_s) if len(p.time_s)]
            if not places or not parts:
                continue
            rows = ChannelRows(
                *(np.concatenate([getattr(p.places, n) for p in parts]) for n in ("power", "over"))
            )
            time_s = np.concatenate([p.time_s for p in parts])
            floors = channel_floor_dbm(
                run.span,
                np.median([p.floor_dbm for p in parts[:: len(parts) // 32 + 1]], axis=0).astype(np.float32),
            )
            added = tally(run.span, time_s, rows)
            busiest = self._busiest(run, start_s, end_s, len(time_s)) if run.span.is_tuned else None
            found += [
                swept_from(
                    channel,
                    k,
                    added,
                    float(floors[k]),
                    None if busiest is None else float(busiest[k]),
                    run.spot,
                )
                for k, channel in enumerate(places)
                if added.rows[k]
            ]
        return merged_swept(found)

    def _chunks(
        self, run: Run, level: int, start_s: float, end_s: float, column: str | None
    ) -> list[tuple[bytes, bytes | None]]:
        c = schema.sweep_chunks.c
        chosen = sa.select(c.head, sa.null() if column is None else c[column])
        chosen = chosen.where((c.sweep == run.number) & (c.level == level))
        chosen = chosen.where((c.end_s >= _low(start_s)) & (c.start_s <= _high(end_s)))
        with self._reading() as db:
            return [(head, rest) for head, rest in db.execute(chosen.order_by(c.start_s))]


def _joined(parts: list[CodedRows]) -> CodedRows:
    return CodedRows(
        np.concatenate([p.time_s for p in parts]),
        np.concatenate([p.codes for p in parts]),
        np.concatenate([p.offset_s for p in parts]),
        ChannelRows(*(np.concatenate([getattr(p.places, n) for p in parts]) for n in ("power", "over"))),
        parts[-1].floor_dbm,
    )


def _seconds_a_row(first_s: float, last_s: float, rows: int) -> float:
    return (last_s - first_s) / (rows - 1) if rows > 1 and last_s > first_s else 1.0


def _span(document: str) -> Span:
    fields = json.loads(document)
    return Span(**{**fields, "pieces": tuple(fields["pieces"])})


def _no_rows(span: Span) -> CodedRows:
    nothing = np.zeros((0, 0), np.uint8)
    return CodedRows(
        np.zeros(0),
        np.zeros((0, span.bins), np.uint8),
        np.zeros((0, 0), np.float32),
        ChannelRows(nothing, nothing),
        np.full(span.bins, np.nan, np.float32),
    )


def _low(time_s: float) -> float:
    return max(time_s, -1e12)


def _high(time_s: float) -> float:
    return min(time_s, 1e12)
