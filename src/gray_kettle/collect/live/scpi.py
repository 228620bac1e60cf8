"""A spectrum analyser that speaks SCPI over TCP: set up, read sweep by sweep, reached again when it was lost.

Source: SCPI-1999 (subsystems SENSe, TRACe, FORMat, INITiate, SYSTem:ERRor) and IEEE 488.2 (common commands, blocks).
"""

import math
import time
from collections.abc import Callable, Generator
from dataclasses import dataclass
from urllib.parse import parse_qsl, urlsplit

import numpy as np

from gray_kettle.collect.live.scpi_connection import TIMEOUT_S, Connection
from gray_kettle.collect.live.source import LostError, Notes, retried
from gray_kettle.errors import KettleError
from gray_kettle.model.enums import Detector
from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.safe_text import printable

SCHEME = "scpi://"
_UNITS = {"ghz": 1e9, "mhz": 1e6, "khz": 1e3, "hz": 1.0, "g": 1e9, "m": 1e6, "k": 1e3, "": 1.0}
_DETECTORS = {"SAMP": "sample", "AVER": "mean", "RMS": "mean", "POS": "max", "NEG": "min"}
_ROWS_A_CHECK = 100  # sweeps between two looks into the error queue
_MOST_ERRORS = 16
_MOST_POINTS = 1 << 16
_BAD_TRACES = 5  # in a row, after which it is set up anew
_NO_ERROR = 0


@dataclass(frozen=True)
class Wanted:
    """What the person asked of the analyser; 0 for what is to stay as the analyser has it."""

    host: str
    port: int
    start_hz: float
    stop_hz: float
    points: int
    rbw_hz: float

    @property
    def name(self) -> str:
        return printable(f"{self.host}:{self.port}")


def parse_uri(uri: str) -> Wanted:
    """scpi://host:port?start=2400MHz&stop=2490MHz&points=901&rbw=100kHz. Raises: KettleError, when it is none."""
    parts = urlsplit(uri)
    reported = dict(parse_qsl(parts.query))
    try:
        port = parts.port or 5025
        wanted = Wanted(
            parts.hostname or "",
            port,
            _hz(reported.pop("start", "0")),
            _hz(reported.pop("stop", "0")),
            int(reported.pop("points", "0")),
            _hz(reported.pop("rbw", "0")),
        )
    except ValueError as error:
        raise KettleError(f"{printable(uri)}: {error}. {_EXAMPLE}") from error
    if not wanted.host or reported or not 0 <= wanted.points <= _MOST_POINTS:
        odd = (
            f"“{printable(next(iter(reported)))}” is not known"
            if reported
            else "the host or the number of points is invalid"
        )
        raise KettleError(f"{printable(uri)}: {odd}. {_EXAMPLE}")
    if wanted.start_hz >= wanted.stop_hz and (wanted.start_hz or wanted.stop_hz):
        raise KettleError(f"{printable(uri)}: start must lie below stop. {_EXAMPLE}")
    return wanted


_EXAMPLE = "Write for example scpi://192.0.2.7:5025?start=2400MHz&stop=2490MHz&points=901&rbw=100kHz."


def _hz(text: str) -> float:
    number = text.strip().lower().rstrip("ghzmk")
    unit = text.strip().lower()[len(number) :]
    try:
        value = float(number) * _UNITS[unit]
    except (KeyError, ValueError):
        value = -1.0
    if not 0 <= value < 1e12:
        raise ValueError(f"“{printable(text)}” is not a frequency")
    return value


class Analyser:
    """A live source. notes: what happened on the way."""

    kind = "sweep live"

    def __init__(self, uri: str) -> None:
        self.wanted = parse_uri(uri)
        self.name = self.wanted.name
        self.notes = Notes()
        self._binary = True

    def pieces(self, is_cancelled: Callable[[], bool]) -> Generator[Piece]:
        """One row a piece, until cancelled. Raises: KettleError, when it cannot be reached a first time."""

        def attempt() -> Generator[Piece]:
            with Connection(self.wanted.host, self.wanted.port, is_cancelled, TIMEOUT_S) as line:
                span = self._set_up(line)
                yield from self._rows(line, span, is_cancelled)

        refusal = f"The analyser at {self.name} cannot be used: {{why}}. Is it on, reachable, and set to SCPI over TCP?"
        yield from retried(attempt, self.notes, is_cancelled, refusal)

    def _set_up(self, line: "Connection") -> Span:
        """Set what was asked for; what the analyser says then is what counts."""
        wanted = self.wanted
        line.write("*CLS")
        identity = printable(line.ask("*IDN?"))[:80]
        if not identity:
            raise LostError("It does not answer *IDN?")
        for command, value in (
            ("FREQ:STAR", wanted.start_hz),
            ("FREQ:STOP", wanted.stop_hz),
            ("SWE:POIN", wanted.points),
            ("BAND", wanted.rbw_hz),
        ):
            if value:
                line.write(f"{command} {value:.0f}")
                self._errors(line, f"{command} {value:.0f}")
        line.write("INIT:CONT OFF")
        line.write("FORM:BORD NORM")
        line.write("FORM REAL,32")
        self._binary = not self._errors(line, "FORM REAL,32", quietly=True)
        if not self._binary:
            line.write("FORM ASC")
            self._errors(line, "FORM ASC")
        start_hz, stop_hz = line.number("FREQ:STAR?"), line.number("FREQ:STOP?")
        points = int(line.number("SWE:POIN?"))
        if not (2 <= points <= _MOST_POINTS and 0 < start_hz < stop_hz):
            raise LostError(
                f"It reports an impossible span ({start_hz:g} to {stop_hz:g} Hz, {points} points)"
            )
        if wanted.points and points != wanted.points:
            self.notes.say(
                f"The analyser sweeps {points:,} points, not the {wanted.points:,} that were asked for."
            )
        return Span(
            start_hz,
            (stop_hz - start_hz) / (points - 1),
            points,
            detector=Detector(_detector(line.perhaps("DET?"))),
            sweep_s=_at_least_nothing(line.perhaps("SWE:TIME?")),
            rbw_hz=_at_least_nothing(line.perhaps("BAND?")),
            instrument=identity,
        )

    def _errors(self, line: "Connection", what: str, *, quietly: bool = False) -> bool:
        """Empty the error queue; whether there was anything in it."""
        any_there = False
        for _ in range(_MOST_ERRORS):
            answer = line.ask("SYST:ERR?")
            code, _, words = answer.partition(",")
            try:
                number = int(code)
            except ValueError as error:
                raise LostError(f"Its error queue answers “{printable(answer)[:40]}”") from error
            if number == _NO_ERROR:
                break
            any_there = True
            if not quietly:
                said = printable(words.strip().strip('"'))[:80]
                self.notes.say(f"The analyser reports error {number} ({said}) after {what}.")
        return any_there

    def _rows(self, line: "Connection", span: Span, is_cancelled: Callable[[], bool]) -> Generator[Piece]:
        bad = 0
        for number in range(1, 1 << 62):
            if is_cancelled():
                return
            began_s = time.time()
            line.ask("INIT:IMM;*OPC?")
            levels = line.levels("TRAC:DATA? TRACE1", _MOST_POINTS, binary=self._binary)
            if len(levels) != span.bins:
                bad += 1
                self.notes.say(
                    f"A trace of {len(levels):,} points arrived instead of {span.bins:,}; skipped."
                )
                if bad >= _BAD_TRACES:
                    raise LostError("Its traces do not have the number of points that it reports")
                yield Piece(skipped=1)
                continue
            bad = 0
            levels = np.where(np.isfinite(levels) & (np.abs(levels) < 250), levels, np.nan).astype(np.float32)
            yield Piece(sweeps=(SweepRows(span, np.array([began_s]), levels[None, :]),), records=1)
            if number % _ROWS_A_CHECK == 0:
                self._errors(line, "a sweep")


def _detector(answer: str) -> str:
    known = (name for word, name in _DETECTORS.items() if answer.upper().startswith(word))
    return next(known, "sample")


def _at_least_nothing(answer: str) -> float:
    try:
        value = float(answer)
    except ValueError:
        return 0.0
    return value if math.isfinite(value) and value > 0 else 0.0
