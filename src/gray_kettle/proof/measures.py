"""What is compared: figures of each own radio and of the site, slot by slot. Source: docs/proof.md, "The figures"."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np
import scipy.stats

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.decode.dot11.mac_headers import address_number
from gray_kettle.model.records import Observations
from gray_kettle.proof.compare import SLOT_S, FloatArray, IntArray, Stretch
from gray_kettle.site_timezone import SiteTime

_FEWEST_FRAMES = 20  # of a slot, for its share of retries
_SATURDAY, _HOURS = 5, 24


@dataclass(frozen=True)
class Kind:
    """One figure. unit: share, dBm, Mb/s or radios. least: the smallest difference that matters, in its unit; of
    Mb/s a share of what it was before. is_of_captures: scans and sweeps say nothing of it.
    """

    key: str
    title: str
    unit: str
    is_more_better: bool
    least: float
    is_of_captures: bool = False

    @property
    def bounds(self) -> tuple[float, float]:
        """Between which every value lies."""
        if self.unit == "dBm":
            return -np.inf, np.inf
        return 0.0, 1.0 if self.unit == "share" else np.inf


UTILISATION = Kind("utilisation", "channel busy, reported", "share", False, 0.05)
LEVEL = Kind("level", "level at the receiver", "dBm", True, 3.0)
RETRIES = Kind("retries", "frames sent again", "share", False, 0.03, True)
CLEAR_AIR = Kind("clear_air", "clear air", "share", True, 0.05)
THROUGHPUT = Kind("expected_mbps", "expected throughput", "Mb/s", True, 0.10)
CO_CHANNEL = Kind("co_channel", "lost to co-channel", "share", False, 0.03)
ADJACENT = Kind("adjacent", "lost to adjacent", "share", False, 0.03)
NON_WIFI = Kind("non_wifi", "lost to non-Wi-Fi", "share", False, 0.03)
RIVALS = Kind("co_channel_radios", "radios on its channel", "radios", False, 1.0)
DUTY = Kind("non_wifi_duty", "non-Wi-Fi on its channel", "share", False, 0.05)
CLIENT_LEVEL = Kind("client_level", "level of the clients", "dBm", True, 3.0, True)
RATE = Kind("client_rate", "rate in use", "Mb/s", True, 0.10, True)
OUTAGE = Kind("outage", "off the air", "share", False, 0.01)
SITE = "the site"  # in the position of a radio's id
_OF_SITE = {CLEAR_AIR: np.mean, THROUGHPUT: scipy.stats.gmean, OUTAGE: np.mean}
_LEAST_MBPS = 0.1


@dataclass(frozen=True, eq=False)
class Measured:
    """One figure of one own radio, or of the site, over time."""

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
    sightings, traffic, coverage = observations.sightings, observations.traffic, Coverage(observations)
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
        out.append(_outage(radio, observations, coverage, like))
        sent = traffic.rows(np.isin(traffic.bssid, [address_number(name) for name in names]))
        out.append(_retries(radio, sent.second.astype(np.float64), sent.retries, sent.retriable, like))
    return [measured for measured in out if len(measured.stretch)]


def of_site(measured: Iterable[Measured], sides: Sequence[tuple[float, float]]) -> list[Measured]:
    """Figures of all own radios together: means, of throughput the geometric one.

    Radios that have the figure in half of the slots on each side, and slots where each of them has it: else the mean
    would change with who is counted.
    """
    by_kind: dict[Kind, list[Measured]] = {}
    for one in measured:
        by_kind.setdefault(one.kind, []).append(one)
    out = []
    for kind, mean_of in _OF_SITE.items():
        parts = by_kind.get(kind, [])
        counts = [[_count_in(one.stretch, side) for side in sides] for one in parts]
        most = np.max(counts, axis=0, initial=0) if parts else 0
        parts = [one for one, count in zip(parts, counts, strict=True) if np.all(2 * np.array(count) >= most)]
        if len(parts) < 2:
            continue
        common = reduce(np.intersect1d, [one.stretch.slot for one in parts])
        rows = [one.stretch.rows(np.isin(one.stretch.slot, common)) for one in parts]
        if not len(common):
            continue
        values = np.array([row.value for row in rows])
        floor = _LEAST_MBPS if kind == THROUGHPUT else -np.inf
        together = replace(rows[0], value=mean_of(np.maximum(values, floor), axis=0))
        out.append(Measured(kind, SITE, together))
    return out


def _count_in(stretch: Stretch, side: tuple[float, float]) -> int:
    time_s = stretch.slot * stretch.slot_s
    return int(((time_s >= side[0]) & (time_s < side[1])).sum())


def _outage(radio: Radio, observations: Observations, coverage: Coverage, like: Likeness) -> Measured:
    """Share of the scans in which it was off the air, at the spot with most scans of those that heard it."""
    heard_at = {name for stay in radio.stays for name, _ in stay.level_at}
    spots = [k for k, name in enumerate(observations.spots) if name in heard_at]
    scans_s = max((coverage.moments(radio.band, k) for k in spots), key=len, default=np.zeros(0))
    scans_s = scans_s[scans_s >= radio.first_s]
    is_off = np.zeros(len(scans_s))
    for began_s, ended_s in radio.outages:
        is_off[(scans_s > began_s) & (scans_s < (np.inf if ended_s is None else ended_s))] = 1.0
    if radio.is_gone and not any(ended_s is None for _, ended_s in radio.outages):  # switched off on purpose
        scans_s, is_off = (column[scans_s <= radio.last_s] for column in (scans_s, is_off))
    return _series(OUTAGE, radio, scans_s, is_off, like)


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
