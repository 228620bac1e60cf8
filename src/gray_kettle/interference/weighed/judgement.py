"""How likely a candidate is an emitter, and of which kind: weighed features, and which of them spoke for it.

Two steps: is it an emitter at all (a sum of small decision trees), and if so, of which kind (a multinomial logistic
function of the features). Both are fitted on scenes of two simulators by `python -m benchmarks.detection.fit` and kept
in weights-many.json and weights-few.json. Source: docs/emitters.md, "How it decides".
"""

import json
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from importlib.resources import files

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
    emitter; kinds: weight of each feature and an offset last, for each kind.
    """

    names: tuple[str, ...]
    mean: FloatArray
    scale: FloatArray
    trees: Trees
    kinds: dict[EmitterKind, FloatArray]


@dataclass(frozen=True)
class Judgement:
    """probability: of being an emitter. kinds: (kind, probability if it is one), the likeliest first. spoke_for and
    spoke_against: (feature, whether it is higher than usual), what added most to the odds first.
    """

    probability: float
    kinds: tuple[tuple[EmitterKind, float], ...]
    spoke_for: tuple[tuple[str, bool], ...]
    spoke_against: tuple[tuple[str, bool], ...]

    @property
    def family(self) -> tuple[str, float]:
        """The likeliest family and its probability if it is an emitter."""
        sums: dict[str, float] = {}
        for kind, share in self.kinds:
            sums[family_of(kind)] = sums.get(family_of(kind), 0.0) + share
        return max(sums.items(), key=lambda item: item[1])


@cache
def weights(fitted: Fitted) -> dict[str, Weights]:
    """By shape of candidate: "interval", "place", "advertising", "spread", "second", "clump", "searched"."""
    told = json.loads((files(__package__) / f"{fitted}.json").read_text())
    return {
        shape: Weights(
            tuple(w["names"]), np.array(w["mean"]), np.array(w["scale"]), _trees(w["trees"]),
            {EmitterKind(kind): np.array(v) for kind, v in w["kinds"].items()},
        )
        for shape, w in told.items()
    }  # fmt: skip


def _trees(told: dict[str, list[float]]) -> Trees:
    whole = {name: np.array(told[name], np.intp) for name in ("roots", "feature", "left")}
    return Trees(
        whole["roots"], whole["feature"], np.array(told["threshold"], float), whole["left"],
        np.array(told["value"], float), told["base"][0],
    )  # fmt: skip


def judged(shape: str, features: Features, which: Fitted) -> Judgement:
    """Weigh the features of a candidate. Raises: KeyError for a shape that no weights were fitted for."""
    fitted = weights(which)[shape]
    values = np.nan_to_num([features.get(name, 0.0) for name in fitted.names])
    values = np.clip((values - fitted.mean) / fitted.scale, -_MOST_DEVIATIONS, _MOST_DEVIATIONS)
    start, parts = fitted.trees.parts(values)
    probability = float(1 / (1 + np.exp(-(start + parts.sum()))))
    scores = np.array([float(values @ w[:-1] + w[-1]) for w in fitted.kinds.values()])
    shares = np.exp(scores - scores.max())
    shares /= shares.sum()
    kinds = sorted(zip(fitted.kinds, shares.tolist(), strict=True), key=lambda item: -item[1])
    order = [int(k) for k in np.argsort(-parts)]
    spoke_for = tuple((fitted.names[k], bool(values[k] > 0)) for k in order if parts[k] > _WORTH_NAMING)
    spoke_against = tuple(
        (fitted.names[k], bool(values[k] > 0)) for k in reversed(order) if parts[k] < -_WORTH_NAMING
    )
    return Judgement(probability, tuple(kinds), spoke_for, spoke_against)
