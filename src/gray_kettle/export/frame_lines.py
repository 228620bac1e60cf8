"""One frame as lines of text, for the command and for the screen."""

from dataclasses import dataclass

from gray_kettle.decode.one_frame import Field, FrameReading
from gray_kettle.safe_text import network_name, printable
from gray_kettle.site_timezone import SiteTime

_MOST_HEX = 24  # octets of a field on its line


@dataclass(frozen=True)
class FrameLine:
    """name and words of a line; hex: its octets, at: their offset. A heading has no words. is_fault: worth a look."""

    name: str
    words: str = ""
    at: int | None = None
    hex: str = ""
    is_fault: bool = False

    @property
    def is_heading(self) -> bool:
        return not self.words and self.at is None


def list_line(reading: FrameReading, site_time: SiteTime) -> tuple[str, str, str, str, str]:
    """Kind, time, channel that it was heard on, level, and how it was sent."""
    seen = reading.seen
    where = "–" if seen.channel is None else f"{seen.channel}"
    level = "–" if seen.level_dbm is None else f"{seen.level_dbm} dBm".replace("-", "−")
    how = (
        "rate not reported" if seen.mode is None else f"{seen.mode.rate_mbps:.4g} Mb/s {seen.mode.modulation}"
    )
    when = f"{site_time.moment(reading.example.time_s):%a %d %H:%M:%S}"
    return reading.kind, when, where + (" ≠" if reading.off_channel else ""), level, how


def frame_lines(reading: FrameReading, site_time: SiteTime) -> list[FrameLine]:
    """Everything: what the receiver saw, what the sender said, and each field with its octets."""
    return [
        *_received(reading, site_time),
        *_said(reading),
        FrameLine("Header"),
        *(_field(f) for f in reading.header),
        *([FrameLine("Fixed fields")] if reading.fixed else []),
        *(_field(f) for f in reading.fixed),
        *([FrameLine("Elements")] if reading.elements else []),
        *(_field(f) for f in reading.elements),
        *_rest(reading),
    ]


def _received(reading: FrameReading, site_time: SiteTime) -> list[FrameLine]:
    seen, octets = reading.seen, reading.example.frame_octets
    level = "not reported" if seen.level_dbm is None else f"{seen.level_dbm} dBm"
    if seen.noise_dbm is not None:
        level += f", noise {seen.noise_dbm} dBm"
    if seen.snr_db is not None:
        level += f": {seen.snr_db} dB above it"
    channel = "not reported"
    if seen.tuned_hz is not None:
        channel = f"{seen.channel if seen.channel is not None else 'none'} ({seen.tuned_hz / 1e6:.0f} MHz)"
    air = "" if seen.airtime_s is None else f", {seen.airtime_s * 1e6:.0f} µs on the air"
    out = [
        FrameLine("What the receiver saw"),
        FrameLine("time", f"{site_time.moment(reading.example.time_s):%a %d %b %H:%M:%S}"),
        FrameLine("tuned to", channel),
        FrameLine("level", level.replace("-", "−")),
        FrameLine("sent at", "not reported" if seen.mode is None else str(seen.mode)),
        FrameLine("length", f"{octets} octets and 4 of checksum{air}"),
    ]
    if seen.aggregate is not None:
        out.append(FrameLine("aggregate", "sent together with others, behind one preamble"))
    if reading.off_channel:
        out.append(FrameLine("off channel", reading.off_channel, is_fault=True))
    return out


def _said(reading: FrameReading) -> list[FrameLine]:
    said = reading.announced
    if said is None:
        return []
    power = [f"{said.tx_power_dbm} dBm"] if said.tx_power_dbm is not None else []
    rates = " ".join(f"{r:g}" for r in said.basic_rates_mbps) or "none listed"
    return [
        FrameLine("What the sender said"),
        FrameLine("network", network_name(said.ssid)),
        FrameLine("channel", f"{said.channel.label} ({said.channel.band} GHz)"),
        FrameLine(
            "can do", f"802.11{said.generation}, {said.streams} stream{'s' if said.streams > 1 else ''}"
        ),
        FrameLine("security", said.security),
        FrameLine("beacons", f"every {said.beacon_interval_tu} time units"),
        FrameLine("basic rates", f"{rates} Mb/s"),
        *(FrameLine("sends with", words) for words in power),
        *([FrameLine("country", printable(said.country))] if said.country else []),
    ]


def _field(field: Field) -> FrameLine:
    name = field.name if field.element is None else f"{field.name} ({_number(field.element)})"
    shown = field.octets[:_MOST_HEX].hex(" ")
    more = len(field.octets) - _MOST_HEX
    return FrameLine(name, field.words or "–", field.at, shown + (f" … {more} more" if more > 0 else ""))


def _number(element: int) -> str:
    return f"255.{element - 256}" if element >= 256 else str(element)


def _rest(reading: FrameReading) -> list[FrameLine]:
    example = reading.example
    if not reading.is_cut:
        return []
    what = "its content is not kept" if example.kind >> 4 == 2 else "the rest was not captured"
    return [FrameLine("not kept", f"{example.frame_octets - len(example.frame)} octets: {what}")]


def frame_text(reading: FrameReading, site_time: SiteTime) -> str:
    """For a terminal or a pipe."""
    out = [reading.kind]
    for line in frame_lines(reading, site_time):
        if line.is_heading:
            out += ["", line.name]
        elif line.at is None:
            out.append(f"  {line.name:<12} {line.words}")
        else:
            out.append(f"  {line.at:>4}  {line.name:<34} {line.words:<48} {line.hex}".rstrip())
    return "\n".join(out)


def list_text(readings: tuple[FrameReading, ...], site_time: SiteTime) -> str:
    """The frames, numbered."""
    if not readings:
        return "No example frame of it is kept: frames come with captures, not with scans."
    rows = []
    for number, reading in enumerate(readings, 1):
        kind, when, where, level, how = list_line(reading, site_time)
        bssid = reading.example.bssid or "no BSSID"
        rows.append(f"{number:>4}  {kind:<24} {when}  on {where:<6} {level:>8}  {how:<20} {bssid}")
    return "\n".join(
        [*rows, "", "--number N shows one whole; ≠: heard on another channel than it was sent on."]
    )
