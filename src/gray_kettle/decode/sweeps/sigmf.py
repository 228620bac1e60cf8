"""I/Q recordings in SigMF: what the description says, and samples to sweeps.

Source: the Signal Metadata Format specification, 1.x: "Dataset Format" and the core namespace.
"""

import json
import math
import re
from collections.abc import Callable, Generator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.errors import DecodeError
from gray_kettle.model.enums import Detector
from gray_kettle.model.records import LATEST_S, Piece, Span, SweepRows
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.periodogram import mean_power
from gray_kettle.spectrum.quantise import dbm_of_mw

FULL_SCALE_DBM = -20.0  # what a full sample is taken for where nobody reported
ROW_S = 0.01
_USUAL_BINS = 512
_MOST_BINS = 1 << 15
_ROWS_A_PIECE = 64
_MOST_NOTES = 20
_TYPE = re.compile(r"([cr])(f64|f32|i32|i16|u32|u16|i8|u8)(_le|_be)?$")
_RATES_HZ = (1.0, 1e10)

ReadInto = Callable[[NDArray[np.uint8]], int]


def fits(head: bytes) -> bool:
    """The description of a recording: JSON with the core's type of sample."""
    return head.lstrip()[:1] == b"{" and b'"core:datatype"' in head


@dataclass(frozen=True)
class Capture:
    """An interval of samples with one tuning. first, last: samples; header: bytes before it that are none."""

    first: int
    last: int
    header: int
    centre_hz: float
    start_s: float


@dataclass(frozen=True)
class Description:
    """What the description of a recording says. notes: its annotations, and what is missing."""

    dtype: np.dtype[Any]
    is_complex: bool
    channels: int
    rate_hz: float
    captures: tuple[Capture, ...]
    hardware: str
    notes: tuple[str, ...]


def describe(text: bytes, written_s: float) -> Description:
    """Raises: ValueError, when it does not say what the samples are."""
    try:
        document = json.loads(text)
        known = document["global"]
        kind = _TYPE.match(str(known["core:datatype"]))
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise ValueError("the description is damaged") from error
    if kind is None:
        raise ValueError(f"“{printable(str(known['core:datatype']))[:40]}” is not a sample type")
    rate_hz = _number(known.get("core:sample_rate"))
    if not _RATES_HZ[0] <= rate_hz <= _RATES_HZ[1]:
        raise ValueError("the description has no sample rate (core:sample_rate)")
    notes: list[str] = []
    captures = _captures(document.get("captures"), rate_hz, written_s, notes)
    order = ">" if kind[3] == "_be" else "<"
    name = {"f": "f", "i": "i", "u": "u"}[kind[2][0]] + str(int(kind[2][1:]) // 8)
    return Description(
        np.dtype(name if name[1:] == "1" else order + name),
        kind[1] == "c",
        max(int(_number(known.get("core:num_channels", 1)) or 1), 1),
        rate_hz,
        captures,
        printable(str(known.get("core:hw", "")))[:80],
        (*notes, *_annotations(document.get("annotations"), captures, rate_hz)),
    )


def _captures(known: Any, rate_hz: float, written_s: float, notes: list[str]) -> tuple[Capture, ...]:
    listed = [c for c in known if isinstance(c, dict)] if isinstance(known, list) else []
    if not listed:
        raise ValueError("no capture has a frequency (core:frequency)")
    listed.sort(key=lambda c: _number(c.get("core:sample_start")))
    starts = [int(max(_number(c.get("core:sample_start")), 0)) for c in listed]
    out: list[Capture] = []
    for capture, first, last in zip(listed, starts, [*starts[1:], -1], strict=True):
        centre_hz = _number(capture.get("core:frequency"))
        if not 1e6 <= centre_hz <= 1e12:
            notes.append(f"The capture from sample {first:,} on has no frequency and was skipped.")
            continue
        start_s = _moment(capture.get("core:datetime"))
        if start_s is None:
            before = out[-1] if out else None
            start_s = before.start_s + (first - before.first) / rate_hz if before else written_s
            if before is None:
                notes.append("The recording has no time: it is assumed to start when its file was written.")
        header = int(max(_number(capture.get("core:header_bytes")), 0))
        out.append(Capture(first, last, header, centre_hz, start_s))
    if not out:
        raise ValueError("no capture has a frequency (core:frequency)")
    return tuple(out)


def _annotations(known: Any, captures: tuple[Capture, ...], rate_hz: float) -> list[str]:
    out = []
    for entry in known if isinstance(known, list) else []:
        if not isinstance(entry, dict):
            continue
        first = _number(entry.get("core:sample_start"))
        capture = next((c for c in reversed(captures) if c.first <= first), captures[0])
        when = datetime.fromtimestamp(capture.start_s + (first - capture.first) / rate_hz, UTC)
        words = [str(entry[k]) for k in ("core:label", "core:comment", "core:description") if entry.get(k)]
        low, high = (_number(entry.get(f"core:freq_{edge}_edge")) for edge in ("lower", "upper"))
        where = f", {low / 1e6:g} to {high / 1e6:g} MHz" if low and high else ""
        out.append(
            f"Annotated at {when:%Y-%m-%d %H:%M:%S} UTC{where}: {printable(' – '.join(words))[:200] or 'no words'}."
        )
    more = len(out) - _MOST_NOTES
    return out[:_MOST_NOTES] + ([f"… and {more:,} annotations more."] if more > 0 else [])


def _number(value: Any) -> float:
    ok = (
        isinstance(value, int | float)
        and not isinstance(value, bool)
        and math.isfinite(value)
        and abs(value) < 1e18
    )
    return float(value) if ok else 0.0


def _moment(value: Any) -> float | None:
    try:
        text = re.sub(r"(\.\d{6})\d+", r"\1", str(value))  # the standard allows finer fractions than Python
        moment = datetime.fromisoformat(text)
    except ValueError:
        return None
    time_s = (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()
    return time_s if 0 < time_s < LATEST_S else None


class RecordingReader:
    """Turns the samples of a recording into sweep rows of a chosen bin width."""

    def __init__(self, known: Description, bin_hz: float = 0.0, full_scale_dbm: float | None = None) -> None:
        self._told = known
        self._full_scale_dbm = FULL_SCALE_DBM if full_scale_dbm is None else full_scale_dbm
        self.notes = list(known.notes)
        if full_scale_dbm is None:
            self.notes.append(
                f"Levels of a recording are relative: full scale is assumed to be {FULL_SCALE_DBM:g} dBm. "
                "Give the correct one with --full-scale."
            )
        bins = round(known.rate_hz / bin_hz) if bin_hz else _USUAL_BINS
        self._bins = min(max(bins, 2), _MOST_BINS)
        self._frames = max(int(known.rate_hz * ROW_S) // self._bins, 1)

    def pieces(self, readinto: ReadInto) -> Generator[Piece]:
        """Raises: DecodeError, where the samples stop in the middle of one, or cannot be read on."""
        stream = _Stream(readinto)
        sample = self._told.dtype.itemsize * self._told.channels * (2 if self._told.is_complex else 1)
        at = 0
        for capture in self._told.captures:
            stream.skip((capture.first - at) * sample + capture.header)
            yield from self._of(capture, stream, sample)
            at = capture.last
        left = stream.left
        if left % sample:
            raise DecodeError("The recording stops in the middle of a sample", stream.at)

    def _of(self, capture: Capture, stream: "_Stream", sample: int) -> Generator[Piece]:
        known = self._told
        rate_hz = known.rate_hz
        wanted = self._bins * self._frames
        half = self._bins // 2
        step_hz = rate_hz / self._bins
        span = Span(
            capture.centre_hz - half * step_hz if known.is_complex else capture.centre_hz,
            step_hz,
            self._bins if known.is_complex else self._bins - half,
            detector=Detector.MEAN if self._frames > 1 else Detector.SAMPLE,
            averages=self._frames,
            instrument=known.hardware or "I/Q recording",
        )
        times, rows = [], []
        at = capture.first
        while True:
            room = wanted if capture.last < 0 else min(wanted, capture.last - at)
            octets = stream.take(room * sample)
            count = len(octets) // sample
            if count < self._bins:
                break
            power = mean_power(self._samples(octets[: count * sample]), self._bins)
            if not known.is_complex:  # the lower half mirrors the upper one, and has half of the power
                power = 2 * power[half:]
            times.append(capture.start_s + (at - capture.first) / rate_hz)
            rows.append(dbm_of_mw(power) + np.float32(self._full_scale_dbm))
            at += count
            if len(rows) == _ROWS_A_PIECE:
                yield _piece(span, times, rows)
                times, rows = [], []
        if rows:
            yield _piece(span, times, rows)

    def _samples(self, octets: bytes) -> NDArray[np.complex64]:
        """Of the first channel, full scale being 1."""
        known = self._told
        parts = np.frombuffer(octets, known.dtype).astype(np.float32)
        if known.dtype.kind == "u":
            half = np.float32(2.0 ** (8 * known.dtype.itemsize - 1))
            parts = (parts - half) / half
        elif known.dtype.kind == "i":
            parts /= np.float32(2.0 ** (8 * known.dtype.itemsize - 1))
        parts = np.nan_to_num(parts, posinf=0, neginf=0)
        width = 2 if known.is_complex else 1
        first = parts.reshape(-1, known.channels * width)[:, :width]
        return (first[:, 0] + 1j * first[:, 1] if width == 2 else first[:, 0]).astype(np.complex64)


def _piece(span: Span, times: list[float], rows: list[NDArray[np.float32]]) -> Piece:
    levels = np.stack(rows)
    # Hann windows leave nothing of the exact zero of a dead receiver.
    levels[~np.isfinite(levels)] = np.nan
    return Piece(sweeps=(SweepRows(span, np.array(times), levels),), records=len(rows))


class _Stream:
    """Bytes in wanted portions."""

    def __init__(self, readinto: ReadInto) -> None:
        self._readinto = readinto
        self._room = np.empty(4 << 20, np.uint8)
        self._have = b""
        self.at = 0

    @property
    def left(self) -> int:
        return len(self._have)

    def take(self, count: int) -> bytes:
        """So many bytes, fewer at the end."""
        parts, missing = [self._have], count - len(self._have)
        while missing > 0:
            got = self._readinto(self._room)
            if not got:
                break
            parts.append(self._room[:got].tobytes())
            missing -= got
        whole = b"".join(parts)
        out, self._have = whole[:count], whole[count:]
        self.at += len(out)
        return out

    def skip(self, count: int) -> None:
        while count > 0 and (part := self.take(min(count, 4 << 20))):
            count -= len(part)
