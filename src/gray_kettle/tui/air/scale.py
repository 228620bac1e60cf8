"""Frequencies to columns: where no channel lies, a band is folded together to a few columns."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from gray_kettle.analysis.assessment import ChannelView, Radio
from gray_kettle.model.records import FloatArray

_MARGIN_HZ = 12e6
_GAP_HZ, _FOLDED = 60e6, 3  # channels further apart have a gap between them, which gets so many columns


@dataclass(frozen=True)
class Scale:
    """The label is left of the drawing, remarks right of it. knots: (hertz, column) between which columns are even.

    gaps: (first, last) column of each fold.
    """

    label: int
    columns: int
    knots: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 1.0))
    gaps: tuple[tuple[int, int], ...] = ()

    @property
    def low_hz(self) -> float:
        return self.knots[0][0]

    @property
    def high_hz(self) -> float:
        return self.knots[-1][0]

    @property
    def hz_a_column(self) -> float:
        """Outside of folds."""
        (before_hz, before), (after_hz, after) = self.knots[-2:]
        return (after_hz - before_hz) / (after - before)

    def column(self, hz: float) -> int:
        """Beyond the ends the columns go on as at the ends."""
        (low_hz, _), (high_hz, _) = self.knots[0], self.knots[-1]
        if not low_hz <= hz <= high_hz:
            return -1 if hz < low_hz else self.columns
        known_hz, columns = zip(*self.knots, strict=True)
        return int(np.interp(hz, known_hz, columns))

    def hz_at(self, column: float) -> float:
        known_hz, columns = zip(*self.knots, strict=True)
        return float(np.interp(column, columns, known_hz))

    def hz(self) -> FloatArray:
        """Centre of every column."""
        known_hz, columns = zip(*self.knots, strict=True)
        return np.asarray(np.interp(np.arange(self.columns) + 0.5, columns, known_hz))

    def in_gap(self, column: int) -> bool:
        return any(first <= column <= last for first, last in self.gaps)


def scale_for(
    channel_views: Sequence[ChannelView], radios: Sequence[Radio], width: int, is_to_scale: bool = False
) -> Scale:
    """The band's channels from edge to edge, with room for labels. is_to_scale: gaps as wide as they are."""
    centres = sorted(p.channel.centre_hz for p in channel_views) or [2412e6, 2472e6]
    edges = [hz + side * w / 2 for r in radios for hz, w in r.channel.segments for side in (-1, 1)]
    label = 28 if width >= 110 else 20 if width >= 60 else 16
    right = 18 if width >= 130 else 8
    columns = max(width - label - right, 10)
    low_hz, high_hz = min([*centres, *edges]) - _MARGIN_HZ, max([*centres, *edges]) + _MARGIN_HZ
    folds = [
        (a + _MARGIN_HZ, b - _MARGIN_HZ)
        for a, b in pairwise(centres)
        if b - a > _GAP_HZ and not is_to_scale and not any(a + _MARGIN_HZ < e < b - _MARGIN_HZ for e in edges)
    ]
    folded = min(_FOLDED, columns // 8)
    shown_hz = high_hz - low_hz - sum(b - a for a, b in folds)
    per_hz = (columns - folded * len(folds)) / shown_hz
    knots, gaps, at = [(low_hz, 0.0)], [], 0.0
    for start_hz, end_hz in folds:
        at += (start_hz - knots[-1][0]) * per_hz
        knots += [(start_hz, at), (end_hz, at + folded)]
        gaps.append((int(at), int(at + folded)))
        at += folded
    return Scale(label, columns, (*knots, (high_hz, float(columns))), tuple(gaps))
