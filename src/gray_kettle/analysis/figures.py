"""The figures behind each kind of finding, typed. Field names are those of the JSON answer of `brief`.

Shares are 0 to 1, levels dBm, times seconds since the epoch. `radios` and `emitter` hold ids.
"""

from dataclasses import asdict, dataclass, field
from typing import Any

from gray_kettle.model.enums import EmitterKind, UtilisationSource


@dataclass(frozen=True)
class Figures:
    """Base of all figures."""

    def as_dict(self) -> dict[str, Any]:
        """For JSON: tuples become lists, nested values stay as they are."""
        return {name: _plain(value) for name, value in asdict(self).items()}


def _plain(value: Any) -> Any:
    if isinstance(value, tuple):
        return [_plain(v) for v in value]
    return {k: _plain(v) for k, v in value.items()} if isinstance(value, dict) else value


@dataclass(frozen=True)
class OffPlan(Figures):
    """costs: share that this radio takes from other own radios, by their title."""

    channel: int
    adjacent_lost: float
    neighbours: int
    costs: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class WidthLoss(Figures):
    width_mhz: int
    lost: float


@dataclass(frozen=True)
class SharedLoss(Figures):
    """radios: how many radios cause the loss."""

    radios: int
    lost: float


@dataclass(frozen=True)
class Margin(Figures):
    margin_db: float
    strongest_dbm: float


@dataclass(frozen=True)
class HiddenPairs(Figures):
    pairs: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Busy(Figures):
    """by_hour: (hour UTC, source, share)."""

    utilisation: float
    source: UtilisationSource
    by_hour: tuple[tuple[int, UtilisationSource, float], ...]


@dataclass(frozen=True)
class Retries(Figures):
    frames: int
    retry_share: float


@dataclass(frozen=True)
class ChannelChanges(Figures):
    """moves: in the window. moves_a_day: on the day with most. channels: labels, in order of time."""

    moves: int
    moves_a_day: int
    channels: tuple[str, ...]


@dataclass(frozen=True)
class SelectionLoop(Figures):
    """Channel changes of the own radio and of the other one, and how many of each answer the other's."""

    own_moves: int
    their_moves: int
    own_answers: int
    their_answers: int


@dataclass(frozen=True)
class BeaconAirtime(Figures):
    networks: int
    beacon_share: float


@dataclass(frozen=True)
class BasicRates(Figures):
    """beacon_shares: by title of the radio."""

    beacon_shares: dict[str, float]


@dataclass(frozen=True)
class Level(Figures):
    level_dbm: float


@dataclass(frozen=True)
class Coverage(Figures):
    own_dbm: float
    other_dbm: float


@dataclass(frozen=True)
class ThinSpots(Figures):
    """levels_dbm: of our strongest radio of the band, by spot."""

    band: str
    levels_dbm: dict[str, float]


@dataclass(frozen=True)
class Unused(Figures):
    """lost: share that other own radios lose to it, by title."""

    beacon_share: float
    lost: dict[str, float]


@dataclass(frozen=True)
class Swing(Figures):
    swing_db: float


@dataclass(frozen=True)
class Silence(Figures):
    """ended_s None: it was not heard again."""

    began_s: float
    ended_s: float | None


@dataclass(frozen=True)
class LevelDrop(Figures):
    """A time in which a radio was far under its usual level."""

    drop_db: float
    began_s: float
    ended_s: float


@dataclass(frozen=True)
class BandImbalance(Figures):
    """able: clients that could use the other band; there: clients on it already."""

    able: int
    clients: int
    there: int


@dataclass(frozen=True)
class StickyClients(Figures):
    clients: tuple[str, ...]


@dataclass(frozen=True)
class WeakClients(Figures):
    client_level_dbm: float
    snr_db: float


@dataclass(frozen=True)
class SlowClient(Figures):
    """share: of the radio's airtime. times_as_slow: mean data rate of the other clients over its own."""

    client: str
    share: float
    times_as_slow: float


@dataclass(frozen=True)
class Visits(Figures):
    """lost_while_in, lost: share of time (0 to 1) that the most affected own radio loses, present and over all."""

    radios: tuple[str, ...]
    visits: int
    lost_while_in: float
    lost: float


@dataclass(frozen=True)
class NewRadio(Figures):
    first_s: float
    lost: float


@dataclass(frozen=True)
class Ciphers(Figures):
    networks: tuple[str, ...]


@dataclass(frozen=True)
class RadarHeard(Figures):
    emitter: str
    centre_mhz: float


@dataclass(frozen=True)
class RadarLeft(Figures):
    """left: (label of the channel, time of the change)."""

    left: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class MissingData(Figures):
    missing: tuple[str, ...]


@dataclass(frozen=True)
class EmitterCost(Figures):
    """lost: share of time by id of the own radio."""

    emitter: str
    kind: EmitterKind
    confidence: float
    duty: float
    duty_while_on: float
    level_dbm: float
    lost: dict[str, float]
