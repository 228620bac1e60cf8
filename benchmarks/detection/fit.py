"""Fit the weights of the detector on candidates of scenes with truth, and write them.

python -m benchmarks.detection.fit FILE.pkl … [--few]: files of benchmarks.detection.collect
"""

import argparse
import json
import pickle
from pathlib import Path

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

from benchmarks.detection.labels import NONE, Example, examples_of, representatives
from benchmarks.detection.measured import MeasuredScene
from benchmarks.detection.trees import emitter_trees, family_trees
from gray_kettle.interference import weighed
from gray_kettle.interference.weighed.competition import SHAPES, beside_others
from gray_kettle.interference.weighed.judgement import Fitted, judged_by, weights_from

_FOLDS, _COMPETITION_TREES = 4, 200
WEIGHTS = Path(weighed.__file__).parent


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
            "trees": emitter_trees(scaled, is_one), "kinds": of_kind,
            "families": family_trees(scaled[is_one], kinds[is_one]),
        }  # fmt: skip
    return out


def with_competition(scenes: list[MeasuredScene], strength: float) -> dict[str, object]:
    """Weights by shape, and those of candidates beside each other, which are fitted on judgements of scenes that the
    first weights were not fitted on.
    """
    examples = [examples_of(scene) for scene in scenes]
    out = fitted([e for some in examples for e in some], strength)
    fold = np.random.default_rng(0).permutation(len(scenes)) % _FOLDS
    measured, stands_for, counts = [], [], []
    for k in range(_FOLDS):
        first = weights_from(
            fitted([e for some, f in zip(examples, fold, strict=True) if f != k for e in some], strength)
        )
        for n in np.flatnonzero(fold == k):
            scene = scenes[n]
            if not scene.candidates:
                continue
            judgements = [judged_by(first[c.shape], c.features) for c in scene.candidates]
            measured.append(beside_others(scene.candidates, judgements))
            one, counted = representatives(scene, judgements)
            stands_for.append(one)
            counts.append(counted)
    which = np.concatenate(counts)
    out["competition"] = emitter_trees(
        np.vstack(measured)[which], np.concatenate(stands_for)[which], _COMPETITION_TREES
    )
    return out


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
    found = with_competition(scenes, asked.strength)
    out.write_text(json.dumps(found, separators=(",", ":")) + "\n")
    print(f"{sum(len(s.candidates) for s in scenes)} candidates of {len(scenes)} scenes -> {out.name}")


if __name__ == "__main__":
    main()
