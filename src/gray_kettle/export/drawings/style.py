"""What all drawings share: the colours of paper, names as they are, and writing SVG and PDF."""

import warnings
from pathlib import Path
from typing import Any, BinaryIO

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.text import Text

from gray_kettle.errors import KettleError
from gray_kettle.export.files import write_file
from gray_kettle.safe_text import printable

OWN, FOREIGN, INK, PAPER, EMITTER = "#b4602a", "#6b7885", "#22282e", "#ffffff", "#5d4a86"
_IMAGE_DPI = 200  # of pictures inside a drawing


def save(figure: Figure, path: Path, force: bool = False) -> None:
    """Write a drawing. Raises: KettleError, for an ending that is neither .svg nor .pdf, or see export.files."""
    import matplotlib as mpl

    ending = check_ending(path)
    FigureCanvasAgg(figure)
    _made_printable(figure)
    settings: Any = {"svg.fonttype": "none", "svg.hashsalt": "gray-kettle", "pdf.fonttype": 42}
    options: Any = {
        "format": ending[1:],
        "dpi": _IMAGE_DPI,
        "metadata": {"Date": None} if ending == ".svg" else {"CreationDate": None},
    }
    with mpl.rc_context(settings), warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing")  # names may hold what no font has
        write_file(path, lambda file: figure.savefig(file, **options), force)


def save_pages(pages: list[Figure], path: Path, force: bool = False) -> None:
    """Write pages as one PDF. Raises: KettleError, where it cannot be written."""
    import matplotlib as mpl
    from matplotlib.backends.backend_pdf import PdfPages

    def fill(file: BinaryIO) -> None:
        with PdfPages(file, metadata={"CreationDate": None}) as pdf:
            for page in pages:
                _made_printable(page)
                pdf.savefig(page)

    with mpl.rc_context({"pdf.fonttype": 42}), warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing")
        write_file(path, fill, force)


def _made_printable(figure: Figure) -> None:
    """The gate of drawings: whatever text is in one is printable."""
    for text in figure.findobj(Text):
        assert isinstance(text, Text)
        lines = text.get_text().split("\n")
        text.set_text("\n".join(printable(line) for line in lines))


def check_ending(path: Path) -> str:
    """The ending of a drawing's file. Raises: KettleError, when it is none that can be written."""
    ending = path.suffix.lower()
    if ending not in (".svg", ".pdf"):
        raise KettleError(f"{path.name}: a drawing is written as .svg or .pdf.")
    return ending


def literal(text: str) -> str:
    """Matplotlib takes dollar signs for mathematics: keep names from being typeset."""
    return text.replace("$", r"\$")
