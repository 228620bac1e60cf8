"""A report as PDF: searchable, tagged, with a table of contents, page numbers and vector drawings."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO
from xml.sax.saxutils import escape as escaped

import matplotlib as mpl
from matplotlib.figure import Figure
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import (
    BaseDocTemplate,
    CondPageBreak,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
)

from gray_kettle import __version__
from gray_kettle.export.report import blocks as b
from gray_kettle.export.report.catalogue import _
from gray_kettle.export.report.embedded_figure import EmbeddedFigure, FigureBook
from gray_kettle.export.report.pdf_flowables import (
    AnswerBox,
    FigureFlowable,
    TaggedContents,
    TaggedParagraph,
    TaggedTable,
)
from gray_kettle.export.report.tagged_canvas import TaggedCanvas
from gray_kettle.safe_text import REPLACEMENT

INK, DIM, ACCENT, GROUND, LINE = "#22282e", "#5b6670", "#9a4f20", "#f6f1ea", "#c9c2b8"
_MARGIN, _TOP, _BOTTOM = 18 * mm, 16 * mm, 18 * mm
_WIDTH = A4[0] - 2 * _MARGIN
_MOST_HEIGHT = A4[1] - _TOP - _BOTTOM - 40 * mm
_LOGO_HEIGHT, _LOGO_WIDTH = 14 * mm, 45 * mm
Progress = Callable[[float], None]


def write_pdf(report: b.Report, file: BinaryIO, progress: Progress = lambda share: None) -> None:
    """progress: share of the blocks that are laid out (0 to 1)."""
    _register_fonts()
    styles = _styles()
    document = _Document(report, file)
    every = [*report.first, *report.rest]
    made: dict[int, list[Flowable]] = {}
    with FigureBook().writing() as add:
        for number, block in enumerate(every, 1):
            made[id(block)] = _flowables(block, styles, add)
            progress(number / len(every))
    story: list[Flowable] = [*_masthead(report, styles)]
    for block in report.first:
        story += made[id(block)]
    if report.rest:
        contents = TaggedContents()
        contents.levelStyles = [styles["contents1"], styles["contents2"]]
        story += [
            PageBreak(),
            TaggedParagraph(escape(_("Contents")), styles["title"]),
            Spacer(0, 8),
            contents,
        ]
        story.append(PageBreak())
        for block in report.rest:
            story += made[id(block)]
    document.multiBuild(_kept_with_next(story), canvasmaker=TaggedCanvas)


class _Document(BaseDocTemplate):
    def __init__(self, report: b.Report, file: BinaryIO) -> None:
        super().__init__(
            file, pagesize=A4, title=f"{report.title}: {report.subtitle}", author=", ".join(report.author[:1]),
            creator=f"Gray Kettle {__version__}", lang=report.language, displayDocTitle=True, invariant=1,
        )  # fmt: skip
        self._report = report
        frame = Frame(_MARGIN, _BOTTOM, _WIDTH, A4[1] - _TOP - _BOTTOM, 0, 0, 0, 0)
        self.addPageTemplates([PageTemplate("page", [frame], onPageEnd=self._furnish)])

    def afterFlowable(self, flowable: Flowable) -> None:
        style = getattr(getattr(flowable, "style", None), "name", "")
        if style in ("heading1", "heading2"):
            level = int(style[-1]) - 1
            key = f"h{self.seq.nextf('heading')}"
            text = flowable.getPlainText()
            self.canv.bookmarkPage(key)
            self.canv.addOutlineEntry(text, key, level, level > 0)
            self.notify("TOCEntry", (level, escape(text), self.page, key))

    def beforeDocument(self) -> None:
        self.seq.reset("heading")

    def _furnish(self, canvas: TaggedCanvas, document: Any) -> None:
        with canvas.artifact():
            canvas.saveState()
            canvas.setFont("Report", 7.5)
            canvas.setFillColor(HexColor(DIM))
            canvas.drawString(_MARGIN, 10 * mm, f"{self._report.title}: {self._report.subtitle}"[:110])
            canvas.drawRightString(A4[0] - _MARGIN, 10 * mm, _("page {number}").format(number=document.page))
            canvas.restoreState()


def escape(text: str) -> str:
    """Text for ReportLab's markup. What the font has no sign for shows as such, and is not left out of a search."""
    known = pdfmetrics.getFont("Report").face.charToGlyph
    return escaped("".join(c if ord(c) in known else REPLACEMENT for c in text))


def _register_fonts() -> None:
    folder = Path(mpl.get_data_path()) / "fonts" / "ttf"
    for name, file in (
        ("Report", "DejaVuSans"),
        ("Report-Bold", "DejaVuSans-Bold"),
        ("Report-Italic", "DejaVuSans-Oblique"),
    ):
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, folder / f"{file}.ttf"))
    pdfmetrics.registerFontFamily("Report", "Report", "Report-Bold", "Report-Italic", "Report-Bold")


def _styles() -> dict[str, ParagraphStyle]:
    body = ParagraphStyle(
        "body", fontName="Report", fontSize=8.3, leading=11.2, textColor=HexColor(INK), spaceAfter=3
    )

    def style(name: str, **changes: Any) -> ParagraphStyle:
        return ParagraphStyle(name, body, **changes)

    bold = {"fontName": "Report-Bold"}
    found = [
        body,
        style("lead", fontSize=11, leading=15),
        style("small", fontSize=7.2, leading=9.6, textColor=HexColor(DIM)),
        style("quote", fontName="Report-Italic", leftIndent=8, textColor=HexColor(DIM), spaceAfter=6),
        style("title", **bold, fontSize=17, leading=21, spaceAfter=2),
        style("subtitle", fontSize=10.5, leading=14, textColor=HexColor(DIM), spaceAfter=1),
        style(
            "heading1",
            **bold,
            fontSize=14,
            leading=18,
            spaceBefore=16,
            spaceAfter=6,
            textColor=HexColor(ACCENT),
        ),
        style("heading2", **bold, fontSize=10.8, leading=14, spaceBefore=11, spaceAfter=4),
        style("heading3", **bold, fontSize=9, leading=12, spaceBefore=5, spaceAfter=1.5),
        style("item", leftIndent=12, bulletIndent=2, spaceAfter=1.2),
        style("answer", **bold, fontSize=11, leading=14.5, spaceAfter=0),
        style("more", fontSize=8.3, leading=11.2, spaceAfter=0),
        style("cell", fontSize=7.4, leading=9.4, spaceAfter=0),
        style("key", **bold, fontSize=7.4, leading=9.4, spaceAfter=0),
        style("right", fontSize=7.4, leading=9.4, spaceAfter=0, alignment=2),
        style("contents1", **bold, fontSize=9.5, leading=16),
        style("contents2", fontSize=8.6, leading=13, leftIndent=12),
        style("caption", fontSize=7.2, leading=9.6, textColor=HexColor(DIM), spaceAfter=5, spaceBefore=1),
    ]
    return {one.name: one for one in found}


def _masthead(report: b.Report, styles: dict[str, ParagraphStyle]) -> list[Flowable]:
    found: list[Flowable] = []
    if report.logo is not None:
        found.append(_Logo(report.logo))
    found.append(TaggedParagraph(escape(report.title), styles["title"]))
    found.append(TaggedParagraph(escape(report.subtitle), styles["subtitle"]))
    by = " · ".join(part for part in (report.made, *report.author) if part)
    found += [TaggedParagraph(escape(by), styles["small"]), Spacer(0, 6)]
    return found


class _Logo(Flowable):
    """The technician's logo, top right, beside the title."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._image = ImageReader(str(path))
        width, height = self._image.getSize()
        scale = min(_LOGO_WIDTH / width, _LOGO_HEIGHT / height)
        self._size = width * scale, height * scale

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self._right = width
        return width, 0

    def draw(self) -> None:
        with self.canv.artifact():
            width, height = self._size
            self.canv.drawImage(self._image, self._right - width, -height, width, height, mask="auto")


def _flowables(
    block: b.Block, styles: dict[str, ParagraphStyle], add: Callable[[Figure], EmbeddedFigure]
) -> list[Flowable]:
    match block:
        case b.Heading():
            found: list[Flowable] = [TaggedParagraph(escape(block.text), styles[f"heading{block.level}"])]
        case b.Paragraph():
            found = [TaggedParagraph(_led(block.lead, block.text), styles[block.style])]
        case b.Bullets():
            marks = (f"{n}." if block.is_numbered else "–" for n in range(1, len(block.items) + 1))
            found = [
                TaggedParagraph(_led(lead, text), styles["item"], bulletText=mark)
                for mark, (lead, text) in zip(marks, block.items, strict=True)
            ]
        case b.Answer():
            parts = [TaggedParagraph(escape(block.text), styles["answer"])]
            parts += [TaggedParagraph(escape(block.more), styles["more"])] if block.more else []
            found = [AnswerBox(parts, GROUND, ACCENT), Spacer(0, 4)]
        case b.Facts():
            facts = b.Table(("", ""), block.pairs, (0.32, 0.68))
            found = [_table(facts, styles, has_heads=False), Spacer(0, 6)]
        case b.Table():
            caption = (
                TaggedParagraph(escape(block.caption), styles["caption"]) if block.caption else Spacer(0, 6)
            )
            found = [_table(block, styles), caption]
        case b.Drawing():
            figure = FigureFlowable(add(block.make()), block.alt, _MOST_HEIGHT)
            words = [TaggedParagraph(escape(block.caption), styles["caption"])] if block.caption else []
            found = [_Together(figure, words)]
    return found


def _led(lead: str, text: str) -> str:
    return f"<b>{escape(lead)}</b> {escape(text)}" if lead else escape(text)


def _table(table: b.Table, styles: dict[str, ParagraphStyle], *, has_heads: bool = True) -> Flowable:
    def cell(text: str, column: int, is_head: bool = False) -> Paragraph:
        name = "right" if column in table.right else "key" if is_head or column in table.key else "cell"
        return Paragraph(escape(text), styles[name])

    content = [[cell(text, k, True) for k, text in enumerate(table.heads)]] if has_heads else []
    content += [[cell(text, k) for k, text in enumerate(row)] for row in table.rows]
    style: list[Any] = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 3),
        ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ("TOPPADDING", (0, 0), (-1, -1), 2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
        ("LINEBELOW", (0, 0), (-1, -1), 0.3, HexColor(LINE)),
        *(("RIGHTPADDING", (column, 0), (column, -1), 8) for column in table.right),
    ]
    if has_heads:
        style += [
            ("BACKGROUND", (0, 0), (-1, 0), HexColor(GROUND)),
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, HexColor(DIM)),
        ]
    return TaggedTable(
        content,
        colWidths=[share * _WIDTH for share in table.widths],
        style=style,
        repeatRows=1 if has_heads else 0,
        hAlign="LEFT",
    )


def _kept_with_next(story: list[Flowable]) -> list[Flowable]:
    """A heading is not left alone at the foot of a page: with it goes the drawing that follows, or some lines."""
    found: list[Flowable] = []
    needed = 0.0
    for flowable in reversed(story):
        name = getattr(getattr(flowable, "style", None), "name", "")
        if name.startswith("heading"):
            needed += 14 * mm
            found += [flowable, CondPageBreak(min(needed, _MOST_HEIGHT))]
        else:
            needed = flowable.needed_pt if isinstance(flowable, _Together) else 12 * mm
            found.append(flowable)
    return found[::-1]


class _Together(KeepTogether):
    """A drawing and its caption. needed_pt: their height."""

    def __init__(self, figure: FigureFlowable, caption: list[Flowable]) -> None:
        super().__init__([figure, *caption])
        self.needed_pt = figure.wrap(_WIDTH, _MOST_HEIGHT)[1] + 8 * mm
