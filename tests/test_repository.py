"""The repository keeps its own promises: layers, documents, no path of anybody's machine."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
CORE = ("model", "phy", "spectrum", "decode", "interference", "store", "analysis", "planner")
SOURCES = sorted((ROOT / "src").rglob("*.py"))


def headings(file: str) -> set[str]:
    return set(re.findall(r"^#+ (?:\d+\. )?(.+)$", (ROOT / "docs" / file).read_text(), re.MULTILINE))


@pytest.mark.parametrize("source", SOURCES, ids=lambda p: str(p.relative_to(ROOT / "src")))
def test_what_the_code_cites_from_our_documents_is_there(source):
    text = re.sub(r"\s*\n\s*(#\s*)?", " ", source.read_text())
    for file, section in re.findall(r"docs/([\w-]+\.md), “?\"([^\"]+)\"", text):
        assert section in headings(file), f"{source} cites {file}, {section!r}"
    for page in re.findall(r"docs/(decisions/[\w-]+\.md)", text):
        assert (ROOT / "docs" / page).is_file(), f"{source} cites {page}"


def test_links_within_the_documents_lead_somewhere():
    for page in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]:
        for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text()):
            assert (page.parent / link).exists(), f"{page} links {link}"


def test_the_first_picture_waits_for_no_heavy_library():
    program = (
        "import sys\nimport gray_kettle.tui.app\n"
        "heavy = {'matplotlib', 'scipy', 'sqlalchemy', 'pydantic', 'gray_kettle.simulator'}\n"
        "heavy |= {'gray_kettle.export.drawings'}\n"
        "print(sorted(heavy & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_every_module_and_public_function_says_what_it_is():
    import ast

    silent = []
    for source in SOURCES:
        tree = ast.parse(source.read_text())
        core = source.relative_to(ROOT / "src/gray_kettle").parts[0] in CORE
        if not ast.get_docstring(tree) and source.name != "__main__.py":
            silent.append(str(source))
        for node in tree.body if core else []:
            public = isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_")
            if public and not ast.get_docstring(node) and len(node.body) > 2:
                silent.append(f"{source}: {node.name}")
    assert not silent


@pytest.mark.slow
@pytest.mark.parametrize("module", sorted(p.stem for p in (ROOT / "benchmarks").glob("[a-z]*.py")))
def test_the_benchmarks_follow_the_names_of_the_code(module):
    done = subprocess.run(
        [sys.executable, "-c", f"import benchmarks.{module}"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr


@pytest.mark.slow
def test_the_documentation_builds_as_a_site_without_a_broken_link(tmp_path):
    words = [sys.executable, "-m", "mkdocs", "build", "--quiet", "--site-dir", tmp_path / "site"]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    page = (tmp_path / "site" / "guide.html").read_text()
    assert not re.findall(r'(?:src|href)="(https?:)?//[^"]*\.(?:js|css|woff2?)"', page)  # it fetches nothing


def test_every_promise_names_a_test_that_exists():
    named = set(re.findall(r"`(test_\w+)`", (ROOT / "docs" / "reliability.md").read_text()))
    tests = "".join(path.read_text() for path in (ROOT / "tests").glob("test_*.py"))
    assert len(named) > 10
    assert not [name for name in named if f"def {name}(" not in tests]
