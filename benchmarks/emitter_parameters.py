"""Write docs/emitters-parameters.md: the main parameters of the detector, and how much depends on each.

python -m benchmarks.emitter_parameters
"""

import json
from pathlib import Path

from benchmarks.detection.sensitivity import KEPT, MAKERS
from gray_kettle.interference.weighed.parameters import described

PAGE = Path(__file__).parent.parent / "docs" / "emitters-parameters.md"


def page() -> str:
    """The page; how much depends on each parameter only where that was measured."""
    lines = [
        "# Parameters of the detector",
        "",
        "Made by `python -m benchmarks.emitter_parameters` from `interference/weighed/parameters.py`. The weights of",
        "features are fitted, not set: they are in `weights-many.json` and `weights-few.json`",
        "([decision 048](decisions/048-weighed-in-moments.md)).",
        "",
    ]
    columns = ["name", "value", "unit", "meaning", "source"]
    rows = [[f"`{d['name']}`", *(str(d[c]) for c in columns[1:])] for d in described()]
    if KEPT.exists():
        kept = json.loads(KEPT.read_text())
        lines += [
            "The last columns say what changes in the scenes that `make test` keeps, when a parameter alone is 20 %",
            "lower or higher: emitters located and false claims, for the independent simulator and for ours",
            "(`python -m benchmarks.detection.sensitivity`). Weights stay as fitted. A dash: nothing changes.",
            *(f"As it is: {_usual(maker, kept['as it is'][maker])}." for maker in MAKERS),
            "",
        ]
        columns += ["20 % lower", "20 % higher"]
        for row, d in zip(rows, described(), strict=True):
            both = kept["changed"].get(d["name"], {})
            row += [_change(kept["as it is"], both.get(way)) for way in ("down", "up")]
    table = [columns, ["---"] * len(columns), *rows]
    return "\n".join([*lines, *(f"| {' | '.join(row)} |" for row in table)]) + "\n"


def _usual(maker: str, counts: list[int]) -> str:
    emitters, located, claims, right = counts
    return f"{maker}, {located} of {emitters} emitters located, {claims - right} of {claims} claims false"


def _change(usual: dict[str, list[int]], counts: "dict[str, list[int]] | None") -> str:
    """Such as "+1 located, −2 false; own +3 false"."""
    if counts is None:
        return "not measured"
    out = []
    for maker in MAKERS:
        located = counts[maker][1] - usual[maker][1]
        false = (counts[maker][2] - counts[maker][3]) - (usual[maker][2] - usual[maker][3])
        said = [
            f"{v:+d} {name}".replace("-", "−") for v, name in ((located, "located"), (false, "false")) if v
        ]
        if said:
            out.append(f"{maker} {', '.join(said)}")
    return "; ".join(out) or "–"


if __name__ == "__main__":
    PAGE.write_text(page())
