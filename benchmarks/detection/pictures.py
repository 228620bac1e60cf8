"""Waterfalls of kept scenes with what is on the air (above each) and what is claimed (below).

python -m benchmarks.detection.pictures OUT.png NAME … : scenes of the kept ones by name; without names a list of them
with how many emitters were located and how many claims lie on nothing.
"""

import argparse
from pathlib import Path

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from benchmarks.detection import gate
from benchmarks.detection.accuracy import emitters_of, paired
from benchmarks.detection.scenes import LabelledScene
from gray_kettle.export.drawings.style import EMITTER, INK, OWN
from gray_kettle.spectrum.quantise import to_dbm

_LINES = 420


def drawn(scenes: list[LabelledScene], path: Path) -> None:
    """Write a picture with a row for each scene."""
    figure = Figure(figsize=(9.6, 2.5 * len(scenes)), layout="constrained")
    for axes, scene in zip(np.atleast_1d(figure.subplots(len(scenes), 1)), scenes, strict=True):
        _waterfall(axes, scene)
    figure.savefig(path, dpi=90)


def _waterfall(axes: Axes, scene: LabelledScene) -> None:
    levels = to_dbm(scene.codes[:_LINES])
    span = scene.span
    low, high = (span.start_hz - span.step_hz / 2) / 1e6, (span.end_hz + span.step_hz / 2) / 1e6
    seconds = float(scene.time_s[min(_LINES, len(scene.time_s)) - 1] - scene.time_s[0])
    floor = float(np.nanquantile(levels, 0.1))
    axes.imshow(
        levels, aspect="auto", extent=(low, high, seconds, 0), cmap="Greys", vmin=floor - 2, vmax=floor + 45,
        interpolation="nearest",
    )  # fmt: skip
    claims = emitters_of(scene)
    pairs = paired(scene.emitters, claims)
    true = [
        (e.low_hz / 1e6, e.high_hz / 1e6, e.name + ("" if e.is_detectable else " (hardly shows)"))
        for e in scene.emitters
    ]
    claimed = [
        (
            c.low_hz / 1e6,
            c.high_hz / 1e6,
            f"{c.kind} {c.confidence:.2f}" + ("" if k in pairs.values() else " ✗"),
        )
        for k, c in enumerate(claims)
    ]
    _bars(axes, true, seconds, OWN, 1)
    _bars(axes, claimed, seconds, EMITTER, -1)
    axes.set_title(
        f"{scene.name}: {span.averages} frames a row, {span.detector} (above: true, below: claimed)",
        fontsize=7, loc="left", color=INK,
    )  # fmt: skip
    axes.set_xlim(low, high)
    axes.tick_params(labelsize=6)
    axes.set_xlabel("MHz", fontsize=6)
    axes.set_ylabel("s", fontsize=6)


def _bars(axes: Axes, spans: list[tuple[float, float, str]], seconds: float, colour: str, side: int) -> None:
    """Spans of frequency over (side 1) or under (side -1) a waterfall, each with its name."""
    for line, (low, high, name) in enumerate(sorted(spans)):
        at = -0.07 * seconds * (line + 1) if side > 0 else seconds * (1 + 0.07 * (line + 1))
        axes.plot(
            [low, max(high, low + 0.4)], [at, at], color=colour, lw=2.4, solid_capstyle="butt", clip_on=False
        )
        axes.text(max(high, low + 0.4) + 0.4, at, name, fontsize=6, color=colour, va="center", clip_on=False)
    bottom, top = axes.get_ylim()
    room = 0.07 * seconds * (len(spans) + 1)
    axes.set_ylim(*((bottom, min(top, -room)) if side > 0 else (max(bottom, seconds + room), top)))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path, nargs="?")
    parser.add_argument("names", nargs="*")
    asked = parser.parse_args()
    scenes = gate.read() + gate.read(gate.KEPT_FEW)
    if asked.names:
        by_name = {scene.name: scene for scene in scenes}
        drawn([by_name[name] for name in asked.names], asked.out)
        return
    for scene in scenes:
        claims = emitters_of(scene)
        pairs = paired(scene.emitters, claims)
        wanted = [k for k, e in enumerate(scene.emitters) if e.is_detectable]
        found, false = sum(k in pairs for k in wanted), len(claims) - len(pairs)
        kinds = ", ".join(e.name for e in scene.emitters)
        print(
            f"{scene.name}: {found} of {len(wanted)} located, {false} of {len(claims)} claims on nothing: {kinds}"
        )


if __name__ == "__main__":
    main()
