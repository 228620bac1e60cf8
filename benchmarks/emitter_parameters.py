"""Write docs/emitters-parameters.md: the main parameters of the detector for averaged rows.

python -m benchmarks.emitter_parameters
"""

from pathlib import Path

from gray_kettle.interference.weighed.parameters import described

PAGE = Path(__file__).parent.parent / "docs" / "emitters-parameters.md"


def page() -> str:
    """The page."""
    lines = [
        "# Parameters of the detector",
        "",
        "Made by `python -m benchmarks.emitter_parameters` from `interference/weighed/parameters.py`. The weights of",
        "features are fitted, not set: they are in `weights-many.json` and `weights-few.json`",
        "([decision 048](decisions/048-weighed-in-moments.md)).",
        "",
        "| name | value | unit | meaning | source |",
        "|---|---|---|---|---|",
    ]
    lines += [
        f"| `{d['name']}` | {d['value']} | {d['unit']} | {d['meaning']} | {d['source']} |"
        for d in described()
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page())
