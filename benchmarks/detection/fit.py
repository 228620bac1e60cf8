"""Fit the weights of the detector on candidates of scenes with truth, and write them.

python -m benchmarks.detection.fit FILE.pkl … [--few]: files of benchmarks.detection.collect
"""

import argparse
import json
import pickle
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

from benchmarks.detection.measured import MeasuredScene
from benchmarks.detection.scenes import TrueEmitter
from gray_kettle.interference import weighed
from gray_kettle.interference.weighed.candidates import Candidate
from gray_kettle.interference.weighed.judgement import Fitted, family_of
from gray_kettle.model.enums import EmitterKind

NONE = "none"
_IS, _MAYBE = (
    0.5,
    0.22,
)  # how well a candidate agrees with an emitter: it is it, or it may not be learned from
_NO_MORE = 0.35
_HOPPERS = "hopper"
TREES, LEAVES = 260, 8
WEIGHTS = Path(weighed.__file__).parent
SHAPES = ("interval", "searched", "place", "advertising", "spread", "second", "clump")


@dataclass(frozen=True)
class Example:
    """A candidate of a scene. kind: of the emitter that it is of, or "none"; weight 0: not to be learned from."""

    scene: str
    shape: str
    features: dict[str, float]
    kind: str
    weight: float


def agreement(candidate: Candidate, emitter: TrueEmitter, step_hz: float) -> float:
    """From 0 to 1: how well a candidate describes an emitter."""
    family = family_of(emitter.kind)
    low, high = candidate.low_hz, candidate.high_hz
    middle, width = (emitter.low_hz + emitter.high_hz) / 2, emitter.high_hz - emitter.low_hz
    off = abs(candidate.centre_hz - middle)
    half = max(width, 1.2 * step_hz, 3e5) / 2
    union = max(high, middle + half) - min(low, middle - half)
    overlap = max(min(high, middle + half) - max(low, middle - half), 0.0) / union
    match candidate.shape:
        case "interval" | "searched":
            of = _of_interval if candidate.shape == "interval" else _of_found
            return of(emitter, overlap, off, candidate, step_hz)
        case "place":
            is_narrow = family in ("802.15.4", "radar", "narrowband")
            return float(is_narrow and off < max(7e5, step_hz))
        case "advertising":
            return float(emitter.kind == EmitterKind.BLE_ADVERTISING)
        case "spread":
            covered = min(high, emitter.high_hz) - max(low, emitter.low_hz)
            return 0.0 if family != _HOPPERS else 1.0 if covered > width / 2 else _NO_MORE
        case _:
            is_oven = emitter.kind == EmitterKind.MICROWAVE_OVEN and off < 8e6
            return float(is_oven)


def _hops(emitter: TrueEmitter) -> bool:
    return family_of(emitter.kind) == _HOPPERS and emitter.kind != EmitterKind.BLE_ADVERTISING


def _of_found(
    emitter: TrueEmitter, overlap: float, off_hz: float, candidate: Candidate, step_hz: float
) -> float:
    """What a search found: a piece of a hopper is not the hopper."""
    width_hz, family = candidate.width_hz, family_of(emitter.kind)
    if emitter.kind == EmitterKind.BLE_ADVERTISING:
        is_named = candidate.found is not None and candidate.found.kind == emitter.kind
        return float(is_named) if width_hz > 20e6 else 0.9 * (off_hz < 8e5)
    if _hops(emitter):
        covered = min(candidate.high_hz, emitter.high_hz) - max(candidate.low_hz, emitter.low_hz)
        is_whole = covered > 0.4 * (emitter.high_hz - emitter.low_hz) and width_hz > 4e6
        return float(is_whole)
    if family in ("narrowband", "802.15.4", "radar"):
        return float(off_hz < max(8e5, 1.5 * step_hz) and width_hz < max(5e6, 5 * step_hz))
    if family == "microwave-oven":
        return 1.0 if overlap > 0.25 or off_hz < 8e6 else 0.0
    return 1.0 if overlap > _NO_MORE else overlap


def _of_interval(
    emitter: TrueEmitter, overlap: float, off_hz: float, candidate: Candidate, step_hz: float
) -> float:
    width_hz = candidate.width_hz
    match family_of(emitter.kind):
        case "narrowband":
            return float(off_hz < max(4e5, 1.5 * step_hz) and width_hz < max(2e6, 5 * step_hz))
        case "hopper":
            return min(overlap, 0.4) if width_hz > 15e6 else 0.0
        case "802.15.4" | "radar":
            is_as_wide = width_hz < max(4e6, 4 * step_hz) or overlap > _IS
            return 0.9 if off_hz < 8e5 and is_as_wide else 0.0
        case "microwave-oven":
            return min(1.0, 1.3 * overlap)
    return overlap


def examples_of(scene: MeasuredScene) -> list[Example]:
    """All candidates of a scene with what they are."""
    out = []
    hoppers = [e for e in scene.emitters if e.is_detectable and _hops(e)]
    for candidate in scene.candidates:
        best, kind = 0.0, NONE
        for emitter in scene.emitters:
            score = agreement(candidate, emitter, scene.step_hz)
            if not emitter.is_detectable:
                score = min(score, 0.3)
            if score > best:
                best, kind = score, str(emitter.kind)
        if candidate.shape == "second":
            best, kind = (1.0, str(hoppers[1].kind)) if len(hoppers) > 1 else (0.0, NONE)
        is_one = best >= _IS
        out.append(Example(
            scene.name, candidate.shape, candidate.features, kind if is_one else NONE, float(is_one or best < _MAYBE),
        ))  # fmt: skip
    return out


def fitted(examples: list[Example], strength: float = 0.1) -> dict[str, object]:
    """Weights by shape, as they are kept. strength: inverse of the penalty on large weights."""
    out: dict[str, object] = {}
    for shape in SHAPES:
        some = [e for e in examples if e.shape == shape and e.weight > 0]
        if not some:
            continue  # rows of many frames have no searches
        names = list(some[0].features)
        values = np.nan_to_num(np.array([[e.features[n] for n in names] for e in some]))
        kinds = np.array([e.kind for e in some])
        scaler = StandardScaler().fit(values)
        scaled = np.clip(scaler.transform(values), -5, 5)
        is_one = kinds != NONE
        known, counts = np.unique(kinds[is_one], return_counts=True)
        usable = is_one & np.isin(kinds, known[counts >= 3])
        of_kind = {}
        if len(np.unique(kinds[usable])) > 1:
            model = LogisticRegression(C=strength, max_iter=5000).fit(scaled[usable], kinds[usable])
            rows = model.coef_ if len(model.classes_) > 2 else np.vstack([-model.coef_ / 2, model.coef_ / 2])
            offsets = (
                model.intercept_ if len(model.classes_) > 2 else np.array([-1, 1]) * model.intercept_ / 2
            )
            for kind, row, offset in zip(model.classes_, rows, offsets, strict=True):
                of_kind[str(kind)] = _short([*row, offset])
        else:
            of_kind[str(known[0])] = [0.0] * (len(names) + 1)
        out[shape] = {
            "names": names, "mean": _short(scaler.mean_), "scale": _short(scaler.scale_),
            "trees": _trees(np.clip(scaled, -5, 5), is_one), "kinds": of_kind,
        }  # fmt: skip
    return out


def _trees(values: np.ndarray, is_one: np.ndarray) -> dict[str, list[float] | list[int]]:
    """Boosted trees as arrays over all nodes: feature (-1 at a leaf), threshold, node to the left (the next is to the
    right), and value: what is reached from there adds on average to the logarithm of the odds. roots: first nodes.
    """
    model = HistGradientBoostingClassifier(
        max_iter=TREES, learning_rate=0.05, max_leaf_nodes=LEAVES, min_samples_leaf=20, l2_regularization=4.0
    ).fit(values, is_one)
    features: list[int] = []
    thresholds: list[float] = []
    lefts: list[int] = []
    means: list[float] = []
    roots = []
    for (tree,) in model._predictors:
        nodes = tree.nodes
        order, place = [0], {0: len(features)}
        roots.append(len(features))
        at = len(features) + 1
        for k in order:  # each node after its parent, pairs side by side
            node = nodes[k]
            if not node["is_leaf"]:
                pair = (int(node["left"]), int(node["right"]))
                place[pair[0]], place[pair[1]] = at, at + 1
                order += pair
                at += 2
        for k in sorted(order, key=lambda n: place[n]):
            node = nodes[k]
            features.append(-1 if node["is_leaf"] else int(node["feature_idx"]))
            thresholds.append(0.0 if node["is_leaf"] else float(f"{node['num_threshold']:.4g}"))
            lefts.append(0 if node["is_leaf"] else place[int(node["left"])])
            means.append(float(f"{_mean_of(nodes, k):.4g}"))
    base = float(np.ravel(model._baseline_prediction)[0])
    return {
        "roots": roots,
        "feature": features,
        "threshold": thresholds,
        "left": lefts,
        "value": means,
        "base": [base],
    }


def _mean_of(nodes: np.ndarray, k: int) -> float:
    """Mean of the leaves below a node, by how many examples reach them."""
    node = nodes[k]
    if node["is_leaf"]:
        return float(node["value"])
    left, right = nodes[int(node["left"])], nodes[int(node["right"])]
    total = float(left["count"]) + float(right["count"])
    return (
        _mean_of(nodes, int(node["left"])) * float(left["count"])
        + _mean_of(nodes, int(node["right"])) * float(right["count"])
    ) / max(total, 1.0)


def _short(values: "list[float] | np.ndarray") -> list[float]:
    return [float(f"{v:.4g}") for v in values]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("files", nargs="+", type=Path)
    parser.add_argument("--strength", type=float, default=0.1)
    parser.add_argument("--few", action="store_true", help="of rows of few moments")
    parser.add_argument("--out", type=Path)
    asked = parser.parse_args()
    out = asked.out or WEIGHTS / f"{Fitted.FEW_MOMENTS if asked.few else Fitted.MANY_MOMENTS}.json"
    scenes = [scene for file in asked.files for scene in pickle.loads(file.read_bytes())]
    examples = [example for scene in scenes for example in examples_of(scene)]
    out.write_text(json.dumps(fitted(examples, asked.strength), separators=(",", ":")) + "\n")
    print(f"{len(examples)} candidates of {len(scenes)} scenes -> {out.name}")


if __name__ == "__main__":
    main()
