"""Long runs of what tests/test_reliability.py tries in short: `make soak MINUTES=60`. It prints N tried, N lost.

Not collected by pytest. What it finds becomes a test. Seeds are printed, so that a run can be repeated.
"""

import argparse
import random
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path

from gray_kettle.cli.main import main
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.analyser import SimulatedAnalyser
from gray_kettle.simulator.spectra.scene import Scene
from gray_kettle.store import Case
from tests import attacks
from tests.frames import busy_harbour, pcap_bytes, write_full_scan, write_pcap
from tests.test_reliability import packets_of
from tests.test_sweep_files import OWN, own_rows

_CAPTURE_S = 60.0
Trial = Callable[[Path, random.Random], str]


def whole_case(folder: Path) -> Path:
    """A case with scans, frames and sweeps."""
    table = folder / "sweeps.csv"
    table.write_text("\n".join(["# detector: mean", OWN, *own_rows(range(80), bins=60)]))
    path = folder / "whole.kettle"
    with Case.create(path, Setup(site="Ferry", country="GB", own=("tern-guest",))) as case:
        files = write_pcap(folder / "a.pcap", busy_harbour()), write_full_scan(folder / "scan.txt"), table
        for file in files:
            ingest(case, open_file(file))
    return path


def trials(folder: Path) -> dict[str, Trial]:
    """What is tried, by name. Each gives what came of it: "lost" is what must never be."""
    raw = pcap_bytes(busy_harbour(_CAPTURE_S))
    packets = packets_of(raw)
    whole = whole_case(folder).read_bytes()
    damaged = folder / "damaged.kettle"
    damaged.write_bytes(whole)
    good, _ = attacks.fingerprint(damaged)
    listing = write_full_scan(folder / "listing.txt")
    analyser = SimulatedAnalyser(Scene((), seed=3), time.time, rows_per_s=30.0).__enter__()

    def stop(place: Path, rng: random.Random) -> str:
        stopped = attacks.stop_take(place, raw, rng, silent=rng.random() < 0.2)
        if stopped.reported != stopped.stored or "Traceback" in stopped.errors:
            return "lost"
        return "within a second" if stopped.seconds < 1 else "later than a second"

    def kill(place: Path, rng: random.Random) -> str:
        written, stored = attacks.kill_take(place, packets, rng)
        return "kept" if stored >= written else "lost"

    def kill_live(place: Path, rng: random.Random) -> str:
        source, feed = f"sim:pier?speed={rng.choice((1, 30, 300))}&seed={rng.randrange(99)}", ""
        what = rng.choice(("simulation", "pipe of listings", "analyser"))
        if what == "pipe of listings":
            source, feed = "-", f"while cat {listing}; do sleep {rng.uniform(0.05, 0.6):.2f}; done"
        elif what == "analyser":
            source = f"scpi://127.0.0.1:{analyser.port}?start=2400MHz&stop=2480MHz&points=401&rbw=200kHz"
        before, copied, after = attacks.kill_live(place, source, rng, feed)
        return f"kept ({what})" if after >= before > 0 and copied > 0 else "lost"

    def keys(place: Path, rng: random.Random) -> str:
        came = attacks.mash(place, whole, rng, 400)
        if came not in ("alive", "quit"):
            print(came, flush=True)
        return came if came in ("alive", "quit") else "lost"

    def flip(_: Path, rng: random.Random) -> str:
        found = attacks.outcome(damaged, attacks.flipped(whole, rng, rng.choice((1, 1, 8, 60))), good)
        return "lost" if found == "silent" else found

    def command(_: Path, rng: random.Random) -> str:
        damaged.write_bytes(attacks.flipped(whole, rng, 60))
        words = [rng.choice(("heard", "air", "brief", "plan", "takes", "check", "emitters"))]
        with redirect_stdout(StringIO()), redirect_stderr(StringIO()) as said:
            code = main([*words, str(damaged)])
        if "fault in Gray Kettle" in said.getvalue():
            keep = Path(tempfile.gettempdir()) / f"gray-kettle-fault-{rng.randrange(10**6)}-{words[0]}.kettle"
            keep.write_bytes(damaged.read_bytes())
            print(f"fault: {keep}", flush=True)
        return "lost" if "fault in Gray Kettle" in said.getvalue() else f"exit {code}"

    return {
        "stop": stop,
        "kill": kill,
        "kill of a live take": kill_live,
        "keys": keys,
        "flip": flip,
        "command on a damaged case": command,
    }


def rounds(minutes: float) -> Iterator[int]:
    until_s = time.monotonic() + 60 * minutes
    number = 0
    while time.monotonic() < until_s:
        yield number
        number += 1


def run() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=60.0)
    parser.add_argument("--seed", type=int, default=time.time_ns() % 1_000_000)
    parser.add_argument("--only", default="", help="name of one kind of trial")
    asked = parser.parse_args()
    print(f"seed {asked.seed}")
    with tempfile.TemporaryDirectory(prefix="gray-kettle-soak-") as name:
        folder = Path(name)
        place = folder / "place"
        place.mkdir()
        known = trials(folder)
        chosen = {k: v for k, v in known.items() if asked.only in ("", k)}
        for title, trial in chosen.items():
            rng, outcomes = random.Random(f"{asked.seed} {title}"), Counter[str]()
            for _ in rounds(asked.minutes / len(chosen)):
                outcomes[trial(place, rng)] += 1
            listed = ", ".join(f"{count} {what}" for what, count in sorted(outcomes.items()))
            print(f"{title}: {outcomes.total()} tried, {outcomes['lost']} lost ({listed})", flush=True)


if __name__ == "__main__":
    run()
