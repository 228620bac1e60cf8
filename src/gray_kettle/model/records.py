"""The shared vocabulary: what decoders give, the case keeps and the analysis reads. No behaviour lives here.

Tables are column layouts: frozen dataclasses of NumPy arrays of one length, one row an entry.
"""

from dataclasses import dataclass, field, fields
from typing import Self

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.enums import AlertKind, Detector, EmitterKind, TakeState
from gray_kettle.phy.channels import Channel

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
ALERT_AGAIN_S = 900.0  # the same is not said again sooner
THINNED_NOTE = (
    "Details before "  # how the note of a take begins whose details were thinned out: no answer lacks them
)
LATEST_S = 4_102_444_800.0  # the year 2100: a time beyond it, or before 1970, is no time of an observation
SHORT_SILENCE_S = (
    0.35  # three beacons: a longer silence ends a run of frames, as a receiver that hops makes them
)
LONGEST_SILENCE_S = 2.0  # a receiver that hears nothing for longer may have been elsewhere
LONGEST_AGGREGATE_S = 0.02  # longer than any: the same reference number later is another aggregate


@dataclass(frozen=True)
class Announcement:
    """What one BSSID reports of itself in one form; another form (new channel, new name) is another announcement.

    bssid: lower case with colons. ssid: as sent. fingerprint: digest of what belongs to the radio rather than to
    the network (rates and capabilities). beacon_bytes: length on the air with its checksum and the shortest
    traffic map, 0 when not known. transmitted_by: the BSSID in whose beacons this one is reported, "" for its own.
    roaming: letters of the amendments that help a client to move on ("k", "r", "v"). neighbours: (BSSID, band,
    primary) of other radios of the same device, as it reports them itself. device: address of the multi-link device.
    ap_name: of the access point, made harmless. switching_to: primary of a channel switch that is announced.
    """

    bssid: str
    ssid: bytes
    channel: Channel
    generation: str
    streams: int
    security: str
    beacon_interval_tu: int
    basic_rates_mbps: tuple[float, ...]
    country: str
    fingerprint: str
    beacon_bytes: int
    width_advertised: bool = True  # False: the width was not reported, and channel is its primary
    transmitted_by: str = ""
    ap_name: str = ""
    tx_power_dbm: int | None = None
    power_constraint_db: int | None = None
    mobility_domain: str = ""
    roaming: tuple[str, ...] = ()
    device: str = ""
    neighbours: tuple[tuple[str, str, int], ...] = ()
    switching_to: int = 0
    quiet: bool = False  # it asks for silences


@dataclass(frozen=True)
class ClientCapability:
    """What a client stated that it can do, when it asked to join a network (bssid) or to know of networks ("").

    channels: (band, number) that it can use; () when it did not report it. security: that it asked to join with, ""
    where it only looked around (its ssid then is the name that it looked for, if any).
    """

    mac: str
    bssid: str
    ssid: bytes
    band: str
    generation: str
    streams: int
    width_mhz: int
    channels: tuple[tuple[str, int], ...] = ()
    roaming: tuple[str, ...] = ()
    security: str = ""


@dataclass(frozen=True, eq=False)
class Columns:
    """Base of the column layouts: stacking and choosing rows."""

    def __len__(self) -> int:
        return len(getattr(self, fields(self)[0].name))

    def rows(self, chosen: NDArray[np.bool_] | IntArray) -> Self:
        return type(self)(*(getattr(self, f.name)[chosen] for f in fields(self)))

    @classmethod
    def stacked(cls, tables: "list[Self]") -> Self:
        return cls(*(np.concatenate([getattr(t, f.name) for t in tables]) for f in fields(cls)))

    @classmethod
    def empty(cls) -> Self:
        return cls(*(np.zeros(0, np.int64 if f.type == IntArray else np.float64) for f in fields(cls)))


@dataclass(frozen=True, eq=False)
class Sightings(Columns):
    """An announcement heard at a moment (listings) or during a second (captures)."""

    announcement: IntArray  # index into the list of announcements beside
    time_s: FloatArray
    receiver_hz: FloatArray  # where the receiver was tuned; NaN when not reported
    level_mw: FloatArray  # sum over frames: divide by levels for the mean
    levels: IntArray  # frames that came with a level
    noise_dbm: FloatArray  # NaN when not reported
    load_utilisation: FloatArray  # share 0-1 reported by the access point; NaN when not reported
    load_stations: FloatArray  # NaN when not reported
    frames: IntArray
    beacons: IntArray
    retries: IntArray
    estimated: IntArray  # 1 where the level was computed from a percentage
    spot: IntArray  # index into the list of spots; decoders leave it 0


@dataclass(frozen=True, eq=False)
class Traffic(Columns):
    """Frames of one transmitter within one BSSID, receiver channel and second, sent in one way.

    A case sums them up by the hour where a window holds the hour whole: second is then the first of the hour.
    """

    second: IntArray
    receiver_hz: FloatArray
    bssid: IntArray  # 48-bit number; 0 when the frame does not contain it
    transmitter: IntArray  # 48-bit number; 0 when the frame does not contain it
    mode: IntArray  # how they were sent, see phy.modes; 0 when the receiver did not report it
    frames: IntArray
    retries: IntArray
    protected: IntArray  # frames with encrypted content
    asleep: IntArray  # frames after which their sender sleeps
    octets: IntArray
    airtime_s: FloatArray  # of the frames whose mode was reported
    level_mw: FloatArray  # sum over frames: divide by levels for the mean
    levels: IntArray
    lowest_dbm: FloatArray  # NaN when not reported
    highest_dbm: FloatArray
    spot: IntArray
    retriable: IntArray  # data and management frames to one receiver, which are sent again unless answered


@dataclass(frozen=True, eq=False)
class Listening(Columns):
    """A run of frames without change of channel: the receiver was there at least from start to end."""

    start_s: FloatArray
    end_s: FloatArray
    receiver_hz: FloatArray
    spot: IntArray
    most_s: FloatArray  # the longest that it can have been there; decoders leave it NaN


@dataclass(frozen=True, eq=False)
class Edges(Columns):
    """The aggregates that a capture begins and ends with: where it was cut, two captures hold parts of one.

    octets: of the part, with delimiters and padding. is_end: 1 for the last of a capture, 0 for its first.
    take: that it is of; decoders leave it 0.
    """

    time_s: FloatArray
    receiver_hz: FloatArray
    bssid: IntArray
    transmitter: IntArray
    mode: IntArray
    reference: IntArray
    octets: IntArray
    is_end: IntArray
    take: IntArray
    spot: IntArray


@dataclass(frozen=True, eq=False)
class Surveys(Columns):
    """A receiver's own counters for a channel, running since some moment of its own; NaN where not reported."""

    time_s: FloatArray
    receiver_hz: FloatArray
    active_s: FloatArray
    busy_s: FloatArray
    receive_s: FloatArray
    transmit_s: FloatArray
    noise_dbm: FloatArray
    spot: IntArray


@dataclass(frozen=True, eq=False)
class Links(Columns):
    """What a device reports of its links to others, in running counters; NaN where not reported."""

    time_s: FloatArray
    station: IntArray  # 48-bit number of the other end
    level_dbm: FloatArray
    received: FloatArray  # frames
    sent: FloatArray
    retried: FloatArray  # of those sent
    failed: FloatArray
    receive_mbps: FloatArray
    send_mbps: FloatArray
    spot: IntArray


@dataclass(frozen=True)
class Span:
    """The bins that the rows of a sweep share, and how the instrument fills them.

    start_hz: centre of the first bin. pieces: first bin of each interval that is measured at a moment of its own.
    detector: how a bin sums up its interval ("sample", "mean", "max", "min"); averages: frames summed up.
    sweep_s: in which a tuned instrument crosses the span, 0 where all bins are measured at once.
    rbw_hz: noise bandwidth of a bin where it is not the step, else 0.
    """

    start_hz: float
    step_hz: float
    bins: int
    pieces: tuple[int, ...] = (0,)
    detector: Detector = Detector.SAMPLE
    averages: int = 1
    sweep_s: float = 0.0
    rbw_hz: float = 0.0
    instrument: str = ""
    antenna: str = ""

    @property
    def end_hz(self) -> float:
        """Centre of the last bin."""
        return self.start_hz + self.step_hz * (self.bins - 1)

    @property
    def is_tuned(self) -> bool:
        """The bins of a row are not measured at one moment."""
        return self.sweep_s > 0 or len(self.pieces) > 1


@dataclass(frozen=True, eq=False)
class SweepRows:
    """Rows of one span, in order of time.

    time_s: start of each row, shape (rows,). offset_s: of each piece behind it, shape (rows, pieces), NaN for a
    piece that is missing. levels_dbm: shape (rows, bins), NaN where nothing was measured.
    """

    span: Span
    time_s: FloatArray
    levels_dbm: NDArray[np.float32]
    offset_s: NDArray[np.float32] | None = None
    codes: NDArray[np.uint8] | None = (
        None  # the levels as the case keeps them, where somebody had time to work them out
    )

    def __len__(self) -> int:
        return len(self.time_s)

    def part(self, first: int, last: int) -> "SweepRows":
        offsets = None if self.offset_s is None else self.offset_s[first:last]
        codes = None if self.codes is None else self.codes[first:last]
        return SweepRows(self.span, self.time_s[first:last], self.levels_dbm[first:last], offsets, codes)


@dataclass(frozen=True)
class SweptChannel:
    """What sweeps say of one place over a window.

    channel: a place and its width; primary is the lowest part. duty: share of time in which something was on it.
    bound: "upper" where each row is the strongest of its interval, else "". floor_dbm: noise of the whole width.
    level_dbm: mean power while something was on it; NaN when never. by_hour: (hour UTC, duty, rows) of the hours
    in which it was swept. spot: where.
    """

    channel: Channel
    duty: float
    bound: str
    rows: int
    rows_per_s: float
    seconds: float
    floor_dbm: float
    level_dbm: float
    median_dbm: float
    by_hour: tuple[tuple[int, float, int], ...]
    spot: str = ""


@dataclass(frozen=True)
class Detection:
    """What some rows of a sweep show of one emitter: of a source of energy that is not Wi-Fi.

    likely: (kind, probability), the likeliest first; "unknown" is one of them. low_hz, high_hz: all that it touches;
    burst_hz: width of one burst of it. level_dbm: while it is on. duty: share of the time of the block in which it is
    on the air. rows: in which it shows. channels: (band, number, share of time) of the 20 MHz channels that it touches.
    evidence: what speaks for the likeliest kind. may_be_receiver: a receiver may make such a line by itself; no channel
    is charged for it then.
    """

    likely: tuple[tuple[EmitterKind, float], ...]
    low_hz: float
    high_hz: float
    burst_hz: float
    level_dbm: float
    duty: float
    first_s: float
    last_s: float
    rows: int
    channels: tuple[tuple[str, int, float], ...] = ()
    evidence: tuple[str, ...] = ()
    may_be_receiver: bool = False

    @property
    def kind(self) -> EmitterKind:
        return self.likely[0][0]

    @property
    def confidence(self) -> float:
        return self.likely[0][1]


MIN_DETECTION_ROWS = 24  # fewer rows show no pattern in time


@dataclass(frozen=True)
class DetectionBlock:
    """An interval of sweep rows that the detector examined. low_hz, high_hz: the span that was swept."""

    start_s: float
    end_s: float
    rows: int
    low_hz: float
    high_hz: float
    spot: str
    detections: tuple[Detection, ...]


EXAMPLES_A_KIND = 2  # frames kept of each BSSID, kind and receiver channel
LONGEST_EXAMPLE = 2400  # octets of a frame that are kept


@dataclass(frozen=True)
class ExampleFrame:
    """One frame as it came, with what the receiver put before it.

    bssid: "" where the frame names none. kind: type << 4 | subtype. receiver_mhz: 0 when not reported. frame: without
    its checksum; of data frames the header alone. frame_octets: as long as it was on the air, without checksum.
    """

    time_s: float
    bssid: str
    kind: int
    receiver_mhz: int
    link_type: int
    radio_header: bytes
    frame: bytes
    frame_octets: int


@dataclass(frozen=True, eq=False)
class Piece:
    """An interval of decoded input, small enough to hold: what a source hands to the case."""

    announcements: tuple[Announcement, ...] = ()
    sightings: Sightings = field(default_factory=Sightings.empty)
    traffic: Traffic = field(default_factory=Traffic.empty)
    listening: Listening = field(default_factory=Listening.empty)
    edges: Edges = field(default_factory=Edges.empty)
    surveys: Surveys = field(default_factory=Surveys.empty)
    links: Links = field(default_factory=Links.empty)
    capabilities: tuple[ClientCapability, ...] = ()
    examples: tuple[ExampleFrame, ...] = ()
    sweeps: tuple[SweepRows, ...] = ()
    swept_bands: tuple[str, ...] = ()  # bands that this input is known to have covered whole
    records: int = 0  # frames, scans or sweep rows
    skipped: int = 0


@dataclass(frozen=True)
class Alert:
    """Something began while somebody watched. about: what it concerns: a radio, a channel or an emitter."""

    time_s: float
    kind: AlertKind
    about: str
    text: str


@dataclass(frozen=True)
class TakeInfo:
    """One interval of collecting, as the case keeps it."""

    number: int
    source: str
    kind: str
    spot: str
    digest: str
    start_s: float
    end_s: float
    records: int
    skipped: int
    notes: tuple[str, ...]
    swept_bands: tuple[str, ...]
    state: TakeState = TakeState.COMPLETE
    superseded_by: int | None = None

    @property
    def counts(self) -> bool:
        """Whether answers count what it observed."""
        return self.state not in (TakeState.SUPERSEDED, TakeState.SET_ASIDE)


@dataclass(frozen=True, eq=False)
class Observations:
    """All that was heard in a window. Rows are in time order; the same window gives the same arrays."""

    start_s: float
    end_s: float
    announcements: tuple[Announcement, ...]
    sightings: Sightings
    traffic: Traffic
    listening: Listening
    spots: tuple[str, ...]
    takes: tuple[TakeInfo, ...]
    surveys: Surveys = field(default_factory=Surveys.empty)
    links: Links = field(default_factory=Links.empty)
    capabilities: tuple[ClientCapability, ...] = ()
    swept: tuple[SweptChannel, ...] = ()
    detection_blocks: tuple[DetectionBlock, ...] = ()
    rows_pending: int = 0  # sweep rows that were not examined for emitters yet
    known_before: frozenset[str] | None = (
        None  # BSSIDs heard in the reference interval; None where none was set
    )
    damage: tuple[str, ...] = ()  # what of the case could not be read
