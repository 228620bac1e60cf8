"""The candidates of a scene with truth, measured."""

from dataclasses import dataclass, replace
from pathlib import Path

from benchmarks.detection.scenes import LabelledScene, TrueEmitter, of_our_own, one_of_folder
from gray_kettle.interference import receiver
from gray_kettle.interference.detect import found_in_moments
from gray_kettle.interference.weighed.candidates import Candidate, candidates_of
from gray_kettle.interference.weighed.detect import sums_many_moments
from gray_kettle.interference.weighed.intervals import profiles_of
from gray_kettle.interference.weighed.rows import rows_of
from gray_kettle.model.records import Detection


@dataclass(frozen=True)
class MeasuredScene:
    """What is kept of a scene: its candidates without what they were made of, and what was on the air."""

    name: str
    step_hz: float
    emitters: tuple[TrueEmitter, ...]
    candidates: tuple[Candidate, ...]


def measured_of(scene: LabelledScene) -> MeasuredScene:
    """All candidates of a scene."""
    codes, _ = receiver.without_own(scene.span, scene.codes)
    found: list[Detection] = []
    is_few = not sums_many_moments(scene.span, codes)
    if is_few:
        found, _ = found_in_moments(scene.span, scene.time_s, codes, scene.offset_s)
    rows = rows_of(scene.span, scene.time_s, codes)
    candidates = tuple(
        replace(c, interval=None, cluster=None) for c in candidates_of(rows, profiles_of(rows, is_few), found)
    )
    return MeasuredScene(scene.name, scene.span.step_hz, scene.emitters, candidates)


def of_path(path: Path) -> MeasuredScene:
    """Of a scene of a folder."""
    return measured_of(one_of_folder(path, as_swept=int(path.stem[-1]) % 4 > 0))


def of_job(job: tuple[str, int, str]) -> MeasuredScene:
    """Of a scene of our own simulator."""
    return measured_of(of_our_own(*job))
