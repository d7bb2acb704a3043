"""What is text, table and figure on pages, for programs that read a PDF aloud (ISO 32000-1, 14.6 to 14.8)."""

from __future__ import annotations

from typing import Any

from reportlab.pdfbase.pdfdoc import PDFDictionary, PDFObject, PDFString

from tinquire.pages.primitives import Areas, Chart, Gradient, Item, Lines, Pages, Pattern, Picture, Role, Text, Window

__all__ = ["MOST_TAGGED", "TagTree", "is_tagged"]

#: A document with more texts than these is not tagged: each has an object of its own.
MOST_TAGGED = 12_000
#: A heading lower than this is marked as one of this level (14.8.4.3.2).
_LOWEST_HEADING = 6


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


class _Written(PDFObject):  # type: ignore[misc]  # ReportLab has no types
    """An object of the file that others refer to, written by ourselves: a letter has a hundred of them."""

    __RefOnly__ = 1

    def format(self, document: Any) -> bytes:
        raise NotImplementedError

    def reference(self, document: Any) -> str:
        return _reference(document, self.__InternalName__)


def _reference(document: Any, name: str) -> str:
    return "{} {} R".format(*document.idToObjectNumberAndVersion[name])


class _Element(_Written):
    """An element of the tree (14.7.2): its kind, what it is under, what is under it, and the page where it begins."""

    def __init__(self, kind: str, parent: _Element | None, alt: str = "") -> None:
        self.kind, self.parent, self.alt = kind, parent, alt
        self.root: _Root | None = None
        self.page = ""
        #: Elements, and pieces of pages by page and number.
        self.kids: list[_Element | tuple[str, int]] = []
        if parent is not None:
            parent.kids.append(self)

    def format(self, document: Any) -> bytes:
        above = self.parent or self.root
        assert above is not None
        page = f" /Pg {_reference(document, self.page)}" if self.page else ""
        alt = b" /Alt " + PDFString(self.alt).format(document) if self.alt else b""
        kids = " ".join([self._kid(document, kid) for kid in self.kids])
        text = f"<< /Type /StructElem /S /{self.kind} /P {above.reference(document)}{page} /K [ {kids} ]"
        return text.encode() + alt + b" >>"

    def _kid(self, document: Any, kid: _Element | tuple[str, int]) -> str:
        if isinstance(kid, _Element):
            return kid.reference(document)
        page, number = kid
        if page == self.page:
            return str(number)
        return f"<< /Type /MCR /Pg {_reference(document, page)} /MCID {number} >>"


class _Root(_Written):
    """The root of the tree, with the elements of each page's pieces (14.7.4.4)."""

    def __init__(self, top: _Element, pages: list[list[_Element]]) -> None:
        self._top, self._pages = top, pages

    def format(self, document: Any) -> bytes:
        numbers = [
            f"{number} [ {' '.join([element.reference(document) for element in elements])} ]"
            for number, elements in enumerate(self._pages)
            if elements
        ]
        return (
            f"<< /Type /StructTreeRoot /K {self._top.reference(document)} "
            f"/ParentTree << /Nums [ {' '.join(numbers)} ] >> /ParentTreeNextKey {len(self._pages)} >>"
        ).encode()


class TagTree:
    """The tree of a document's structure: tables of rows and cells, headings, paragraphs, figures with their words."""

    def __init__(self, canvas: Any) -> None:
        self._doc = canvas._doc
        self._all: list[_Element] = []
        self._root = self._element("Document", None)
        self._table: _Element | None = None
        self._row: _Element | None = None
        self._cell: _Element | None = None
        #: The paragraph that goes on; each text is one of its own without.
        self._paragraph: _Element | None = None
        self._role = "text"
        self._pages: list[list[_Element]] = []

    def begin_page(self) -> None:
        self._pages.append([])
        self._row = self._cell = None
        self._role = "text" if self._paragraph is None else "paragraph"

    def role(self, role: Role) -> None:
        """What follows is of a role: of a table that goes on from the page before, the rows are added to it."""
        self._role = role.name
        match role.name.split():
            case ["table"]:
                self._table = self._row = self._cell = None
            case ["row"]:
                if self._table is None:
                    self._table = self._element("Table", self._root)
                self._row, self._cell, self._paragraph = self._element("TR", self._table), None, None
            case ["cell"]:
                self._cell, self._paragraph = self._element("TD", self._row), None
            case ["body"]:
                self._row = self._cell = self._paragraph = None
            case ["paragraph"]:
                self._begin("P")
            case ["heading", level]:
                self._begin(f"H{min(int(level), _LOWEST_HEADING)}")

    def _begin(self, kind: str) -> None:
        """Begin a paragraph: in a cell, or below everything before it, a table too."""
        if self._cell is None:
            self._table = None
        self._role, self._paragraph = "paragraph", self._element(kind, self._cell or self._root)

    def opening(self, item: Item) -> str:
        """The operator before an item, which its like (14.6.2) is closed by `EMC`."""
        match item:
            case Areas() | Lines() | Pattern() | Gradient():
                return "/Artifact BMC"
            case Chart() | Picture():
                return self._marked(self._element("Figure", self._root, item.alt))
            case _ if self._role == "aside":
                return "/Artifact BMC"
            case _ if self._role == "row":
                return self._marked(self._element("TD", self._row))
            case _ if self._role == "paragraph" and self._paragraph is not None:
                return self._marked(self._paragraph)
            case _:
                return self._marked(self._element("P", self._root))

    def goes_on(self, item: Item) -> bool:
        """Whether a text is of the piece of the page that was opened before it, if that was a text."""
        return isinstance(item, Text) and self._role in ("aside", "paragraph")

    def _marked(self, element: _Element) -> str:
        own, page = self._pages[-1], self._doc.thisPageName()
        element.page = element.page or page
        element.kids.append((page, len(own)))
        own.append(element)
        return f"/{element.kind} <</MCID {len(own) - 1}>> BDC"

    def _element(self, kind: str, parent: _Element | None, alt: str = "") -> _Element:
        self._all.append(_Element(kind, parent, alt))
        return self._all[-1]

    def end_page(self, page: Any, number: int) -> None:
        """Say of a page's object which number its elements have in the tree of parents."""
        if self._pages[-1]:
            page.__NoDefault__ = [*page.__NoDefault__, "StructParents"]
            page.StructParents = number

    def finish(self, catalog: Any) -> None:
        """Hang the tree on the document."""
        self._root.root = root = _Root(self._root, self._pages)
        for element in (root, *self._all):
            self._doc.Reference(element)
        catalog.StructTreeRoot = root
        catalog.MarkInfo = PDFDictionary({"Marked": "true"})
