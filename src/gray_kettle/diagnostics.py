"""The checks of `doctor` on this machine, and the masked support file of a case."""

import json
import os
import platform
import shutil
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from importlib import metadata
from pathlib import Path
from typing import BinaryIO

import platformdirs

from gray_kettle import __version__, configuration, diagnostics_log
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

GLYPHS = "■□▲◆✶·▾▸┄━█▒▚░▀▄⟦⟧→×−"
_PACKAGES = ("textual", "rich", "numpy", "sqlalchemy", "pydantic", "matplotlib", "httpx", "typer")
_ITS_OUTPUT = "its output can be taken"
_LISTING_TOOLS = {  # by platform: what each lists, and how to get it
    "Linux": {
        "iw": (
            f"scans, survey and station counters of this computer: {_ITS_OUTPUT}",
            "install the package iw",
        ),
        "nmcli": (f"scans through NetworkManager: {_ITS_OUTPUT}", "install NetworkManager, or use iw"),
        "wpa_cli": (f"scans through wpa_supplicant: {_ITS_OUTPUT}", "install wpa_supplicant, or use iw"),
    },
    "Windows": {"netsh": (f"scans: {_ITS_OUTPUT}", "it is part of Windows: check PATH")},
}


@dataclass(frozen=True)
class Check:
    """One line of the doctor. state: "ok", "missing" (a capability that this machine lacks) or "problem"."""

    topic: str
    state: str
    text: str
    remedy: str = ""


def checks() -> Iterator[Check]:
    """Everything that is worth knowing about this machine, with a remedy for what is wrong."""
    yield Check(
        "version", "ok", f"gray-kettle {__version__}, Python {platform.python_version()}, {platform.system()}"
    )
    versions = ", ".join(f"{name} {_version(name)}" for name in _PACKAGES)
    missing = [name for name in _PACKAGES if _version(name) == "missing"]
    remedy = "install Gray Kettle again, for example with `make demo`"
    yield Check("packages", "problem" if missing else "ok", versions, remedy if missing else "")
    yield from _terminal()
    yield from _writing()
    yield _configuration()
    yield from _collecting()


def _version(package: str) -> str:
    try:
        return metadata.version(package)
    except metadata.PackageNotFoundError:
        return "missing"


def _terminal() -> Iterator[Check]:
    size, term = shutil.get_terminal_size(), os.environ.get("TERM", "not set")
    small = size.columns < 80 or size.lines < 24
    yield Check(
        "terminal",
        "problem" if small or term == "dumb" else "ok",
        f"TERM {term}, {size.columns}×{size.lines}"
        + ("" if sys.stdout.isatty() else " (output is not a terminal)"),
        "use a terminal of at least 80×24" if small else "",
    )
    if "NO_COLOR" in os.environ:
        yield Check("colours", "ok", "none: NO_COLOR is set")
    elif os.environ.get("COLORTERM", "") in ("truecolor", "24bit"):
        yield Check("colours", "ok", "16 million (COLORTERM)")
    else:
        yield Check(
            "colours", "ok", "256 or fewer", "set COLORTERM=truecolor if the terminal shows true colours"
        )
    encoding = sys.stdout.encoding or "ascii"
    try:
        GLYPHS.encode(encoding)
    except (UnicodeEncodeError, LookupError):
        yield Check("glyphs", "problem", f"the encoding {encoding} lacks the signs used", "set LANG=C.UTF-8")
    else:
        yield Check("glyphs", "ok", GLYPHS, "if some show as boxes, use a font such as DejaVu Sans Mono")


def _writing() -> Iterator[Check]:
    for topic, folder in (
        ("this folder", Path.cwd()),
        ("data folder", platformdirs.user_data_path(configuration.APP)),
        ("log folder", diagnostics_log.path().parent),
    ):
        nearest = next(p for p in (folder, *folder.parents) if p.exists())
        can = _can_write(nearest)
        free_mb = shutil.disk_usage(nearest).free // 1_000_000
        remedy = "" if can else f"make {nearest} writable, or work in another folder"
        yield Check(topic, "ok" if can else "problem", f"{folder}, {free_mb:,} MB free", remedy)


def _can_write(folder: Path) -> bool:
    try:
        with tempfile.TemporaryFile(dir=folder):
            return True
    except OSError:
        return False


def _configuration() -> Check:
    file = configuration.path()
    try:
        configuration.load()
    except KettleError as error:
        return Check("configuration", "problem", str(error), f"correct or remove {file}")
    return Check("configuration", "ok", str(file) if file.exists() else f"none ({file})")


def _collecting() -> Iterator[Check]:
    yield Check("files", "ok", "captures, scan listings and sweep tables")
    yield Check("spectrum analyser", "ok", "SCPI over TCP (scpi://host:port)")
    for tool, (what, remedy) in _LISTING_TOOLS.get(platform.system(), {}).items():
        found = shutil.which(tool)
        yield Check(tool, "ok" if found else "missing", what, "" if found else remedy)


# Support file


def write_support(case: Path, output: Path, force: bool = False) -> None:
    """Write the support file of a case. Raises: KettleError, when the case or the file cannot be used."""
    from gray_kettle.export.files import write_file
    from gray_kettle.masking import MaskOptions
    from gray_kettle.store.masked import MaskedCase

    with MaskedCase.open_masked(case, MaskOptions()) as opened:
        setup, observations, masking = opened.setup(), opened.window(), opened.masking
    private = {setup.site, *(name for _, name in setup.names), *(t.spot for t in observations.takes)} - {""}

    def text(words: str) -> str:
        """Without names of the site, its spots and radios, and of this person's folder."""
        masked = masking.text(printable(words).replace(str(Path.home()), "~"))
        for name in sorted(private, key=len, reverse=True):
            masked = masked.replace(name, masking.device_name(name))
        return masked

    summary = {
        "format": "gray-kettle/support/1",
        "radios": len({a.bssid for a in observations.announcements}),
        "start_s": observations.start_s,
        "end_s": observations.end_s,
        "takes": [
            {
                "kind": take.kind,
                "spot": masking.device_name(take.spot),
                "records": take.records,
                "skipped": take.skipped,
                "notes": [text(note) for note in take.notes],
            }
            for take in observations.takes
        ],
        "sweep_rows_pending": observations.rows_pending,
        "setup": {
            "country": printable(setup.country),
            "time_zone": printable(setup.time_zone),
            "site": masking.device_name(setup.site),
            "own": [text(name) for name in setup.own],
            "clients": [text(limit) for limit in setup.clients],
            "thresholds": dict(setup.thresholds),
            "notes_on_emitters": len(setup.emitters),
            "completed_steps": len(setup.done),
        },
    }
    machine = "\n".join(f"{c.state:8} {c.topic}: {c.text}" for c in checks())
    log = diagnostics_log.path()

    def fill(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as bundle:
            bundle.writestr("case.json", json.dumps(summary, indent=2, ensure_ascii=False))
            bundle.writestr("machine.txt", "\n".join(map(text, machine.splitlines())))
            if log.is_file():
                lines = log.read_text(encoding="utf-8", errors="replace").splitlines()
                bundle.writestr("gray-kettle.log", "\n".join(map(text, lines)))

    write_file(output, fill, force)
