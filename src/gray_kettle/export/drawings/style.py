"""What all drawings share: the colours of paper, names as they are, and writing SVG and PDF."""

import warnings
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.collections import PolyCollection
from matplotlib.figure import Figure
from matplotlib.text import Text

from gray_kettle.errors import KettleError
from gray_kettle.export.files import write_file
from gray_kettle.safe_text import printable

OWN, FOREIGN, INK, PAPER, EMITTER = "#b4602a", "#6b7885", "#22282e", "#ffffff", "#5d4a86"
ENDINGS = (".svg", ".pdf", ".png")
_MOST_NAMED = 10
_IMAGE_DPI = 200  # of pictures inside a drawing


def save(figure: Figure, path: Path, force: bool = False) -> None:
    """Write a drawing. Raises: KettleError, for an ending that is no drawing's, or see export.files."""
    ending = check_ending(path)
    write_file(path, lambda file: write_figure(figure, file, ending[1:]), force)


def write_figure(figure: Figure, file: BinaryIO, form: str) -> None:
    """form: "svg", "pdf" or "png". The same figure gives the same bytes."""
    import matplotlib as mpl

    FigureCanvasAgg(figure)
    _made_printable(figure)
    settings: Any = {"svg.fonttype": "none", "svg.hashsalt": "gray-kettle", "pdf.fonttype": 42}
    undated: Any = {"svg": {"Date": None}, "pdf": {"CreationDate": None}, "png": {}}[form]
    with mpl.rc_context(settings), warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing")  # names may hold what no font has
        figure.savefig(file, format=form, dpi=_IMAGE_DPI, metadata=undated)


def save_pages(pages: list[Figure], path: Path, force: bool = False) -> None:
    """Write pages as one PDF. Raises: KettleError, where it cannot be written."""

    def fill(file: BinaryIO) -> None:
        with figure_pages(file) as add:
            for page in pages:
                add(page)

    write_file(path, fill, force)


@contextmanager
def figure_pages(file: BinaryIO) -> Iterator[Callable[[Figure], None]]:
    """A PDF of several figures, a page each: what is given inside adds one. They share their fonts."""
    import matplotlib as mpl
    from matplotlib.backends.backend_pdf import FigureCanvasPdf, PdfPages

    settings: Any = {"pdf.fonttype": 42}
    with (
        mpl.rc_context(settings),
        PdfPages(file, metadata={"CreationDate": None}) as pdf,
    ):  # fonts come at its end

        def add(figure: Figure) -> None:
            _made_printable(figure)
            with warnings.catch_warnings():
                warnings.filterwarnings("ignore", "Glyph .* missing")
                figure.dpi = _IMAGE_DPI
                canvas: Any = FigureCanvasPdf(figure)
                canvas.print_pdf(pdf)  # savefig lays everything out twice

        yield add


def _made_printable(figure: Figure) -> None:
    """The gate of drawings: whatever text is in one is printable."""
    for text in figure.findobj(Text):
        assert isinstance(text, Text)
        lines = text.get_text().split("\n")
        text.set_text("\n".join(printable(line) for line in lines))


def check_ending(path: Path) -> str:
    """The ending of a drawing's file. Raises: KettleError, when it is none that can be written."""
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise KettleError(f"{path.name}: a drawing is written as .svg, .pdf or .png.")
    return ending


def bars(
    axes: Axes,
    at: Sequence[float],
    bottom: Sequence[float],
    height: Sequence[float],
    width: float,
    **look: Any,
) -> None:
    """Upright bars as one shape: hundreds of them, each by itself, take Matplotlib seconds."""
    shapes = [
        [(x - width / 2, low), (x + width / 2, low), (x + width / 2, low + up), (x - width / 2, low + up)]
        for x, low, up in zip(at, bottom, height, strict=True)
    ]
    axes.add_collection(PolyCollection(shapes, **look), autolim=False)


def say_left_out(figure: Figure, names: Sequence[str], why: str) -> None:
    """Under a drawing: what it has no room for. names: of that, most important first; why: which ones they are."""
    if not names:
        return
    distinct = list(dict.fromkeys(printable(name) for name in names))
    listed = ", ".join(distinct[:_MOST_NAMED]) + (" …" if len(distinct) > _MOST_NAMED else "")
    text = literal(f"and {len(names)} more, {why}: {listed}")
    figure.supxlabel(text, x=0.01, ha="left", fontsize=7, color=INK)


def literal(text: str) -> str:
    """Matplotlib takes dollar signs for mathematics: keep names from being typeset."""
    return text.replace("$", r"\$")
