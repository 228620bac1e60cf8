"""Keys with 500 radios and 5,000 clients in the case, beside a stock table; and the channel map."""

import math
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from tests.frames import beacon, data, ht, write_pcap

from benchmarks.terminal import Program
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.model.setup import Setup
from gray_kettle.planner.best import best_answers
from gray_kettle.planner.channel_map import channel_map
from gray_kettle.session import load_session
from gray_kettle.store import Case

RADIOS, CLIENTS = 500, 10  # clients of each radio
DOWN, PAGE_DOWN = b"\x1b[B", b"\x1b[6~"
_CHANNELS = (*range(1, 12), *range(36, 65, 4), *range(100, 141, 4))
# What is pressed to come there, and the keys that are measured.
PLACES: dict[str, tuple[bytes, list[bytes]]] = {
    "cursor in Heard, radios of a band": (b"2", [DOWN] * 15),
    "all bands and back": (b"", [b"a"] * 6),
    "from list to list": (b"", [b"v"] * 10),
    "cursor in the list of clients": (b"V", [DOWN, PAGE_DOWN] * 10),
    "order of the list of clients": (b"", [b"s"] * 6),
    "letters of a filter on clients": (b"/", [bytes([c]) for c in b"client~00:0a"]),
    "a card, and back": (b"\r", [b"\r", b"\x7f"] * 5),
    "to Air": (b"\x1b", [b"3", b"2"] * 3),
    "channel map": (b"3", [b"c"]),
    "cursor in the channel map": (b"", [DOWN] * 15),
}


def large_case(folder: Path) -> Path:
    packets = []
    for k in range(RADIOS):
        bssid = f"02:00:00:{k // 256:02x}:{k % 256:02x}:10"
        channel = _CHANNELS[k % len(_CHANNELS)]
        level = -40 - k % 50
        packets.append(beacon(bssid, b"net %d" % (k // 3), channel, level, k * 0.002, *ht(channel)))
        packets += [
            data(
                bssid,
                f"02:00:01:{k // 256:02x}:{k % 256:02x}:{n:02x}",
                channel,
                k * 0.002 + n * 1e-4,
                dbm=level - 5,
            )
            for n in range(CLIENTS)
        ]
    path = folder / "large.kettle"
    with Case.create(path, Setup(own=("net 0", "net 1"), country="GB")) as case:
        ingest(case, open_file(write_pcap(folder / "large.pcap", packets)))
    return path


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        case_path = large_case(Path(folder))
        with Case.open(case_path) as case:
            session = load_session(case)
        started_s = time.perf_counter()
        assessment = session.assessment
        print(f"assessment of {len(assessment.radios)} radios  {time.perf_counter() - started_s:.2f} s")
        answers = best_answers(session.proposal, assessment, session.setup)
        started_s = time.perf_counter()
        rows = channel_map(assessment, session.setup, answers)
        print(f"channel map, {len(rows)} channels  {1000 * (time.perf_counter() - started_s):.0f} ms")
        keys(case_path)


def keys(case_path: Path) -> None:
    smallest = Program(sys.executable, "-m", "benchmarks.baseline_app")
    smallest.wait_for(b"radio 3")
    base = [smallest.answer_s(DOWN) for _ in range(20)]
    smallest.stop()
    print(f"cursor of a stock table  {_ms(base)} (baseline)")
    program = Program(sys.executable, "-m", "gray_kettle", "open", str(case_path))
    program.wait_for(b"best channels")
    everything: list[float] = []
    for name, (place, pressed) in PLACES.items():
        if place:
            program.answer_s(place)
        found = [t for t in (program.answer_s(key) for key in pressed) if not math.isnan(t)]
        everything += found
        print(f"{name:<36} {_ms(found)}")
    print(f"{'all of these':<36} {_ms(everything)}")
    program.stop()


def _ms(times: list[float]) -> str:
    return (
        f"median {1000 * float(np.median(times)):.0f} ms, p95 {1000 * float(np.percentile(times, 95)):.0f} ms"
    )


if __name__ == "__main__":
    main()
