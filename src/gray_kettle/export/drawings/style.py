"""What all drawings share: the colours of paper, names as they are, and writing SVG and PDF."""

import warnings
from pathlib import Path
from typing import Any

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from gray_kettle.errors import KettleError

OWN, FOREIGN, INK, PAPER, EMITTER = "#b4602a", "#6b7885", "#22282e", "#ffffff", "#5d4a86"
_IMAGE_DPI = 200  # of pictures inside a drawing


def save(figure: Figure, path: Path) -> None:
    """Write a drawing. Raises: KettleError, for an ending that is neither .svg nor .pdf, or a missing folder."""
    import matplotlib as mpl

    ending = check_ending(path)
    FigureCanvasAgg(figure)
    settings: Any = {"svg.fonttype": "none", "svg.hashsalt": "gray-kettle", "pdf.fonttype": 42}
    try:
        with mpl.rc_context(settings), warnings.catch_warnings():
            warnings.filterwarnings("ignore", "Glyph .* missing")  # names may hold what no font has
            figure.savefig(
                path,
                format=ending[1:],
                dpi=_IMAGE_DPI,
                metadata={"Date": None} if ending == ".svg" else {"CreationDate": None},
            )
    except OSError as error:
        raise KettleError(f"{path} cannot be written: {error.strerror}.") from error


def save_pages(pages: list[Figure], path: Path) -> None:
    """Write pages as one PDF. Raises: KettleError, where it cannot be written."""
    import matplotlib as mpl
    from matplotlib.backends.backend_pdf import PdfPages

    try:
        with mpl.rc_context({"pdf.fonttype": 42}), warnings.catch_warnings():
            warnings.filterwarnings("ignore", "Glyph .* missing")
            with PdfPages(path, metadata={"CreationDate": None}) as pdf:
                for page in pages:
                    pdf.savefig(page)
    except OSError as error:
        raise KettleError(f"{path} cannot be written: {error.strerror}.") from error


def check_ending(path: Path) -> str:
    """The ending of a drawing's file. Raises: KettleError, when it is none that can be written."""
    ending = path.suffix.lower()
    if ending not in (".svg", ".pdf"):
        raise KettleError(f"{path.name}: a drawing is written as .svg or .pdf.")
    return ending


def literal(text: str) -> str:
    """Matplotlib takes dollar signs for mathematics: keep names from being typeset."""
    return text.replace("$", r"\$")
