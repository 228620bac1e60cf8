"""How things moved over time: levels of radios, busy time of a band. NaN where nothing was heard."""

import numpy as np

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.observed.bssid_index import row_levels_mw
from gray_kettle.model.records import FloatArray, IntArray, Observations


def levels_over_time(
    observations: Observations, radios: tuple[Radio, ...], bins: int, start_s: float, end_s: float
) -> FloatArray:
    """Mean level (of milliwatts) of each radio in each of `bins` equal intervals: dBm, shape (radios, bins).

    Of rows from the spot where most was heard: a walk to another spot is no change of the radio. Radios that were
    not heard there come with the rows there are.
    """
    if not radios:
        return np.zeros((0, bins))
    sightings = observations.sightings
    which = _radio_of_row(observations, radios)
    at_main = sightings.spot == _main_spot(observations)
    heard_there = np.bincount(which[at_main & (which >= 0)], minlength=len(radios)) > 0
    which = np.where(at_main | ~heard_there[which], which, -1)
    column = _bin_of(sightings.time_s, bins, start_s, end_s)
    level_mw = row_levels_mw(sightings)
    good = (which >= 0) & (column >= 0) & (level_mw > 0)
    place = which[good] * bins + column[good]
    size = len(radios) * bins
    total = np.bincount(place, level_mw[good], size)
    count = np.bincount(place, minlength=size)
    with np.errstate(divide="ignore", invalid="ignore"):
        return (10 * np.log10(total / count)).reshape(len(radios), bins)


def main_spot(observations: Observations) -> str:
    """The spot where most was heard, "" for one without a name."""
    return observations.spots[_main_spot(observations)] if observations.spots else ""


def _main_spot(observations: Observations) -> int:
    spots = observations.sightings.spot
    return int(np.argmax(np.bincount(spots))) if len(spots) else 0


def bins_without_gaps(observations: Observations, most: int, start_s: float, end_s: float) -> int:
    """How many intervals to cut a case into, so that one without anything heard is a gap and not the usual rhythm."""
    moments = np.unique(np.round(observations.sightings.time_s))
    if len(moments) < 2:
        return 1
    usual_s = max(float(np.median(np.diff(moments))), 1.0)
    return int(np.clip((end_s - start_s) / (2 * usual_s), 1, most))


def busy_over_time(
    observations: Observations, band: str, bins: int, start_s: float, end_s: float
) -> FloatArray:
    """Mean of the busy shares that access points of a band report, in each interval (0 to 1).

    0 where something was heard and nothing reported; NaN where nothing was heard at all.
    """
    sightings = observations.sightings
    in_band = np.array([a.channel.band == band for a in observations.announcements], dtype=bool)
    if not len(sightings):
        return np.full(bins, np.nan)
    rows = in_band[sightings.announcement]
    column = _bin_of(sightings.time_s, bins, start_s, end_s)
    heard = rows & (column >= 0)
    known = heard & ~np.isnan(sightings.load_utilisation)
    total = np.bincount(column[known], sightings.load_utilisation[known], bins)
    count = np.bincount(column[known], minlength=bins)
    anything = np.bincount(column[heard], minlength=bins)
    return np.where(anything > 0, total / np.maximum(count, 1), np.nan)


def _bin_of(time_s: FloatArray, bins: int, start_s: float, end_s: float) -> IntArray:
    """Index of the interval of each moment, -1 outside."""
    span = max(end_s - start_s, 1e-6)
    column = np.floor((time_s - start_s) / span * bins).astype(np.int64)
    column = np.where(time_s == end_s, bins - 1, column)
    return np.where((column >= 0) & (column < bins), column, -1)


def _radio_of_row(observations: Observations, radios: tuple[Radio, ...]) -> IntArray:
    of_bssid = {n.bssid: k for k, radio in enumerate(radios) for n in radio.networks}
    of_announcement = np.array(
        [of_bssid.get(a.bssid, -1) for a in observations.announcements], dtype=np.int64
    )
    if not len(observations.sightings):
        return np.zeros(0, np.int64)
    return of_announcement[observations.sightings.announcement]
