"""The wheel runs without the repository."""

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent


@pytest.mark.slow
def test_the_wheel_makes_the_demo_in_a_fresh_environment(tmp_path):
    def run(*words: str | Path) -> str:
        done = subprocess.run(
            list(map(str, words)), cwd=tmp_path, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    run(sys.executable, "-m", "build", "--wheel", "--outdir", tmp_path / "dist", ROOT)
    (wheel,) = (tmp_path / "dist").glob("*.whl")
    run(sys.executable, "-m", "venv", tmp_path / "venv")
    bin_folder = tmp_path / "venv" / "bin"
    pip = (bin_folder / "python", "-m", "pip", "--quiet", "--disable-pip-version-check", "install")
    run(*pip, "--constraint", ROOT / "requirements.lock", wheel)
    run(bin_folder / "gray-kettle", "demo", "--make", tmp_path / "demo.kettle")
    assert "hall 2.4 GHz" in run(bin_folder / "gray-kettle", "brief", tmp_path / "demo.kettle")
