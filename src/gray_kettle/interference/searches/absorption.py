"""Places that belong to something else that is told, and places that nothing tells, which are one answer where they lie
together.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

from dataclasses import replace

import numpy as np

from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import LocalBackground
from gray_kettle.interference.searches.continuous import ContinuousSignal
from gray_kettle.interference.searches.evidence_text import mhz
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency
from gray_kettle.interference.searches.hops import Hops
from gray_kettle.interference.searches.mains import OVENS_HZ, MainsSynced
from gray_kettle.model.records import Detection

_ONLY_THEN = 0.9
_ON_IT_HZ, _TIMES_AS_OFTEN = 0.7e6, 3.0
_TOGETHER_HZ = 8e6
_PULSES_HZ = 5e6
_NOT_ALL = 0.6  # of the rows
_WIDE_HZ, _ALWAYS, _SHARED = 3e6, 0.9, 0.5


def on_their_own(
    block: Block, around: LocalBackground, fixed: list[FixedFrequency],
    others: tuple[list[FixedFrequency], list[Hops], MainsSynced | None],
) -> list[FixedFrequency]:  # fmt: skip
    """Places that are no part of what else is told. others: who advertises, hoppers, an oven."""
    advertising, hops, locked = others
    return [
        f
        for f in fixed
        if not (locked is not None and _is_of_oven(f, locked))
        and not _is_of_advertising(f, advertising)
        and not any(
            h.takes(f.centre_hz, f.level_dbm, len(f.bursts), h.beside(block, around, f.centre_hz))
            for h in hops
        )
    ]


def _is_of_oven(f: FixedFrequency, o: MainsSynced) -> bool:
    """Whether it only shows where and when something wide does that keeps time with the mains."""
    return o.low_hz < f.centre_hz < o.high_hz and float(np.isin(f.bursts.row, o.rows).mean()) > _ONLY_THEN


def _is_of_advertising(f: FixedFrequency, advertising: list[FixedFrequency]) -> bool:
    """Whether it is on a place of advertising that is told, and no more often there: of that, or of another that
    advertises.
    """
    is_on = any(abs(f.centre_hz - hz) < _ON_IT_HZ for hz in ADVERTISING_HZ)
    return is_on and any(f.share < _TIMES_AS_OFTEN * a.share for a in advertising)


def but_of_turning(fixed: list[FixedFrequency], turning: list[FixedFrequency]) -> list[FixedFrequency]:
    """What turns, and the places that are none of it."""
    left = [f for f in fixed if all(abs(f.centre_hz - t.centre_hz) > _PULSES_HZ for t in turning)]
    return left + turning


def but_stripes(standing: list[ContinuousSignal], is_in_step: bool) -> list[ContinuousSignal]:
    """What stands, but for what an oven in step with the rows makes seem to stand for a while."""
    if not is_in_step:
        return standing
    return [s for s in standing if s.time_share > _NOT_ALL or not OVENS_HZ[0] < s.centre_hz < OVENS_HZ[1]]


def is_what_stands(locked: MainsSynced, standing: list[ContinuousSignal]) -> bool:
    """Whether what seems to keep time with the mains, before rows in step with those, is what stands there for a while:
    that never pauses, and begins and ends when somebody wants it to.
    """
    if not locked.is_in_step:
        return False
    low_hz, high_hz = locked.core_hz
    return any(
        s.width10_hz > _WIDE_HZ
        and s.time_share < _ALWAYS
        and min(s.high_hz, high_hz) - max(s.low_hz, low_hz) > _SHARED * min(s.width10_hz, high_hz - low_hz)
        for s in standing
    )


def put_together(unknown: list[Detection]) -> list[Detection]:
    """Unknown things that lie together, told as one: what goes between a few places, mostly."""
    out: list[list[Detection]] = []
    for s in sorted(unknown, key=lambda s: s.low_hz):
        if out and s.low_hz - max(o.high_hz for o in out[-1]) < _TOGETHER_HZ:
            out[-1].append(s)
        else:
            out.append([s])
    return [some[0] if len(some) == 1 else _as_one(some) for some in out]


def _as_one(some: list[Detection]) -> Detection:
    loudest = max(some, key=lambda s: s.level_dbm)
    low_hz, high_hz = min(s.low_hz for s in some), max(s.high_hz for s in some)
    shares: dict[tuple[str, int], float] = {}
    for band, number, share in (c for s in some for c in s.channels):
        shares[band, number] = min(shares.get((band, number), 0.0) + share, 1.0)
    together = (
        f"{len(some)} frequencies from {mhz(low_hz)} to {mhz(high_hz)}: "
        "one emitter that changes between them, or several"
    )
    return replace(
        loudest, low_hz=low_hz, high_hz=high_hz, duty=min(sum(s.duty for s in some), 1.0),
        first_s=min(s.first_s for s in some), last_s=max(s.last_s for s in some), rows=sum(s.rows for s in some),
        channels=tuple((*where, share) for where, share in sorted(shares.items())),
        evidence=(together, *loudest.evidence),
    )  # fmt: skip
