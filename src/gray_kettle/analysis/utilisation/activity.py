"""How busy a radio is by what sweeps saw, where no frame of it was timed.

Source: docs/radio-model.md, "Activity".
"""

from dataclasses import replace

from gray_kettle.analysis.assessment import Emitter, Radio
from gray_kettle.analysis.inventory.activity_prior import (
    activity_interval,
    posterior_activity,
    prior_activity,
)
from gray_kettle.analysis.utilisation.meter import swept_at
from gray_kettle.model.records import Observations

_FEWEST_ROWS = 300
_SEEN_OVER_DB = 13.0  # so far over the noise of the place its bursts are counted as something on it
_STEADY = 0.9


def with_swept_activity(
    radios: tuple[Radio, ...], emitters: tuple[Emitter, ...], observations: Observations
) -> tuple[Radio, ...]:
    """Radios whose activity was taken from their beacons, corrected by the duty that sweeps measured on their primary.

    Alone on its channel and without non-Wi-Fi emitters, a radio has what was measured. Beside others it can be no
    busier than all of them together.
    """
    return tuple(_corrected(r, radios, emitters, observations) for r in radios)


def _corrected(
    radio: Radio, radios: tuple[Radio, ...], emitters: tuple[Emitter, ...], observations: Observations
) -> Radio:
    swept = swept_at(observations, radio.channel.primary_hz)
    if radio.activity_source != "beacons" or swept is None or swept.rows < _FEWEST_ROWS:
        return radio
    level = dict(radio.stay.level_at).get(swept.spot)
    if level is None or level < swept.floor_dbm + _SEEN_OVER_DB or radio.stay.presence < _STEADY:
        return radio
    place = (radio.band, radio.channel.primary)
    others = [r for r in radios if r.id != radio.id and r.band == radio.band]
    alone = not any(place[1] in s.channel.parts for r in others for s in r.stays)
    alone &= not any((b, n) == place for e in emitters for b, n, _ in e.channels)
    least = sum(n.beacon_share for n in radio.networks)
    if alone and not swept.bound:
        prior = prior_activity(radio.band, radio.generation) + least
        activity = max(least, posterior_activity(prior, swept.duty, swept.seconds))
        interval = activity_interval(round(activity, 4), swept.seconds)
        return replace(radio, activity=activity, activity_source="sweep", activity_interval=interval)
    if swept.duty < radio.activity:
        return replace(radio, activity=max(least, swept.duty), activity_source="at most what was swept")
    return radio
