"""What was listened to, for how long: the basis of every share."""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.observed.bssid_index import present
from gray_kettle.model.records import FloatArray, IntArray, Observations
from gray_kettle.phy.channels import number_at, numbers

_TUNED_HZ = 1e6
_NO_FULL_SCAN = ("scan log",)  # kinds of takes that list sightings without saying which channels were scanned


class Coverage:
    """Dwell by channel, observed minutes by band and spot, and the channels that were covered at all."""

    def __init__(self, observations: Observations) -> None:
        self._listening = observations.listening
        sightings = observations.sightings
        bands = sorted({a.channel.band for a in observations.announcements})
        code = np.array([bands.index(a.channel.band) for a in observations.announcements], np.int64)
        of_row = code[sightings.announcement] if len(sightings) else np.zeros(0, np.int64)
        minutes = _minutes(sightings.time_s)
        self._moments: dict[tuple[str, int], FloatArray] = {}
        self._gaps_s: dict[tuple[str, int], float] = {}
        self._rows_of = {band: of_row == k for k, band in enumerate(bands)}
        self._sightings = sightings
        self._scans = {
            (band, int(spot)): _distinct(minutes[(of_row == k) & (sightings.spot == spot)])
            for k, band in enumerate(bands)
            for spot in present(sightings.spot)
        }
        hz, which = np.unique(self._listening.receiver_hz, return_inverse=True)
        self._tuned_hz = hz
        self._dwell_s = np.bincount(which, self._listening.end_s - self._listening.start_s, len(hz))
        longest = np.fmax(self._listening.most_s, self._listening.end_s - self._listening.start_s)
        self._most_s = np.bincount(which, longest, len(hz))
        self.covered = self._covered(observations, set(bands))

    def dwell_s(self, channel_hz: float) -> float:
        """Seconds in which the receiver is known to have been on a channel."""
        return float(self._dwell_s[np.abs(self._tuned_hz - channel_hz) < _TUNED_HZ].sum())

    def most_dwell_s(self, channel_hz: float) -> float:
        """Seconds that it can have been there at most: more than dwell_s if a hopping receiver shows no rhythm."""
        return float(self._most_s[np.abs(self._tuned_hz - channel_hz) < _TUNED_HZ].sum())

    def dwell_by_hour_s(self, channel_hz: float) -> FloatArray:
        """The same by hour of the day (UTC); a run counts for the hour in which it began."""
        on_it = np.abs(self._listening.receiver_hz - channel_hz) < _TUNED_HZ
        start_s = self._listening.start_s[on_it]
        hour = (start_s // 3600 % 24).astype(np.int64)
        return np.bincount(hour, self._listening.end_s[on_it] - start_s, 24).astype(np.float64)

    def moments(self, band: str, spot: int) -> FloatArray:
        """When a band was observed from a spot: times in seconds at which anything was heard in it, in order."""
        if (band, spot) not in self._moments:
            rows = self._rows_of[band] & (self._sightings.spot == spot)
            time_s = self._sightings.time_s[rows]
            self._moments[band, spot] = time_s[np.diff(time_s, prepend=-np.inf) > 0]
        return self._moments[band, spot]

    def median_gap_s(self, band: str, spot: int) -> float:
        """Median time from one observation of a band to the next."""
        if (band, spot) not in self._gaps_s:  # each radio of the band asks
            moments = self.moments(band, spot)
            self._gaps_s[band, spot] = float(np.median(np.diff(moments))) if len(moments) > 1 else 0.0
        return self._gaps_s[band, spot]

    def presence(self, band: str, time_s: FloatArray, spot: IntArray) -> float:
        """Share of the observed minutes of a band in which something was heard, at the spot where that is most."""
        most = 0.0
        for k in present(spot):
            detection_blocks = self._scans.get((band, int(k)), 0)
            if detection_blocks:
                most = max(most, _distinct(_minutes(time_s[spot == k])) / detection_blocks)
        return min(most, 1.0)

    def _covered(self, observations: Observations, heard_bands: set[str]) -> frozenset[tuple[str, int]]:
        """20 MHz channels that were listened to: those that a receiver dwelt on, and the bands of full system scans.

        A scan of the operating system goes through all channels of a band; that it covers a band shows in what it
        heard there. A log of sightings says where something was heard and nothing of the rest.
        """
        untuned_rows = observations.sightings.announcement[np.isnan(observations.sightings.receiver_hz)]
        # Where the receiver reported no frequency of its own, it was where it heard something.
        blind = [observations.announcements[k].channel.primary_hz for k in present(untuned_rows)]
        tuned: list[FloatArray] = [
            self._listening.receiver_hz,
            np.array(blind, np.float64),
            observations.surveys.receiver_hz,
        ]
        if any(take.kind in _NO_FULL_SCAN for take in observations.takes):
            tuned.append(observations.sightings.receiver_hz)
        tuned_hz: NDArray[np.float64] = np.unique(np.concatenate(tuned))
        whole = {
            band for take in observations.takes if take.kind not in _NO_FULL_SCAN for band in take.swept_bands
        } & heard_bands
        channel_views = {(band, n) for band in whole if band for n in numbers(band)}
        channel_views |= {channel_at(hz) for hz in tuned_hz[~np.isnan(tuned_hz)]}
        return frozenset(p for p in channel_views if p[0])


def _minutes(time_s: FloatArray) -> FloatArray:
    return np.floor(time_s / model_constants.PRESENCE_STEP_S)


def _distinct(ordered: FloatArray) -> int:
    """How many different values there are among ordered ones."""
    return int(np.count_nonzero(np.diff(ordered))) + 1 if len(ordered) else 0


def channel_at(hz: float) -> tuple[str, int]:
    """Band and nearest channel number at a frequency; ("", 0) where there is none."""
    try:
        return number_at(float(hz))
    except ValueError:
        return "", 0
