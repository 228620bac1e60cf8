"""A long run of damaged inputs through all of the way: take, judge, plan, answers. `make fuzz MINUTES=10`.

Not collected by pytest: it runs for as long as it is told, from a seed that it prints. What it finds becomes a test.
"""

import argparse
import gzip
import json
import random
import struct
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.errors import KettleError
from gray_kettle.export.json_api.air import air_answer
from gray_kettle.export.json_api.brief import brief_answer
from gray_kettle.export.json_api.heard import heard_answer
from gray_kettle.export.json_api.plan import plan_answer
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.simulator import tern_quay
from gray_kettle.simulator.receivers import write_capture
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, pcapng_bytes
from tests.test_damage import DAMAGED
from tests.test_nl80211 import MESSAGES
from tests.test_scan_text import ALL
from tests.test_sweep_files import OWN, START_S, magnitudes, own_rows, record

_SLOW_S = 5.0


def seeds() -> list[bytes]:
    """Whole inputs of every kind, to be damaged."""
    packets = busy_harbour(3)
    with tempfile.NamedTemporaryFile() as file:
        write_capture(file, tern_quay.site(), "ticket hall", tern_quay.START_S + 12 * 3600, 6.0, 1)
        file.flush()
        walk = Path(file.name).read_bytes()
    out = [pcap_bytes(packets), pcapng_bytes(packets), pcap_bytes(packets, ">", True), walk, MESSAGES]
    out += [gzip.compress(walk), *(text.encode() for text in ALL)]
    out += [pcap_bytes(packets, link=link) for link in (105, 119, 163, 192, 253)]
    return out + sweeps() + [raw for raw, *_ in DAMAGED.values()]


def sweeps() -> list[bytes]:
    """Sweep tables whole and in pieces, records of cards of every type, and the description of a recording."""
    table = "\n".join(["# detector: mean", "# averages: 4", OWN, *own_rows(range(90), bins=40)])
    pieces = [
        f"{START_S + k // 3 + 0.1 * (k % 3):.1f},{2400 + 5 * (k % 3)}500000,1000000,-90,-91,-9{k % 9}"
        for k in range(90)
    ]
    cards = [
        b"".join(record(kind, bins=magnitudes(bins), tsf_us=1000 * k) for k in range(40))
        for kind, bins in ((1, 56), (2, 128), (3, 64), (4, 128))
    ]
    told = {
        "global": {"core:datatype": "ci8", "core:sample_rate": 2e6},
        "captures": [{"core:frequency": 2.44e9}],
    }
    return [table.encode(), "\n".join([OWN, *pieces]).encode(), *cards, json.dumps(told).encode()]


def hurt(raw: bytes, rng: random.Random, others: list[bytes]) -> bytes:
    """One to eight wounds: bytes and words turned, cut out, doubled, brought in from another input."""
    data = bytearray(raw)
    for _ in range(rng.randrange(1, 9)):
        if not data:
            break
        at = rng.randrange(len(data))
        match rng.randrange(7):
            case 0:
                data[at] ^= 1 << rng.randrange(8)
            case 1:
                data[at : at + 4] = struct.pack(
                    "<I", rng.choice((0, 1, 0x7F, 0xFF, 0xFFFF, 0x7FFFFFFF, 0xFFFFFFFF))
                )
            case 2:
                del data[at : at + rng.randrange(1, 200)]
            case 3:
                data[at:at] = data[at : at + rng.randrange(1, 400)]
            case 4:
                other = rng.choice(others)
                start = rng.randrange(len(other))
                data[at : at + 60] = other[start : start + rng.randrange(1, 300)]
            case 5:
                data[at : at + 8] = rng.randbytes(8)
            case _:
                del data[at:]
    return bytes(data)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    asked = parser.parse_args()
    rng = random.Random(asked.seed)
    print(f"seed {asked.seed}, {asked.minutes:g} minutes")
    inputs, seen, failed = seeds(), Counter[str](), 0
    ends_s = time.monotonic() + 60 * asked.minutes
    folder = Path(tempfile.mkdtemp(prefix="kettle-fuzz-"))
    slowest_s, count = 0.0, 0
    while time.monotonic() < ends_s:
        count += 1
        raw = hurt(rng.choice(inputs), rng, inputs)
        path, case_path = folder / "input", folder / f"{count}.kettle"
        path.write_bytes(raw)
        path.with_suffix(".sigmf-data").write_bytes(
            rng.randbytes(50_000)
        )  # where the input describes a recording
        began_s = time.monotonic()
        try:
            seen[once(path, case_path)] += 1
        except Exception:  # whatever it is, it is what this looks for
            failed += 1
            kept = folder / f"failed-{count}"
            kept.write_bytes(raw)
            print(f"{kept}\n{traceback.format_exc()}", flush=True)
        slowest_s = max(slowest_s, time.monotonic() - began_s)
        if time.monotonic() - began_s > _SLOW_S:
            (folder / f"slow-{count}").write_bytes(raw)
            print(f"slow: {folder / f'slow-{count}'}", flush=True)
        for left in folder.glob(f"{count}.kettle*"):
            left.unlink()
    print(f"{count:,} inputs, {failed} failed, slowest {slowest_s:.2f} s")
    print(", ".join(f"{kind} {n:,}" for kind, n in seen.most_common()))


def once(path: Path, case_path: Path) -> str:
    """One input, all the way; what became of it."""
    with Case.create(case_path, Setup(country="GB", own=("tern-guest", "tern-crew"))) as case:
        try:
            result = ingest(case, open_file(path))
        except KettleError:
            return "refused"
        found = load_session(case)
        heard_answer(found.assessment.radios, found.assessment.links).model_dump_json()
        air_answer(found.assessment, None, None).model_dump_json()
        brief_answer(found.assessment, found.assessment.findings).model_dump_json()
        plan_answer(found.proposal, None).model_dump_json()
        for run in case.sweeps.runs():
            edges = run.span.start_hz - run.span.step_hz, run.span.end_hz + run.span.step_hz
            case.sweeps.view(Frame(*edges, 100, run.start_s, run.end_s, 40))
        return result.kind


if __name__ == "__main__":
    main()
