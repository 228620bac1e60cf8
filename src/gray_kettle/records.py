"""The shared vocabulary: what decoders give, the case keeps and the judge reads. No behaviour lives here.

Tables are column layouts: frozen dataclasses of NumPy arrays of one length, one row an entry.
"""

from dataclasses import dataclass, field, fields
from typing import Self

import numpy as np
from numpy.typing import NDArray

from gray_kettle.air.channels import Channel

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
LATEST_S = 4_102_444_800.0  # the year 2100: a time beyond it, or before 1970, is damage


@dataclass(frozen=True)
class Announcement:
    """What one BSSID tells of itself in one form; another form (new channel, new name) is another announcement.

    bssid: lower case with colons. ssid: as sent. fingerprint: digest of what belongs to the radio rather than to
    the network (rates and capabilities). beacon_bytes: length on the air without FCS, 0 when not known.
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
    width_told: bool = True  # False: the width was not told, and is taken as 20 MHz


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
    receiver_hz: FloatArray  # where the receiver was tuned; NaN when not told
    level_mw: FloatArray  # sum over frames: divide by levels for the mean
    levels: IntArray  # frames that came with a level
    noise_dbm: FloatArray  # NaN when not told
    load_utilisation: FloatArray  # share 0-1 told by the access point; NaN when not told
    load_stations: FloatArray  # NaN when not told
    frames: IntArray
    beacons: IntArray
    retries: IntArray
    spot: IntArray  # index into the list of spots; decoders leave it 0


@dataclass(frozen=True, eq=False)
class Traffic(Columns):
    """Frames of one transmitter within one BSSID, receiver channel and second."""

    second: IntArray
    receiver_hz: FloatArray
    bssid: IntArray  # 48-bit number; 0 when the frame does not tell
    transmitter: IntArray  # 48-bit number; 0 when the frame does not tell
    frames: IntArray
    retries: IntArray
    octets: IntArray
    airtime_s: FloatArray  # of the frames whose rate was told
    level_mw: FloatArray
    levels: IntArray
    spot: IntArray


@dataclass(frozen=True, eq=False)
class Listening(Columns):
    """A run of frames without change of channel: the receiver was there at least from start to end."""

    start_s: FloatArray
    end_s: FloatArray
    receiver_hz: FloatArray
    spot: IntArray


@dataclass(frozen=True, eq=False)
class Piece:
    """A stretch of decoded input, small enough to hold: what a source hands to the case."""

    announcements: tuple[Announcement, ...] = ()
    sightings: Sightings = field(default_factory=Sightings.empty)
    traffic: Traffic = field(default_factory=Traffic.empty)
    listening: Listening = field(default_factory=Listening.empty)
    swept_bands: tuple[str, ...] = ()  # bands that this input is known to have covered whole
    records: int = 0  # frames or scans
    skipped: int = 0
    bytes_read: int = 0  # of the input so far, for the progress bar


@dataclass(frozen=True)
class Setup:
    """What the technician told of the site.

    own: network names and BSSIDs that are ours. foreign: BSSIDs that are not, whatever their name.
    clients: limits, see plan.limits. names: BSSID to the name of its radio.
    """

    site: str = ""
    country: str = ""
    complaint: str = ""
    own: tuple[str, ...] = ()
    foreign: tuple[str, ...] = ()
    clients: tuple[str, ...] = ()
    names: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class TakeInfo:
    """One stretch of collecting, as the case keeps it."""

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
