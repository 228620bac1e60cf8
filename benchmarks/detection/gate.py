"""The fixed scenes that `make test` measures the detector on: rows and truth of both makers in one compact file.

python -m benchmarks.detection.gate --folder DIR: writes tests/data/emitter_scenes.hex
"""

import argparse
import io
import json
import lzma
from pathlib import Path

import numpy as np

from benchmarks.detection.scenes import LabelledScene, TrueEmitter, from_folder, of_our_own
from gray_kettle.model.enums import Detector, EmitterKind
from gray_kettle.model.records import Span

KEPT = Path(__file__).parent.parent.parent / "tests" / "data" / "emitter_scenes.hex"
_OWN = [("held-out", k, "averaged emitters") for k in range(300, 330)] + [
    ("held-out", k, "averaged wifi") for k in range(300, 310)
]
_MOST_ROWS, _MOST_BINS = 160, 520
_FIELDS = ("start_hz", "step_hz", "bins", "pieces", "detector", "averages", "sweep_s")


def write(folder: Path, path: Path = KEPT) -> None:
    """Write the scenes of a folder and some of our own."""
    kept: dict[str, np.ndarray] = {}
    told = []
    scenes = [
        s for s in (*from_folder(folder), *(of_our_own(*job) for job in _OWN)) if s.span.bins <= _MOST_BINS
    ]
    for number, scene in enumerate(scenes):
        some = slice(0, _MOST_ROWS)
        kept[f"codes {number}"] = scene.codes[some]
        kept[f"time {number}"] = scene.time_s[some]
        told.append(
            {
                "name": scene.name, "group": scene.group, "span": {f: getattr(scene.span, f) for f in _FIELDS},
                "emitters": [vars(e) for e in scene.emitters],
                "channels": [[band, number_, share] for (band, number_), share in (scene.channels or {}).items()],
                "has_wifi": scene.has_wifi,
            }
        )  # fmt: skip
    path.parent.mkdir(exist_ok=True)
    raw = io.BytesIO()
    np.savez(raw, told=np.array(json.dumps(told)), **kept)
    path.write_text(lzma.compress(raw.getvalue(), preset=9).hex())


def read(path: Path = KEPT) -> list[LabelledScene]:
    """The scenes that are kept."""
    kept = np.load(io.BytesIO(lzma.decompress(bytes.fromhex(path.read_text()))))
    out = []
    for number, told in enumerate(json.loads(str(kept["told"]))):
        facts = told["span"] | {
            "pieces": tuple(told["span"]["pieces"]),
            "detector": Detector(told["span"]["detector"]),
        }
        emitters = tuple(TrueEmitter(**{**e, "kind": EmitterKind(e["kind"])}) for e in told["emitters"])
        channels = {(band, n): share for band, n, share in told["channels"]}
        out.append(LabelledScene(
            told["name"], told["group"], Span(**facts), kept[f"time {number}"], kept[f"codes {number}"], None, emitters,
            channels, told["has_wifi"],
        ))  # fmt: skip
    return out


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    write(parser.parse_args().folder)


if __name__ == "__main__":
    main()
