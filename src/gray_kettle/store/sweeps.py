"""Sweeps in a case: reads rows and sums of them. store.sweep_writer writes them.

What is asked for an interval of time is read from the sums as far as they reach, and from the rows at its edges.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from gray_kettle.model.records import LATEST_S, FloatArray, Span, SweptChannel
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.channel_power import channel_floor_dbm, channels_in_span
from gray_kettle.spectrum.duty import ChannelRows, busiest_part, merged_swept, swept_from, tally
from gray_kettle.spectrum.multires import (
    COUNTED_FROM,
    FIRST_ROWS,
    NEXT,
    TOP,
    Counts,
    Entries,
    added_counts,
    rows_as_entries,
)
from gray_kettle.spectrum.noise_floor import threshold_codes
from gray_kettle.spectrum.quantise import Codes, FloatDb, to_dbm
from gray_kettle.spectrum.views import Composer, Frame, Spectrogram
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.packing import UNREADABLE, unpack_arrays, unpacked
from gray_kettle.store.seals import THIN_SUM, Damage, payload_of, rows_of
from gray_kettle.store.takes import Takes

_MANY_ROWS = 512 * NEXT  # from which on sums are asked for duties, not the rows
_ENTRIES_A_LINE = 1.5  # sums are fine enough for a picture where each line has at least so many
_MOST_BINS = 1 << 16
_SPAN = TypeAdapter(Span)
_CHUNKS_DAMAGED = "a block of sweep rows is damaged and left out"


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

    def chosen(self, rows: "np.ndarray[Any, np.dtype[np.int64]]") -> "CodedRows":
        places = ChannelRows(self.places.power[rows], self.places.over[rows])
        return CodedRows(self.time_s[rows], self.codes[rows], self.offset_s[rows], places, self.floor_dbm)

    def followed_by(self, other: "CodedRows") -> "CodedRows":
        """These rows and those that come behind them, with the newer floor."""
        return _joined([self, other])


def is_thin(row: Mapping[str, Any]) -> bool:
    """Whether the rows of a chunk were thinned out: what sums them up is elsewhere."""
    return bool(row["payload_sum"] == THIN_SUM)


class Sweeps:
    """Reads the sweeps of a case."""

    def __init__(self, database: Database, takes: Takes, damage: Damage) -> None:
        self._database, self._takes, self._damage = database, takes, damage

    def runs(
        self, start_s: float = -np.inf, end_s: float = np.inf, *, counted_only: bool = True
    ) -> tuple[Run, ...]:
        """What was swept in an interval of time, by number. rows: of the chunks that touch it.

        counted_only: without takes that do not count.
        """
        with self._database.reading() as db:
            takes = self._takes.counted(db)
            if not counted_only:
                takes = {row["number"]: row for row in self._takes.rows(db)}
            chunks = self.catalogue()
            what = "the description of a sweep is damaged: its rows are left out"
            found = []
            for row in rows_of(db, schema.sweeps, self._damage, what):
                inside = [
                    c
                    for c in chunks.get((row["number"], 0), ())
                    if c["end_s"] >= start_s and c["start_s"] <= end_s
                ]
                if row["take"] not in takes or not inside:
                    continue
                try:
                    span = _span(row["document"])
                except UNREADABLE:
                    self._damage.add(what)
                    continue
                first, last = min(c["start_s"] for c in inside), max(c["end_s"] for c in inside)
                rows = sum(c["rows"] for c in inside)
                spot = printable(takes[row["take"]]["spot"])
                found.append(Run(row["number"], span, row["take"], spot, first, last, rows))
        return tuple(found)

    def catalogue(self) -> dict[tuple[int, int], list[dict[str, Any]]]:
        """What each chunk is, without what it holds, by sweep and level in order of time; once for each snapshot."""
        cache = self._database.cache
        if "sweep_chunks" not in cache:
            found: dict[tuple[int, int], list[dict[str, Any]]] = {}
            with self._database.reading() as db:
                takes = self._takes.counted(db)
                owners = {row["number"]: row["take"] for row in rows_of(db, schema.sweeps, Damage(), "")}
                held: dict[int, int] = {}
                for row in rows_of(db, schema.sweep_chunks, self._damage, _CHUNKS_DAMAGED):
                    if not (0 <= row["start_s"] <= row["end_s"] <= LATEST_S and row["rows"] > 0):
                        self._damage.add(_CHUNKS_DAMAGED)
                        continue
                    found.setdefault((row["sweep"], row["level"]), []).append(row)
                    take = owners.get(row["sweep"])
                    held[take or 0] = held.get(take or 0, 0) + 1
            for number, take_row in takes.items():
                missing = take_row["sweep_chunks_held"] - held.get(number, 0)
                if missing > 0:
                    self._damage.add(f"take {number}: {missing} blocks of sweep rows are missing")
            for rows in found.values():
                rows.sort(key=lambda row: (row["start_s"], row["number"]))
            cache["sweep_chunks"] = found
        return dict(cache["sweep_chunks"])

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
        for head, payload in self.chunks(run, 0, start_s, end_s, "payload" if with_bins else None):
            if with_bins and payload is None:
                continue  # thinned out
            try:
                part = _coded(run, head, payload)
            except UNREADABLE:
                self._damage.add(f"take {run.take}: {_CHUNKS_DAMAGED}")
                continue
            yield part.part(*np.searchsorted(part.time_s, (start_s, np.nextafter(end_s, np.inf))).tolist())

    def entries(self, run: Run, level: int, start_s: float, end_s: float) -> Entries:
        """Sums of a level whose middle lies in an interval of time; of a lower level where those do not reach."""
        if level == 0:
            rows = self.rows(run, start_s, end_s)
            found = rows_as_entries(rows.time_s, rows.codes, threshold_codes(rows.floor_dbm))
            thin_until_s = self.thin_until_s().get(run.number, -np.inf)
            if start_s > thin_until_s:
                return found
            sums, _ = self._sums(run, 1, start_s, min(end_s, thin_until_s))
            return Entries.joined([*sums, found])
        parts, reached_s = self._sums(run, level, start_s, end_s)
        if not parts or reached_s < min(end_s, run.end_s):  # sums that are not written yet
            after_s = np.nextafter(reached_s, np.inf) if parts else start_s
            parts.append(self.entries(run, level - 1, max(after_s, start_s), end_s))
        return Entries.joined(parts)

    def thin_until_s(self) -> dict[int, float]:
        """The last moment whose rows were thinned out, by number of the sweep."""
        return {
            sweep: max(c["end_s"] for c in chunks if is_thin(c))
            for (sweep, level), chunks in self.catalogue().items()
            if level == 0 and any(map(is_thin, chunks))
        }

    def _sums(self, run: Run, level: int, start_s: float, end_s: float) -> tuple[list[Entries], float]:
        """(sums of a level whose middle lies in an interval of time, how far they reach)."""
        parts, reached_s = [], -np.inf
        for head, payload in self.chunks(run, level, start_s, end_s, "payload"):
            try:
                part = _entries(run, head, payload or b"")
            except UNREADABLE:
                self._damage.add(f"take {run.take}: {_CHUNKS_DAMAGED}")
                continue
            reached_s = float(part.end_s[-1])
            middle = (part.start_s + part.end_s) / 2
            parts.append(part.part((middle >= start_s) & (middle <= end_s)))
        return parts, reached_s

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
        for head, packed in self.chunks(run, level, start_s, end_s, "counts"):
            whole = np.flatnonzero((head["start_s"] >= start_s) & (head["end_s"] <= end_s))
            if not len(whole):
                continue
            try:
                counts = unpack_arrays(packed or b"")["counts"]
            except UNREADABLE:
                self._damage.add(f"take {run.take}: {_CHUNKS_DAMAGED}")
                continue
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
        with self._database.reading():
            self._compose(composer, frame, spot)
        return composer.view()

    def _compose(self, composer: Composer, frame: Frame, spot: str | None) -> None:
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

    def _busiest(self, run: Run, start_s: float, end_s: float, rows: int) -> FloatArray:
        """Duty of each channel, from the share of time of every bin."""
        entries = self.entries(run, 2 if rows > _MANY_ROWS else 0, start_s, end_s)
        weight = entries.rows / entries.rows.sum() / 255
        return busiest_part(run.span, weight @ entries.share, rows)

    def _floor_dbm(self, run: Run, time_s: float) -> FloatDb:
        """The floor as it was known at a time, or first known after it."""
        for head, _ in self.chunks(run, 0, time_s, np.inf, None):
            return to_dbm(head["floor"])
        return np.full(run.span.bins, np.nan, np.float32)

    def swept(self, start_s: float, end_s: float) -> tuple[SweptChannel, ...]:
        """What the sweeps of an interval of time say of every channel that they cover, by place and spot."""
        with self._database.reading():
            return merged_swept(self._swept(start_s, end_s))

    def _swept(self, start_s: float, end_s: float) -> list[SweptChannel]:
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
        return found

    def chunks(
        self, run: Run, level: int, start_s: float, end_s: float, column: str | None
    ) -> Iterator[tuple[dict[str, Any], bytes | None]]:
        """(head, packed bytes of a column) of the chunks that touch an interval of time; damaged ones are left out."""
        what = f"take {run.take}: {_CHUNKS_DAMAGED}"
        with self._database.reading():
            rows = self.catalogue().get((run.number, level), [])
        for row in rows:
            if row["end_s"] < start_s or row["start_s"] > end_s:
                continue
            with self._database.reading() as db:
                packed = payload_of(db, schema.sweep_chunks, row, "head", self._damage, what)
                rest = column and payload_of(db, schema.sweep_chunks, row, column, self._damage, what)
            if packed is None or (column is not None and rest is None):
                continue
            try:
                head = unpack_arrays(packed)
            except UNREADABLE:
                self._damage.add(what)
                continue
            yield head, rest or None


def _coded(run: Run, head: dict[str, Any], payload: bytes | None) -> CodedRows:
    """A chunk of rows as it was packed. Raises: UNREADABLE."""
    rows, codes = len(head["time_s"]), np.zeros((0, run.span.bins), np.uint8)
    if payload is not None:
        raw = np.frombuffer(unpacked(payload, rows * run.span.bins), np.uint8)
        codes = raw.reshape(rows, run.span.bins)
    places = ChannelRows(head["power"], head["over"])
    return CodedRows(head["time_s"], codes, head["offset_s"], places, to_dbm(head["floor"]))


def _entries(run: Run, head: dict[str, Any], payload: bytes) -> Entries:
    """A chunk of sums as it was packed. Raises: UNREADABLE."""
    shape = 3, len(head["rows"]), run.span.bins
    bins = np.frombuffer(unpacked(payload, math.prod(shape)), np.uint8).reshape(shape)
    return Entries(head["start_s"], head["end_s"], head["rows"], *bins)


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
    """Raises: UNREADABLE."""
    span = _SPAN.validate_json(document)
    if not (0 < span.bins <= _MOST_BINS and np.isfinite(span.start_hz) and 0 < span.step_hz < np.inf):
        raise ValueError("an impossible span")
    return replace(span, instrument=printable(span.instrument), antenna=printable(span.antenna))


def _no_rows(span: Span) -> CodedRows:
    nothing = np.zeros((0, 0), np.uint8)
    return CodedRows(
        np.zeros(0),
        np.zeros((0, span.bins), np.uint8),
        np.zeros((0, 0), np.float32),
        ChannelRows(nothing, nothing),
        np.full(span.bins, np.nan, np.float32),
    )
