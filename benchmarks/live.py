"""An hour of the simulated site at sixty times its speed with the app open: rows kept, and how soon a key is answered.

Run it by itself: `python -m benchmarks.live`. The baseline is the cursor of a table in the smallest Textual app.
"""

import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.terminal import Program
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case

SPEED, SECONDS = 60, 60
# Keys, and what of the screen only their view has.
VIEWS = ((b"2", b"level over time"), (b"1", b"What is wrong"), (b"3", b"clear air"))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "visit.kettle"
        Case.create(path, Setup(country="GB", own=("tern-crew",))).close()
        app = Program(sys.executable, "-m", "gray_kettle", "open", str(path))
        app.wait_for(b"No radio was observed")
        os.write(app.master, b"t")
        app.wait_for(b"A simulated site")
        time.sleep(0.5)
        os.write(app.master, f"sim:pier?speed={SPEED}".encode())
        time.sleep(0.5)
        os.write(app.master, b"\r")
        app.wait_for(b"scans")
        app.read_for(5.0)
        found, until_s, number = [], time.perf_counter() + SECONDS, 0
        while time.perf_counter() < until_s:
            key, mark = VIEWS[number % len(VIEWS)]
            number += 1
            app.output = b""
            started_s = time.perf_counter()
            os.write(app.master, key)
            app.wait_for(mark)
            found.append(1000 * (time.perf_counter() - started_s))
            app.read_for(0.4)
        os.write(app.master, b"t")
        app.wait_for(b"Taken")
        app.read_for(1.0)
        app.stop()
        smallest = Program(sys.executable, "-m", "benchmarks.baseline_app")
        smallest.wait_for(b"radio 3")
        base = [1000 * smallest.answer_s(b"\x1b[B") for _ in range(20)]
        smallest.stop()
        with Case.open(path) as case:
            (info,) = case.takes()
            kept = len(np.unique(case.window().sightings.time_s))
            rows = sum(run.rows for run in case.sweeps.runs())
            hours = (info.end_s - info.start_s) / 3600
    print(f"{hours:.2f} h at {SPEED}×: {info.records} scans taken, {kept} kept; {rows:,} sweep rows")
    for what, times in (("key to its view", found), ("cursor of a stock table, beside it (baseline)", base)):
        print(f"  {what}: median {statistics.median(times):.0f} ms, p95 {np.percentile(times, 95):.0f} ms")


if __name__ == "__main__":
    main()
