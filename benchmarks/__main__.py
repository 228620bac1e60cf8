"""All measurements, one line each: median and 95th percentile, beside a public baseline where there is one."""

import math
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks import captures, sweeps
from benchmarks.terminal import Program
from gray_kettle.session import load_session
from gray_kettle.simulator.demo import make_demo
from gray_kettle.store import Case

RUNS = 7
DOWN, RIGHT = b"\x1b[B", b"\x1b[C"
# Where one is, and the keys that are measured there.
KEYS = {
    "cursor in the Brief": (b"1", [DOWN] * 10),
    "cursor in Heard (with its chart)": (b"2", [DOWN] * 12),
    "what-if in Air": (b"3", [RIGHT] * 10),
    "cursor in Sweep (with its figures)": (b"4", [RIGHT] * 12),
    "cursor in Plan (with reasons and heatmap)": (b"5", [DOWN] * 8),
    "from view to view": (b"", [b"1", b"2", b"3", b"4", b"5"] * 4),
    "band": (b"2", [b"b"] * 6),
}


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        case = Path(folder) / "tern-quay.kettle"
        started_s = time.perf_counter()
        make_demo(case)
        seconds, megabytes = time.perf_counter() - started_s, case.stat().st_size / 1e6
        print(f"making the demo case           {seconds:6.2f} s, {megabytes:.1f} MB")
        first_picture(str(case))
        keys(str(case))
        session(case)
        captures.main(Path(folder))
        sweeps.main(Path(folder))


def first_picture(case: str) -> None:
    marks = {"frame": b"Brief", "findings": b"What is wrong", "with the plan": b"Set 1/20"}
    times: dict[str, list[float]] = {name: [] for name in marks}
    baseline = []
    for _ in range(RUNS):
        smallest = Program(sys.executable, "-m", "benchmarks.baseline_app")
        baseline.append(smallest.wait_for(b"radio 3"))
        smallest.stop()
        program = Program(sys.executable, "-m", "gray_kettle", "open", case)
        for name, mark in marks.items():
            times[name].append(program.wait_for(mark))
        program.stop()
    base = statistics.median(baseline)
    print(f"first picture, smallest app    {base:6.2f} s (baseline: Textual with a table)")
    for name, found in times.items():
        middle = statistics.median(found)
        print(f"first picture, {name:<15} {middle:6.2f} s, {middle / base:.1f} × baseline")


def keys(case: str) -> None:
    program = Program(sys.executable, "-m", "gray_kettle", "open", case)
    program.wait_for(b"Set 1/20")
    smallest = Program(sys.executable, "-m", "benchmarks.baseline_app")
    smallest.wait_for(b"radio 3")
    base = [smallest.answer_s(DOWN) for _ in range(20)]
    print(f"key, cursor of a stock table   {_ms(base)} (baseline)")
    everything: list[float] = []
    for name, (place, pressed) in KEYS.items():
        if place:
            program.answer_s(place)
        found = [t for t in (program.answer_s(key) for key in pressed) if not math.isnan(t)]
        everything += found
        print(f"key, {name:<40} {_ms(found)}")
    print(f"key, all of these              {_ms(everything)}")
    program.stop()
    smallest.stop()


def _ms(times: list[float]) -> str:
    return f"median {1000 * statistics.median(times):4.0f} ms, p95 {1000 * float(np.percentile(times, 95)):4.0f} ms"


def session(path: Path) -> None:
    with Case.open(path) as case:
        for name in ("first time", "again"):
            marks = [time.perf_counter()]
            found = load_session(case)
            marks.append(time.perf_counter())
            _ = found.assessment
            marks.append(time.perf_counter())
            _ = found.proposal
            marks.append(time.perf_counter())
            steps = np.diff(marks)
            print(f"window, assess, plan ({name})  {steps[0]:.2f} + {steps[1]:.2f} + {steps[2]:.2f} s")


main()
