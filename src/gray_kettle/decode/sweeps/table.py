"""Sweep tables: the own CSV, and any other by a layout. What cannot be read is said with its line; the rest is kept."""

import re
from collections import Counter
from collections.abc import Callable, Generator, Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.sweeps.column_layout import OWN_HEADER, Head, Layout, parse_layout
from gray_kettle.decode.sweeps.number_parsing import Levels, decimals, numbers
from gray_kettle.decode.sweeps.segment_stitch import Joiner, Part
from gray_kettle.decode.sweeps.separators import separator_of, with_commas
from gray_kettle.decode.sweeps.timestamp_spread import Evener
from gray_kettle.model.enums import Detector
from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.safe_text import printable

OWN_LAYOUT = parse_layout(OWN_HEADER)
_BLOCK_BYTES = 8 << 20
_MOST_NOTES = 6
_NUMBERS = re.compile(rb",\s*-?\d[\d.]*\s*,\s*-?\d[\d.]*\s*(?:,|$)")
_LOUDEST_DBM, _QUIETEST_DBM = 60.0, -250.0
_MOST_BINS = 1 << 17
_AT_ONCE = 1 << 15  # numbers

ReadInto = Callable[[NDArray[np.uint8]], int]


def fits(head: bytes) -> bool:
    """The own CSV: its header stands before any row."""
    for line in head.decode("utf-8", "replace").splitlines():
        if line.strip() and not line.startswith("#"):
            return line.strip().lower().replace(" ", "") == OWN_HEADER
    return False


class TableReader:
    """Reads one table. layout None: the own CSV. is_live: rows are handed on as they come."""

    def __init__(self, layout: Layout | None, *, is_live: bool = False) -> None:
        self._is_live = is_live
        self._separator: bytes | None = None
        self._any_row = False
        self._layout = layout or OWN_LAYOUT
        self._joiner = Joiner(Span(0, 1, 0))
        self._evener = Evener()
        self._line = 0
        self._last_s = -np.inf
        self._bins = 0
        self._skipped = 0
        self._said: dict[str, list[str]] = {}  # the first few of each kind
        self._times_said: Counter[str] = Counter()
        self._missing = 0

    @property
    def notes(self) -> list[str]:
        """What was skipped or noticed, with the line of each; of one kind the first few."""
        out = []
        for kind, lines in self._said.items():
            more = self._times_said[kind] - len(lines)
            out += lines + ([f"… and {more:,} more lines: {kind}."] if more > 0 else [])
        if self._missing:
            out.append(f"{self._missing:,} levels were not numbers; they are stored as not measured.")
        return out

    def pieces(self, readinto: ReadInto) -> Generator[Piece]:
        """Raises: DecodeError, where the input cannot be read on."""
        try:
            yield from self._blocks(readinto)
        except DecodeError:
            yield self._piece(self._joiner.flush(), last=True)
            raise
        yield self._piece(self._joiner.flush(), last=True)

    def _blocks(self, readinto: ReadInto) -> Generator[Piece]:
        rest = b""
        room = np.empty(_BLOCK_BYTES, np.uint8)
        while count := readinto(room):
            block = rest + room[:count].tobytes()
            at = block.rfind(b"\n") + 1
            rest = block[at:]
            if at:
                yield self._piece(self._rows(block[:at].split(b"\n")[:-1]))
                if self._is_live:
                    yield self._piece(self._joiner.whole())
            if len(rest) > 16 * _MOST_BINS:
                self._leave_out("a line is longer than any row", "its end was not found")
                rest = b""
        if rest:
            yield self._piece(self._rows([rest]))

    def _piece(self, rows: Iterator[SweepRows], last: bool = False) -> Piece:
        found = [evened for part in rows for evened in self._evener.add(part)]
        if last:
            found += self._evener.flush()
        skipped, self._skipped = self._skipped, 0
        return Piece(sweeps=tuple(found), records=sum(len(r) for r in found), skipped=skipped)

    def _rows(self, lines: list[bytes]) -> Iterator[SweepRows]:
        """Rows of neighbouring lines with equally many fields are read together."""
        run: list[tuple[int, bytes]] = []
        commas = -1
        for raw in lines:
            self._line += 1
            line = raw.strip()
            if not line or line.startswith(b"#"):
                self._fact(line)
                continue
            if line[:1].isalpha() and line.lower().replace(b" ", b"") == OWN_HEADER.encode():
                continue
            if self._separator is None:
                self._separator = separator_of(line) if self._layout != OWN_LAYOUT else b","
            line = with_commas(line, self._separator)
            if not self._any_row and self._layout != OWN_LAYOUT and not _NUMBERS.search(line):
                self._separator = None  # of a header
                continue
            self._any_row = True
            count = line.count(b",")
            if count != commas and run:
                yield from self._run(run, commas)
                run = []
            commas = count
            run.append((self._line, line))
        if run:
            yield from self._run(run, commas)

    def _fact(self, line: bytes) -> None:
        """A line of the form `# key: value`: of the instrument, for the rows that follow."""
        key, colon, value = line[1:].decode("utf-8", "replace").partition(":")
        key, value = key.strip().lower(), printable(value.strip())[:80]
        facts = self._joiner.facts
        try:
            if colon and key == "detector" and value.lower() in list(Detector):
                self._joiner.facts = replace(facts, detector=Detector(value.lower()))
            elif colon and key == "averages":
                self._joiner.facts = replace(facts, averages=max(int(value), 1))
            elif colon and key == "sweep_s":
                self._joiner.facts = replace(facts, sweep_s=max(float(value), 0.0))
            elif colon and key == "rbw_hz":
                self._joiner.facts = replace(facts, rbw_hz=max(float(value), 0.0))
            elif colon and key == "instrument":
                self._joiner.facts = replace(facts, instrument=value)
            elif colon and key == "antenna":
                self._joiner.facts = replace(facts, antenna=value)
            elif colon and key == "detector":
                raise ValueError
        except ValueError:
            self._say("a field was not understood", f"“{value}” is no {key}; it was ignored")

    def _run(self, run: list[tuple[int, bytes]], commas: int) -> Iterator[SweepRows]:
        before = len(self._layout.columns)
        bins = commas + 1 - before
        if bins < 1 or bins > _MOST_BINS:
            for number, _ in run:
                self._leave_out(
                    "no levels", f"it has {commas + 1} fields, and levels start after {before}", number
                )
            return
        if self._bins and bins != self._bins and len(self._layout.columns) == len(OWN_LAYOUT.columns):
            self._say(
                "another bin count", f"{bins:,} levels in a row; earlier rows had {self._bins:,}", run[0][0]
            )
        self._bins = bins
        heads: list[Head | None] = []
        tails = []
        for number, line in run:
            words = line.split(b",", before)
            head = self._head(number, words[:before], bins)
            heads.append(head)
            if head is not None:
                tails.append(words[before])
        levels = _levels(tails, bins)
        yield from self._told(
            [n for (n, _), h in zip(run, heads, strict=True) if h], [h for h in heads if h], levels
        )

    def _head(self, number: int, words: list[bytes], bins: int) -> Head | None:
        try:
            return self._layout.head(words, bins)
        except ValueError as error:
            self._leave_out("it does not match the layout", str(error), number)
            return None

    def _told(self, lines: list[int], heads: list[Head], levels: Levels) -> Iterator[SweepRows]:
        """Sweeps from rows whose levels were read."""
        if not heads:
            return
        with np.errstate(invalid="ignore"):
            strongest, weakest = np.fmax.reduce(levels, axis=1), np.fmin.reduce(levels, axis=1)
            wrong = (strongest > _LOUDEST_DBM) | (weakest < _QUIETEST_DBM) | np.isnan(strongest)
        self._missing += int(np.isnan(levels[~wrong]).sum())
        for k in np.flatnonzero(wrong):
            known = f"levels reach from {weakest[k]:g} to {strongest[k]:g}: these are not dBm"
            self._leave_out(
                "no dBm", "none of its levels is a number" if np.isnan(strongest[k]) else known, lines[k]
            )
        kept = np.flatnonzero(~wrong)
        at = 0
        while at < len(kept):
            head = heads[kept[at]]
            start_hz = self._joiner.snapped_hz(head.start_hz, head.step_hz, levels.shape[1])
            if start_hz != head.start_hz:
                self._say(
                    "start drifts",
                    "its start differs by less than half a bin; read as the same",
                    lines[kept[at]],
                )
            part = Part(head.time_s, start_hz, head.step_hz, levels[kept[at]])
            span = self._joiner.settled(part.key)
            upto = at + 1
            if span is not None:  # many rows of one form: no need to join anything
                while (
                    upto < len(kept)
                    and heads[kept[upto]].start_hz == head.start_hz
                    and (heads[kept[upto]].step_hz == head.step_hz)
                ):
                    upto += 1
            chosen = kept[at:upto]
            for k in chosen:
                self._watch_time(heads[k], lines[k])
            if span is not None and upto - at > 1:
                times = np.array([heads[k].time_s for k in chosen])
                yield from self._joiner.through(span, times, levels[chosen])
            else:
                self._count_samples(head)
                yield from self._joiner.add(part)
            at = upto

    def _count_samples(self, head: Head) -> None:
        facts = self._joiner.facts
        if head.samples > 1 and facts.averages == 1:
            detector = Detector.MEAN if facts.detector == Detector.SAMPLE else facts.detector
            self._joiner.facts = replace(facts, averages=head.samples, detector=detector)

    def _watch_time(self, head: Head, number: int) -> None:
        if head.time_s < self._last_s - 1e-6:
            back_s = self._last_s - head.time_s
            self._say(
                "time goes back",
                f"time goes back by {back_s:.3f} s; a new run starts here",
                number,
            )
        self._last_s = head.time_s

    def _say(self, kind: str, what: str, number: int | None = None) -> None:
        self._keep(kind, f"Line {number or self._line:,}: {what}.")

    def _leave_out(self, kind: str, why: str, number: int | None = None) -> None:
        self._skipped += 1
        self._keep(kind, f"Line {number or self._line:,} was skipped: {why}.")

    def _keep(self, kind: str, sentence: str) -> None:
        self._times_said[kind] += 1
        if len(self._said.setdefault(kind, [])) < _MOST_NOTES:
            self._said[kind].append(sentence)


def _levels(tails: list[bytes], bins: int) -> Levels:
    """Levels of rows, shape (rows, bins); NaN where a field is no number."""
    out = np.empty((len(tails), bins), np.float32)
    portion = max(_AT_ONCE // bins, 1)  # what is worked on at once stays near the processor
    for first in range(0, len(tails), portion):
        some = tails[first : first + portion]
        text = b",".join(some)
        if b" " in text:
            text = text.replace(b" ", b"")
        found = decimals(text, bins * len(some))
        if found is not None:
            out[first : first + len(some)] = found.reshape(len(some), bins)
            continue
        for row, tail in enumerate(some, first):  # so that one odd row does not slow down the rest
            numbers_of = numbers(tail.replace(b" ", b""), bins)
            out[row] = np.nan if numbers_of is None else numbers_of
    return out
