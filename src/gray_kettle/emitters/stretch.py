"""Bursts of a tuned sweep that cannot be parts of Wi-Fi: of one level they lie evenly, over more than channels fill.

A tuned instrument meets short parts of everything. Parts of Wi-Fi of one level fill the 18 MHz of a channel and leave
what is beside it empty; a hopper of one level is met as often at every place of its range.

Source: docs/radio-model.md, "Places and hops".
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.emitters.bursts import LOW_BAND_HZ
from gray_kettle.records import FloatArray

_PART_HZ, _WIDEST_PART_HZ = 2e6, 4.5e6
_WIDE_HZ, _BEYOND_HZ = 52e6, 2.4775e9
_FEWEST_A_PART = 3.5
_EVEN, _THERE = 0.4, 0.3  # of the mean of a stretch: nearly every part has so much; a part with less ends it
_SHORT_HZ = 22e6
_HOLE = 1


@dataclass(frozen=True)
class Stretch:
    """A range of even bursts. evenness: of its sparse parts against the mean."""

    low_hz: float
    high_hz: float
    evenness: float


def even_stretch(
    freq_hz: FloatArray, weight: FloatArray, low_hz: float, high_hz: float, part_hz: float = _PART_HZ
) -> Stretch | None:
    """The widest range over which bursts of one level lie evenly; None where they do not."""
    edges = np.arange(low_hz, high_hz + part_hz, part_hz)
    plain = np.histogram(freq_hz, edges)[0]
    counts = np.histogram(freq_hz, edges, weights=weight)[0]
    if not plain.any():
        return None
    usual = float(np.median(counts[plain > 0]))
    there = counts >= max(_THERE * usual, 0.5)
    best: Stretch | None = None
    for first, last in _stretches(there):
        inside = counts[first : last + 1]
        mean = float(np.median(inside))
        if mean <= 0 or plain[first : last + 1].mean() < _FEWEST_A_PART:
            continue
        evenness = float(np.quantile(inside, 0.2) / mean)
        width_hz = edges[last + 1] - edges[first]
        if width_hz >= _SHORT_HZ and evenness >= _EVEN and inside.max() < 6 * mean:
            found = Stretch(float(edges[first]), float(edges[last + 1]), evenness)
            if best is None or found.high_hz - found.low_hz > best.high_hz - best.low_hz:
                best = found
    return best


def are_sparse(number: int, low_hz: float, high_hz: float) -> bool:
    """Whether so few bursts are in a range that they need wider parts, and enough for that."""
    return _PART_HZ < _FEWEST_A_PART * (high_hz - low_hz) / max(number, 1) < _WIDEST_PART_HZ


def sparse_stretch(freq_hz: FloatArray, weight: FloatArray, low_hz: float, high_hz: float) -> Stretch | None:
    """Where bursts are few, wider parts have some each; only a range that goes on where no channel is, is told so."""
    found = None
    if are_sparse(len(freq_hz), low_hz, high_hz):
        part_hz = _FEWEST_A_PART * (high_hz - low_hz) / len(freq_hz)
        found = even_stretch(freq_hz, weight, low_hz, high_hz, part_hz)
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
