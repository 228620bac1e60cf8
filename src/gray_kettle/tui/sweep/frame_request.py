"""Which interval of time and frequency the Sweep view asks for."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from gray_kettle.spectrum.views import Frame

if TYPE_CHECKING:
    from gray_kettle.store.sweeps import Run

BAND_HZ = {"2.4": (2399e6, 2488e6), "5": (5150e6, 5895e6), "6": (5925e6, 7125e6)}


@dataclass(frozen=True)
class Wanted:
    """A picture to be made: of an interval of the case."""

    path: Path
    frame: Frame
    spot: str | None
    is_whole_band: bool


def trimmed(wanted: Wanted, runs: "tuple[Run, ...]") -> Frame:
    """Without the edges of the band that were never swept."""
    frame = wanted.frame
    edges = [
        (run.span.start_hz - run.span.step_hz / 2, run.span.end_hz + run.span.step_hz / 2)
        for run in runs
        if run.span.end_hz > frame.low_hz and run.span.start_hz < frame.high_hz
    ]
    if not wanted.is_whole_band or not edges:
        return frame
    low, high = min(e[0] for e in edges), max(e[1] for e in edges)
    return replace(frame, low_hz=max(frame.low_hz, low), high_hz=min(frame.high_hz, high))
