"""The fixed scenes that `make test` measures the detector on: rows and truth of both makers in one compact file.

python -m benchmarks.detection.gate --folder DIR [--few]: writes tests/data/emitter_scenes.hex, or with --few
emitter_scenes_few.hex, of rows of few moments
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

_DATA = Path(__file__).parent.parent.parent / "tests" / "data"
KEPT, KEPT_FEW = _DATA / "emitter_scenes.hex", _DATA / "emitter_scenes_few.hex"
_OWN = [("held-out", k, "averaged emitters") for k in range(300, 330)] + [
    ("held-out", k, "averaged wifi") for k in range(300, 310)
]
_OWN_FEW = [("held-out", k, "plain") for k in range(300, 316)]
_OWN_FEW += [
    ("held-out", k, how)
    for k in range(316, 319)
    for how in ("wifi", "sampled-stepped emitters", "stepped wifi")
]
_MOST_ROWS, _MOST_BINS = 160, 520
_MOST_ROWS_FEW, _MOST_BINS_FEW, _MOST_SCENES_FEW = 320, 260, 14
_FIELDS = ("start_hz", "step_hz", "bins", "pieces", "detector", "averages", "sweep_s")


def write(folder: Path, few: bool = False) -> None:
    """Write the scenes of a folder and some of our own. few: of few moments a row."""
    kept: dict[str, np.ndarray] = {}
    header = []
    rows, bins = (_MOST_ROWS_FEW, _MOST_BINS_FEW) if few else (_MOST_ROWS, _MOST_BINS)
    theirs = [s for s in from_folder(folder) if s.span.bins <= bins][: _MOST_SCENES_FEW if few else None]
    ours = (of_our_own(*job) for job in (_OWN_FEW if few else _OWN))
    scenes = [*theirs, *(s for s in ours if s.span.bins <= bins)]
    for number, scene in enumerate(scenes):
        some = slice(0, rows)
        kept[f"codes {number}"] = scene.codes[some]
        kept[f"time {number}"] = scene.time_s[some]
        header.append(
            {
                "name": scene.name, "group": scene.group, "span": {f: getattr(scene.span, f) for f in _FIELDS},
                "emitters": [vars(e) for e in scene.emitters],
                "channels": [[band, number_, share] for (band, number_), share in (scene.channels or {}).items()],
                "has_wifi": scene.has_wifi,
            }
        )  # fmt: skip
    path = KEPT_FEW if few else KEPT
    path.parent.mkdir(exist_ok=True)
    raw = io.BytesIO()
    np.savez(raw, told=np.array(json.dumps(header)), **kept)
    path.write_text(lzma.compress(raw.getvalue(), preset=9).hex())


def read(path: Path = KEPT) -> list[LabelledScene]:
    """The scenes that are kept."""
    kept = np.load(io.BytesIO(lzma.decompress(bytes.fromhex(path.read_text()))))
    out = []
    for number, header in enumerate(json.loads(str(kept["told"]))):
        facts = header["span"] | {
            "pieces": tuple(header["span"]["pieces"]),
            "detector": Detector(header["span"]["detector"]),
        }
        emitters = tuple(TrueEmitter(**{**e, "kind": EmitterKind(e["kind"])}) for e in header["emitters"])
        channels = {(band, n): share for band, n, share in header["channels"]}
        out.append(LabelledScene(
            header["name"], header["group"], Span(**facts), kept[f"time {number}"], kept[f"codes {number}"], None,
            emitters, channels, header["has_wifi"],
        ))  # fmt: skip
    return out


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--few", action="store_true")
    asked = parser.parse_args()
    write(asked.folder, asked.few)


if __name__ == "__main__":
    main()
