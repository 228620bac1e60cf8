"""A second judgement, of candidates beside each other: is this the one that stands for its emitter?

By itself each piece of a hopper, each hump of a picture and each search's name for either may look like an emitter.
What else is a candidate at the same frequency, around it, within it and elsewhere tells which of them to keep. Source:
docs/radio-model.md, "Candidates, weighed".
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.weighed.candidates import Candidate
from gray_kettle.interference.weighed.judgement import Fitted, Judgement, competition_weights, family_of
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import FloatArray

FAMILIES = tuple(sorted({family_of(kind) for kind in EmitterKind}))
SHAPES = ("interval", "searched", "fixed", "advertising", "spread", "second", "clump")
RELATIONS = ("twin", "around", "within", "elsewhere")
_LEAST_WIDTH_HZ, _NEAR_HZ, _NARROW_HZ = 3e5, 1.5e6, 5e6
_WIDER, _TWIN_OVERLAP = 1.8, 0.5
_NONE_ODDS, _LIKELY = -6.0, 0.3
_ANYWHERE = ("hopper", "microwave-oven", "802.15.4")
NAMES = (
    "odds", *(f"it is {f}" for f in FAMILIES), *(f"shape {s}" for s in SHAPES),
    "width", "rise", "mains", "is 2.4 GHz", "moments",
    *(f"likeliest {r}" for r in RELATIONS), *(f"all {r}" for r in RELATIONS),
    "likelier twins", "twins", "number around", "number within", "number",
    *(f"{f} {r}" for r in RELATIONS[:3] for f in FAMILIES),
    *(f"likeliest {s}" for s in SHAPES), *(f"likeliest {s} that overlaps" for s in SHAPES),
    *(f"{f} anywhere" for f in _ANYWHERE), "mains anywhere",
)  # fmt: skip


def settled(candidates: Sequence[Candidate], judgements: list[Judgement], fitted: Fitted) -> list[Judgement]:
    """The judgements with the probability that each candidate is the one of its emitter; as they are where no such
    weights were fitted.
    """
    trees = competition_weights(fitted)
    if trees is None or not candidates:
        return judgements
    odds = [trees.total(row) for row in beside_others(candidates, judgements)]
    return [
        replace(j, probability=float(1 / (1 + np.exp(-o))), by_itself=j.probability)
        for j, o in zip(judgements, odds, strict=True)
    ]


def beside_others(candidates: Sequence[Candidate], judgements: Sequence[Judgement]) -> FloatArray:
    """What is measured of each candidate among the others, in the order of NAMES. Shape (candidates, len(NAMES))."""
    p = np.array([j.probability for j in judgements])
    families = np.array([_shares(j) for j in judgements]).reshape(len(p), len(FAMILIES))
    low, high = (np.array([getattr(c, end) for c in candidates]) for end in ("low_hz", "high_hz"))
    width, middle = np.maximum(high - low, _LEAST_WIDTH_HZ), (low + high) / 2
    shape = np.array([SHAPES.index(c.shape) for c in candidates])
    own = {
        name: np.array([c.features.get(name, 0.0) for c in candidates])
        for name in ("rise", "mains", "is 2.4 GHz", "moments")
    }
    of_family, odds = families * p[:, None], _odds(p)
    out = np.zeros((len(p), len(NAMES)))
    for i in range(len(p)):
        others = np.arange(len(p)) != i
        common = np.maximum(np.minimum(high, high[i]) - np.maximum(low, low[i]), 0.0)
        wider = np.maximum(width, width[i])
        is_near = (wider < _NARROW_HZ) & (np.abs(middle - middle[i]) < _NEAR_HZ)
        twin = others & ((common / wider > _TWIN_OVERLAP) | is_near)
        around = others & (width > _WIDER * width[i]) & (low < middle[i]) & (high > middle[i])
        within = others & (width < width[i] / _WIDER) & (middle > low[i]) & (middle < high[i])
        relations = (twin, around, within, others & ~twin & ~around & ~within)
        of_shape = [others & (shape == k) for k in range(len(SHAPES))]
        likely = others & (p > _LIKELY)
        out[i] = [
            odds[i], *families[i], *(float(shape[i] == k) for k in range(len(SHAPES))),
            float(np.log10(width[i] / 1e6)), *(values[i] for values in own.values()),
            *(_highest(odds, r) for r in relations), *(float(p[r].sum()) for r in relations),
            float((p[twin] > p[i]).sum()), float(twin.sum()), float(around.sum()), float(within.sum()), len(p) / 20,
            *(v for r in relations[:3] for v in (of_family[r].max(axis=0) if r.any() else np.zeros(len(FAMILIES)))),
            *(_highest(odds, r) for r in of_shape), *(_highest(odds, r & (common > 0)) for r in of_shape),
            *(float(of_family[others, FAMILIES.index(f)].max(initial=0.0)) for f in _ANYWHERE),
            float(own["mains"][likely].max(initial=0.0)),
        ]  # fmt: skip
    return out


def _odds(p: FloatArray) -> FloatArray:
    p = np.clip(p, 1e-4, 1 - 1e-4)
    return np.asarray(np.log(p / (1 - p)))


def _highest(odds: FloatArray, which: NDArray[np.bool_]) -> float:
    return float(odds[which].max(initial=_NONE_ODDS))


def _shares(judgement: Judgement) -> list[float]:
    """Probability of each family if it is an emitter."""
    sums = dict.fromkeys(FAMILIES, 0.0)
    for kind, share in judgement.kinds:
        sums[family_of(kind)] += share
    return list(sums.values())
