"""What a page of the report is filled with; each piece tags what it draws."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from reportlab.lib.colors import HexColor
from reportlab.platypus import Flowable, LongTable, Paragraph
from reportlab.platypus.tableofcontents import TableOfContents

from gray_kettle.export.report.embedded_figure import EmbeddedFigure
from gray_kettle.export.report.tagged_canvas import Element, TaggedCanvas

ROLES = {"heading1": "H1", "heading2": "H2", "heading3": "H3", "title": "Title", "item": "LI"}


class TaggedParagraph(Paragraph):
    """A paragraph whose role follows from the name of its style."""

    def draw(self) -> None:
        canvas: TaggedCanvas = self.canv
        role = ROLES.get(self.style.name, "P")
        with canvas.tagged(canvas.element("P" if role == "Title" else role)):
            super().draw()


class TaggedTable(LongTable):
    """A table with rows and cells in the structure, heads apart; it goes on over pages."""

    def draw(self) -> None:
        canvas: TaggedCanvas = self.canv
        self._element = canvas.element("Table")
        self._row: Element | None = None
        self._row_at: float | None = None
        self._drawn_rows = 0
        super().draw()

    def _drawBkgrnd(self) -> None:
        with self.canv.artifact():
            super()._drawBkgrnd()

    def _drawLines(self) -> None:
        with self.canv.artifact():
            super()._drawLines()

    def _drawCell(self, content: Any, style: Any, at: tuple[float, float], size: Any) -> None:
        canvas: TaggedCanvas = self.canv
        if self._row is None or at[1] != self._row_at:
            self._row, self._row_at = canvas.element("TR", self._element), at[1]
            self._drawn_rows += 1
        role = "TH" if self._drawn_rows <= (self.repeatRows or 0) else "TD"
        with canvas.tagged(canvas.element(role, self._row)):
            super()._drawCell(content, style, at, size)


class TaggedContents(TableOfContents):
    """The table of contents."""

    def drawOn(self, canvas: TaggedCanvas, x: float, y: float, _sW: float = 0) -> None:
        with canvas.tagged(canvas.element("TOC")):
            super().drawOn(canvas, x, y, _sW)


class FigureFlowable(Flowable):
    """A drawing, as wide as the page allows and no larger than a page."""

    def __init__(self, figure: EmbeddedFigure, alt: str, most_height_pt: float) -> None:
        super().__init__()
        self._figure, self._alt, self._most_height_pt = figure, alt, most_height_pt
        self._scale = 1.0

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self._scale = min(width / self._figure.width_pt, self._most_height_pt / self._figure.height_pt)
        self.width, self.height = self._figure.width_pt * self._scale, self._figure.height_pt * self._scale
        return self.width, self.height

    def draw(self) -> None:
        canvas: TaggedCanvas = self.canv
        with canvas.tagged(canvas.element("Figure", alt=self._alt)):
            self._figure.draw(canvas, self._scale)


class AnswerBox(Flowable):
    """The answer on a quiet ground, with a rule of the accent colour beside it."""

    def __init__(self, paragraphs: list[Paragraph], ground: str, accent: str) -> None:
        super().__init__()
        self._paragraphs, self._ground, self._accent = paragraphs, ground, accent

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self.width = width
        self._heights = [p.wrap(width - 24, height)[1] for p in self._paragraphs]
        self.height = sum(self._heights) + 14 + 3 * (len(self._heights) - 1)
        return width, self.height

    def draw(self) -> None:
        canvas: TaggedCanvas = self.canv
        with canvas.artifact(), _kept_state(canvas):
            canvas.setFillColor(HexColor(self._ground))
            canvas.rect(0, 0, self.width, self.height, stroke=0, fill=1)
            canvas.setFillColor(HexColor(self._accent))
            canvas.rect(0, 0, 3, self.height, stroke=0, fill=1)
        top = self.height - 7
        for paragraph, height in zip(self._paragraphs, self._heights, strict=True):
            paragraph.drawOn(canvas, 14, top - height)
            top -= height + 3


@contextmanager
def _kept_state(canvas: TaggedCanvas) -> Iterator[None]:
    canvas.saveState()
    yield
    canvas.restoreState()
