"""How likely a candidate is an emitter, and of which kind: weighed features, and which of them spoke for it.

Two steps: is it an emitter at all (a sum of small decision trees), and if so, of which kind (the geometric mean of a
multinomial logistic function of the features and of trees for its family). All are fitted on scenes of two simulators
by `python -m benchmarks.detection.fit` and kept in weights-many.json and weights-few.json. Source: docs/emitters.md,
"How it decides".
"""

import json
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.weighed.features import Features
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import FloatArray

_WORTH_NAMING = 0.3  # of what a feature adds to the logarithm of the odds
_MOST_DEVIATIONS = 5.0  # what lies farther out than any scene of the fit counts no more
FAMILIES: dict[EmitterKind, str] = {
    EmitterKind.BLUETOOTH: "hopper",
    EmitterKind.BLE_ADVERTISING: "hopper",
    EmitterKind.FREQUENCY_HOPPER: "hopper",
    EmitterKind.NARROWBAND_FM: "narrowband",
    EmitterKind.CONTINUOUS_CARRIER: "narrowband",
    EmitterKind.CELLULAR_CARRIER: str(EmitterKind.POINT_TO_POINT),
}


class Fitted(StrEnum):
    """What weights were fitted on; each is the name of their file."""

    MANY_MOMENTS = "weights-many"
    FEW_MOMENTS = "weights-few"


def family_of(kind: EmitterKind) -> str:
    """Kinds that are easily taken for each other and disturb in the same way are one family."""
    return FAMILIES.get(kind, str(kind))


@dataclass(frozen=True, eq=False)
class Trees:
    """Decision trees, all nodes in a row. roots: first node of each tree. feature: asked for, -1 at a leaf; left: where
    to go if it is not over the threshold, else to the next; value: what is reached from a node adds to the logarithm of
    the odds, on average. base: before any tree.
    """

    roots: NDArray[np.intp]
    feature: NDArray[np.intp]
    threshold: FloatArray
    left: NDArray[np.intp]
    value: FloatArray
    base: float

    def total(self, values: FloatArray) -> float:
        """Logarithm of the odds, up to a constant. values: of the features."""
        start, parts = self.parts(values)
        return start + float(parts.sum())

    def parts(self, values: FloatArray) -> tuple[float, FloatArray]:
        """(logarithm of the odds before any feature is asked for, what each feature adds). values: of the features."""
        at, parts = self.roots, np.zeros(len(values))
        start = self.base + float(self.value[at].sum())
        while True:
            at = at[self.feature[at] >= 0]
            if not len(at):
                return start, parts
            asked = self.feature[at]
            following = self.left[at] + (values[asked] > self.threshold[at])
            np.add.at(parts, asked, self.value[following] - self.value[at])
            at = following


@dataclass(frozen=True, eq=False)
class Weights:
    """Of one shape of candidate. names: of features; mean, scale: over the scenes of the fit; trees: whether it is an
    emitter; kinds: weight of each feature and an offset last, for each kind; families: which family it is of, none
    where weights of kinds decide alone.
    """

    names: tuple[str, ...]
    mean: FloatArray
    scale: FloatArray
    trees: Trees
    kinds: dict[EmitterKind, FloatArray]
    families: dict[str, Trees]

    def shares_of_kinds(self, values: FloatArray) -> list[float]:
        """Probability of each kind if it is an emitter. values: of the features, scaled."""
        scores = np.array([float(values @ w[:-1] + w[-1]) for w in self.kinds.values()])
        shares = np.exp(scores - scores.max())
        shares /= shares.sum()
        if self.families:
            of = [family_of(kind) for kind in self.kinds]
            totals = {family: trees.total(values) for family, trees in self.families.items()}
            most = max(totals.values())
            weights_ = {family: np.exp(total - most) for family, total in totals.items()}
            whole = sum(weights_.values())
            sums = {family: sum(s for s, f in zip(shares, of, strict=True) if f == family) for family in of}
            # A family that was too rare for trees keeps its share.
            ratio = {
                f: float(np.sqrt(weights_[f] / whole / max(s, 1e-9))) if f in weights_ else 1.0
                for f, s in sums.items()
            }
            shares = shares * np.array([ratio[f] for f in of])
            shares /= shares.sum()
        return [float(share) for share in shares]


@dataclass(frozen=True)
class Judgement:
    """probability: of being an emitter, or beside others the one that stands for it; by_itself: the former, where that
    is the latter. kinds: (kind, probability if it is one), the likeliest first. spoke_for and
    spoke_against: (feature, whether it is higher than usual), what added most to the odds first.
    """

    probability: float
    kinds: tuple[tuple[EmitterKind, float], ...]
    spoke_for: tuple[tuple[str, bool], ...]
    spoke_against: tuple[tuple[str, bool], ...]
    by_itself: "float | None" = None

    @property
    def confidence(self) -> float:
        """As it is shown: half way between both judgements, which is how often such claims are right (by
        cross-validation). One of two alike is not likely the one, though it surely is an emitter.
        """
        return self.probability if self.by_itself is None else (self.probability + self.by_itself) / 2

    @property
    def family(self) -> tuple[str, float]:
        """The likeliest family and its probability if it is an emitter."""
        sums: dict[str, float] = {}
        for kind, share in self.kinds:
            sums[family_of(kind)] = sums.get(family_of(kind), 0.0) + share
        return max(sums.items(), key=lambda item: item[1])


_COMPETITION = "competition"  # beside the shapes, in the files of weights


def _kept(fitted: Fitted) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((files(__package__) / f"{fitted}.json").read_text())
    return found


@cache
def weights(fitted: Fitted) -> dict[str, Weights]:
    """By shape of candidate: "interval", "fixed", "advertising", "spread", "second", "clump", "searched"."""
    return weights_from(_kept(fitted))


@cache
def competition_weights(fitted: Fitted) -> "Trees | None":
    """Of candidates beside each other, None where they were not fitted."""
    trees = _kept(fitted).get(_COMPETITION)
    return None if trees is None else _trees(trees)


def weights_from(kept: dict[str, Any]) -> dict[str, Weights]:
    """As they are kept in JSON."""
    return {
        shape: Weights(
            tuple(w["names"]), np.array(w["mean"]), np.array(w["scale"]), _trees(w["trees"]),
            {EmitterKind(kind): np.array(v) for kind, v in w["kinds"].items()},
            {family: _trees(trees) for family, trees in w.get("families", {}).items()},
        )
        for shape, w in kept.items() if shape != _COMPETITION
    }  # fmt: skip


def _trees(kept: dict[str, list[float]]) -> Trees:
    whole = {name: np.array(kept[name], np.intp) for name in ("roots", "feature", "left")}
    return Trees(
        whole["roots"], whole["feature"], np.array(kept["threshold"], float), whole["left"],
        np.array(kept["value"], float), kept["base"][0],
    )  # fmt: skip


def judged(shape: str, features: Features, which: Fitted) -> Judgement:
    """Weigh the features of a candidate. Raises: KeyError for a shape that no weights were fitted for."""
    return judged_by(weights(which)[shape], features)


def judged_by(fitted: Weights, features: Features) -> Judgement:
    """Weigh the features of a candidate of the shape that the weights are for."""
    values = np.nan_to_num([features.get(name, 0.0) for name in fitted.names])
    values = np.clip((values - fitted.mean) / fitted.scale, -_MOST_DEVIATIONS, _MOST_DEVIATIONS)
    start, parts = fitted.trees.parts(values)
    probability = float(1 / (1 + np.exp(-(start + parts.sum()))))
    kinds = sorted(zip(fitted.kinds, fitted.shares_of_kinds(values), strict=True), key=lambda item: -item[1])
    order = [int(k) for k in np.argsort(-parts)]
    spoke_for = tuple((fitted.names[k], bool(values[k] > 0)) for k in order if parts[k] > _WORTH_NAMING)
    spoke_against = tuple(
        (fitted.names[k], bool(values[k] > 0)) for k in reversed(order) if parts[k] < -_WORTH_NAMING
    )
    return Judgement(probability, tuple(kinds), spoke_for, spoke_against)
