"""A Matplotlib figure as vectors in a ReportLab page: its own PDF becomes a form of the report's."""

import io
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from reportlab.pdfbase.pdfdoc import PDFObject

from gray_kettle.export.drawings.style import figure_pages

if TYPE_CHECKING:
    from matplotlib.figure import Figure
    from reportlab.pdfgen.canvas import Canvas

_POINTS_AN_INCH = 72.0


class FigureBook:
    """Figures of one report. They share their fonts: each is embedded once, and not anew for every figure."""

    def __init__(self) -> None:
        self._held, self._pages = io.BytesIO(), list[Any]()
        self._converters: dict[int, _Converter] = {}

    @contextmanager
    def writing(self) -> "Iterator[Callable[[Figure], EmbeddedFigure]]":
        """What is given inside adds a figure; they can be drawn behind it."""
        from pypdf import PdfReader

        count = 0

        def add(figure: "Figure") -> EmbeddedFigure:
            nonlocal count
            save(figure)
            count += 1
            width, height = figure.get_size_inches()
            return EmbeddedFigure(
                self, count - 1, float(width) * _POINTS_AN_INCH, float(height) * _POINTS_AN_INCH
            )

        with figure_pages(self._held) as save:
            yield add
        self._pages = list(PdfReader(self._held).pages) if count else []

    def form(self, document: Any, number: int) -> str:
        """The name of a figure as a form of a document."""
        from reportlab.pdfbase import pdfdoc

        name = f"figure{number}"
        if pdfdoc.xObjectName(name) not in document.idToObject:
            converter = self._converters.setdefault(id(document), _Converter(document))
            page = self._pages[number]
            form = converter.stream(page["/Contents"].get_object())
            form.dictionary.dict |= {
                "Type": pdfdoc.PDFName("XObject"),
                "Subtype": pdfdoc.PDFName("Form"),
                "BBox": pdfdoc.PDFArray([float(n) for n in page.mediabox]),
                "Resources": converter.value(page.raw_get("/Resources")),
            }
            document.Reference(form, pdfdoc.xObjectName(name))
        return name


@dataclass(frozen=True)
class EmbeddedFigure:
    """One figure of a book. width_pt, height_pt: its own size."""

    book: FigureBook
    number: int
    width_pt: float
    height_pt: float

    def draw(self, canvas: "Canvas", scale: float) -> None:
        """Draw it with its lower left corner at the origin."""
        name = self.book.form(canvas._doc, self.number)
        canvas.saveState()
        canvas.scale(scale, scale)
        canvas.doForm(name)
        canvas.restoreState()


class _Converter:
    """Objects that pypdf read, as objects that ReportLab writes; each once."""

    def __init__(self, document: Any) -> None:
        self._document, self._known = document, dict[int, Any]()

    def value(self, item: Any) -> Any:
        from pypdf.generic import ArrayObject, DictionaryObject, IndirectObject, NameObject, StreamObject
        from reportlab.pdfbase import pdfdoc

        if isinstance(item, IndirectObject):
            if item.idnum not in self._known:
                self._known[item.idnum] = self._document.Reference(self.value(item.get_object()))
            return self._known[item.idnum]
        if isinstance(item, StreamObject):
            return self.stream(item)
        if isinstance(item, DictionaryObject):
            return pdfdoc.PDFDictionary({str(key)[1:]: self.value(held) for key, held in item.items()})
        if isinstance(item, ArrayObject):
            return pdfdoc.PDFArray([self.value(held) for held in item])
        if isinstance(item, NameObject):
            return pdfdoc.PDFName(str(item)[1:])
        written = io.BytesIO()
        item.write_to_stream(written)
        return _Written(written.getvalue())

    def stream(self, item: Any) -> Any:
        from reportlab.pdfbase import pdfdoc

        known = {str(k)[1:]: self.value(held) for k, held in item.items() if k not in ("/Length",)}
        found = pdfdoc.PDFStream(pdfdoc.PDFDictionary(known), item._data)
        found.filters = []  # the bytes are packed already
        return found


class _Written(PDFObject):
    """A number, a string or another plain object as it is written."""

    def __init__(self, octets: bytes) -> None:
        self._octets = octets

    def format(self, document: Any) -> bytes:
        return self._octets
