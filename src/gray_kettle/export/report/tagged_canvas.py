"""A PDF canvas that says what is what: headings, paragraphs, lists, tables and figures, for screen readers.

Source: ISO 32000-1:2008, 14.7 (logical structure), 14.8 (tagged PDF).
"""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from reportlab.pdfbase.pdfdoc import PDFArray, PDFDictionary, PDFName, PDFObject, PDFString
from reportlab.pdfgen.canvas import Canvas


class Element:
    """One node of the structure. children: elements, or (page, number of the marked content)."""

    def __init__(self, role: str, alt: str = "") -> None:
        self.role, self.alt = role, alt
        self.children: list[Element | tuple[int, int]] = []


class TaggedCanvas(Canvas):
    """Marks what is drawn inside `tagged`; everything else is to be drawn inside `artifact`."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **options)
        self.root = Element("Document")
        self._marks: dict[int, list[Element]] = {}

    def element(self, role: str, parent: Element | None = None, alt: str = "") -> Element:
        """A new node at the end of its parent, of the document where none is given."""
        found = Element(role, alt)
        (parent or self.root).children.append(found)
        return found

    @contextmanager
    def tagged(self, element: Element) -> Iterator[None]:
        """What is drawn inside belongs to the element."""
        page = self.getPageNumber()
        marks = self._marks.setdefault(page, [])
        element.children.append((page, len(marks)))
        self._code.append(f"/{element.role} <</MCID {len(marks)}>> BDC")
        marks.append(element)
        yield
        self._code.append("EMC")

    @contextmanager
    def artifact(self) -> Iterator[None]:
        """What is drawn inside is decoration: lines, page numbers."""
        self._code.append("/Artifact BMC")
        yield
        self._code.append("EMC")

    def save(self) -> None:
        if len(self._code):
            self.showPage()
        self._write_structure()
        super().save()

    def _write_structure(self) -> None:
        document = self._doc
        pages = document.Pages.pages
        for number, page in enumerate(pages):
            page.__NoDefault__ = [*page.__NoDefault__, "StructParents", "Tabs"]
            page.StructParents, page.Tabs = number, PDFName("S")
        tree = PDFDictionary({"Type": PDFName("StructTreeRoot")})
        tree_reference = document.Reference(tree)
        references: dict[int, Any] = {}
        tree.dict["K"] = self._written(self.root, tree_reference, pages, references)
        numbers: list[Any] = []
        for number in range(len(pages)):
            marked = [references[id(element)] for element in self._marks.get(number + 1, ())]
            numbers += [number, document.Reference(PDFArray(marked))]
        tree.dict["ParentTree"] = document.Reference(PDFDictionary({"Nums": PDFArray(numbers)}))
        tree.dict["ParentTreeNextKey"] = len(pages)
        document.Catalog.StructTreeRoot = tree_reference
        document.Catalog.MarkInfo = document.Reference(PDFDictionary({"Marked": _True()}))

    def _written(self, element: Element, parent: Any, pages: list[Any], references: dict[int, Any]) -> Any:
        document = self._doc
        found = PDFDictionary({"Type": PDFName("StructElem"), "S": PDFName(element.role), "P": parent})
        reference = references[id(element)] = document.Reference(found)
        if element.alt:
            found.dict["Alt"] = PDFString(element.alt)
        children: list[Any] = []
        for child in element.children:
            if isinstance(child, Element):
                children.append(self._written(child, reference, pages, references))
            else:
                page, number = child
                content = {"Type": PDFName("MCR"), "Pg": document.Reference(pages[page - 1]), "MCID": number}
                children.append(PDFDictionary(content))
        found.dict["K"] = PDFArray(children)
        return reference


class _True(PDFObject):
    def format(self, document: Any) -> bytes:
        return b"true"
