"""Utilisation of each 20 MHz part, every source side by side, the one that is used named.

Source: docs/radio-model.md, "Utilisation". Not measured is said, never 0.
"""

import numpy as np

from gray_kettle.air.floors import PREAMBLE_DBM
from gray_kettle.judge import settings
from gray_kettle.judge.assessment import Radio, Utilisation
from gray_kettle.judge.listening import Looks
from gray_kettle.records import Observations
from gray_kettle.air.channels import centre_hz

NOT_MEASURED = Utilisation(None, "not measured", "none")
_CONFIDENCE = {"frames": "medium", "BSS load": "medium", "beacons": "low"}


def utilisation_of(
    band: str, number: int, radios: tuple[Radio, ...], observations: Observations, looks: Looks
) -> Utilisation:
    """The best figure there is for a part. Order: frames and BSS load, the larger; then beacons."""
    found: dict[str, float] = {}
    place_hz = centre_hz(band, number)
    dwell_s = looks.dwell_s(place_hz)
    if dwell_s >= settings.LEAST_DWELL_S:
        on_it = np.abs(observations.traffic.receiver_hz - place_hz) < 1e6
        found["frames"] = min(float(observations.traffic.airtime_s[on_it].sum()) / dwell_s, 1.0)
    here = [r for r in radios if (r.band, r.channel.primary) == (band, number)]
    told = [(r.level_dbm or -200.0, r.stay.told_busy) for r in here if r.stay.told_busy is not None]
    if told:
        found["BSS load"] = float(max(told)[1] or 0.0)
    if here:
        beacons = sum(n.beacon_share for r in here for n in r.networks)
        loud = sum(1 for r in here if (r.level_dbm or -200.0) >= PREAMBLE_DBM)
        found["beacons"] = min(beacons + settings.PRIOR_ACTIVITY * loud, 1.0)
    if not found:
        return NOT_MEASURED
    measured = {s: v for s, v in found.items() if s != "beacons"}
    source = max(measured, key=lambda s: measured[s]) if measured else "beacons"
    others = tuple((s, round(v, 4)) for s, v in found.items() if s != source)
    return Utilisation(round(found[source], 4), source, _CONFIDENCE[source], others)
