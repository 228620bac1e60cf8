"""The columns of a sweep table, and the frequencies of the bins of a row."""

from dataclasses import dataclass
from datetime import UTC, datetime

from gray_kettle.errors import InvalidInput
from gray_kettle.model.records import LATEST_S

COLUMNS = ("time", "date", "clock", "start_hz", "low_hz", "high_hz", "step_hz", "samples", "skip")
OWN_HEADER = "time,start_hz,step_hz,dbm"
_LOWEST_HZ, _HIGHEST_HZ = 1e6, 1e12
_WIDEST_STEP_HZ = 100e6
_EDGES_AGREE = 0.05


@dataclass(frozen=True)
class Head:
    """The fields before the levels of a row. samples: frames averaged, 0 when not given."""

    time_s: float
    start_hz: float
    step_hz: float
    samples: int


@dataclass(frozen=True)
class Layout:
    """The columns before the levels, in order."""

    columns: tuple[str, ...]

    def head(self, words: list[bytes], bins: int) -> Head:
        """The head of one row. Raises: ValueError, naming the field that does not fit the layout."""
        known = {name: word.strip() for name, word in zip(self.columns, words, strict=False)}
        time_s = _time_s(known)
        step_hz = _hz(known, "step_hz")
        low_hz, high_hz = _hz(known, "low_hz"), _hz(known, "high_hz")
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
        start_hz = _hz(known, "start_hz") or low_hz + step_hz / 2
        if not _LOWEST_HZ <= start_hz <= _HIGHEST_HZ:
            hint = ": it seems to be in MHz; hertz are needed" if 100 < start_hz < 1e5 else ""
            raise ValueError(f"a row cannot begin at {start_hz:g} Hz{hint}")
        samples = int(_number(known, "samples") or 0)
        return Head(time_s, start_hz, step_hz, max(samples, 0))


def parse_layout(text: str) -> Layout:
    """The layout given by a comma list of column names. Raises: InvalidInput."""
    names = [word.strip() for word in text.split(",")]
    if names[-1] != "dbm":
        raise InvalidInput("A layout ends in “dbm”: the levels come last in a row.")
    for name in names[:-1]:
        if name not in COLUMNS:
            raise InvalidInput(f"“{name}” is not a column: use {', '.join(COLUMNS)} and dbm.")
    columns = tuple(names[:-1])
    if not {"start_hz", "low_hz"} & set(columns):
        raise InvalidInput(
            "A layout needs start_hz (centre of the first bin) or low_hz (lower edge of the row)."
        )
    if "step_hz" not in columns and not {"low_hz", "high_hz"} <= set(columns):
        raise InvalidInput("A layout needs step_hz, or low_hz and high_hz.")
    if "time" not in columns and not {"date", "clock"} <= set(columns):
        raise InvalidInput("A layout needs time (Unix seconds), or date and clock.")
    return Layout(columns)


def _number(known: dict[str, bytes], name: str) -> float:
    if name not in known:
        return 0.0
    try:
        return float(known[name])
    except ValueError:
        word = known[name][:24].decode("ascii", "replace")
        raise ValueError(f"“{word}” is not a {name}: does the layout fit?") from None


def _hz(known: dict[str, bytes], name: str) -> float:
    value = _number(known, name)
    if not 0 <= value < _HIGHEST_HZ:
        raise ValueError(f"{value:g} is not a {name}")
    return value


def _time_s(known: dict[str, bytes]) -> float:
    if "time" in known:
        time_s = _number(known, "time")
    else:
        word = (known["date"] + b" " + known["clock"]).decode("ascii", "replace")
        try:
            time_s = datetime.fromisoformat(word).replace(tzinfo=UTC).timestamp()
        except ValueError:
            raise ValueError(f"“{word[:40]}” is not a date and clock: does the layout fit?") from None
    if not 0 < time_s < LATEST_S:
        raise ValueError(f"{time_s:g} is not a time in Unix seconds")
    return time_s
