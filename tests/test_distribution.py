"""The wheel runs without the repository, with what it says that it needs, and gives the same demo each time."""

import json
import os
import re
import subprocess
import sys
import zipfile
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest

from gray_kettle.session import load_session
from gray_kettle.store import Case

ROOT = Path(__file__).parent.parent
_TRY = """
import json, sys
from gray_kettle.cli.main import main
assert main(["demo", "--before", "--make", sys.argv[1]]) == 0
assert main(["brief", sys.argv[1]]) == 0
import gray_kettle.tui.app, gray_kettle.cli.open_app
print(json.dumps([gray_kettle.__file__, sorted({name.partition(".")[0] for name in sys.modules})]))
"""


@pytest.mark.slow
def test_the_wheel_makes_the_demo_by_itself(tmp_path, demo_case):
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
    said = run(sys.executable, "-c", _TRY, tmp_path / "demo.kettle")
    assert "hall 2.4 GHz" in said
    file, modules = json.loads(said.splitlines()[-1])
    assert Path(file).is_relative_to(tmp_path)
    needed = {_plain(line) for line in (ROOT / "requirements.lock").read_text().splitlines()} | {
        "gray-kettle"
    }
    owners = packages_distributions()
    for module in modules:
        given = {_plain(name) for name in owners.get(module, ())} - {"pip", "setuptools"}
        assert not given or given & needed, f"{module} is used, and no dependency"

    made = [load_session(case) for case in (Case.open(tmp_path / "demo.kettle"), Case.open(demo_case))]
    assert repr(made[0].assessment) == repr(made[1].assessment)
    digests = [[take.digest for take in session.observations.takes] for session in made]
    assert digests[0] == digests[1]
    assert (tmp_path / "demo.kettle").stat().st_size < 30e6


def _plain(line: str) -> str:
    """The name of a distribution as indexes compare it."""
    return re.sub(r"[-_.]+", "-", re.split(r"[=<>! ;]", line)[0]).lower()
