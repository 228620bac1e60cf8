"""How much depends on each parameter of the detector: found and right claims in the kept scenes, 20 % up and down.

python -m benchmarks.detection.sensitivity: writes sensitivity.json beside this file, which
`python -m benchmarks.emitter_parameters` lists.
"""

import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import fields
from functools import cache
from pathlib import Path

from benchmarks.detection import gate
from benchmarks.detection.accuracy import emitters_of, paired
from benchmarks.detection.scenes import LabelledScene
from gray_kettle.interference import detect
from gray_kettle.interference.weighed.parameters import P, Parameters, described
from gray_kettle.model.records import Detection

KEPT = Path(__file__).parent / "sensitivity.json"
MAKERS = ("independent", "own")
_BY = 0.2
_search = detect.found_in_moments


@cache
def _scenes() -> list[LabelledScene]:
    return gate.read(gate.KEPT) + gate.read(gate.KEPT_FEW)


def _searched_once(scenes: list[LabelledScene]) -> None:
    """Let the searches, which depend on no parameter here, run once for each scene."""
    found: dict[tuple[float, int], list[Detection]] = {}

    def kept(span, time_s, codes, offset_s):  # type: ignore[no-untyped-def]
        key = float(time_s[0]), hash(codes.tobytes())
        if key not in found:
            found[key] = _search(span, time_s, codes, offset_s)[0]
        return found[key], None

    detect.found_in_moments = kept
    counted(scenes)


def counted(scenes: list[LabelledScene]) -> dict[str, list[int]]:
    """(emitters that stand out, of them located, claims, of them right) of each maker."""
    out = {maker: [0, 0, 0, 0] for maker in MAKERS}
    for scene in scenes:
        claims = emitters_of(scene)
        pairs = paired(scene.emitters, claims)
        counts = out["own" if scene.name.startswith("held-out") else "independent"]
        clear = [i for i, e in enumerate(scene.emitters) if e.is_detectable]
        counts[0] += len(clear)
        counts[1] += sum(i in pairs for i in clear)
        counts[2] += len(claims)
        counts[3] += len(pairs)
    return out


@cache
def _units() -> dict[str, object]:
    return {str(d["name"]): d["unit"] for d in described()}


def changed(name: str, by: float) -> dict[str, list[int]]:
    """The same with one parameter changed, in a process of its own. by: share of its value."""
    usual = getattr(P, name)
    # Of a share near one, what is left to one is changed.
    is_high = _units()[name] == "share" and usual > 0.5
    setattr(P, name, 1 - (1 - usual) * (1 - by) if is_high else usual * (1 + by))
    try:
        return counted(_scenes())
    finally:
        setattr(P, name, usual)


def main() -> None:
    jobs = [("least_probability", 0.0)]
    jobs += [(f.name, by) for f in fields(Parameters) for by in (-_BY, _BY)]
    _searched_once(_scenes())
    with ProcessPoolExecutor() as pool:  # each has what the searches found
        found = list(pool.map(changed, *zip(*jobs, strict=True)))
    usual, names = found[0], {}
    for (name, by), counts in zip(jobs[1:], found[1:], strict=True):
        names.setdefault(name, {})["up" if by > 0 else "down"] = counts
    KEPT.write_text(json.dumps({"as it is": usual, "changed": names}, indent=1) + "\n")


if __name__ == "__main__":
    main()
