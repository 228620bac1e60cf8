"""Boosted trees, fitted with scikit-learn and kept as plain arrays that the detector reads with NumPy alone."""

from typing import Any

import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier

from gray_kettle.interference.weighed.judgement import family_of
from gray_kettle.model.enums import EmitterKind

TREES, LEAVES = 260, 8
FAMILY_TREES, FAMILY_LEAVES, _FEWEST_OF_FAMILY = 50, 5, 8
Arrays = dict[str, list[float] | list[int]]


def emitter_trees(values: np.ndarray, is_one: np.ndarray, number: int = TREES) -> Arrays:
    """Whether a candidate is an emitter."""
    model = HistGradientBoostingClassifier(
        max_iter=number, learning_rate=0.05, max_leaf_nodes=LEAVES, min_samples_leaf=20, l2_regularization=4.0
    ).fit(values, is_one)
    base = float(np.ravel(model._baseline_prediction)[0])
    return _as_arrays([tree for (tree,) in model._predictors], base)


def family_trees(values: np.ndarray, kinds: np.ndarray) -> dict[str, Arrays]:
    """Which family a candidate is of, by family; none where there is but one."""
    families = np.array([family_of(EmitterKind(kind)) for kind in kinds])
    known, counts = np.unique(families, return_counts=True)
    usable = np.isin(families, known[counts >= _FEWEST_OF_FAMILY])
    if len(np.unique(families[usable])) < 3:
        return {}
    model = HistGradientBoostingClassifier(
        max_iter=FAMILY_TREES, learning_rate=0.1, max_leaf_nodes=FAMILY_LEAVES, min_samples_leaf=8,
        l2_regularization=5.0,
    ).fit(values[usable], families[usable])  # fmt: skip
    bases = np.ravel(model._baseline_prediction)
    return {
        str(family): _as_arrays([trees[k] for trees in model._predictors], float(bases[k]))
        for k, family in enumerate(model.classes_)
    }


def _as_arrays(trees: list[Any], base: float) -> Arrays:
    """Trees as arrays over all nodes: feature (-1 at a leaf), threshold, node to the left (the next is to the right),
    and value: what is reached from there adds on average to the logarithm of the odds. roots: first nodes.
    """
    features: list[int] = []
    thresholds: list[float] = []
    lefts: list[int] = []
    means: list[float] = []
    roots = []
    for tree in trees:
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
