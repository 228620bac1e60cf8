"""Sweeps: import of tables and records, windows of a long case, a live analyser.

Beside each: what the machine needs at the least (reading the file, packing the bytes), and a public baseline.
"""

import os
import resource
import statistics
import struct
import sys
import time
from pathlib import Path

import numpy as np
import zstandard

from benchmarks.terminal import Program
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.detection import detect_pending
from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.model.setup import Setup
from gray_kettle.simulator import tern_quay, tern_sweeps
from gray_kettle.simulator.analyser import SimulatedAnalyser
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import to_codes
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case

START_S = 1.79e9
TABLE_ROWS, TABLE_BINS = 36_000, 2_000
DAY_ROWS, DAY_BINS, ROWS_A_SECOND = 432_000, 1_000, 5.0
COLUMNS, LINES = 106, 48  # of the waterfall in a terminal of 160×47 cells
LENGTHS_S = (10, 60, 600, 3600, 6 * 3600, 86_400)
LIVE_S = 15.0


def main(folder: Path) -> None:
    _table(folder)
    _records(folder)
    _emitters(folder)
    _day(folder)
    _live(folder)


def say(what: str, figures: str) -> None:
    print(f"{what:<42} {figures}", flush=True)


def _noise(rows: int, bins: int) -> "np.ndarray":
    power = np.random.default_rng(1).gamma(4, 0.25, (rows, bins))
    return (10 * np.log10(power) - 100).astype(np.float32)


def _taken_s(folder: Path, path: Path) -> tuple[float, float, float]:
    """(seconds, seconds of processor, bytes a bin) of taking a file into a new case."""
    name = folder / f"{path.stem}.kettle"
    with Case.create(name, Setup()) as case:
        wall_s, busy_s = time.perf_counter(), time.process_time()
        result = ingest(case, open_file(path))
        wall_s, busy_s = time.perf_counter() - wall_s, time.process_time() - busy_s
        bins = sum(run.rows * run.span.bins for run in case.sweeps.runs())
    assert result.records
    return wall_s, busy_s, name.stat().st_size / bins


def _table(folder: Path) -> None:
    path = folder / "table.csv"
    words = np.array([b"%.1f" % (v / 10) for v in range(-1500, 0)])
    levels = np.clip(np.rint(_noise(600, TABLE_BINS) * 10).astype(int) + 1500, 0, 1499)
    lines = [b",".join(row.tolist()) for row in words[levels]]
    with path.open("wb") as file:
        file.write(b"# detector: mean\n# averages: 4\ntime,start_hz,step_hz,dbm\n")
        for k in range(TABLE_ROWS):
            file.write(b"%.3f,2400000000,50000,%s\n" % (START_S + 0.1 * k, lines[k * 7 % 600]))
    started_s = time.perf_counter()
    with path.open("rb", buffering=0) as file:
        while file.read(8 << 20):
            pass
    read_s = time.perf_counter() - started_s
    part = b",".join(lines[:300])
    started_s = time.perf_counter()
    np.fromstring(part, sep=",")
    baseline_s = (time.perf_counter() - started_s) * TABLE_ROWS / 300
    wall_s, busy_s, size = _taken_s(folder, path)
    processor = f"({busy_s:.2f} of processor)"
    say(
        f"sweep table, {TABLE_ROWS:,} × {TABLE_BINS:,}", f"{wall_s:6.2f} s {processor}, {size:.3f} byte a bin"
    )
    megabytes = path.stat().st_size / 1e6
    say(f"  reading {megabytes:.0f} MB alone", f"{read_s:.2f} s")
    say("  NumPy's own reading of its numbers", f"{baseline_s:.1f} s (baseline)")
    codes = to_codes(_noise(4096, TABLE_BINS))
    packer = zstandard.ZstdCompressor(level=1)
    started_s = time.perf_counter()
    packed = sum(len(packer.compress(codes[k : k + 256].tobytes())) for k in range(0, len(codes), 256))
    pack_s = (time.perf_counter() - started_s) * TABLE_ROWS / len(codes)
    share = np.bincount(codes.ravel(), minlength=256) / codes.size
    entropy = float(-(share[share > 0] * np.log2(share[share > 0])).sum() / 8)
    print(
        f"  packing its bins alone {pack_s:.2f} s, {packed / codes.size:.3f} byte a bin (entropy {entropy:.3f})"
    )
    path.unlink()


def _records(folder: Path) -> None:
    """As many bins as records of a card."""
    path = folder / "records.bin"
    bins = 512
    count = TABLE_ROWS * TABLE_BINS // bins
    data = np.clip(np.random.default_rng(2).rayleigh(24, (2000, bins)), 1, 255).astype(np.uint8)
    with path.open("wb") as file:
        for first in range(0, count, 2000):
            parts = []
            for k in range(min(2000, count - first)):
                body = struct.pack(
                    ">BbBHHHhIi", 80, 3, 1, 5210, 0, 9, 20, (first + k) * 25_000 & 0xFFFFFFFF, -95
                )
                parts.append(struct.pack(">BH", 4, len(body) + bins) + body + data[k].tobytes())
            file.write(b"".join(parts))
    wall_s, busy_s, size = _taken_s(folder, path)
    print(
        f"sweep records, {count:,} × {bins}     {wall_s:6.2f} s ({busy_s:.2f} of processor), {size:.3f} byte a bin"
    )
    path.unlink()


def _emitters(folder: Path) -> None:
    """An hour of 10 rows a second of 1,000 bins, with Wi-Fi, an oven, a hopper and a camera, with detection."""
    for name, sweep_s in (("snapshots", 0.0), ("tuned", 0.06)):
        span = Span(2.400042e9, 84e3, 1000, sweep_s=sweep_s)
        scene = Scene(
            (
                *(tx.wifi(f"{n}", 2.407e9 + 5e6 * n, 20, -50 - n, 0.3) for n in (1, 6, 11)),
                tx.oven("", -55, 1.0), tx.hopper("", -60, 0.5), tx.camera("", -65, 2.43e9),
            ),
            5,
        )  # fmt: skip
        times = START_S + np.arange(2048) / 10 + np.random.default_rng(1).uniform(0, 0.01, 2048)
        block = np.concatenate([r.levels_dbm for r in scene.rows(Instrument(span), times)])
        path = folder / f"hour-{name}.kettle"
        with Case.create(path, Setup()) as case:
            take_number = case.begin_take("made", "sweep table", "")
            for k in range(17):
                case.append(take_number, Piece(sweeps=(SweepRows(span, times + 204.8 * k, block),)))
            last = 36_000 - 17 * 2048
            case.append(
                take_number, Piece(sweeps=(SweepRows(span, times[:last] + 204.8 * 17, block[:last]),))
            )
            case.finish_take(take_number, complete=True)
            started_s, worked_s = time.perf_counter(), time.process_time()
            detect_pending(case)
            seconds, worked = time.perf_counter() - started_s, time.process_time() - worked_s
        started_s = time.perf_counter()
        for _ in range(18):
            np.percentile(block, [10, 50, 90], axis=0)
        base_s = time.perf_counter() - started_s
        peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        say(
            f"emitters in an hour of {name}",
            f"{seconds:.1f} s ({worked:.1f} s of one core), at most {peak_mb:.0f} MB in all so far; "
            f"NumPy's three percentiles of the same rows alone {base_s:.1f} s",
        )


def _day(folder: Path) -> None:
    path = folder / "day.kettle"
    span = Span(2400e6, 100e3, DAY_BINS, detector="mean", averages=4)
    noise = _noise(4096, DAY_BINS)
    rng = np.random.default_rng(3)
    with Case.create(path, Setup()) as case:
        number = case.begin_take("day", "sweep table", "")
        spent_s = 0.0
        for first in range(0, DAY_ROWS, 2048):
            rows = min(2048, DAY_ROWS - first)
            levels = np.roll(noise, rng.integers(DAY_BINS), axis=1)[:rows].copy()
            levels[np.ix_(rng.random(rows) < 0.3, np.arange(100, 300))] = -60
            times = START_S + (first + np.arange(rows)) / ROWS_A_SECOND
            started_s = time.perf_counter()
            case.append(number, Piece(sweeps=(SweepRows(span, times, levels),), records=rows))
            spent_s += time.perf_counter() - started_s
        case.finish_take(number, complete=True)
    size = path.stat().st_size / DAY_ROWS / DAY_BINS
    say("a day of 5 rows/s × 1,000 bins", f"kept at {DAY_ROWS / spent_s:,.0f} rows/s, {size:.3f} byte a bin")
    for length_s in LENGTHS_S:
        starts = START_S + rng.uniform(0, max(DAY_ROWS / ROWS_A_SECOND - length_s, 1), 12)
        found = []
        for start_s in starts:
            with Case.open(path) as case:
                started_s = time.perf_counter()
                case.sweeps.view(Frame(2400e6, 2500e6, COLUMNS, start_s, start_s + length_s, LINES))
                found.append(1000 * (time.perf_counter() - started_s))
        told = f"median {statistics.median(found):4.0f} ms, longest {max(found):4.0f} ms"
        say(f"  window of {length_s:,} s", told)
    with Case.open(path) as case:
        started_s = time.perf_counter()
        case.sweeps.swept(-np.inf, np.inf)
        say("  shares of time, all channels, whole day", f"{time.perf_counter() - started_s:.2f} s")


def _live(folder: Path) -> None:
    path = folder / "live.kettle"
    Case.create(path, Setup(country="GB")).close()
    stand_in = "import time; from benchmarks.sweeps import serve; serve()"
    server = Program(sys.executable, "-c", stand_in)
    server.wait_for(b"port ")
    server.wait_for(b"\n")
    port = int(server.output.split(b"port ")[1].split()[0])
    app = Program(sys.executable, "-m", "gray_kettle", "open", str(path))
    app.wait_for(b"The case is empty")
    app.wait_for(b"No radio was observed")
    os.write(app.master, b"4")
    time.sleep(1.0)
    os.write(app.master, b"t")
    app.wait_for(b"A simulated site")
    time.sleep(0.5)
    os.write(app.master, f"scpi://127.0.0.1:{port}?start=2400MHz&stop=2488MHz&points=1000".encode())
    time.sleep(1.0)
    os.write(app.master, b"\r")
    app.wait_for(b"busy in the last")
    busy_s, wall_s = _processor_s(app.process.pid), time.perf_counter()
    while time.perf_counter() - wall_s < LIVE_S:
        app.read_for(0.3)
    share = (_processor_s(app.process.pid) - busy_s) / (time.perf_counter() - wall_s)
    found = []
    said = (b"mean level in a bin", b"share of time over the floor", b"highest level in a bin")
    for k in range(24):
        app.output = b""
        started_s = time.perf_counter()
        os.write(app.master, b"m")
        app.wait_for(said[k % 3])
        found.append(1000 * (time.perf_counter() - started_s))
        time.sleep(0.23)
    os.write(app.master, b"t")
    time.sleep(2.5)
    app.stop()
    smallest = Program(sys.executable, "-m", "benchmarks.baseline_app")
    smallest.wait_for(b"radio 3")
    base = [1000 * smallest.answer_s(b"\x1b[B") for _ in range(20)]
    smallest.stop()
    server.stop()
    with Case.open(path) as case:
        take_info, run = case.takes()[0], case.sweeps.runs()[0]
        rate = run.rows / (run.end_s - run.start_s)
    kept = f"{run.rows} of {take_info.records} rows kept, {rate:.1f} a second"
    say("live, 20 rows/s × 1,000 bins", f"{100 * share:.0f} % of a core; {kept}")
    middle, high = statistics.median(found), np.percentile(found, 95)
    say("  key to its answer meanwhile", f"median {middle:.0f} ms, p95 {high:.0f} ms")
    middle, high = statistics.median(base), np.percentile(base, 95)
    say("  cursor of a stock table, beside it", f"median {middle:.0f} ms, p95 {high:.0f} ms (baseline)")


def serve() -> None:
    """A simulated analyser in its own process, until it is stopped."""
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", "2.4", 1)
    with SimulatedAnalyser(scene, lambda: tern_quay.START_S + 43_800 + time.time() % 600) as analyser:
        print(f"port {analyser.port}", flush=True)
        time.sleep(600)


def _processor_s(process: int) -> float:
    fields = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


if __name__ == "__main__":
    import tempfile

    with tempfile.TemporaryDirectory() as temporary:
        main(Path(temporary))
