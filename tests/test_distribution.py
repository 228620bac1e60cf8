"""The wheel holds all that the program needs, and nothing else is needed beside its dependencies."""

import json
import os
import re
import subprocess
import sys
import zipfile
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
_TRY = """
import json, sys
from gray_kettle.cli.main import main
table, case = sys.argv[1:]
assert main(["stand-in", "sweeps", table, "--hour", "12.1", "--minutes", "1"]) == 0
assert main(["new", case, "--country", "GB"]) == 0
assert main(["take", case, table]) == 0
assert main(["emitters", case]) == 0
assert main(["plan", case]) in (0, 1)
import gray_kettle.tui.app, gray_kettle.tui.views, gray_kettle.cli.open_app
import gray_kettle.simulator.demo, gray_kettle.proving
print(json.dumps([gray_kettle.__file__, sorted({name.partition(".")[0] for name in sys.modules})]))
"""


@pytest.mark.slow
def test_the_wheel_works_by_itself(tmp_path):
    def run(*words: str | Path) -> str:
        environment = {**os.environ, "PYTHONPATH": str(tmp_path / "unpacked")}
        done = subprocess.run(
            list(map(str, words)), cwd=tmp_path, env=environment, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    run(sys.executable, "-m", "build", "--wheel", "--no-isolation", "--outdir", tmp_path / "dist", ROOT)
    (wheel,) = (tmp_path / "dist").glob("*.whl")
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(tmp_path / "unpacked")
    said = run(sys.executable, "-c", _TRY, tmp_path / "sweeps.csv", tmp_path / "a.kettle")
    assert "microwave oven" in said
    file, modules = json.loads(said.splitlines()[-1])
    assert Path(file).is_relative_to(tmp_path)
    needed = {_plain(line) for line in (ROOT / "requirements.lock").read_text().splitlines()} | {
        "gray-kettle"
    }
    owners = packages_distributions()
    for module in modules:
        given = {_plain(name) for name in owners.get(module, ())} - {"pip", "setuptools"}
        assert not given or given & needed, f"{module} is used, and no dependency"


def _plain(line: str) -> str:
    """The name of a distribution as indexes compare it."""
    return re.sub(r"[-_.]+", "-", re.split(r"[=<>! ;]", line)[0]).lower()
