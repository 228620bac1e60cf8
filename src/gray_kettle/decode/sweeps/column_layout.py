"""The columns of a sweep table, and the frequencies of the bins of a row."""

import re
from dataclasses import dataclass
from datetime import UTC, datetime

from gray_kettle.errors import InvalidInput
from gray_kettle.model.records import LATEST_S
from gray_kettle.safe_text import printable

FREQUENCIES = ("start_hz", "stop_hz", "low_hz", "high_hz", "step_hz")
COLUMNS = (
    *("time", "time_ms", "moment", "date", "date_dmy", "date_mdy", "clock"),
    *FREQUENCIES,
    *("samples", "skip"),
)
UNITS = {"hz": 1.0, "khz": 1e3, "mhz": 1e6, "ghz": 1e9}
OWN_HEADER = "time,start_hz,step_hz,dbm"
_LOWEST_HZ, _HIGHEST_HZ = 1e6, 1e12
_WIDEST_STEP_HZ = 100e6
_EDGES_AGREE = 0.05
_DATE_ORDERS = {"date": (0, 1, 2), "date_dmy": (2, 1, 0), "date_mdy": (2, 0, 1)}  # places of year, month, day


@dataclass(frozen=True)
class Head:
    """The fields before the levels of a row. samples: frames averaged, 0 when not given."""

    time_s: float
    start_hz: float
    step_hz: float
    samples: int


@dataclass(frozen=True)
class Layout:
    """The columns before the levels, in order. units: hertz in one of what each is given in."""

    columns: tuple[str, ...]
    units: tuple[float, ...] = ()

    @property
    def text(self) -> str:
        """As it is written for --layout."""
        names = {scale: name for name, scale in UNITS.items()}
        units = self.units or (1.0,) * len(self.columns)
        words = [
            f"{column.removesuffix('hz')}{names[unit]}" if column in FREQUENCIES else column
            for column, unit in zip(self.columns, units, strict=True)
        ]
        return ",".join([*words, "dbm"])

    def head(self, words: list[bytes], bins: int) -> Head:
        """The head of one row. Raises: ValueError, naming the field that does not fit the layout."""
        known = {name: word.strip() for name, word in zip(self.columns, words, strict=False)}
        units = dict(zip(self.columns, self.units, strict=True)) if self.units else {}
        time_s = _time_s(known)
        step_hz, low_hz, high_hz, first_hz, last_hz = (
            _hz(known, name, units.get(name, 1.0))
            for name in ("step_hz", "low_hz", "high_hz", "start_hz", "stop_hz")
        )
        if first_hz and last_hz and bins > 1:
            even_hz = (last_hz - first_hz) / (bins - 1)
            if step_hz and abs(even_hz - step_hz) > _EDGES_AGREE * step_hz:
                raise ValueError(
                    f"{bins:,} levels of {step_hz:g} Hz do not fit {first_hz:g} to {last_hz:g} Hz: does the layout fit?"
                )
            step_hz = even_hz
        if high_hz and low_hz:
            even_hz = (high_hz - low_hz) / bins
            # Some programs round the step, others give one bin more than fits between the edges.
            if not step_hz or abs(even_hz - step_hz) < _EDGES_AGREE * step_hz:
                step_hz = even_hz
            elif abs((high_hz - low_hz) / step_hz - bins) > 1.5:
                raise ValueError(
                    f"{bins:,} levels of {step_hz:g} Hz do not fit {low_hz:g} to {high_hz:g} Hz: does the layout fit?"
                )
        if not 0 < step_hz <= _WIDEST_STEP_HZ:
            raise ValueError(f"{step_hz:g} Hz is not a step")
        start_hz = first_hz or low_hz + step_hz / 2
        if not _LOWEST_HZ <= start_hz <= _HIGHEST_HZ:
            hint = ": it seems to be in MHz; write low_mhz or start_mhz" if 100 < start_hz < 1e5 else ""
            raise ValueError(f"a row cannot begin at {start_hz:g} Hz{hint}")
        samples = int(_number(known, "samples") or 0)
        return Head(time_s, start_hz, step_hz, max(samples, 0))


def parse_layout(text: str) -> Layout:
    """The layout given by a comma list of column names. Raises: InvalidInput."""
    names = [word.strip() for word in text.split(",")]
    if names[-1] != "dbm":
        raise InvalidInput("A layout ends in “dbm”: the levels come last in a row.")
    known: list[tuple[str, float]] = []
    for name in names[:-1]:
        quantity, _, unit = name.rpartition("_")
        column = f"{quantity}_hz" if unit in UNITS else name
        if column not in COLUMNS:
            raise InvalidInput(
                f"“{printable(name)}” is not a column: use {', '.join(COLUMNS)} and dbm; frequencies in khz, mhz or ghz"
                " too, for example low_mhz."
            )
        known.append((column, UNITS.get(unit, 1.0)))
    columns = tuple(column for column, _ in known)
    if not {"start_hz", "low_hz"} & set(columns):
        raise InvalidInput(
            "A layout needs start_hz (centre of the first bin) or low_hz (lower edge of the row)."
        )
    pairs = {"low_hz", "high_hz"}, {"start_hz", "stop_hz"}
    if "step_hz" not in columns and not any(pair <= set(columns) for pair in pairs):
        raise InvalidInput("A layout needs step_hz, or low_hz and high_hz, or start_hz and stop_hz.")
    is_dated = "clock" in columns and set(_DATE_ORDERS) & set(columns)
    if not is_dated and not {"time", "time_ms", "moment"} & set(columns):
        raise InvalidInput("A layout needs time (Unix seconds), moment (ISO 8601), or date and clock.")
    return Layout(columns, tuple(unit for _, unit in known))


def _number(known: dict[str, bytes], name: str) -> float:
    if name not in known:
        return 0.0
    try:
        return float(known[name])
    except ValueError:
        word = known[name][:24].decode("ascii", "replace")
        raise ValueError(f"“{word}” is not a {name}: does the layout fit?") from None


def _hz(known: dict[str, bytes], name: str, unit_hz: float) -> float:
    value = _number(known, name) * unit_hz
    if not 0 <= value < _HIGHEST_HZ:
        raise ValueError(f"{value:g} is not a {name}")
    return value


def _time_s(known: dict[str, bytes]) -> float:
    if "time" in known:
        time_s = _number(known, "time")
    elif "time_ms" in known:
        time_s = _number(known, "time_ms") / 1000
    else:
        time_s = moment_s(known)
    if not 0 < time_s < LATEST_S:
        raise ValueError(f"{time_s:g} is not a time in Unix seconds")
    return time_s


def moment_s(known: dict[str, bytes]) -> float:
    """Seconds of a date and clock, or of both in one field (UTC where it names no zone). Raises: ValueError."""
    if "moment" in known:
        word = known["moment"].decode("ascii", "replace")
        date, clock = word[:10].rstrip("T "), word[10:].lstrip("T ")
        order = _DATE_ORDERS["date"]
    else:
        name = next(name for name in _DATE_ORDERS if name in known)
        date, clock = (known[k].decode("ascii", "replace") for k in (name, "clock"))
        word, order = f"{date} {clock}", _DATE_ORDERS[name]
    numbers = re.split(r"[-/.]", date)
    try:
        year, month, day = (int(numbers[k]) for k in order)
        found = datetime.fromisoformat(f"{year:04}-{month:02}-{day:02} {clock.replace(',', '.')}")
        return (found if found.tzinfo else found.replace(tzinfo=UTC)).timestamp()
    except (ValueError, IndexError, OverflowError):
        raise ValueError(f"“{word[:40]}” is not a date and clock: does the layout fit?") from None
