"""Limits on channels and widths: what clients can use, and what a radio can be set to.

A client limit is `[SSID@]BAND:WHAT`. WHAT is a list of channels (`1-11`, `36-48,149`) or the widest width (`20MHz`).
With an SSID it holds for the radios that announce that network, without one for every own radio of the band.
"""

import re
from dataclasses import dataclass

from gray_kettle.analysis.assessment import Radio
from gray_kettle.errors import InvalidInput
from gray_kettle.phy.channels import BANDS, Channel
from gray_kettle.safe_text import printable

EXAMPLES = "2.4:1-11; tern-gate@2.4:20MHz; 5:36-48,149"
_LIMIT = re.compile(r"^(?:(?P<ssid>.+)@)?(?P<band>2\.4|5|6):(?P<what>[0-9,\- ]+|\d+ ?MHz)$", re.IGNORECASE)
_WHAT = re.compile(r"^(?:[0-9,\- ]+|\d+ ?MHz)$", re.IGNORECASE)

_MOST_DIGITS = 3  # of a channel number; more would ask for a long range


@dataclass(frozen=True)
class Limit:
    """channels None: any. widest_mhz None: any."""

    text: str
    ssid: bytes | None
    band: str
    channels: frozenset[int] | None
    widest_mhz: int | None

    def concerns(self, radio: Radio) -> bool:
        if radio.band != self.band:
            return False
        return self.ssid is None or any(n.ssid == self.ssid for n in radio.networks)

    def permits(self, channel: Channel) -> bool:
        # A client must support the primary; it may be narrower than the channel.
        if self.channels is not None and channel.primary not in self.channels:
            return False
        return self.widest_mhz is None or channel.width_mhz <= self.widest_mhz


def parse_limit(text: str) -> Limit:
    """A client limit. Raises: InvalidInput."""
    match = _LIMIT.match(text.strip())
    if match is None or match["band"] not in BANDS:
        raise InvalidInput(f"“{printable(text)}” is not a client limit: write for example {EXAMPLES}.")
    ssid = match["ssid"].encode() if match["ssid"] else None
    return _limit(text, ssid, match["band"], match["what"])


def parse_limits(text: str) -> tuple[str, ...]:
    """Client limits of one line, separated by semicolons. An SSID may hold spaces, a channel list commas.

    Limits that are separated by spaces alone are accepted where each word is a limit. Raises: InvalidInput.
    """
    out: list[str] = []
    for part in (p.strip() for p in text.split(";")):
        words = part.split()
        if len(words) > 1 and all(_LIMIT.match(word) for word in words):
            out += words
        elif part:
            out.append(part)
    for limit in out:
        parse_limit(limit)
    return tuple(out)


def limit_of_radio(text: str, band: str) -> Limit:
    """What a radio can be set to: a limit without its band. Raises: InvalidInput."""
    if not _WHAT.match(text.strip()):
        raise InvalidInput(
            f"“{printable(text)}” is not a list of channels or a width: write for example 36-48 or 20MHz."
        )
    return _limit(text, None, band, text.strip())


def _limit(text: str, ssid: bytes | None, band: str, words: str) -> Limit:
    what = words.lower().replace(" ", "")
    if what.endswith("mhz"):
        return Limit(text, ssid, band, None, int(what[:-3]))
    channels: set[int] = set()
    for part in what.split(","):
        first, dash, last = part.partition("-")
        numbers = [first, last] if dash else [first]
        if not all(n.isdecimal() and len(n) <= _MOST_DIGITS for n in numbers):
            raise InvalidInput(
                f"“{printable(text)}” is not a list of channels: write for example {EXAMPLES}."
            )
        channels.update(range(int(first), int(last or first) + 1))
    return Limit(text, ssid, band, frozenset(channels), None)
