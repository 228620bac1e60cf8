"""Names of sources: SCHEME:REST?option=value&…"""

import re
from dataclasses import dataclass
from urllib.parse import parse_qsl

from gray_kettle.errors import KettleError
from gray_kettle.phy.channels import BANDS, numbers
from gray_kettle.safe_text import printable

_SCHEME = re.compile(r"([a-z][a-z0-9]+):(.*)", re.DOTALL)
_UNITS_S = {"ms": 1e-3, "s": 1.0, "m": 60.0, "h": 3600.0, "d": 86400.0}
_INTERFACE = re.compile(r"[A-Za-z0-9_.@-]{1,15}")
_DAY_S = 86400.0


@dataclass(frozen=True)
class Uri:
    """text: as it was given. rest: between the scheme and "?"."""

    text: str
    scheme: str
    rest: str
    options: dict[str, str]

    def refuse_unknown(self, *known: str) -> None:
        """Raises: KettleError, for an option that this source does not have."""
        odd = next((name for name in self.options if name not in known), None)
        if odd is not None:
            able = f"it has {', '.join(known)}" if known else "it has none"
            raise KettleError(f"{self.shown}: “{printable(odd)}” is no option of this source; {able}.")

    def seconds(self, name: str, usual_s: float, least_s: float = 0.0) -> float:
        """A duration among the options. Raises: KettleError, for what is none, or is out of bounds."""
        if name not in self.options:
            return usual_s
        found = duration_s(self.options[name])
        if found is None or not least_s <= found <= _DAY_S:
            raise KettleError(
                f"{self.shown}: {name} is a time from {least_s:g}s to 1d, for example {name}=30s."
            )
        return found

    @property
    def shown(self) -> str:
        return printable(self.text)


def parse(text: str, *, has_options: bool = True) -> Uri | None:
    """The parts of a name; None where there is no scheme. has_options: whether "?" ends the rest."""
    match = _SCHEME.fullmatch(text)
    if match is None:
        return None
    rest, _, query = match[2].partition("?") if has_options else (match[2], "", "")
    return Uri(text, match[1], rest, dict(parse_qsl(query, keep_blank_values=True)))


def duration_s(text: str) -> float | None:
    """Seconds of "250ms", "90s", "10m", "2h", "2d" or a bare number; None of what is none."""
    number = text.rstrip("msdh")
    try:
        found = float(number) * (_UNITS_S[text[len(number) :]] if number != text else 1.0)
    except (ValueError, KeyError):
        return None
    return found if 0 < found < float("inf") else None


def interface_of(name: str, uri: Uri) -> str:
    """The name of a network interface. Raises: KettleError, where it is none."""
    if not _INTERFACE.fullmatch(name) or name.startswith("-"):
        raise KettleError(f"{uri.shown}: “{printable(name)}” is not the name of an interface, such as wlan0.")
    return name


def channels_of(uri: Uri) -> tuple[tuple[str, int], ...]:
    """(band, number) of ?channels=, written as 6, or 5:36 where the band must be said; () where it is not given.

    Raises: KettleError, for what is none.
    """
    found = []
    for word in filter(None, uri.options.get("channels", "").split(",")):
        band, _, number = word.strip().rpartition(":")
        n = int(number) if number.isdecimal() else 0
        band = band or ("2.4" if n <= 14 else "5")
        if n not in (numbers(band) if band in BANDS else ()):
            raise KettleError(f"{uri.shown}: write channels as 1,6,11,36, and those of 6 GHz as 6:37.")
        found.append((band, n))
    return tuple(found)
