"""Utilisation of each 20 MHz part, every source side by side, the one that is used named; over the window and by hour.

Source: docs/radio-model.md, "Utilisation". Not measured is said, never 0.
"""

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import Radio, Utilisation
from gray_kettle.analysis.inventory.activity_prior import posterior_activity, prior_activity
from gray_kettle.analysis.loss.channel_assessment import level_at
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.analysis.observed.survey_counters import surveyed, surveyed_by_hour
from gray_kettle.analysis.observed.traffic_totals import TrafficTotals
from gray_kettle.model.enums import UtilisationSource
from gray_kettle.model.records import Observations, SweptChannel
from gray_kettle.phy.carrier_sense import PREAMBLE_DBM
from gray_kettle.phy.channels import centre_hz as centre_of

NOT_MEASURED = Utilisation(None, UtilisationSource.NOT_MEASURED, "none")
SOURCES = tuple(s for s in UtilisationSource if s != UtilisationSource.NOT_MEASURED)
_CONFIDENCE = {
    UtilisationSource.FRAMES: "medium",
    UtilisationSource.BSS_LOAD: "medium",
    UtilisationSource.BEACONS: "low",
}
_HOUR_S = 3600
_SURE_DWELL = 1.2  # the longest possible dwell over the shortest, up to which one figure is given
Hours = dict[int, float]


class Meter:
    """Reads the utilisation of parts from what was observed; what all parts share is computed once."""

    def __init__(
        self, radios: tuple[Radio, ...], observations: Observations, coverage: Coverage, sent: TrafficTotals
    ) -> None:
        self._observations, self._looks, self._sent = observations, coverage, sent
        self._on_primary: dict[tuple[str, int], list[Radio]] = {}
        for radio in radios:
            self._on_primary.setdefault((radio.band, radio.channel.primary), []).append(radio)
        self._bssids = np.array([_number(n.bssid) for r in radios for n in r.networks], np.int64)
        self._on_part = _on_part(radios)
        self._reported_by_hour = _reported_by_hour(observations)

    def read(self, band: str, number: int) -> Utilisation:
        """The best figure there is for a part. Order: survey; sweep; frames and BSS load, the larger; then beacons."""
        channel_hz = centre_of(band, number)
        here = self._on_primary.get((band, number), [])
        swept = swept_at(self._observations, channel_hz)
        survey = surveyed(self._observations, channel_hz)
        found: dict[UtilisationSource, float] = {}
        hours: dict[UtilisationSource, Hours] = {}
        if survey is not None:
            found[UtilisationSource.SURVEY] = survey.busy_share
            hours[UtilisationSource.SURVEY] = surveyed_by_hour(self._observations, channel_hz)
        if swept is not None:
            found[UtilisationSource.SWEEP] = swept.duty
            hours[UtilisationSource.SWEEP] = {hour: duty for hour, duty, _ in swept.by_hour}
        if self._looks.dwell_s(channel_hz) >= model_constants.LEAST_DWELL_S:
            found[UtilisationSource.FRAMES], hours[UtilisationSource.FRAMES] = self._frames(band, number)
        loudest = max(
            (r for r in here if r.stay.reported_utilisation is not None), key=_loudness, default=None
        )
        if loudest is not None:
            found[UtilisationSource.BSS_LOAD] = float(loudest.stay.reported_utilisation or 0.0)
            hours[UtilisationSource.BSS_LOAD] = {
                hour: share
                for hour in range(24)
                for share in [
                    max(self._reported_by_hour.get((n.bssid, hour), -1.0) for n in loudest.networks)
                ]
                if share >= 0
            }
        if here:
            beacons = sum(n.beacon_share for r in here for n in r.networks)
            loud = [r for r in here if level_at(r.stay, None) >= PREAMBLE_DBM]
            traffic = sum(prior_activity(band, r.generation) for r in loud)
            found[UtilisationSource.BEACONS] = min(beacons + traffic, 1.0)
        if not found:
            return NOT_MEASURED
        bound = swept is not None and bool(swept.bound)
        source = _used(found, bound)
        others = tuple((s, round(found[s], 4)) for s in SOURCES if s in found and s != source)
        confidence = _CONFIDENCE.get(source, "medium")
        if (source == UtilisationSource.SURVEY and survey is not None and survey.whole_window) or (
            source == UtilisationSource.SWEEP and swept is not None and _is_dense(swept)
        ):
            confidence = "high"  # of one reading of counters one does not know since when
        interval = self._frames_interval(channel_hz, found) if source == UtilisationSource.FRAMES else None
        if interval is not None:
            confidence = "low"
        at_most = bound and source == UtilisationSource.SWEEP
        return Utilisation(
            round(found[source], 4), source, confidence, others, _by_hour(hours, bound), at_most, interval
        )

    def _frames_interval(
        self, channel_hz: float, found: dict[UtilisationSource, float]
    ) -> tuple[float, float] | None:
        """Between what the share is at least and at most, where the dwell of a hopping receiver is not known."""
        least_s, most_s = self._looks.dwell_s(channel_hz), self._looks.most_dwell_s(channel_hz)
        if most_s <= least_s * _SURE_DWELL:
            return None
        share = found[UtilisationSource.FRAMES]
        return round(share * least_s / most_s, 4), round(share, 4)

    def _frames(self, band: str, number: int) -> tuple[float, Hours]:
        """Airtime over dwell, in all and by hour. Frames that leaked in from elsewhere say nothing of this place."""
        channel_hz = centre_of(band, number)
        elsewhere = np.setdiff1d(self._bssids, self._on_part.get((band, number), []))
        on_it = self._sent.rows(np.abs(self._sent.receiver_hz - channel_hz) < 1e6)
        on_it = on_it.rows(~np.isin(on_it.bssid, elsewhere) & ~np.isin(on_it.transmitter, elsewhere))
        airtime_s = np.bincount(on_it.hour, on_it.airtime_s, 24)
        dwell_s = self._looks.dwell_by_hour_s(channel_hz)
        share = min(float(airtime_s.sum()) / self._looks.dwell_s(channel_hz), 1.0)
        # Of an hour in which it was there for seconds little is known: its share is drawn to that of the window.
        hours = {
            int(h): min(posterior_activity(share, float(airtime_s[h] / dwell_s[h]), float(dwell_s[h])), 1.0)
            for h in np.flatnonzero(dwell_s >= model_constants.LEAST_DWELL_S)
        }
        return share, hours


def _loudness(radio: Radio) -> tuple[float, float]:
    return level_at(radio.stay, None), radio.stay.reported_utilisation or 0.0


def _used(found: dict[UtilisationSource, float], bound: bool) -> UtilisationSource:
    """The first source in the order of trust; of frames and BSS load the larger, both being lower bounds.

    bound: the sweep holds maxima, an upper bound that counts only where there is nothing else.
    """
    values = [s for s in SOURCES if s in found and not (bound and s == UtilisationSource.SWEEP)]
    source = values[0] if values else UtilisationSource.SWEEP
    if (
        source == UtilisationSource.FRAMES
        and found.get(UtilisationSource.BSS_LOAD, 0.0) > found[UtilisationSource.FRAMES]
    ):
        return UtilisationSource.BSS_LOAD
    return source


def _is_dense(swept: SweptChannel) -> bool:
    dense = swept.rows >= model_constants.SWEEP_ROWS_PER_S * model_constants.SWEEP_S
    return dense and swept.rows_per_s >= model_constants.SWEEP_ROWS_PER_S and not swept.bound


def _by_hour(
    hours: dict[UtilisationSource, Hours], bound: bool
) -> tuple[tuple[int, UtilisationSource, float], ...]:
    """Each hour by the source that is used for it: an hour may lack what the window as a whole has."""
    out = []
    for hour in range(24):
        found = {source: known[hour] for source, known in hours.items() if hour in known}
        if found:
            source = _used(found, bound)
            out.append((hour, source, round(found[source], 4)))
    return tuple(out)


def _reported_by_hour(observations: Observations) -> dict[tuple[str, int], float]:
    """Median of what each BSSID reports as busy, by hour of the day (UTC)."""
    sightings = observations.sightings
    rows = np.flatnonzero(~np.isnan(sightings.load_utilisation))
    if not len(rows):
        return {}
    names = sorted({a.bssid for a in observations.announcements})
    code = {name: k for k, name in enumerate(names)}
    code_of = np.array([code[a.bssid] for a in observations.announcements], np.int64)
    hour = (sightings.time_s[rows] // _HOUR_S % 24).astype(np.int64)
    # One number a row, the share behind its key: sorting numbers is faster than sorting rows by two of them.
    both = np.sort((code_of[sightings.announcement[rows]] * 24 + hour) * 2 + sightings.load_utilisation[rows])
    key = (both // 2).astype(np.int64)
    load = both - 2 * key
    starts = np.flatnonzero(np.diff(key, prepend=-1))
    ends = np.append(starts[1:], len(key))
    fast_median = (load[(starts + ends - 1) // 2] + load[(starts + ends) // 2]) / 2
    return {
        (names[k // 24], k % 24): round(share, 6)
        for k, share in zip(key[starts].tolist(), fast_median.tolist(), strict=True)
    }


def swept_at(observations: Observations, channel_hz: float) -> SweptChannel | None:
    """What sweeps say of the 20 MHz channel at a frequency: at the spot where they measured longest."""
    here = [
        s
        for s in observations.swept
        if s.channel.width_mhz == 20 and abs(s.channel.centre_hz - channel_hz) < 1e6
    ]
    return max(here, key=lambda s: (s.seconds, s.spot), default=None)


def _on_part(radios: tuple[Radio, ...]) -> dict[tuple[str, int], list[int]]:
    """Addresses by 20 MHz channel (band, number): of radios one of whose channels in the window fills it."""
    out: dict[tuple[str, int], list[int]] = {}
    for radio in radios:
        filled = {(stay.channel.band, part) for stay in radio.stays for part in stay.channel.parts}
        for part in filled:
            out.setdefault(part, []).extend(_number(network.bssid) for network in radio.networks)
    return out


def _number(bssid: str) -> int:
    return int(bssid.replace(":", ""), 16)
