"""Which of the kept example frames belong to a BSSID, a radio, a client or a channel."""

import re
from collections.abc import Sequence

from gray_kettle.analysis.assessment import Radio
from gray_kettle.decode.one_frame import FrameReading, reading_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.records import ExampleFrame
from gray_kettle.phy.channels import BANDS, Channel, centre_hz, numbers
from gray_kettle.safe_text import printable

_BESIDE_MHZ = 2.5
_ADDRESS = re.compile(r"(?:[0-9a-f]{2}:){5}[0-9a-f]{2}")
_CHANNEL = re.compile(r"(?:(2\.4|5|6)[:/ ])?(\d{1,3})")


MOST_LISTED = 200


def readings_for(
    wanted: str, examples: Sequence[ExampleFrame], radios: Sequence[Radio]
) -> tuple[FrameReading, ...]:
    """wanted: an address (of a BSSID, a radio or a client), or a channel (“11”, “6:37”); no more than MOST_LISTED.

    By kind, those heard on another channel than their own last, then by time. Raises: InvalidInput.
    """
    sent_by = {n.bssid: r for r in radios for n in r.networks}
    found = [
        reading_of(e, _channel_then(sent_by[e.bssid], e.time_s) if e.bssid in sent_by else None)
        for e in _examples_for(wanted, examples, radios)
    ]
    found.sort(key=lambda r: (_rank(r.example.kind), bool(r.off_channel), r.example.time_s))
    return tuple(found[:MOST_LISTED])


def _channel_then(radio: Radio, time_s: float) -> Channel:
    """Where a radio was at a moment."""
    later = [change for change in radio.changes if change.time_s > time_s]
    return later[0].before if later else radio.channel


def _examples_for(
    wanted: str, examples: Sequence[ExampleFrame], radios: Sequence[Radio]
) -> list[ExampleFrame]:
    """Of a channel: frames of radios whose primary it is, and whatever else was heard there."""
    text = wanted.strip().lower().replace("-", ":")
    if _ADDRESS.fullmatch(text):
        members = next((r for r in radios if r.id == text), None)
        bssids = {n.bssid for n in members.networks} if members else {text}
        octets = bytes.fromhex(text.replace(":", ""))
        return [e for e in examples if e.bssid in bssids or e.frame[10:16] == octets]
    band, number = _channel_of(text, wanted, radios)
    on_it = {n.bssid for r in radios if r.band == band and r.channel.primary == number for n in r.networks}
    tuned_mhz = centre_hz(band, number) / 1e6
    return [e for e in examples if e.bssid in on_it or abs(e.receiver_mhz - tuned_mhz) < _BESIDE_MHZ]


def _rank(kind: int) -> tuple[bool, int]:
    """Beacons and other management frames first, then data, then control."""
    return kind >> 4 == 1, kind if kind != 8 else -1


def _channel_of(text: str, wanted: str, radios: Sequence[Radio]) -> tuple[str, int]:
    match = _CHANNEL.fullmatch(text)
    bands = [match[1]] if match and match[1] else list(BANDS)
    number = int(match[2]) if match else 0
    known = [band for band in bands if number in numbers(band)]
    heard = [band for band in known if any(r.band == band and r.channel.primary == number for r in radios)]
    if not known:
        raise InvalidInput(f"“{printable(wanted)}” is no address and no channel: write 11, 6:37 or a BSSID.")
    return (heard or known)[0], number
