"""Which detections are chance, and which blocks missed an emitter: block boundaries are ours, not the emitter's.

A detection that fills one block from end to end and shows in neither neighbour was chance. A block between two that an
emitter fills up to their common ends missed it.

Source: docs/radio-model.md, "One emitter, many detections".
"""

import itertools
from collections.abc import Iterable

from gray_kettle.model.records import Detection, DetectionBlock

_END, _MOST_END, _SILENCES = 0.02, 0.3, 2.0
_GAP_STEPS = 5.0  # row intervals between blocks of one take
_AS_ABLE = 0.5  # of its rows: a much shorter block may miss it
_FEWEST_BLOCKS, _FEW, _MOST_BLIND = 3, 0.25, 2
_MAINS_HZ, _WANDER_HZ, _TURN_S = (50.0, 60.0), 0.08, 60.0
BlockDetection = tuple[DetectionBlock, Detection]
BlockRun = tuple[DetectionBlock, ...]


def block_runs(blocks: tuple[DetectionBlock, ...]) -> tuple[BlockRun, ...]:
    """Blocks of one span and spot that follow each other without a gap."""
    by_view: dict[tuple[str, float, float], list[list[DetectionBlock]]] = {}
    for examined in sorted(blocks, key=lambda k: k.start_s):
        runs = by_view.setdefault((examined.spot, examined.low_hz, examined.high_hz), [])
        if runs and 0 <= examined.start_s - runs[-1][-1].end_s <= _GAP_STEPS * step_s(examined):
            runs[-1].append(examined)
        else:
            runs.append([examined])
    return tuple(tuple(run) for runs in by_view.values() for run in runs)


def step_s(block: DetectionBlock) -> float:
    """Mean interval of its rows, seconds."""
    return (block.end_s - block.start_s) / max(block.rows - 1, 1)


def may_miss_mains_phase(block: DetectionBlock, detected: Iterable[DetectionBlock]) -> bool:
    """Whether its rows are in step with the mains, close to blocks that show a mains-synchronous emitter.

    Such rows may fall on the quiet part of the wave and show nothing of it.
    """
    rows_per_s = 1 / max(step_s(block), 1e-9)
    away_hz = min(abs(line_hz - rows_per_s * max(round(line_hz / rows_per_s), 1)) for line_hz in _MAINS_HZ)
    if away_hz > _WANDER_HZ or block.end_s - block.start_s > _TURN_S:
        return False
    return any(max(block.start_s - k.end_s, k.start_s - block.end_s) < _TURN_S for k in detected)


def without_chance_detections(
    entry: list[BlockDetection], runs: tuple[BlockRun, ...]
) -> list[BlockDetection]:
    """The detections of a track without chance ones: those of one block in a run, or of a few in many."""
    detected = {id(examined): detection for examined, detection in entry}
    by_chance: set[int] = set()
    for run in runs:
        kept = [k for k, examined in enumerate(run) if id(examined) in detected]
        are_few = len(run) >= _FEWEST_BLOCKS and len(kept) <= max(1, len(run) * _FEW)
        if are_few and all(_is_by_chance(run, k, detected) for k in kept):
            by_chance.update(id(run[k]) for k in kept)
    return [(examined, detection) for examined, detection in entry if id(examined) not in by_chance]


def _is_by_chance(run: BlockRun, at: int, detected: dict[int, Detection]) -> bool:
    beside = [k for k in (at - 1, at + 1) if 0 <= k < len(run)]
    able = [k for k in beside if run[k].rows >= _AS_ABLE * run[at].rows]
    return bool(able) and all(
        id(run[k]) not in detected and _reaches(run[at], detected[id(run[at])], k < at) for k in able
    )


def _reaches(examined: DetectionBlock, detection: Detection, to_start: bool) -> bool:
    """Whether it shows up to that end of a block, as far as an emitter with so few rows can."""
    left_s = detection.first_s - examined.start_s if to_start else examined.end_s - detection.last_s
    share = min(_END + _SILENCES / max(detection.rows, 1), _MOST_END)
    return left_s <= share * (examined.end_s - examined.start_s)


def undetected_between(entry: list[BlockDetection], runs: tuple[BlockRun, ...]) -> list[BlockDetection]:
    """Blocks in which it must have been on, each with the detection before it."""
    detected = {id(examined): detection for examined, detection in entry}
    out: list[BlockDetection] = []
    for run in runs:
        kept = [k for k, examined in enumerate(run) if id(examined) in detected]
        for before, after in itertools.pairwise(kept):
            if (
                1 < after - before <= _MOST_BLIND + 1
                and _reaches(run[before], detected[id(run[before])], to_start=False)
                and _reaches(run[after], detected[id(run[after])], to_start=True)
            ):
                out += [(run[k], detected[id(run[before])]) for k in range(before + 1, after)]
    return out
