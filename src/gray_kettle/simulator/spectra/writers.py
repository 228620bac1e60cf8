"""What instruments write down: the own sweep CSV, and the truth beside it."""

import json
from collections.abc import Iterable
from dataclasses import asdict
from typing import BinaryIO

import numpy as np

from gray_kettle.model.records import Span, SweepRows
from gray_kettle.simulator.spectra.scene import Truth

_LOWEST_DBM, _STEP_DB = -200.0, 0.1
_WORDS = np.array([f"{_LOWEST_DBM + k * _STEP_DB:.1f}".encode() for k in range(2600)])


def write_table(file: BinaryIO, span: Span, rows: Iterable[SweepRows]) -> None:
    """The own sweep CSV, see docs/formats.md."""
    facts = {"detector": span.detector, "averages": span.averages, "instrument": span.instrument}
    if span.sweep_s:
        facts["sweep_s"] = f"{span.sweep_s:g}"
    for key, value in facts.items():
        file.write(f"# {key}: {value}\n".encode())
    file.write(b"time,start_hz,step_hz,dbm\n")
    for part in rows:
        index = np.rint((part.levels_dbm - _LOWEST_DBM) / _STEP_DB).astype(int).clip(0, len(_WORDS) - 1)
        words = _WORDS[index]
        for time_s, row in zip(part.time_s.tolist(), words.tolist(), strict=True):
            file.write(
                b"%.4f,%d,%d," % (time_s, round(span.start_hz), round(span.step_hz)) + b",".join(row) + b"\n"
            )


def truth_text(truth: tuple[Truth, ...]) -> str:
    """The truth as JSON."""
    return json.dumps([asdict(t) for t in truth], indent=1)
