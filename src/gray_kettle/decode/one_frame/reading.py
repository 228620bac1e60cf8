"""One frame field by field: header, fixed fields and elements, each with its octets and their offset.

Source: IEEE Std 802.11-2020 9.2.4 (header), 9.3.1 to 9.3.3 (frames), 9.4.1 (fixed fields), 9.4.2 (elements).
"""

from collections.abc import Iterator
from dataclasses import dataclass

from gray_kettle.decode.dot11 import beacon
from gray_kettle.decode.dot11.elements import Elements, iter_elements
from gray_kettle.decode.dot11.mac_headers import CONTROL, DATA, MANAGEMENT, address
from gray_kettle.decode.one_frame import names
from gray_kettle.decode.one_frame.element_words import words_of
from gray_kettle.decode.one_frame.reception import Received, off_channel_words, received
from gray_kettle.model.records import Announcement, ExampleFrame
from gray_kettle.phy.channels import Channel

_FLAGS = (
    (0x01, "to the distribution system"), (0x02, "from the distribution system"), (0x04, "more fragments"),
    (0x08, "retry"), (0x10, "sleeps afterwards"), (0x20, "more data waits"), (0x40, "protected"), (0x80, "+HTC"),
)  # fmt: skip
# Roles of the addresses of data frames by their two direction bits.
_DATA_ROLES = {
    0: ("receiver", "transmitter", "BSSID"),
    1: ("BSSID", "transmitter", "destination"),
    2: ("receiver", "BSSID", "source"),
    3: ("receiver", "transmitter", "destination", "source"),
}
_NO_SENDER = (7, 12, 13)  # control frames with one address: wrapper, CTS, ack
_TU_MS = 1.024


@dataclass(frozen=True)
class Field:
    """A part of the frame. at: offset of its first octet. element: its number, None for what is no element."""

    name: str
    words: str
    at: int
    octets: bytes
    element: int | None = None


@dataclass(frozen=True)
class FrameReading:
    """A frame as its sender said it, and as the receiver saw it. announced: what a beacon or probe response says.

    off_channel: why it was heard on another channel, "" where it was not. is_cut: octets at its end were not kept.
    """

    example: ExampleFrame
    kind: str
    seen: Received
    header: tuple[Field, ...]
    fixed: tuple[Field, ...]
    elements: tuple[Field, ...]
    announced: Announcement | None
    off_channel: str
    is_cut: bool


def reading_of(example: ExampleFrame, own_channel: Channel | None = None) -> FrameReading:
    """own_channel: where its sender is known to be, for frames that do not say it."""
    frame, seen = example.frame, received(example)
    header = tuple(_header(frame))
    fixed: tuple[Field, ...] = ()
    elements: tuple[Field, ...] = ()
    announced = None
    if example.kind >> 4 == MANAGEMENT and len(frame) >= 24 and not frame[1] & 0x40:
        at = 24 + (4 if frame[1] & 0x80 else 0)
        fixed = tuple(_fixed(example.kind & 15, frame, at))
        body_at = at + sum(len(f.octets) for f in fixed)
        if example.kind & 15 != 13:  # an action's fields are its own
            elements = tuple(_elements(frame, body_at))
        if example.kind & 15 in (5, 8):
            interval_tu, capabilities = (
                int.from_bytes(frame[at + k : at + k + 2], "little") for k in (8, 10)
            )
            found = Elements.read(frame, body_at)
            tuned = seen.tuned_hz if seen.tuned_hz is not None else float("nan")
            announced = beacon.describe(example.bssid, interval_tu, capabilities, found, tuned, 0)
    channel = announced.channel if announced else own_channel
    beside = off_channel_words(seen, channel.primary_hz, channel.primary) if channel else ""
    if channel is not None and seen.tuned_hz is not None and not announced and channel.width_mhz > 20:
        inside = any(abs(seen.tuned_hz - hz) < width_hz / 2 for hz, width_hz in channel.segments)
        beside = "" if inside else beside  # data fill the whole channel
    is_cut = example.frame_octets > len(frame)
    return FrameReading(
        example, names.kind_name(example.kind), seen, header, fixed, elements, announced, beside, is_cut
    )


def _header(frame: bytes) -> Iterator[Field]:
    flags = [words for bit, words in _FLAGS if frame[1] & bit]
    kind = frame[0] >> 2 & 3
    yield Field("frame control", names.kind_name(kind << 4 | frame[0] >> 4), 0, frame[:1])
    yield Field("flags", ", ".join(flags) or "none", 1, frame[1:2])
    duration = int.from_bytes(frame[2:4], "little")
    yield Field("duration", f"{duration} µs" if duration < 0x8000 else "association number", 2, frame[2:4])
    roles = _roles(kind, frame[0] >> 4, frame[1] & 3)
    for number, role in enumerate(roles):
        at = 4 + 6 * number if number < 3 else 24
        if at + 6 <= len(frame):
            yield Field(role, address(int.from_bytes(frame[at : at + 6])), at, frame[at : at + 6])
    if kind != CONTROL and len(frame) >= 24:
        control = int.from_bytes(frame[22:24], "little")
        yield Field("sequence", f"{control >> 4}, fragment {control & 15}", 22, frame[22:24])
    if kind == DATA:
        at = 30 if len(roles) == 4 else 24
        if frame[0] & 0x80 and at + 2 <= len(frame):
            priority = int.from_bytes(frame[at : at + 2], "little") & 15
            yield Field("QoS control", f"priority {priority}", at, frame[at : at + 2])


def _roles(kind: int, subtype: int, direction: int) -> tuple[str, ...]:
    if kind == MANAGEMENT:
        return ("receiver", "transmitter", "BSSID")
    if kind == DATA:
        return _DATA_ROLES[direction]
    return ("receiver",) if subtype in _NO_SENDER else ("receiver", "transmitter")


def _fixed(subtype: int, frame: bytes, at: int) -> Iterator[Field]:
    """Fixed fields of a management frame, as far as the frame reaches."""
    for name, size in _FIXED.get(subtype, ()):
        octets = frame[at : at + size]
        if len(octets) < size:
            return
        yield Field(name, _fixed_words(name, octets), at, octets)
        at += size


_CAPABILITIES, _INTERVAL, _STATUS, _REASON = (
    ("capabilities", 2),
    ("interval", 2),
    ("status", 2),
    ("reason", 2),
)
_LISTEN = ("listen interval", 2)
_FIXED: dict[int, tuple[tuple[str, int], ...]] = {
    0: (_CAPABILITIES, _LISTEN),
    1: (_CAPABILITIES, _STATUS, ("association number", 2)),
    2: (_CAPABILITIES, _LISTEN, ("present access point", 6)),
    3: (_CAPABILITIES, _STATUS, ("association number", 2)),
    5: (("timestamp", 8), _INTERVAL, _CAPABILITIES),
    8: (("timestamp", 8), _INTERVAL, _CAPABILITIES),
    10: (_REASON,),
    11: (("algorithm", 2), ("step", 2), _STATUS),
    12: (_REASON,),
    13: (("category", 1), ("action", 1)),
    14: (("category", 1), ("action", 1)),
}
_CAPABILITY_BITS = ((0x0001, "ESS"), (0x0002, "IBSS"), (0x0010, "privacy"), (0x0020, "short preamble"),
                    (0x0100, "spectrum management"), (0x0400, "short slot"), (0x1000, "radio measurement"))  # fmt: skip


def _fixed_words(name: str, octets: bytes) -> str:
    value = int.from_bytes(octets, "little")
    known = {
        "reason": names.REASONS,
        "status": names.STATUSES,
        "category": names.CATEGORIES,
        "algorithm": names.ALGORITHMS,
    }
    if name in known:
        return f"{value}: {known[name].get(value, 'not listed here')}"
    if name == "capabilities":
        return ", ".join(words for bit, words in _CAPABILITY_BITS if value & bit) or "none"
    if name == "interval":
        return f"{value} time units ({value * _TU_MS:.1f} ms)"
    if name == "timestamp":
        hours, minutes = divmod(value // 60_000_000, 60)
        return f"running for {hours // 24} d {hours % 24} h {minutes} min"
    if name == "association number":
        return str(value & 0x3FFF)
    return address(int.from_bytes(octets)) if len(octets) == 6 else str(value)


def _elements(frame: bytes, at: int) -> Iterator[Field]:
    for number, start, end in iter_elements(frame, at):
        header_at = start - (3 if number >= 0x100 else 2)
        content = frame[start:end]
        yield Field(
            names.element_name(number), words_of(number, content), header_at, frame[header_at:end], number
        )
