"""How well emitters are found in scenes with truth: a table by instrument and kind.

python -m benchmarks.detection.accuracy --folder DIR | --own RANGES --scenes N [--first K] [--verbose] [--json OUT]

An emitter is located by a claim whose centre lies within half of the wider one of both; each claim and each emitter
counts once. The family is right if the kinds are the same or of one family. Only emitters count that stand out.
"""

import argparse
import json
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from benchmarks.detection.scenes import LabelledScene, TrueEmitter, of_our_own, one_of_folder, our_own_jobs
from gray_kettle.analysis.assessment import Emitter
from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.interference.detect import detect
from gray_kettle.interference.weighed.judgement import family_of
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import DetectionBlock, Listening, Observations, Sightings, Traffic
from gray_kettle.model.setup import Setup

_LEAST_HZ = 2e6


@dataclass(frozen=True)
class Outcome:
    """Of one scene. emitters: (name, kind, is detectable, kind that was claimed for it or ""); claims: (kind,
    confidence, of which emitter: its kind or "", whether it is marked as maybe the receiver's own); channel_errors:
    claimed less true.
    """

    name: str
    group: str
    has_emitters: bool
    emitters: tuple[tuple[str, str, bool, str], ...]
    claims: tuple[tuple[str, float, str, bool], ...]
    channel_errors: tuple[float, ...]
    told: tuple[str, ...]


def emitters_of(scene: LabelledScene) -> list[Emitter]:
    """What is reported of a scene, as from a case."""
    span = scene.span
    low = span.start_hz - span.step_hz / 2
    found = detect(span, scene.time_s, scene.codes, scene.offset_s)
    block = DetectionBlock(
        float(scene.time_s[0]),
        float(scene.time_s[-1]),
        len(scene.time_s),
        low,
        low + span.step_hz * span.bins,
        "",
        found,
    )
    nothing = (Sightings.empty(), Traffic.empty(), Listening.empty(), ("",), ())
    return list(
        find_emitters(
            Observations(block.start_s, block.end_s, (), *nothing, detection_blocks=(block,)), Setup(), ()
        )
    )


def paired(truth: tuple[TrueEmitter, ...], claims: list[Emitter]) -> dict[int, int]:
    """Which claim is of which emitter."""
    possible = []
    for i, t in enumerate(truth):
        for j, c in enumerate(claims):
            off = abs((t.low_hz + t.high_hz) / 2 - (c.low_hz + c.high_hz) / 2)
            within = max(t.high_hz - t.low_hz, c.high_hz - c.low_hz, _LEAST_HZ) / 2
            if off <= within:
                differs = family_of(c.kind) != family_of(t.kind)
                possible.append((differs, not t.is_detectable, -c.confidence, off / within, i, j))
    out: dict[int, int] = {}
    for *_, i, j in sorted(possible):
        if i not in out and j not in out.values():
            out[i] = j
    return out


def outcome_of(scene: LabelledScene) -> Outcome:
    """Measure one scene."""
    claims, truth = emitters_of(scene), scene.emitters
    pairs = paired(truth, claims)
    of_claim = {j: i for i, j in pairs.items()}
    free: dict[tuple[str, int], float] = {}
    for c in claims:
        for band, number, duty in c.channels:
            free[band, number] = free.get((band, number), 1.0) * (1 - duty)
    errors = []
    for channel in set(scene.channels or {}) | set(free):
        error = 1 - free.get(channel, 1.0) - (scene.channels or {}).get(channel, 0.0)
        if channel in free or (scene.channels or {}).get(channel, 0.0) > 0:
            errors.append(error)
    missed = [
        f"MISSED {t.name} {t.low_hz / 1e6:.1f}-{t.high_hz / 1e6:.1f} {t.level_dbm:.0f}"
        for i, t in enumerate(scene.emitters)
        if t.is_detectable and i not in pairs
    ]
    false = [
        f"FALSE {c.kind} {c.low_hz / 1e6:.1f}-{c.high_hz / 1e6:.1f} {c.level_dbm:.0f} {c.confidence:.2f}"
        for j, c in enumerate(claims)
        if j not in of_claim and not c.may_be_receiver
    ]
    return Outcome(
        scene.name, scene.group, bool(scene.emitters),
        tuple(
            (t.name, str(t.kind), t.is_detectable, str(claims[pairs[i]].kind) if i in pairs else "")
            for i, t in enumerate(scene.emitters)
        ),
        tuple(
            (str(c.kind), c.confidence, str(truth[of_claim[j]].kind) if j in of_claim else "", c.may_be_receiver)
            for j, c in enumerate(claims)
        ),
        tuple(errors), tuple(missed + false),
    )  # fmt: skip


@dataclass
class Figures:
    """Sums over scenes."""

    scenes: int = 0
    detectable: int = 0
    located: int = 0
    family: int = 0
    claims: int = 0
    right: int = 0
    empty: int = 0
    empty_with_claim: int = 0
    errors: list[float] = field(default_factory=list)
    names: dict[str, list[int]] = field(default_factory=dict)

    def add(self, outcome: Outcome) -> None:
        """One scene more. Claims that are marked as maybe the receiver's own count only where they are right."""
        self.scenes += 1
        for name, kind, is_detectable, claimed in outcome.emitters:
            if is_detectable:
                is_right = bool(claimed) and _family(claimed) == _family(kind)
                self.detectable += 1
                self.located += bool(claimed)
                self.family += is_right
                counts = self.names.setdefault(name, [0, 0, 0])
                counts[0] += 1
                counts[1] += bool(claimed)
                counts[2] += is_right
        plain = [c for c in outcome.claims if c[2] or not c[3]]
        self.claims += len(plain)
        self.right += sum(bool(c[2]) for c in plain)
        if not outcome.has_emitters:
            self.empty += 1
            self.empty_with_claim += bool(plain)
        self.errors += outcome.channel_errors

    def line(self, name: str) -> str:
        """A row of the table."""
        error = float(np.mean(np.abs(self.errors))) if self.errors else float("nan")
        bias = float(np.mean(self.errors)) if self.errors else float("nan")
        return (
            f"| {name} | {self.scenes} | {self.detectable} | {self.located / max(self.detectable, 1):.3f} | "
            f"{self.right / max(self.claims, 1):.3f} of {self.claims} | {self.family / max(self.located, 1):.3f} | "
            f"{self.empty_with_claim} of {self.empty} | {error:.3f} ({bias:+.3f}) |"
        )


def _family(kind: str) -> str:
    return family_of(EmitterKind(kind))


def report(outcomes: list[Outcome]) -> str:
    """The table by instrument, and of each kind how many were located and named."""
    head = (
        "| scenes | number | emitters | located | claims right | family of those | empty ones with a claim |"
    )
    head += " channel error |"
    lines = [head, "|---|---|---|---|---|---|---|---|"]
    everything = Figures()
    groups: dict[str, Figures] = {}
    for o in outcomes:
        everything.add(o)
        groups.setdefault(o.group, Figures()).add(o)
    lines += [everything.line("all"), *(f.line(name) for name, f in sorted(groups.items()))]
    lines += ["", "| kind | emitters | located | family right |", "|---|---|---|---|"]
    lines += [
        f"| {name} | {n} | {found} | {right} |"
        for name, (n, found, right) in sorted(everything.names.items())
    ]
    lines += ["", "| confidence | right kind | claims |", "|---|---|---|"]
    told = [
        (c[1], _family(c[0]) == _family(c[2]) if c[2] else False)
        for o in outcomes
        for c in o.claims
        if c[2] or not c[3]
    ]
    for low, high in ((0, 0.5), (0.5, 0.65), (0.65, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.01)):
        some = [right for confidence, right in told if low <= confidence < high]
        if some:
            lines.append(f"| {low:.2f} to {min(high, 1):.2f} | {np.mean(some):.2f} | {len(some)} |")
    return "\n".join(lines)


def _of_path(path: Path) -> Outcome:
    return outcome_of(one_of_folder(path, as_swept=int(path.stem[-1]) % 4 > 0))


def _of_job(job: tuple[str, int, str]) -> Outcome:
    return outcome_of(of_our_own(*job))


def measured(of_one: Callable[..., Outcome], jobs: Iterable[object]) -> list[Outcome]:
    """All outcomes, on two cores."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(of_one, jobs, chunksize=2))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--own", default="held-out")
    parser.add_argument("--scenes", type=int, default=48)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--json", type=Path)
    asked = parser.parse_args()
    if asked.folder:
        outcomes = measured(
            _of_path, sorted(asked.folder.glob("scene_*.npz"))[asked.first : asked.first + asked.scenes]
        )
    else:
        outcomes = measured(_of_job, our_own_jobs(asked.own, asked.scenes, asked.first))
    if asked.verbose:
        for o in outcomes:
            for line in o.told:
                print(o.name, line)
    print(report(outcomes))
    if asked.json:
        asked.json.write_text(json.dumps([vars(o) for o in outcomes]))


if __name__ == "__main__":
    main()
