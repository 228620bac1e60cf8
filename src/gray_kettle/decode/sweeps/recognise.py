"""Which columns a sweep table has, by what its rows hold: no header is needed, and none is trusted.

A reading counts only if the numbers prove it: the step of a row and its edges agree with how many levels it has. Where
two readings that mean something else are proven equally well, both are given, and the person is asked.
Source: docs/formats.md, "Sweeps".
"""

import itertools
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

from gray_kettle.decode.sweeps.column_layout import UNITS, Head, Layout
from gray_kettle.decode.sweeps.separators import separator_of, with_commas

_SAMPLE_ROWS = 40
_LEAST_BINS = 2
_MOST_HEAD = 9
_LOWEST_HZ, _HIGHEST_HZ = 2.2e9, 7.5e9  # around the bands of Wi-Fi
_QUIETEST_DBM, _LOUDEST_DBM = -200.0, 30.0
_AGREE = 0.02
_MOST_SAMPLES = 100_000  # frames that a row is the sum of
_EARLIEST_S, _LATEST_S = 9.4e8, 4.1e9  # 2000 to 2099
_YMD = re.compile(rb"\d{4}[-/.]\d\d?[-/.]\d\d?")
_DAY_FIRST = re.compile(rb"(\d\d?)[-/.](\d\d?)[-/.]\d{4}")
_CLOCK = re.compile(rb"\d\d?:\d\d:\d\d(?:[.,]\d+)?")
_MOMENT = re.compile(rb"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d+)?(?:Z|[+-]\d\d:?\d\d)?")


@dataclass(frozen=True)
class Recognised:
    """What rows can mean. layouts: the readings that are proven best; more than one must be chosen from."""

    layouts: tuple[Layout, ...]
    first: tuple[Head, ...]  # the first row as each of them reads it
    bins: int


def recognise(head: bytes) -> Recognised | None:
    """The readings of the first rows of a table; None where they are no sweep."""
    rows = _sample(head)
    if len(rows) < 2:
        return None
    best: dict[tuple[Head, int], Layout] = {}
    rank = len(_RANKS)
    for layout, proof in _readings(rows):
        if proof > rank:
            continue
        meaning = _meaning(layout, rows)
        if meaning is None:
            continue
        if proof < rank:
            best, rank = {}, proof
        best.setdefault(meaning, layout)
    if not best:
        return None
    return Recognised(tuple(best.values()), tuple(first for first, _ in best), min(bins for _, bins in best))


def read_as(head: bytes, layout: Layout) -> Recognised | None:
    """The first rows of a table by a layout that somebody chose; None where it does not fit all of them."""
    rows = _sample(head)
    found = _meaning(layout, rows) if rows else None
    return Recognised((layout,), (found[0],), len(rows[0]) - len(layout.columns)) if found else None


def described(first: Head, bins: int) -> str:
    """A row in words, so that a person can check how it was understood."""
    when = datetime.fromtimestamp(first.time_s, UTC).isoformat(sep=" ", timespec="milliseconds")[:-6]
    last_hz = first.start_hz + first.step_hz * (bins - 1)
    return (
        f"{when} UTC, {bins:,} bins of {first.step_hz / 1e3:,.1f} kHz, centres {first.start_hz / 1e6:,.3f} to "
        f"{last_hz / 1e6:,.3f} MHz"
    )


def _sample(head: bytes) -> list[list[bytes]]:
    """Fields of the first rows; lines before them are a header, and a last line that is cut off is none."""
    lines = head.split(b"\n")[:-1]
    rows: list[list[bytes]] = []
    for raw in lines:
        line = raw.strip()
        if not line or line.startswith(b"#"):
            continue
        fields = [f.strip() for f in with_commas(line, separator_of(line)).split(b",")]
        if sum(_is_number(f) for f in fields) < _LEAST_BINS + 1:
            if rows:
                return []  # text between rows: no table
            continue
        rows.append(fields)
        if len(rows) == _SAMPLE_ROWS:
            break
    return rows


# How well a reading is proven: by edges and step; by centres and step; by edges alone; by a start and a step.
_RANKS = ("edges and step", "centres and step", "edges", "start and step")


def _readings(rows: list[list[bytes]]) -> Iterator[tuple[Layout, int]]:
    """Layouts that the first row allows, with the rank of what would prove them."""
    row = rows[0]
    for count in range(2, min(_MOST_HEAD, len(row) - _LEAST_BINS) + 1):
        if not all(_are_levels(r[count:]) for r in rows):
            continue
        times = list(_time_columns([r[:count] for r in rows]))
        for timed in times:
            free = [k for k in range(count) if k not in timed]
            for roles, rank in _frequency_columns(row, free, len(row) - count):
                columns = ["skip"] * count
                units = [1.0] * count
                for k, name in timed.items():
                    columns[k] = name
                for k, (name, unit) in roles.items():
                    columns[k], units[k] = name, unit
                rest = [k for k in free if k not in roles]
                if len(rest) > 1 or not all(_is_count(r[k]) for k in rest for r in rows):
                    continue
                for k in rest:
                    columns[k] = "samples"
                yield Layout(tuple(columns), tuple(units)), rank


def _time_columns(heads: list[list[bytes]]) -> Iterator[dict[int, str]]:
    """Which columns hold the time, each way."""
    kinds: dict[int, str] = {}
    for k in range(len(heads[0])):
        words = [head[k] for head in heads]
        if all(_MOMENT.fullmatch(w) for w in words):
            kinds[k] = "moment"
        elif all(_YMD.fullmatch(w) for w in words):
            kinds[k] = "date"
        elif all(_DAY_FIRST.fullmatch(w) for w in words):
            kinds[k] = "day first"
        elif all(_CLOCK.fullmatch(w) for w in words):
            kinds[k] = "clock"
    of_text = {name: k for k, name in kinds.items()}
    if "moment" in of_text:
        yield {of_text["moment"]: "moment"}
    elif "clock" in of_text and ("date" in of_text or "day first" in of_text):
        at = of_text.get("date", of_text.get("day first", 0))
        for name in _orders([head[at] for head in heads]) if "date" not in of_text else ("date",):
            yield {at: name, of_text["clock"]: "clock"}
    elif not kinds:
        for k in range(len(heads[0])):
            for name, scale in (("time", 1.0), ("time_ms", 1e3)):
                if all(_EARLIEST_S <= _value(head[k]) / scale <= _LATEST_S for head in heads):
                    yield {k: name}


def _orders(dates: list[bytes]) -> list[str]:
    """Whether the day or the month comes first, where the text decides it; else both."""
    pairs = [tuple(int(n) for n in m.groups()) for d in dates if (m := _DAY_FIRST.fullmatch(d))]
    if any(first > 12 for first, _ in pairs) or b"." in dates[0]:
        return ["date_dmy"]
    return ["date_mdy"] if any(second > 12 for _, second in pairs) else ["date_dmy", "date_mdy"]


def _frequency_columns(
    row: list[bytes], free: list[int], bins: int
) -> Iterator[tuple[dict[int, tuple[str, float]], int]]:
    """Which columns are frequencies and in which unit: (name, unit) by column, with the rank of the proof."""
    in_band = {
        k: unit for k in free for unit in UNITS.values() if _LOWEST_HZ <= _value(row[k]) * unit <= _HIGHEST_HZ
    }
    for low, high in itertools.permutations(in_band, 2):
        low_hz, high_hz = _value(row[low]) * in_band[low], _value(row[high]) * in_band[high]
        if low_hz >= high_hz:
            continue
        edges = {low: ("low_hz", in_band[low]), high: ("high_hz", in_band[high])}
        centres = {low: ("start_hz", in_band[low]), high: ("stop_hz", in_band[high])}
        yield edges, 2
        for step, unit in itertools.product(set(free) - {low, high}, UNITS.values()):
            step_hz = _value(row[step]) * unit
            if step_hz <= 0:
                continue
            ratio = (high_hz - low_hz) / step_hz
            if abs(ratio / bins - 1) < _AGREE or abs(ratio - bins) < 0.5:
                yield {**edges, step: ("step_hz", unit)}, 0
            elif abs(ratio / max(bins - 1, 1) - 1) < _AGREE or abs(ratio - (bins - 1)) < 0.5:
                yield {**centres, step: ("step_hz", unit)}, 1
    for start, step in itertools.permutations(free, 2):
        if start not in in_band:
            continue
        for unit in UNITS.values():
            if 1e3 <= _value(row[step]) * unit <= 10e6:
                for name in ("start_hz", "low_hz"):
                    yield {start: (name, in_band[start]), step: ("step_hz", unit)}, 3


def _meaning(layout: Layout, rows: list[list[bytes]]) -> tuple[Head, int] | None:
    """The first row as a layout reads it, where it fits all of them."""
    count = len(layout.columns)
    try:
        heads = [layout.head(r[:count], len(r) - count) for r in rows]
    except ValueError:
        return None
    return heads[0], len(rows[0]) - count


def _is_number(word: bytes) -> bool:
    return _value(word) == _value(word)


def _is_count(word: bytes) -> bool:
    return word.isdigit() and 0 < int(word) <= _MOST_SAMPLES


def _are_levels(words: list[bytes]) -> bool:
    """Levels of one row: numbers of decibels, most of them negative; a leading count is none."""
    values = [v for w in words if (v := _value(w)) == v]
    if len(values) < max(_LEAST_BINS, len(words) // 2):
        return False
    if not all(_QUIETEST_DBM <= v <= _LOUDEST_DBM for v in values):
        return False
    first = _value(words[0])
    return not (first > 0 > max(values[1:]))


def _value(word: bytes) -> float:
    try:
        return float(word)
    except ValueError:
        return float("nan")
