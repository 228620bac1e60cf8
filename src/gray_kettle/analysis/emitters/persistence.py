"""What the ends of our own looks tell of an emitter: nothing. It begins and ends when it likes, a look where we cut.

So what fills one look from end to end, and shows in none of those right beside it, was a chance of that look; and a
look between two that it fills as far as their common ends was blind to it.

Source: docs/radio-model.md, "One emitter, many sightings".
"""

import itertools
from collections.abc import Iterable

from gray_kettle.model.records import Detection, DetectionBlock

_END, _MOST_END, _SILENCES = 0.02, 0.3, 2.0
_GAP_STEPS = 5.0  # between looks of one take there is a step
_AS_ABLE = 0.5  # of its rows: a look that is much shorter may well be blind
_FEWEST_BLOCKS, _FEW, _MOST_BLIND = 3, 0.25, 2
_MAINS_HZ, _WANDER_HZ, _TURN_S = (50.0, 60.0), 0.08, 60.0
BlockDetection = tuple[DetectionBlock, Detection]
BlockRun = tuple[DetectionBlock, ...]


def block_runs(block: tuple[DetectionBlock, ...]) -> tuple[BlockRun, ...]:
    """Looks at one span from one spot that follow upon one another without a pause."""
    by_view: dict[tuple[str, float, float], list[list[DetectionBlock]]] = {}
    for look in sorted(block, key=lambda k: k.start_s):
        runs = by_view.setdefault((look.spot, look.low_hz, look.high_hz), [])
        if runs and 0 <= look.start_s - runs[-1][-1].end_s <= _GAP_STEPS * step_s(look):
            runs[-1].append(look)
        else:
            runs.append([look])
    return tuple(tuple(run) for runs in by_view.values() for run in runs)


def step_s(block: DetectionBlock) -> float:
    """Time between two of its rows."""
    return (block.end_s - block.start_s) / max(block.rows - 1, 1)


def may_miss_mains_phase(block: DetectionBlock, detected: Iterable[DetectionBlock]) -> bool:
    """Whether its rows come in step with the mains, right before or after looks that saw what keeps time with those:
    they may fall on the rest of the wave and show nothing of it.
    """
    rows_per_s = 1 / max(step_s(block), 1e-9)
    away_hz = min(abs(line_hz - rows_per_s * max(round(line_hz / rows_per_s), 1)) for line_hz in _MAINS_HZ)
    if away_hz > _WANDER_HZ or block.end_s - block.start_s > _TURN_S:
        return False
    return any(max(block.start_s - k.end_s, k.start_s - block.end_s) < _TURN_S for k in detected)


def without_chance_detections(
    entry: list[BlockDetection], runs: tuple[BlockRun, ...]
) -> list[BlockDetection]:
    """The sightings of an entry without those that are chances of single looks: of one in a chain, or a few in many."""
    detected = {id(look): detection for look, detection in entry}
    by_chance: set[int] = set()
    for run in runs:
        kept = [k for k, look in enumerate(run) if id(look) in detected]
        are_few = len(run) >= _FEWEST_BLOCKS and len(kept) <= max(1, len(run) * _FEW)
        if are_few and all(_is_by_chance(run, k, detected) for k in kept):
            by_chance.update(id(run[k]) for k in kept)
    return [(look, detection) for look, detection in entry if id(look) not in by_chance]


def _is_by_chance(run: BlockRun, at: int, detected: dict[int, Detection]) -> bool:
    beside = [k for k in (at - 1, at + 1) if 0 <= k < len(run)]
    able = [k for k in beside if run[k].rows >= _AS_ABLE * run[at].rows]
    return bool(able) and all(
        id(run[k]) not in detected and _reaches(run[at], detected[id(run[at])], k < at) for k in able
    )


def _reaches(look: DetectionBlock, detection: Detection, to_start: bool) -> bool:
    """Whether it shows to that end of a look, as far as one that shows so seldom can."""
    left_s = detection.first_s - look.start_s if to_start else look.end_s - detection.last_s
    share = min(_END + _SILENCES / max(detection.rows, 1), _MOST_END)
    return left_s <= share * (look.end_s - look.start_s)


def undetected_between(entry: list[BlockDetection], runs: tuple[BlockRun, ...]) -> list[BlockDetection]:
    """Looks in which it must have been, each with the sighting before it."""
    detected = {id(look): detection for look, detection in entry}
    out: list[BlockDetection] = []
    for run in runs:
        kept = [k for k, look in enumerate(run) if id(look) in detected]
        for before, after in itertools.pairwise(kept):
            if (
                1 < after - before <= _MOST_BLIND + 1
                and _reaches(run[before], detected[id(run[before])], to_start=False)
                and _reaches(run[after], detected[id(run[after])], to_start=True)
            ):
                out += [(run[k], detected[id(run[before])]) for k in range(before + 1, after)]
    return out
