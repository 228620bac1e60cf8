"""How well emitters are detected and identified in simulated scenes that no limit was set on; draws the confusion.

`make emitters` measures 200 scenes (and as many with Wi-Fi alone), for 30 to 120 s each and again for four times as
long, and writes docs/emitters-confusion.svg and docs/emitters-measured.md. `python -m benchmarks.emitters --ranges
development` (or second, or third) measures those that the limits were set on, `--ranges reflected` scenes with
reflections and with filters that are wider than a bin, `--longer 4` takes that last four times as long.

What is measured is what a technician is told: rows looked through block by block, and sightings put together.
"""

import argparse
import collections
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from gray_kettle.analysis.assessment import Emitter
from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.interference.detect import detect
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import (
    DetectionBlock,
    FloatArray,
    Listening,
    Observations,
    Sightings,
    Span,
    Traffic,
)
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.spectra.random_scenes import (
    DEVELOPMENT,
    HELD_OUT,
    REFLECTED,
    SECOND,
    THIRD,
    Ranges,
    by_chance,
)
from gray_kettle.simulator.spectra.scene import Truth
from gray_kettle.simulator.spectra.transmitters import WIFI
from gray_kettle.spectrum.quantise import Codes, to_codes
from gray_kettle.store.detection_cache import BLOCK_ROWS

DOCS = Path(__file__).parent.parent / "docs"
LEAST_STANDING = 0.01  # share of rows in which an emitter stands out, from which it should be found
_MANY_ROWS = 100
_LONGER = 4.0
_RANGES = {
    "development": DEVELOPMENT, "second": SECOND, "third": THIRD, "reflected": REFLECTED, "held-out": HELD_OUT,
}  # fmt: skip


@dataclass(frozen=True)
class EmitterResult:
    """One emitter of a scene: its kind, the share of rows in which it is visible, and the kind that was reported."""

    truth: Truth
    standing: float
    found: Emitter | None


@dataclass(frozen=True)
class Result:
    """One scene. false: claims of emitters that do not exist."""

    number: int
    is_tuned: bool
    step_hz: float
    rows: int
    rows_per_s: float
    met: tuple[EmitterResult, ...]
    false: tuple[Emitter, ...]
    seconds: float


def measure(number: int, ranges: Ranges, wifi_only: bool = False) -> Result:
    made = by_chance(number, ranges, wifi_only)
    span = made.instrument.span
    codes = np.concatenate([to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)])
    truth = made.scene.truth(span, float(made.time_s[0]), float(made.time_s[-1]) + 0.1)
    standing = dict(
        zip(
            (t.name for t in made.scene.transmitters),
            made.scene.standing(made.instrument, made.time_s),
            strict=True,
        )
    )
    started_s = time.perf_counter()
    claims = note_of(span, made.time_s, codes)
    seconds = time.perf_counter() - started_s
    emitters = [t for t in truth if t.kind != WIFI]
    pairs = paired(emitters, claims)
    met = tuple(
        EmitterResult(t, float(standing[t.name]), claims[pairs[k]] if k in pairs else None)
        for k, t in enumerate(emitters)
    )
    false = tuple(c for k, c in enumerate(claims) if k not in pairs.values())
    rate = (len(made.time_s) - 1) / float(made.time_s[-1] - made.time_s[0])
    return Result(number, span.is_tuned, span.step_hz, len(made.time_s), rate, met, false, seconds)


def note_of(span: Span, time_s: FloatArray, codes: Codes) -> list[Emitter]:
    """What is reported: detection block by block, as in a case, and detections merged."""
    low_hz = span.start_hz - span.step_hz / 2
    looks = []
    for first in range(0, len(time_s), BLOCK_ROWS):
        when_s, some = time_s[first : first + BLOCK_ROWS], codes[first : first + BLOCK_ROWS]
        looks.append(
            DetectionBlock(float(when_s[0]), float(when_s[-1]), len(when_s), low_hz,
                           low_hz + span.step_hz * span.bins, "",
                   detect(span, when_s, some))
        )  # fmt: skip
    nothing = (Sightings.empty(), Traffic.empty(), Listening.empty(), ("",), ())
    heard = Observations(looks[0].start_s, looks[-1].end_s, (), *nothing, detection_blocks=tuple(looks))
    return list(find_emitters(heard, Setup(), ()))


def paired(truth: list[Truth], claims: list[Emitter]) -> dict[int, int]:
    """Which claim belongs to which emitter: they overlap in frequency; same kind, centre and level first."""
    found = []
    for i, t in enumerate(truth):
        for j, c in enumerate(claims):
            overlap = min(t.high_hz + 1e6, c.high_hz) - max(t.low_hz - 1e6, c.low_hz)
            if overlap <= 0:
                continue
            union = max(t.high_hz, c.high_hz) - min(t.low_hz, c.low_hz)
            score = (
                (t.kind == c.kind) + overlap / max(union, 1.0) + 0.5 * (abs(t.level_dbm - c.level_dbm) < 8)
            )
            found.append((score, i, j))
    out: dict[int, int] = {}
    for _, i, j in sorted(found, reverse=True):
        if i not in out and j not in out.values():
            out[i] = j
    return out


def report(results: list[Result], alone: list[Result]) -> str:
    """The figures, as a page."""
    claims = sum(len(r.false) + sum(m.found is not None for m in r.met) for r in results)
    right = sum(m.found is not None for r in results for m in r.met)
    lines = [
        f"{len(results)} scenes, {sum(len(r.met) for r in results)} emitters; "
        f"{len(alone)} scenes with Wi-Fi alone, {sum(bool(r.false) for r in alone)} of them with a claim "
        f"({100 * np.mean([bool(r.false) for r in alone]):.1f} %).",
        f"Precision {right / max(claims, 1):.3f} ({claims - right} of {claims} claims are false).",
        "",
        "| emitters that are | emitters | found | kind right of those | duty of a channel within 3 points |",
        "|---|---|---|---|---|",
    ]
    everyone = [(r, m) for r in results for m in r.met]
    for name, chosen in _groups(everyone).items():
        if not chosen:
            continue
        found = [m for _, m in chosen if m.found is not None]
        kind = np.mean([m.found.kind == m.truth.kind for m in found if m.found]) if found else float("nan")
        duty = [d for m in found for d in duty_errors(m)]
        within = np.mean(np.abs(duty) <= 0.03) if duty else float("nan")
        lines.append(
            f"| {name} | {len(chosen)} | {len(found) / len(chosen):.3f} | {kind:.3f} | {within:.3f} |"
        )
    lines += ["", "| confidence (mean) | right | claims |", "|---|---|---|"]
    said = [(m.found.confidence, m.found.kind == m.truth.kind) for _, m in everyone if m.found]
    said += [(s.confidence, False) for r in results for s in r.false]
    told = np.array(said, float).reshape(-1, 2)
    for low, high in ((0.0, 0.6), (0.6, 0.75), (0.75, 0.85), (0.85, 0.92), (0.92, 1.01)):
        some = told[(told[:, 0] >= low) & (told[:, 0] < high)]
        if len(some):
            lines.append(f"| {some[:, 0].mean():.2f} | {some[:, 1].mean():.2f} | {len(some)} |")
    wrong = collections.Counter(s.kind for r in [*results, *alone] for s in r.false)
    lines += ["", "False claims: " + ", ".join(f"{kind} {n}" for kind, n in wrong.most_common()) + "."]
    return "\n".join(lines)


def _groups(everyone: list[tuple[Result, EmitterResult]]) -> dict[str, list[tuple[Result, EmitterResult]]]:
    stand = [(r, m) for r, m in everyone if m.standing >= LEAST_STANDING]
    groups = {
        "visible in 1 % of the rows": stand,
        "… in snapshots": [(r, m) for r, m in stand if not r.is_tuned],
        "… in swept receivers": [(r, m) for r, m in stand if r.is_tuned],
        "… in 100 rows or more": [(r, m) for r, m in stand if m.standing * r.rows >= _MANY_ROWS],
        "… in fewer rows": [(r, m) for r, m in stand if m.standing * r.rows < _MANY_ROWS],
        "… with bins of 400 kHz or less": [(r, m) for r, m in stand if r.step_hz <= 4e5],
        "… with wider bins": [(r, m) for r, m in stand if r.step_hz > 4e5],
        "… at fewer than 10 rows a second": [(r, m) for r, m in stand if r.rows_per_s < 10],
        "less visible": [(r, m) for r, m in everyone if m.standing < LEAST_STANDING],
    }
    for kind in list(EmitterKind):
        groups[f"{kind}, visible"] = [(r, m) for r, m in stand if m.truth.kind == kind]
    return groups


def duty_errors(met: EmitterResult) -> list[float]:
    """By channel: estimated less true share."""
    if met.found is None:
        return []
    truth = {(band, number): duty for band, number, duty in met.truth.channels}
    found = {(band, number): duty for band, number, duty in met.found.channels}
    return [found.get(k, 0.0) - truth.get(k, 0.0) for k in truth.keys() | found.keys()]


def confusion(results: list[Result]) -> Figure:
    """Rows: true kind; columns: reported kind. Of the visible emitters."""
    rows = [k for k in list(EmitterKind) if k != "unknown"]
    columns = [*EmitterKind, "not found"]
    counts = np.zeros((len(rows), len(columns)), int)
    for r in results:
        for m in r.met:
            if m.standing >= LEAST_STANDING:
                taken = m.found.kind if m.found else "not found"
                counts[rows.index(m.truth.kind), columns.index(taken)] += 1
    figure = Figure(figsize=(9.5, 6.4), layout="constrained")
    axes = figure.subplots()
    share = counts / np.maximum(counts.sum(axis=1, keepdims=True), 1)
    axes.imshow(share, cmap="Greys", vmin=0, vmax=1.25, aspect="auto")
    for y, x in zip(*np.nonzero(counts), strict=True):
        dark = share[y, x] > 0.6
        axes.text(x, y, str(counts[y, x]), ha="center", va="center", color="white" if dark else "#22282e")
    axes.set_xticks(range(len(columns)), columns, rotation=40, ha="right")
    axes.set_yticks(range(len(rows)), rows)
    axes.set_title(
        "What emitters are (rows) and what they were taken for (columns): those that stand 10 dB over the floor\n"
        "and 3 dB over all else in 1 % of the rows or more. Scenes by chance that nothing was fitted on.",
        loc="left", fontsize=9,
    )  # fmt: skip
    axes.spines[:].set_visible(False)
    return figure


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=200)
    parser.add_argument(
        "--ranges",
        choices=tuple(_RANGES),
        default="held-out",
        help="limits were set on the ranges development, second and third",
    )
    parser.add_argument(
        "--first", type=int, default=0, help="number of the first scene: another draw of the same"
    )
    parser.add_argument("--longer", type=float, help="times 30 to 120 s")
    parser.add_argument("--verbose", action="store_true", help="each miss and each false claim")
    asked = parser.parse_args()
    if asked.ranges == "held-out" and asked.longer is None and asked.scenes >= 200 and not asked.first:
        _write(asked.scenes)
        return
    results, alone = _measured(_RANGES[asked.ranges], asked.longer or 1.0, asked.scenes, asked.first)
    if asked.verbose:
        tell(results + alone)
    print(report(results, alone))


def _measured(
    ranges: Ranges, longer: float, scenes: int, first: int = 0
) -> tuple[list[Result], list[Result]]:
    """Scenes, and as many with Wi-Fi alone."""
    first_s, last_s = ranges.lasts_s
    ranges = replace(ranges, lasts_s=(longer * first_s, longer * last_s))
    with ProcessPoolExecutor() as pool:
        results = list(pool.map(measure, range(first, first + scenes), [ranges] * scenes))
        others = range(10_000 + first, 10_000 + first + scenes)
        return results, list(pool.map(measure, others, [ranges] * scenes, [True] * scenes))


def _write(scenes: int) -> None:
    """The pages in docs, on scenes that no limit was set on."""
    text = "# Emitters, measured\n\nMade by `make emitters` on scenes of our own simulator; "
    text += "[how to read the figures](emitters.md).\n"
    for longer, title in ((1.0, "Captures of 30 s to 2 minutes"), (_LONGER, "Captures of 2 to 8 minutes")):
        results, alone = _measured(HELD_OUT, longer, scenes)
        text += f"\n## {title}\n\n{report(results, alone)}\n"
    figure = confusion(results)
    FigureCanvasAgg(figure)
    figure.savefig(DOCS / "emitters-confusion.svg", metadata={"Date": None})
    text += "\nThe longer captures:\n\n![Confusion](emitters-confusion.svg)\n"
    print(text)
    (DOCS / "emitters-measured.md").write_text(text)


def tell(results: list[Result]) -> None:
    """Each miss and each wrong claim."""
    for r in results:
        where = f"{r.number} {'tuned' if r.is_tuned else 'snapshot'} {r.step_hz / 1e3:.0f} kHz {r.rows_per_s:.0f}/s"
        for s in r.false:
            at = f"{s.low_hz / 1e6:.1f}–{s.high_hz / 1e6:.1f} {s.level_dbm:.0f}"
            print(f"FALSE {where}: {s.kind} {s.confidence:.2f} {at}")
        for m in r.met:
            what = f"{m.truth.kind} {m.truth.level_dbm:.0f} {m.truth.low_hz / 1e6:.1f}–{m.truth.high_hz / 1e6:.1f}"
            if m.found is None and m.standing >= LEAST_STANDING:
                print(f"MISSED {where}: {what} stands {m.standing:.3f}")
            elif m.found is not None and m.found.kind != m.truth.kind:
                print(f"TAKEN {where}: {what} for {m.found.likely[:2]} stands {m.standing:.3f}")


if __name__ == "__main__":
    main()
