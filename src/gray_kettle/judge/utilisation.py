"""Utilisation of each 20 MHz part, every source side by side, the one that is used named.

Source: docs/radio-model.md, "Utilisation". Not measured is said, never 0.
"""

import numpy as np

from gray_kettle.air.channels import Channel
from gray_kettle.air.channels import centre_hz as centre_of
from gray_kettle.air.floors import PREAMBLE_DBM
from gray_kettle.judge import settings
from gray_kettle.judge.assessment import Radio, Utilisation
from gray_kettle.judge.listening import Looks
from gray_kettle.judge.standing import level_at
from gray_kettle.judge.surveys import surveyed
from gray_kettle.records import Observations, Swept

NOT_MEASURED = Utilisation(None, "not measured", "none")
_CONFIDENCE = {"survey": "high", "frames": "medium", "BSS load": "medium", "beacons": "low"}


def utilisation_of(
    band: str, number: int, radios: tuple[Radio, ...], observations: Observations, looks: Looks
) -> Utilisation:
    """The best figure there is for a part. Order: survey; sweep; frames and BSS load, the larger; then beacons."""
    found: dict[str, float] = {}
    place_hz = centre_of(band, number)
    survey = surveyed(observations, place_hz)
    if survey is not None:
        found["survey"] = survey.busy_share
    swept = swept_at(observations, place_hz)
    if swept is not None:
        found["sweep"] = swept.duty
    dwell_s = looks.dwell_s(place_hz)
    if dwell_s >= settings.LEAST_DWELL_S:
        traffic = observations.traffic
        # Frames that leaked in from another channel say nothing of this one's air.
        elsewhere = _bssids_elsewhere(place_hz, radios)
        sent_here = ~np.isin(traffic.bssid, elsewhere) & ~np.isin(traffic.transmitter, elsewhere)
        on_it = (np.abs(traffic.receiver_hz - place_hz) < 1e6) & sent_here
        found["frames"] = min(float(traffic.airtime_s[on_it].sum()) / dwell_s, 1.0)
    here = [r for r in radios if (r.band, r.channel.primary) == (band, number)]
    told = [(level_at(r.stay, None), r.stay.told_busy) for r in here if r.stay.told_busy is not None]
    if told:
        found["BSS load"] = float(max(told)[1] or 0.0)
    if here:
        beacons = sum(n.beacon_share for r in here for n in r.networks)
        loud = sum(1 for r in here if level_at(r.stay, None) >= PREAMBLE_DBM)
        found["beacons"] = min(beacons + settings.PRIOR_ACTIVITY * loud, 1.0)
    if not found:
        return NOT_MEASURED
    measured = {s: v for s, v in found.items() if s in ("frames", "BSS load")}
    source = max(measured, key=lambda s: measured[s]) if measured else "beacons"
    confidence = _CONFIDENCE[source]
    if survey is not None:
        source = "survey"
        confidence = (
            "high" if survey.whole_window else "medium"
        )  # of one reading one does not know since when
    elif swept is not None:
        source = "sweep"
        dense = swept.rows >= settings.SWEEP_ROWS_PER_S * settings.SWEEP_S
        dense = dense and swept.rows_per_s >= settings.SWEEP_ROWS_PER_S
        confidence = "high" if dense and not swept.bound else "medium"
    others = tuple((s, round(v, 4)) for s, v in found.items() if s != source)
    return Utilisation(round(found[source], 4), source, confidence, others)


def swept_at(observations: Observations, place_hz: float) -> Swept | None:
    """What sweeps say of the 20 MHz place at a frequency: at the spot where they looked longest."""
    here = [
        s
        for s in observations.swept
        if s.channel.width_mhz == 20 and abs(s.channel.centre_hz - place_hz) < 1e6
    ]
    return max(here, key=lambda s: (s.seconds, s.spot), default=None)


def _bssids_elsewhere(place_hz: float, radios: tuple[Radio, ...]) -> list[int]:
    """Addresses of radios none of whose channels in the window fills the place."""
    return [
        int(network.bssid.replace(":", ""), 16)
        for radio in radios
        if not any(_fills(stay.channel, place_hz) for stay in radio.stays)
        for network in radio.networks
    ]


def _fills(channel: Channel, place_hz: float) -> bool:
    return any(abs(centre_of(channel.band, part) - place_hz) < 1e6 for part in channel.parts)
