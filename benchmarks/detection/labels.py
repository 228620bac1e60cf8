"""What the candidates of a scene with truth are: what the detector's weights learn."""

from dataclasses import dataclass

import numpy as np

from benchmarks.detection.measured import MeasuredScene
from benchmarks.detection.scenes import TrueEmitter
from gray_kettle.interference.weighed.candidates import Candidate
from gray_kettle.interference.weighed.judgement import Judgement, family_of
from gray_kettle.model.enums import EmitterKind

NONE = "none"
_IS, _MAYBE = (
    0.5,
    0.22,
)  # agreement from which a candidate is an emitter, and from which it is not learned from
_NO_MORE = 0.35
_HOPPERS = "hopper"
# Of two narrow emitters side by side a search means the one that it names.
_NAMED_SO, _NAMED_OTHERWISE = 1.0, 0.9
_TWIN_OVERLAP, _TWIN_HZ = 0.6, 1.5e6


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
        case "fixed":
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


def _names(candidate: Candidate, family: str) -> bool:
    return candidate.found is not None and family_of(candidate.found.kind) == family


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
        is_near = off_hz < max(8e5, 1.5 * step_hz) and width_hz < max(5e6, 5 * step_hz)
        return is_near * (_NAMED_SO if _names(candidate, family) else _NAMED_OTHERWISE)
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


def representatives(scene: MeasuredScene, judgements: list[Judgement]) -> tuple[np.ndarray, np.ndarray]:
    """(whether each candidate is the likeliest of its emitter, whether it is to be learned from: not if it is as good
    as that one).
    """
    candidates, emitters = scene.candidates, scene.emitters
    agree = np.array([
        [agreement(c, e, scene.step_hz) * (1.0 if e.is_detectable else 0.9) for e in emitters] for c in candidates
    ]).reshape(len(candidates), len(emitters))  # fmt: skip
    is_near = np.array([[_is_centred(c, e) for e in emitters] for c in candidates], np.bool_).reshape(
        agree.shape
    )
    one, free = np.zeros(len(candidates), np.bool_), np.ones(len(emitters), np.bool_)
    for k in np.argsort([-j.probability for j in judgements]):
        possible = np.flatnonzero((agree[k] >= _IS) & is_near[k] & free)
        if len(possible):
            free[possible[np.argmax(agree[k][possible])]] = False
            one[k] = True
    counted = np.array([
        one[k]
        or agree[k].max(initial=0.0) < _MAYBE
        or (agree[k].max() >= _IS and not any(
            _are_twins(candidates[k], candidates[m]) and agree[k].argmax() == agree[m].argmax()
            for m in np.flatnonzero(one)
        ))
        for k in range(len(candidates))
    ])  # fmt: skip
    return one, counted


def _is_centred(candidate: Candidate, emitter: TrueEmitter) -> bool:
    """As claims and emitters are paired when accuracy is measured."""
    off_hz = abs((emitter.low_hz + emitter.high_hz) / 2 - candidate.centre_hz)
    return off_hz <= max(emitter.high_hz - emitter.low_hz, candidate.width_hz, 2e6) / 2


def _are_twins(one: Candidate, other: Candidate) -> bool:
    common = min(one.high_hz, other.high_hz) - max(one.low_hz, other.low_hz)
    both = max(one.high_hz, other.high_hz) - min(one.low_hz, other.low_hz)
    return common > _TWIN_OVERLAP * both or abs(one.centre_hz - other.centre_hz) < _TWIN_HZ
