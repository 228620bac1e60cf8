"""The candidates of a scene with truth, measured."""

from dataclasses import dataclass
from pathlib import Path

from benchmarks.detection.scenes import LabelledScene, TrueEmitter, of_our_own, one_of_folder
from gray_kettle.interference import receiver
from gray_kettle.interference.detect import found_in_moments
from gray_kettle.interference.weighed.candidates import candidates_of
from gray_kettle.interference.weighed.detect import sums_many_moments
from gray_kettle.interference.weighed.rows import rows_of
from gray_kettle.model.records import Detection


@dataclass(frozen=True)
class Measured:
    """A candidate without what it was made of. found_kind: that a search named, else ""."""

    shape: str
    low_hz: float
    high_hz: float
    features: dict[str, float]
    found_kind: str

    @property
    def centre_hz(self) -> float:
        """Its middle."""
        return (self.low_hz + self.high_hz) / 2

    @property
    def width_hz(self) -> float:
        """All that it touches."""
        return self.high_hz - self.low_hz


@dataclass(frozen=True)
class MeasuredScene:
    """What is kept of a scene: its candidates, and what was on the air."""

    name: str
    step_hz: float
    emitters: tuple[TrueEmitter, ...]
    candidates: tuple[Measured, ...]


def measured_of(scene: LabelledScene) -> MeasuredScene:
    """All candidates of a scene."""
    codes, _ = receiver.without_own(scene.span, scene.codes)
    found: list[Detection] = []
    if not sums_many_moments(scene.span, codes):
        found, _ = found_in_moments(scene.span, scene.time_s, codes, scene.offset_s)
    candidates = tuple(
        Measured(c.shape, c.low_hz, c.high_hz, c.features, str(c.found.kind) if c.found else "")
        for c in candidates_of(rows_of(scene.span, scene.time_s, codes), found=found)
    )
    return MeasuredScene(scene.name, scene.span.step_hz, scene.emitters, candidates)


def of_path(path: Path) -> MeasuredScene:
    """Of a scene of a folder."""
    return measured_of(one_of_folder(path, as_swept=int(path.stem[-1]) % 4 > 0))


def of_job(job: tuple[str, int, str]) -> MeasuredScene:
    """Of a scene of our own simulator."""
    return measured_of(of_our_own(*job))
