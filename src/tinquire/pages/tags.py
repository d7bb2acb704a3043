"""What is text, table and figure on pages, for programs that read a PDF aloud (ISO 32000-1, 14.6 to 14.8)."""

from __future__ import annotations

from typing import Any

from tinquire.pages.primitives import Areas, Chart, Gradient, Item, Lines, Pages, Pattern, Picture, Role, Text, Window

__all__ = ["MOST_TAGGED", "TagTree", "is_tagged"]

#: A document with more texts than these is not tagged: each has an object of its own.
MOST_TAGGED = 12_000


def is_tagged(document: Pages) -> bool:
    """Whether a document is small enough to be tagged."""
    count = 0
    for page in document.pages:
        count += _texts(page.items)
        if count > MOST_TAGGED:
            return False
    return True


def _texts(items: list[Item]) -> int:
    return sum(1 if isinstance(item, Text) else _texts(item.items) if isinstance(item, Window) else 0 for item in items)


class TagTree:
    """The tree of a document's structure: tables with rows and cells, paragraphs, figures with their words."""

    def __init__(self, canvas: Any) -> None:
        from reportlab.pdfbase import pdfdoc

        self._pdf, self._doc = pdfdoc, canvas._doc
        self._root = self._element("Document", None)
        self._table: Any = None
        self._row: Any = None
        self._role = "text"
        self._pages: list[list[Any]] = []

    def begin_page(self) -> None:
        self._pages.append([])
        self._role, self._row = "text", None

    def role(self, role: Role) -> None:
        """What follows is of a role: of a table that goes on from the page before, the rows are added to it."""
        self._role = role.name
        if role.name == "sheet":
            self._table = None
        elif role.name == "row":
            if self._table is None:
                self._table = self._element("Table", self._root)
            self._row = self._element("TR", self._table)

    def opening(self, item: Item) -> str:
        """The operator before an item, which its like (14.6.2) is closed by `EMC`."""
        match item:
            case Areas() | Lines() | Pattern() | Gradient():
                return "/Artifact BMC"
            case Chart() | Picture():
                return self._marked("Figure", self._root, item.alt)
            case _ if self._role == "aside":
                return "/Artifact BMC"
            case _ if self._role == "row":
                return self._marked("TD", self._row)
            case _:
                return self._marked("P", self._root)

    def _marked(self, kind: str, parent: Any, alt: str = "") -> str:
        own = self._pages[-1]
        element = self._element(kind, parent)
        element.dict["Pg"] = self._doc.thisPageRef()
        element.dict["K"] = len(own)
        if alt:
            element.dict["Alt"] = self._pdf.PDFString(alt)
        own.append(element)
        return f"/{kind} <</MCID {len(own) - 1}>> BDC"

    def _element(self, kind: str, parent: Any) -> Any:
        """An element of the tree, put under another."""
        element = self._pdf.PDFDictionary({"Type": self._pdf.PDFName("StructElem"), "S": self._pdf.PDFName(kind)})
        element.__RefOnly__ = 1
        element.dict["K"] = []
        if parent is not None:
            element.dict["P"] = self._doc.Reference(parent)
            parent.dict["K"].append(self._doc.Reference(element))
        return element

    def end_page(self, page: Any, number: int) -> None:
        """Say of a page's object which number its elements have in the tree of parents."""
        if self._pages[-1]:
            page.__NoDefault__ = [*page.__NoDefault__, "StructParents"]
            page.StructParents = number

    def finish(self, catalog: Any) -> None:
        """Hang the tree on the document."""
        pdf, doc = self._pdf, self._doc
        numbers: list[Any] = []
        for number, elements in enumerate(self._pages):
            if elements:
                numbers += [number, pdf.PDFArray([doc.Reference(element) for element in elements])]
        root = pdf.PDFDictionary({
            "Type": pdf.PDFName("StructTreeRoot"), "K": doc.Reference(self._root),
            "ParentTree": pdf.PDFDictionary({"Nums": pdf.PDFArray(numbers)}), "ParentTreeNextKey": len(self._pages),
        })  # fmt: skip
        root.__RefOnly__ = 1
        self._root.dict["P"] = doc.Reference(root)
        for element in list(doc.idToObject.values()):
            if isinstance(element, pdf.PDFDictionary) and isinstance(element.dict.get("K"), list):
                element.dict["K"] = pdf.PDFArray(element.dict["K"])
        catalog.StructTreeRoot = root
        catalog.MarkInfo = pdf.PDFDictionary({"Marked": "true"})
