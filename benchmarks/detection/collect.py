"""Measure all candidates of scenes with truth, for the fit of the detector's weights.

python -m benchmarks.detection.collect OUT.pkl --folder DIR | --own RANGES --scenes N [--first K]
"""

import argparse
import pickle
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from benchmarks.detection.measured import of_job, of_path
from benchmarks.detection.scenes import our_own_jobs


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--own", help="ranges of our own simulator")
    parser.add_argument("--scenes", type=int, default=48)
    parser.add_argument("--first", type=int, default=0)
    asked = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        if asked.folder:
            found = list(pool.map(of_path, sorted(asked.folder.glob("scene_*.npz"))))
        else:
            found = list(pool.map(of_job, our_own_jobs(asked.own, asked.scenes, asked.first), chunksize=2))
    asked.out.write_bytes(pickle.dumps(found))


if __name__ == "__main__":
    main()
