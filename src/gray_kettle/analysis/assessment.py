"""Results of the analysis. Values only; shares are 0 to 1, levels dBm, times seconds since the epoch."""

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

from gray_kettle.model.enums import (
    ChannelAction,
    EmitterKind,
    FindingKind,
    LossKind,
    Severity,
    UtilisationSource,
)
from gray_kettle.model.records import SweptChannel
from gray_kettle.phy.channels import Channel

if TYPE_CHECKING:  # the payloads of findings are imported by what makes or reads them
    from gray_kettle.analysis.figures import Figures


@dataclass(frozen=True)
class Link:
    """Counters that a device keeps of its link to a station, over the window; None where it keeps none.

    name: of the station, where somebody gave it one.
    """

    station: str
    level_dbm: float | None
    sent: float | None
    retry_share: float | None
    failed_share: float | None
    send_mbps: float | None
    receive_mbps: float | None
    first_s: float
    last_s: float
    name: str = ""

    @property
    def label(self) -> str:
        """Its name where it has one, else its address."""
        return self.name or self.station


@dataclass(frozen=True)
class Client:
    """A station that was heard to exchange frames with a BSSID. level_dbm: None when no frame of it had one.

    generation, streams, width_mhz: what it said it can do, None when it was not heard to say so. channels: (band,
    number) that it named as usable. airtime_s, mbps: of its frames heard, and the mean rate that they were sent at.
    level_at: by spot. name: where somebody gave it one. security: that it asked to join with, "" when not heard.
    asked_for: names of networks that it probed for. first_s, last_s: the hours in which its frames were heard first and
    last.
    """

    mac: str
    level_dbm: float | None
    frames: int
    retries: int
    generation: str | None = None
    streams: int | None = None
    width_mhz: int | None = None
    channels: tuple[tuple[str, int], ...] = ()
    link: Link | None = None
    airtime_s: float = 0.0
    mbps: float | None = None
    level_at: tuple[tuple[str, float], ...] = ()
    name: str = ""
    security: str = ""
    asked_for: tuple[bytes, ...] = ()
    first_s: float = 0.0
    last_s: float = 0.0

    @property
    def label(self) -> str:
        """Its name where it has one, else its address."""
        return self.name or self.mac

    @property
    def bands(self) -> tuple[str, ...]:
        """Bands that it named channels of."""
        return tuple(sorted({band for band, _ in self.channels}))


@dataclass(frozen=True)
class Rate:
    """Frames that were sent at one data rate. generation: "" for rates from before 802.11n."""

    mbps: float
    generation: str
    frames: int
    retries: int


@dataclass(frozen=True)
class OffChannel:
    """Announcements that were heard while the receiver was on another channel than the radio's own."""

    band: str
    channel: int
    frames: int
    level_dbm: float | None


@dataclass(frozen=True)
class Network:
    """One BSSID as it was last heard.

    hidden: its beacons do not report its name; named_by says where a name was learnt all the same.
    transmitted_by: the BSSID in whose beacons it is announced, "" for its own. retries of retriable: the frames to one
    receiver, data and management, that were sent again. first_s, last_s: when it was announced.
    """

    bssid: str
    ssid: bytes
    security: str
    generation: str
    streams: int
    beacon_interval_tu: int
    beacon_share: float
    load_stations: int | None
    load_utilisation: float | None
    basic_rates_mbps: tuple[float, ...]
    level_dbm: float | None
    frames: int
    retries: int
    clients: tuple[Client, ...]
    hidden: bool = False
    named_by: str = "beacon"
    transmitted_by: str = ""
    ap_name: str = ""
    country: str = ""
    tx_power_dbm: int | None = None
    roaming: tuple[str, ...] = ()
    device: str = ""
    neighbours: tuple[tuple[str, str, int], ...] = ()
    rates: tuple[Rate, ...] = ()
    retriable: int = 0
    off_channel: tuple[OffChannel, ...] = ()
    first_s: float = 0.0
    last_s: float = 0.0


@dataclass(frozen=True)
class Stay:
    """A channel that a radio was heard on in the window.

    presence: share of the minutes listened in which it was heard there. level_at: median by spot.
    told_busy: median of the channel utilisation that its access point reported; None when it reported none.
    """

    channel: Channel
    presence: float
    level_dbm: float | None
    level_at: tuple[tuple[str, float], ...]
    reported_utilisation: float | None
    first_s: float
    last_s: float


@dataclass(frozen=True)
class Change:
    """A move from one channel to another. announced: the radio reported beforehand where it would go."""

    time_s: float
    before: Channel
    after: Channel
    announced: bool


@dataclass(frozen=True)
class Radio:
    """One transmitter and the BSSIDs it announces. id is the lowest of them.

    channel is where it was heard last; stays has every channel of the window, in order of first hearing.
    air_share: from frames, None when no frame was timed. activity: share of time it is taken to transmit, with
    activity_source ("frames", "beacons", "sweep") saying what that rests on, activity_interval: within which it lies
    with 90 % by that evidence. grouped: why its BSSIDs are one radio.
    moves_a_day: the most changes in any 24 hours. episodes: from when to when it was there. swing_db: spread of its
    level; level_drop: (from, to, dB) of the longest time in which an own radio was far under its usual level.
    siblings: ids of radios of other bands in the same box. is_gone: not heard any more, though listened for.
    outages: (from, to) in which an own radio was off the air; to is None where it goes on. assumed: which of "width",
    "generation" and "streams" no announcement reported (docs/scoring.md, "What was not measured").
    """

    id: str
    name: str
    own: bool
    channel: Channel
    level_dbm: float | None
    noise_dbm: float | None
    air_share: float | None
    retry_share: float | None
    activity: float
    activity_source: str
    generation: str
    streams: int
    first_s: float
    last_s: float
    stays: tuple[Stay, ...]
    moves: int
    networks: tuple[Network, ...]
    grouped: str
    client_level_dbm: float | None
    activity_interval: tuple[float, float] = (0.0, 1.0)
    level_estimated: bool = False  # computed from percentages
    changes: tuple[Change, ...] = ()
    moves_a_day: int = 0
    episodes: tuple[tuple[float, float], ...] = ()
    swing_db: float | None = None
    level_drop: tuple[float, float, float] | None = None
    siblings: tuple[str, ...] = ()
    is_gone: bool = False
    outages: tuple[tuple[float, float | None], ...] = ()
    assumed: tuple[str, ...] = ()

    @property
    def known_generation(self) -> str | None:
        """None where it is assumed."""
        return None if "generation" in self.assumed else self.generation

    @property
    def known_streams(self) -> int | None:
        """None where they are assumed."""
        return None if "streams" in self.assumed else self.streams

    @property
    def kind(self) -> str:
        """Generation and streams as far as they were reported: "ax 2×2", "ax", "–"."""
        streams = f" {self.streams}×{self.streams}" if self.known_streams else ""
        return (self.known_generation or "–") + streams

    @property
    def band(self) -> str:
        return self.channel.band

    @property
    def stay(self) -> Stay:
        """The stay on its present channel."""
        return next(s for s in self.stays if s.channel == self.channel)


@dataclass(frozen=True)
class Utilisation:
    """Share of time a 20 MHz part is busy. value None: not measured. others: the sources that were not used.

    by_hour: (hour of the day UTC, source, share) of the hours in which one of the better sources reported. at_most: it
    is an upper bound (rows of a maximum hold), not a value to judge by. interval: within which it lies, where it is
    not known well how long the receiver was there.
    """

    value: float | None
    source: UtilisationSource
    confidence: str
    others: tuple[tuple[UtilisationSource, float], ...] = ()
    by_hour: tuple[tuple[int, UtilisationSource, float], ...] = ()
    at_most: bool = False
    interval: tuple[float, float] | None = None

    @property
    def words(self) -> str:
        """The share and how well it is known: “30 %”, “at most 30 %”, “6 % – 30 %”, “not measured”."""
        if self.value is None:
            return "not measured"
        if self.interval is not None:
            return " – ".join(f"{100 * share:.0f} %" for share in self.interval)
        return f"{'at most ' if self.at_most else ''}{100 * self.value:.0f} %"


@dataclass(frozen=True)
class Emitter:
    """A source of energy that is not Wi-Fi, put together from all sightings of it in the window.

    likely: (kind, probability). low_hz, high_hz: all that it touches; burst_hz: width of one burst. duty: share of the
    time swept in which it is on the air, duty_while_on: of the looks that saw it; channels: (band, number, duty) of the
    20 MHz channels. looks: (that saw it, that could have); episodes: from when to when each of the former did. hours:
    (hour UTC, share of its blocks that saw it). gone_since_s: when it was last seen, None while it is there.
    was_found_as: the kind before the technician corrected it, "" where that was not done.
    """

    id: str
    kind: EmitterKind
    confidence: float
    likely: tuple[tuple[EmitterKind, float], ...]
    low_hz: float
    high_hz: float
    burst_hz: float
    level_dbm: float
    duty: float
    duty_while_on: float
    first_s: float
    last_s: float
    gone_since_s: float | None
    channels: tuple[tuple[str, int, float], ...]
    evidence: tuple[str, ...]
    reasons: str
    hours: tuple[tuple[int, float], ...]
    blocks: tuple[int, int]
    episodes: tuple[tuple[float, float], ...]
    spot: str
    name: str = ""
    is_dismissed: bool = False
    may_be_receiver: bool = False
    was_found_as: EmitterKind | None = None

    @property
    def found_kind(self) -> EmitterKind:
        return self.was_found_as or self.kind

    @property
    def centre_hz(self) -> float:
        return (self.low_hz + self.high_hz) / 2

    @property
    def bandwidth_hz(self) -> float:
        return self.high_hz - self.low_hz

    @property
    def band(self) -> str:
        return "2.4" if self.centre_hz < 3e9 else "5" if self.centre_hz < 5.92e9 else "6"


@dataclass(frozen=True)
class LossCause:
    """One cause that takes clear air away.

    radio: its id; of an emitter for non-Wi-Fi, which has no channel; "" for what is not identified, which has no level.
    """

    kind: LossKind
    radio: str
    name: str
    channel: Channel | None
    level_dbm: float | None
    activity: float
    share_lost: float


@dataclass(frozen=True)
class ChannelAssessment:
    """The assessment of one channel from one place: what is lost to whom, and what is left.

    contenders, efficiency, width_share, rate_mbps: what the two figures are made of, see explain.
    """

    channel: Channel
    clear_air: float
    expected_mbps: float
    co_channel_radios: int
    co_channel_strongest_dbm: float | None
    co_channel_lost: float
    adjacent_radios: int
    adjacent_power_dbm: float | None
    adjacent_lost: float
    losses: tuple[LossCause, ...]
    non_wifi_emitters: int = 0
    non_wifi_lost: float = 0.0
    unidentified_lost: float = 0.0
    contenders: float = 0.0
    efficiency: float = 1.0
    width_share: float = 1.0
    rate_mbps: float = 0.0


@dataclass(frozen=True)
class ChannelView:
    """One 20 MHz channel of a band. assessed None: it was not listened to.

    unidentified: busy share, measured by survey or sweep, that is neither our own traffic nor explained by an
    identified cause.
    """

    channel: Channel
    utilisation: Utilisation
    assessed: ChannelAssessment | None
    unidentified: float = 0.0


@dataclass(frozen=True)
class Gap:
    """Something that was not measured. why: what it keeps open ("" for no decision); step: what to do about it."""

    what: str
    text: str
    why: str = ""
    step: str = ""


@dataclass(frozen=True)
class Finding:
    """Something wrong.

    radio: id of the own radio it concerns, "" for the site. action: set where the plan words the first step.
    lost: share of an own radio's time, for the order. see: the view with the evidence.
    """

    severity: Severity
    kind: FindingKind
    subject: str
    cause: str
    effect: str
    first_step: str
    figures: "Figures"
    radio: str = ""
    lost: float = 0.0
    see: str = "heard"
    action: ChannelAction = ChannelAction.NONE

    @property
    def headline(self) -> str:
        """Its title: "High retry rate: hall 2.4 GHz"."""
        return f"{self.kind.headline}: {self.subject}"


@dataclass(frozen=True)
class OwnView:
    """An own radio as it is now. client_level_assumed: no client of it was heard.

    noise_dbm: on its whole width, noise_source says from what. hidden: pairs (ids) of radios on its channel that it
    hears both, and that hardly hear each other.
    """

    radio: Radio
    now: ChannelAssessment | None
    client_level_dbm: float
    client_level_assumed: bool
    noise_dbm: float = -94.0
    noise_source: str = "thermal"
    hidden: tuple[tuple[str, str], ...] = ()

    @property
    def snr_db(self) -> float:
        return self.client_level_dbm - self.noise_dbm


@dataclass(frozen=True, eq=False)
class Inventory:
    """Who is on the air in a window."""

    radios: tuple[Radio, ...]
    emitters: tuple[Emitter, ...]
    links: tuple[Link, ...]


@dataclass(frozen=True, eq=False)
class Assessment:
    """The answer for a window."""

    start_s: float
    end_s: float
    radios: tuple[Radio, ...]
    channels: tuple[ChannelView, ...]
    own: tuple[OwnView, ...]
    findings: tuple[Finding, ...]
    not_known: tuple[str, ...]
    covered: frozenset[tuple[str, int]]
    links: tuple[Link, ...] = ()
    swept: tuple[SweptChannel, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    swept_bands: frozenset[str] = frozenset()  # that were examined for emitters

    @cached_property
    def unidentified(self) -> dict[tuple[str, int], float]:
        """Measured busy share that no identified cause explains, by (band, number)."""
        return {(v.channel.band, v.channel.primary): v.unidentified for v in self.channels if v.unidentified}

    def emitter(self, emitter_id: str) -> Emitter | None:
        return next((e for e in self.emitters if e.id == emitter_id), None)

    def radio(self, radio_id: str) -> Radio | None:
        """The radio with that id, or that has that BSSID."""
        for radio in self.radios:
            if radio.id == radio_id or any(n.bssid == radio_id for n in radio.networks):
                return radio
        return None
