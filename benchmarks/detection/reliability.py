"""How often a claim is right, by the confidence that it is shown with: docs/emitters-reliability.svg.

python -m benchmarks.detection.reliability OUT.svg NAME=FILE.json … : files of benchmarks.detection.accuracy --json
"""

import argparse
import itertools
import json
from pathlib import Path

import numpy as np
from matplotlib.figure import Figure
from scipy.stats import beta

from gray_kettle.export.drawings.style import EMITTER, FOREIGN, INK, OWN, save
from gray_kettle.interference.weighed.judgement import family_of
from gray_kettle.model.enums import EmitterKind

_EDGES = (0.3, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 1.0)
_LOOKS = ((OWN, "o"), (EMITTER, "s"), (FOREIGN, "^"))
_FEWEST = 5


def claims_of(path: Path) -> list[tuple[float, bool]]:
    """(confidence, whether the family is right) of each claim of a kind that is not marked as the receiver's own."""
    out = []
    for outcome in json.loads(path.read_text()):
        for kind, confidence, of, may_be_receiver in outcome["claims"]:
            if kind != EmitterKind.UNKNOWN and not (may_be_receiver and not of):
                out.append(
                    (confidence, bool(of) and family_of(EmitterKind(kind)) == family_of(EmitterKind(of)))
                )
    return out


def drawn(named: dict[str, list[tuple[float, bool]]]) -> Figure:
    """Shares with intervals of 90 % beside the diagonal."""
    figure = Figure(figsize=(5.6, 4.6), layout="constrained")
    axes = figure.subplots()
    axes.plot([0.3, 1], [0.3, 1], color=INK, lw=0.8, ls=":")
    for (name, claims), (colour, mark) in zip(named.items(), _LOOKS, strict=False):
        confidence, right = (np.array(v) for v in zip(*claims, strict=True))
        points = []
        for low, high in itertools.pairwise(_EDGES):
            inside = (confidence >= low) & (confidence < (high if high < 1 else 1.01))
            if inside.sum() >= _FEWEST:
                hits, count = int(right[inside].sum()), int(inside.sum())
                ends = beta.ppf((0.05, 0.95), hits + 0.5, count - hits + 0.5)
                points.append((float(confidence[inside].mean()), hits / count, *ends))
        x, y, low_, high_ = (np.array(v) for v in zip(*points, strict=True))
        axes.errorbar(
            x, y, yerr=[np.maximum(y - low_, 0), np.maximum(high_ - y, 0)], color=colour, marker=mark, lw=1, ms=4,
            capsize=2, label=f"{name} ({len(claims)} claims)",
        )  # fmt: skip
    axes.set_xlabel("confidence that is shown")
    axes.set_ylabel("share of claims with the right family")
    axes.set_xlim(0.3, 1.02)
    axes.set_ylim(0, 1.02)
    axes.legend(loc="lower right", fontsize=8, frameon=False)
    return figure


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("files", nargs="+", help="NAME=FILE.json")
    asked = parser.parse_args()
    named = {name: claims_of(Path(path)) for name, _, path in (item.partition("=") for item in asked.files)}
    save(drawn(named), asked.out, force=True)


if __name__ == "__main__":
    main()
