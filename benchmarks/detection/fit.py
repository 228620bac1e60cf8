"""Fit the weights of the detector on scenes with truth, cross-check them, and write them.

python -m benchmarks.detection.fit collect OUT.pkl --folder DIR | --own RANGES --scenes N [--first K]
python -m benchmarks.detection.fit weights FILE.pkl … : fits on all of them and writes interference/weights.json
"""

import argparse
import json
import pickle
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

from benchmarks.detection.scenes import LabelledScene, TrueEmitter, of_our_own, one_of_folder, our_own_jobs
from gray_kettle.interference import averaged, receiver
from gray_kettle.interference.averaged.candidates import Candidate, candidates_of
from gray_kettle.interference.averaged.judgement import family_of
from gray_kettle.interference.averaged.rows import rows_of
from gray_kettle.model.enums import EmitterKind

NONE = "none"
_IS, _MAYBE = (
    0.5,
    0.22,
)  # how well a candidate agrees with an emitter: it is it, or it may not be learned from
_NO_MORE = 0.35
_HOPPERS = "hopper"
TREES, LEAVES = 260, 8
WEIGHTS = Path(averaged.__file__).parent / "weights.json"
SHAPES = ("interval", "place", "advertising", "spread", "second", "clump")


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
        case "interval":
            return _of_interval(family, overlap, off, candidate.width_hz, step_hz)
        case "place":
            if family in ("802.15.4", "radar", "narrowband"):
                return float(off < max(7e5, step_hz))
            is_near = (family == "analogue-video" and overlap > _IS) or (family == _HOPPERS and width < 6e6)
            return _NO_MORE if is_near else 0.0
        case "advertising":
            return float(emitter.kind == EmitterKind.BLE_ADVERTISING)
        case "spread":
            covered = min(high, emitter.high_hz) - max(low, emitter.low_hz)
            return 0.0 if family != _HOPPERS else 1.0 if covered > width / 2 else _NO_MORE
        case _:
            is_oven = emitter.kind == EmitterKind.MICROWAVE_OVEN and off < 8e6
            return 1.0 if is_oven else _NO_MORE if family == _HOPPERS else 0.0


def _hops(emitter: TrueEmitter) -> bool:
    return family_of(emitter.kind) == _HOPPERS and emitter.kind != EmitterKind.BLE_ADVERTISING


def _of_interval(family: str, overlap: float, off_hz: float, width_hz: float, step_hz: float) -> float:
    match family:
        case "narrowband":
            return float(off_hz < max(4e5, 1.5 * step_hz) and width_hz < max(2e6, 5 * step_hz))
        case "hopper":
            return min(overlap, 0.4) if width_hz > 15e6 else 0.0
        case "802.15.4" | "radar":
            return 0.9 if off_hz < 8e5 and width_hz < max(4e6, 4 * step_hz) else 0.0
        case "microwave-oven":
            return min(1.0, 1.3 * overlap)
    return overlap


def examples_of(scene: LabelledScene) -> list[Example]:
    """All candidates of a scene with what they are."""
    codes, _ = receiver.without_own(scene.span, scene.codes)
    out = []
    for candidate in candidates_of(rows_of(scene.span, scene.time_s, codes)):
        best, kind = 0.0, NONE
        for emitter in scene.emitters:
            score = agreement(candidate, emitter, scene.span.step_hz)
            if not emitter.is_detectable:
                score = min(score, 0.3)
            if score > best:
                best, kind = score, str(emitter.kind)
        if candidate.shape == "second":
            hoppers = [e for e in scene.emitters if e.is_detectable and _hops(e)]
            best, kind = (1.0, str(hoppers[1].kind)) if len(hoppers) > 1 else (0.0, NONE)
        is_one = best >= _IS
        out.append(Example(
            scene.name, candidate.shape, candidate.features, kind if is_one else NONE, float(is_one or best < _MAYBE),
        ))  # fmt: skip
    return out


def _of_path(path: Path) -> list[Example]:
    return examples_of(one_of_folder(path, as_swept=int(path.stem[-1]) % 4 > 0))


def _of_job(job: tuple[str, int, str]) -> list[Example]:
    return examples_of(of_our_own(*job))


def fitted(examples: list[Example], strength: float = 0.1) -> dict[str, object]:
    """Weights by shape, as they are kept. strength: inverse of the penalty on large weights."""
    out: dict[str, object] = {}
    for shape in SHAPES:
        some = [e for e in examples if e.shape == shape and e.weight > 0]
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
    parser.add_argument("what", choices=("collect", "weights"))
    parser.add_argument("files", nargs="+", type=Path)
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--own", help="ranges of our own simulator")
    parser.add_argument("--scenes", type=int, default=48)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--strength", type=float, default=0.1)
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    asked = parser.parse_args()
    if asked.what == "collect":
        with ProcessPoolExecutor(2) as pool:
            if asked.folder:
                found = list(pool.map(_of_path, sorted(asked.folder.glob("scene_*.npz"))))
            else:
                found = list(
                    pool.map(_of_job, our_own_jobs(asked.own, asked.scenes, asked.first), chunksize=2)
                )
        asked.files[0].write_bytes(pickle.dumps([vars(e) for some in found for e in some]))
        return
    examples = [Example(**e) for file in asked.files for e in pickle.loads(file.read_bytes())]
    asked.out.write_text(json.dumps(fitted(examples, asked.strength), separators=(",", ":")) + "\n")
    print(f"{len(examples)} candidates of {len({e.scene for e in examples})} scenes -> {asked.out.name}")


if __name__ == "__main__":
    main()
