"""Bursts of a tuned sweep that cannot be parts of Wi-Fi: of one level they lie evenly, over more than channels fill.

A tuned instrument meets short parts of everything. Parts of Wi-Fi of one level fill the 18 MHz of a channel and leave
what is beside it empty; a hopper of one level is met as often at every place of its range.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import runs_in
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ
from gray_kettle.model.records import FloatArray

_PART_HZ, _WIDEST_PART_HZ = 2e6, 4.5e6
_WIDE_HZ, _BEYOND_HZ = 52e6, 2.4775e9
_FEWEST_A_PART = 3.5
_EVEN, _THERE = 0.4, 0.3  # of the mean of a stretch: nearly every part has so much; a part with less ends it
_SHORT_HZ = 22e6
_LEAST_SHARE, _HIDDEN, _LEAST_KNOWN, _EVEN_IN_PARTS = 0.1, 0.05, 0.35, 0.5
_HOLE = 1


@dataclass(frozen=True)
class Stretch:
    """A range of even bursts. evenness: of its sparse parts against the mean."""

    low_hz: float
    high_hz: float
    evenness: float


@dataclass(frozen=True, eq=False)
class Visible:
    """At some places, in rising order, the share of the rows in which a burst of one level would have stood out, shape
    (places,). most_hidden_hz: wide gaps in which none would are no part of a range.
    """

    at_hz: FloatArray
    share: FloatArray
    most_hidden_hz: float

    def weight(self, freq_hz: FloatArray) -> FloatArray:
        """How many each burst stands for, those that did not stand out among them."""
        return np.asarray(1 / np.maximum(np.interp(freq_hz, self.at_hz, self.share), _LEAST_SHARE))

    def are_hidden(self, middle_hz: FloatArray, part_hz: float) -> NDArray[np.bool_]:
        """Parts of a range that tell nothing, as far as they are not too many side by side."""
        hidden = np.interp(middle_hz, self.at_hz, self.share) < _HIDDEN
        for first, last in runs_in(hidden, 0):
            if (last - first + 1) * part_hz > self.most_hidden_hz:
                hidden[first : last + 1] = False
        return hidden


def even_stretch(
    freq_hz: FloatArray, visible: Visible, low_hz: float, high_hz: float, part_hz: float = _PART_HZ
) -> Stretch | None:
    """The widest range over which bursts of one level lie evenly; None where they do not."""
    edges = np.arange(low_hz, high_hz + part_hz, part_hz)
    plain = np.histogram(freq_hz, edges)[0]
    counts = np.histogram(freq_hz, edges, weights=visible.weight(freq_hz))[0]
    if not plain.any():
        return None
    usual = float(np.median(counts[plain > 0]))
    is_known = ~visible.are_hidden((edges[:-1] + edges[1:]) / 2, part_hz)
    best: Stretch | None = None
    for begin, end in _stretches((counts >= max(_THERE * usual, 0.5)) | ~is_known):
        known = np.flatnonzero(is_known[begin : end + 1])
        if len(known) < _LEAST_KNOWN * (end - begin + 1):
            continue
        first, last = begin + int(known[0]), begin + int(known[-1])
        inside = counts[begin + known]
        mean = float(np.median(inside))
        if mean <= 0 or plain[begin + known].mean() < _FEWEST_A_PART:
            continue
        evenness = float(np.quantile(inside, 0.2) / mean)
        least = _EVEN if is_known[first : last + 1].all() else _EVEN_IN_PARTS
        if edges[last + 1] - edges[first] >= _SHORT_HZ and evenness >= least and inside.max() < 6 * mean:
            found = Stretch(float(edges[first]), float(edges[last + 1]), evenness)
            if best is None or found.high_hz - found.low_hz > best.high_hz - best.low_hz:
                best = found
    return best


def are_sparse(number: int, low_hz: float, high_hz: float) -> bool:
    """Whether so few bursts are in a range that they need wider parts, and enough for that."""
    return _PART_HZ < _FEWEST_A_PART * (high_hz - low_hz) / max(number, 1) < _WIDEST_PART_HZ


def sparse_stretch(freq_hz: FloatArray, visible: Visible, low_hz: float, high_hz: float) -> Stretch | None:
    """Where bursts are few, wider parts have some each; only a range that goes on where no channel is, is told so."""
    found = None
    if are_sparse(len(freq_hz), low_hz, high_hz):
        part_hz = _FEWEST_A_PART * (high_hz - low_hz) / len(freq_hz)
        found = even_stretch(freq_hz, visible, low_hz, high_hz, part_hz)
    if (
        found is None
        or not _BEYOND_HZ < found.high_hz < LOW_BAND_HZ
        or found.high_hz - found.low_hz < _WIDE_HZ
    ):
        return None
    return found


def _stretches(there: "np.ndarray") -> list[tuple[int, int]]:
    at = np.flatnonzero(there)
    if not len(at):
        return []
    cuts = np.flatnonzero(np.diff(at) > _HOLE + 1)
    return list(
        zip(at[np.append(0, cuts + 1)].tolist(), at[np.append(cuts, len(at) - 1)].tolist(), strict=True)
    )
