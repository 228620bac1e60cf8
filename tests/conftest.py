"""What tests share: a terminal, the demo case, and a case made from any capture."""

import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from gray_kettle.cli.main import main
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.site import make_site
from tests.terminal import Terminal

os.environ["GRAY_KETTLE_PROCESSES"] = "1"  # tests run side by side already
os.environ["GRAY_KETTLE_REGULATORY_DB"] = "none"  # independent of this machine's kernel
_HOME = tempfile.mkdtemp(
    prefix="gray-kettle-tests-"
)  # no test reads or writes the user's configuration or log
for _name in ("XDG_CACHE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"):
    os.environ[_name] = f"{_HOME}/{_name}"
# `make test` gives one answer for one state of the code; `make soak` searches anew each time, and longer.
_COMMON = {"deadline": None, "suppress_health_check": [HealthCheck.too_slow]}
settings.register_profile("test", max_examples=50, derandomize=True, **_COMMON)
settings.register_profile("soak", max_examples=2000, phases=[Phase.explicit, Phase.generate], **_COMMON)
settings.load_profile(os.environ.get("GRAY_KETTLE_TEST_PROFILE", "test"))


@pytest.fixture
def terminal(tmp_path: Path) -> Iterator[Terminal]:
    made = Terminal(str(tmp_path / "tmux"))
    yield made
    made.stop()


@pytest.fixture(scope="session")
def demo_case(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo case; tests only read it. Made once for all processes that run tests."""

    def make(path: Path) -> None:
        assert main(["demo", "--make", str(path), "--before"]) == 0

    return _made_once(tmp_path_factory, "tern-quay.kettle", make)


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A small site with a bit of everything; tests only read it."""
    return _made_once(tmp_path_factory, "site.kettle", make_site)


def _made_once(tmp_path_factory: pytest.TempPathFactory, name: str, make: Callable[[Path], object]) -> Path:
    """A file that all processes which run tests share."""
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "shared"
    folder.mkdir(exist_ok=True)
    path = folder / name
    try:
        path.with_suffix(".making").touch(exist_ok=False)
    except FileExistsError:
        while not path.with_suffix(".made").exists():
            time.sleep(0.1)
    else:
        try:
            make(path)
        finally:
            path.with_suffix(".made").touch()
    return path


@pytest.fixture
def own_demo(demo_case: Path, tmp_path: Path) -> Path:
    """A copy of the demo case that may be changed."""
    path = tmp_path / "tern-quay.kettle"
    path.write_bytes(demo_case.read_bytes())
    return path


@pytest.fixture
def case_of(tmp_path: Path) -> Callable[..., Path]:
    """Makes a case from files, with a setup."""

    def make(*files: Path, setup: Setup | None = None, name: str = "a.kettle") -> Path:
        path = tmp_path / name
        with Case.create(path, setup or Setup(country="GB")) as case:
            for file in files:
                ingest(case, open_file(file))
        return path

    return make


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark tests on the demo case as slow, and start with the longest files, so that no process ends alone."""
    for item in items:
        if "demo_case" in getattr(item, "fixturenames", ()):  # making the demo takes seconds
            item.add_marker(pytest.mark.slow)
    items.sort(key=lambda item: item.path.name not in ("test_terminal_app.py", "test_terminal_edits.py"))
