"""What is compared: figures of each own radio, slot by slot. Source: docs/proof.md, "The figures"."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from gray_kettle.analysis.assessment import Assessment, ChannelAssessment, Radio
from gray_kettle.decode.dot11.mac_headers import address_number
from gray_kettle.model.records import Observations
from gray_kettle.proof.compare import SLOT_S, FloatArray, IntArray, Stretch
from gray_kettle.site_timezone import SiteTime

_FEWEST_FRAMES = 20  # of a slot, for its share of retries
_SATURDAY, _HOURS = 5, 24


@dataclass(frozen=True)
class Kind:
    """One figure. unit: share, dBm, Mb/s or radios. least: the smallest difference that matters, in its unit; of
    Mb/s a share of what it was before.
    """

    key: str
    title: str
    unit: str
    is_more_better: bool
    least: float


UTILISATION = Kind("utilisation", "channel busy, reported", "share", False, 0.05)
LEVEL = Kind("level", "level at the receiver", "dBm", True, 3.0)
RETRIES = Kind("retries", "frames sent again", "share", False, 0.03)
CLEAR_AIR = Kind("clear_air", "clear air", "share", True, 0.05)
THROUGHPUT = Kind("expected_mbps", "expected throughput", "Mb/s", True, 0.10)
CO_CHANNEL = Kind("co_channel", "lost to co-channel", "share", False, 0.03)
ADJACENT = Kind("adjacent", "lost to adjacent", "share", False, 0.03)
NON_WIFI = Kind("non_wifi", "lost to non-Wi-Fi", "share", False, 0.03)
RIVALS = Kind("co_channel_radios", "radios on its channel", "radios", False, 1.0)
_ASSESSED: tuple[tuple[Kind, Callable[[ChannelAssessment], float]], ...] = (
    (CLEAR_AIR, lambda now: now.clear_air),
    (THROUGHPUT, lambda now: now.expected_mbps),
    (CO_CHANNEL, lambda now: now.co_channel_lost),
    (ADJACENT, lambda now: now.adjacent_lost),
    (NON_WIFI, lambda now: now.non_wifi_lost),
    (RIVALS, lambda now: float(now.co_channel_radios)),
)


@dataclass(frozen=True, eq=False)
class Measured:
    """One figure of one own radio over time."""

    kind: Kind
    radio: str
    stretch: Stretch


class Likeness:
    """Which moments may be compared: weekdays with weekdays, weekends with weekends, each hour with itself."""

    def __init__(self, site_time: SiteTime) -> None:
        self._time = site_time

    def of(self, time_s: FloatArray) -> IntArray:
        hours, at = np.unique(np.floor(time_s / 3600).astype(np.int64), return_inverse=True)
        known = [self._of_hour(float(hour) * 3600) for hour in hours]
        return np.array(known, np.int64)[at.reshape(-1)] if len(hours) else np.zeros(0, np.int64)

    def _of_hour(self, time_s: float) -> int:
        local = self._time.moment(time_s)
        return local.hour + _HOURS * (local.weekday() >= _SATURDAY)


def observed(observations: Observations, radios: Iterable[Radio], like: Likeness) -> list[Measured]:
    """Figures that were observed as they are. Levels are of the spot that has most of them."""
    sightings, traffic = observations.sightings, observations.traffic
    out = []
    for radio in radios:
        names = {network.bssid for network in radio.networks}
        ours = np.array([a.bssid in names for a in observations.announcements], np.bool_)
        rows = sightings.rows(ours[sightings.announcement]) if len(ours) else sightings
        out.append(_series(UTILISATION, radio, rows.time_s, rows.load_utilisation, like))
        if len(rows):
            rows = rows.rows(rows.spot == np.bincount(rows.spot).argmax())
        with np.errstate(divide="ignore", invalid="ignore"):
            level_dbm = np.where(rows.levels > 0, 10 * np.log10(rows.level_mw / rows.levels), np.nan)
        out.append(_series(LEVEL, radio, rows.time_s, level_dbm, like))
        sent = traffic.rows(np.isin(traffic.bssid, [address_number(name) for name in names]))
        out.append(_retries(radio, sent.second.astype(np.float64), sent.retries, sent.retriable, like))
    return [measured for measured in out if len(measured.stretch)]


def assessed(
    windows: Iterable[tuple[float, Assessment]], radios: Iterable[Radio], length_s: float, like: Likeness
) -> list[Measured]:
    """Figures of the assessment of windows of one length, each by its start."""
    id_of = {network.bssid: radio.id for radio in radios for network in radio.networks}
    found: dict[tuple[Kind, str], list[tuple[float, float]]] = {}
    for start_s, assessment in windows:
        for own in assessment.own:
            radio = next((id_of[n.bssid] for n in own.radio.networks if n.bssid in id_of), None)
            if radio is None or own.now is None:
                continue
            is_swept = own.radio.band in assessment.swept_bands
            for kind, value_of in _ASSESSED:
                if kind is not NON_WIFI or is_swept:
                    found.setdefault((kind, radio), []).append((start_s, value_of(own.now)))
    out = []
    for (kind, radio), pairs in found.items():
        time_s, values = (np.array(column) for column in zip(*sorted(pairs), strict=True))
        slot = np.round(time_s / length_s).astype(np.int64)
        out.append(Measured(kind, radio, Stretch(slot, values, like.of(time_s), length_s)))
    return out


def _series(kind: Kind, radio: Radio, time_s: FloatArray, values: FloatArray, like: Likeness) -> Measured:
    """Means over slots of what is known."""
    known = ~np.isnan(values)
    slots, at = np.unique(np.floor(time_s[known] / SLOT_S).astype(np.int64), return_inverse=True)
    at = at.reshape(-1)
    mean = np.bincount(at, values[known], len(slots)) / np.maximum(np.bincount(at, minlength=len(slots)), 1)
    return Measured(kind, radio.id, Stretch(slots, mean, like.of(slots.astype(np.float64) * SLOT_S)))


def _retries(
    radio: Radio, time_s: FloatArray, retries: IntArray, frames: IntArray, like: Likeness
) -> Measured:
    slots, at = np.unique(np.floor(time_s / SLOT_S).astype(np.int64), return_inverse=True)
    at = at.reshape(-1)
    sent, again = (np.bincount(at, column, len(slots)) for column in (frames, retries))
    enough = sent >= _FEWEST_FRAMES
    share = again[enough] / sent[enough]
    when_s = slots[enough].astype(np.float64) * SLOT_S
    return Measured(RETRIES, radio.id, Stretch(slots[enough], share, like.of(when_s)))
