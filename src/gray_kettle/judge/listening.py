"""What was listened to, for how long: the ground that every share stands on."""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.air.channels import number_at, numbers
from gray_kettle.judge import settings
from gray_kettle.records import FloatArray, IntArray, Observations

_TUNED_HZ = 1e6


class Looks:
    """Dwell by channel, looks (minutes) by band and spot, and the places that were covered at all."""

    def __init__(self, observations: Observations) -> None:
        self._listening = observations.listening
        sightings = observations.sightings
        bands = np.array([a.channel.band for a in observations.announcements], dtype="<U3")
        of_row = bands[sightings.announcement] if len(sightings) else np.zeros(0, "<U3")
        minutes = np.floor(sightings.time_s / settings.LOOK_S)
        self._looked = {
            (str(band), int(spot)): len(np.unique(minutes[(of_row == band) & (sightings.spot == spot)]))
            for band in np.unique(of_row)
            for spot in np.unique(sightings.spot)
        }
        self.covered = self._covered(observations, {str(b) for b in bands})

    def dwell_s(self, channel_hz: float) -> float:
        """Seconds in which the receiver is known to have been on a channel."""
        on_it = np.abs(self._listening.receiver_hz - channel_hz) < _TUNED_HZ
        return float((self._listening.end_s[on_it] - self._listening.start_s[on_it]).sum())

    def presence(self, band: str, time_s: FloatArray, spot: IntArray) -> float:
        """Share of the minutes looked at a band in which something was heard, at the spot where that is most."""
        most = 0.0
        for k in np.unique(spot):
            looked = self._looked.get((band, int(k)), 0)
            if looked:
                most = max(most, len(np.unique(np.floor(time_s[spot == k] / settings.LOOK_S))) / looked)
        return min(most, 1.0)

    def _covered(self, observations: Observations, heard_bands: set[str]) -> frozenset[tuple[str, int]]:
        """20 MHz places that were listened to.

        A scan covers the bands it heard something in. A receiver that hops passes over silent channels too. One
        that stays on a channel says nothing of the others.
        """
        heard_blind = observations.sightings.announcement[np.isnan(observations.sightings.receiver_hz)]
        # Where the receiver told no place of its own, it was where it heard something.
        blind = [observations.announcements[k].channel.primary_hz for k in np.unique(heard_blind)]
        tuned: NDArray[np.float64] = np.unique(np.concatenate([observations.listening.receiver_hz, blind]))
        whole = {band for take in observations.takes for band in take.swept_bands} & heard_bands
        if len(tuned) >= settings.HOPPING_CHANNELS:
            whole |= {place_at(hz)[0] for hz in tuned}
        places = {(band, n) for band in whole if band for n in numbers(band)}
        places |= {place_at(hz) for hz in tuned}
        return frozenset(p for p in places if p[0])


def place_at(hz: float) -> tuple[str, int]:
    """Band and nearest channel number at a frequency; ("", 0) where there is none."""
    try:
        return number_at(float(hz))
    except ValueError:
        return "", 0
