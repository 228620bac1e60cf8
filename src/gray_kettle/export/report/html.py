"""A report as one HTML file: drawings inside, nothing that is fetched, no scripts."""

import base64
import io
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import Any, BinaryIO

from jinja2 import Environment, PackageLoader, StrictUndefined

from gray_kettle import __version__
from gray_kettle.export.drawings.style import write_figure
from gray_kettle.export.report import blocks as b
from gray_kettle.export.report.catalogue import _

_MEDIA = {".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg"}


def write_html(
    report: b.Report, file: BinaryIO, progress: Callable[[float], None] = lambda share: None
) -> None:
    """progress: share of the blocks that are written (0 to 1)."""
    every = [*report.first, *report.rest]
    shown = []
    for number, block in enumerate(every, 1):
        shown.append(_shown(block, number))
        progress(number / len(every))
    environment = Environment(
        loader=PackageLoader("gray_kettle.export.report", "templates"), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    first, rest = shown[: len(report.first)], shown[len(report.first) :]
    contents = [block for block in rest if block["kind"] == "Heading" and block["level"] < 3]
    text = environment.get_template("report.html").render(
        report=report, first=first, rest=rest, contents=contents, contents_title=_("Contents"),
        logo=_image(report.logo) if report.logo else "", version=__version__,
    )  # fmt: skip
    file.write(text.encode("utf-8", "replace"))


def _shown(block: b.Block, number: int) -> dict[str, Any]:
    found = {f.name: getattr(block, f.name) for f in fields(block)}
    found |= {"kind": type(block).__name__, "key": f"s{number}", "key_columns": getattr(block, "key", ())}
    if isinstance(block, b.Drawing):
        held = io.BytesIO()
        write_figure(block.make(), held, "svg")
        found["image"] = "data:image/svg+xml;base64," + base64.b64encode(held.getvalue()).decode()
    return found


def _image(path: Path) -> str:
    return f"data:{_MEDIA[path.suffix.lower()]};base64," + base64.b64encode(path.read_bytes()).decode()
