"""What is claimed of receivers as they are: spikes, spurs, images, with nothing, Wi-Fi or emitters before them.

python -m benchmarks.receivers [--scenes 40] [--ranges second]: for each kind of receiver the scenes with a claim
that is not marked as the receiver's own, and the share of a channel that is charged; with emitters, recall and
precision.
"""

import argparse
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from benchmarks.emitters import _RANGES, LEAST_STANDING, paired
from gray_kettle.analysis.assessment import Emitter
from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.interference.detect import detect
from gray_kettle.model.records import DetectionBlock, Listening, Observations, Sightings, Traffic
from gray_kettle.model.setup import Setup
from gray_kettle.simulator.spectra.random_receivers import KINDS, with_receiver
from gray_kettle.simulator.spectra.random_scenes import ByChance
from gray_kettle.simulator.spectra.transmitters import WIFI
from gray_kettle.spectrum.quantise import to_codes
from gray_kettle.store.detection_cache import BLOCK_ROWS

BEFORE = ("nothing", "wifi", "emitters")


@dataclass(frozen=True)
class Result:
    """One scene. met: emitters that stand out, found: of them; claims: all, false: on nothing, own: marked as the
    receiver's own; charged: largest share of a channel by a false claim.
    """

    kind: str
    before: str
    met: int
    found: int
    claims: int
    false: int
    own: int
    charged: float
    names: tuple[str, ...]


def claims_of(made: ByChance) -> list[Emitter]:
    """What is reported, block by block, as in a case."""
    span = made.instrument.span
    codes = np.concatenate([to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)])
    offsets = made.instrument.offsets_s(len(made.time_s)) if made.instrument.step_s else None
    low_hz = span.start_hz - span.step_hz / 2
    looks = []
    for first in range(0, len(made.time_s), BLOCK_ROWS):
        part = slice(first, first + BLOCK_ROWS)
        when_s = made.time_s[part]
        found = detect(span, when_s, codes[part], None if offsets is None else offsets[part])
        looks.append(
            DetectionBlock(
                float(when_s[0]),
                float(when_s[-1]),
                len(when_s),
                low_hz,
                low_hz + span.step_hz * span.bins,
                "",
                found,
            )
        )
    nothing = (Sightings.empty(), Traffic.empty(), Listening.empty(), ("",), ())
    heard = Observations(looks[0].start_s, looks[-1].end_s, (), *nothing, detection_blocks=tuple(looks))
    return list(find_emitters(heard, Setup(), ()))


def measure(number: int, kind: str, before: str, ranges: str) -> Result:
    """One scene of a kind."""
    made = with_receiver(number, _RANGES[ranges], kind, before == "wifi", before == "emitters")
    claims = claims_of(made)
    span = made.instrument.span
    truth = [
        t
        for t in made.scene.truth(span, float(made.time_s[0]), float(made.time_s[-1]) + 0.1)
        if t.kind != WIFI
    ]
    standing = dict(
        zip(
            (t.name for t in made.scene.transmitters),
            made.scene.standing(made.instrument, made.time_s),
            strict=True,
        )
    )
    pairs = paired(truth, claims)
    stand = [k for k, t in enumerate(truth) if standing[t.name] >= LEAST_STANDING]
    is_own = [claim.may_be_receiver for claim in claims]
    false = [k for k in range(len(claims)) if k not in pairs.values() and not is_own[k]]
    charged = [
        share for k in range(len(claims)) if k not in pairs.values() for *_, share in claims[k].channels
    ]
    return Result(
        kind, before, len(stand), sum(k in pairs for k in stand), len(claims) - sum(is_own), len(false), sum(is_own),
        max(charged, default=0.0), tuple(str(claims[k].kind) for k in false),
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=40, help="of each kind")
    parser.add_argument("--ranges", default="second", choices=list(_RANGES))
    parser.add_argument("--first", type=int, default=0)
    asked = parser.parse_args()
    start_s = time.perf_counter()
    jobs = [
        (number, kind, before, asked.ranges)
        for before in BEFORE
        for kind in KINDS
        for number in range(asked.first, asked.first + asked.scenes)
    ]
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(measure, *zip(*jobs, strict=True), chunksize=4))
    print("| receiver | before it | scenes | with a false claim | false claims | marked as its own | charged a channel "
          "| recall | precision |\n|---|---|---|---|---|---|---|---|---|")  # fmt: skip
    for before in BEFORE:
        for kind in KINDS:
            some = [r for r in results if (r.kind, r.before) == (kind, before)]
            met, found = sum(r.met for r in some), sum(r.found for r in some)
            claims, false = sum(r.claims for r in some), sum(r.false for r in some)
            print(
                f"| {kind} | {before} | {len(some)} | {sum(r.false > 0 for r in some)} | {false} | "
                f"{sum(r.own for r in some)} | {sum(r.charged > 0.02 for r in some)} | "
                f"{found / met if met else float('nan'):.3f} | {1 - false / claims if claims else float('nan'):.3f} |"
            )
    names: dict[str, int] = {}
    for result in results:
        for name in result.names:
            names[name] = names.get(name, 0) + 1
    print(
        "False claims:",
        ", ".join(f"{name} {count}" for name, count in sorted(names.items(), key=lambda i: -i[1])),
    )
    print(f"{time.perf_counter() - start_s:.0f} s")


if __name__ == "__main__":
    main()
