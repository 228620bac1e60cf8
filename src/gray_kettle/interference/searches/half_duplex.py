"""Hoppers that take turns: two who talk to one another are heard at two levels, and never at one moment.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

from dataclasses import replace

import numpy as np

from gray_kettle.interference.searches.hops import Hops

_EXPECTED, _HARDLY, _SAME_RANGE = 6.0, 0.25, 0.7


def put_together(hops: list[Hops], rows: int) -> list[Hops]:
    """Hoppers of snapshots, those that take turns as one. Chance lets two that do not know one another meet."""
    out: list[Hops] = []
    for h in sorted(hops, key=lambda h: -h.level_dbm):
        for k, known in enumerate(out):
            if _take_turns(known, h, rows):
                out[k] = replace(
                    known, share=min(known.share + h.share, 1.0), partner_dbm=h.level_dbm,
                    low_hz=min(known.low_hz, h.low_hz), high_hz=max(known.high_hz, h.high_hz),
                )  # fmt: skip
                break
        else:
            out.append(h)
    return out


def _take_turns(known: Hops, other: Hops, rows: int) -> bool:
    common_hz = min(known.high_hz, other.high_hz) - max(known.low_hz, other.low_hz)
    if common_hz < _SAME_RANGE * min(known.high_hz - known.low_hz, other.high_hz - other.low_hz):
        return False
    when, then = (np.unique(h.bursts.row) for h in (known, other))
    expected = len(when) * len(then) / rows
    return expected > _EXPECTED and len(np.intersect1d(when, then)) < _HARDLY * expected
