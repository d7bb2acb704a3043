"""A letter: the package of a word-processing document, and the parts in which text stands."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.packages.package import Package
from tinquire.packages.xml import local, serialise_xml

if TYPE_CHECKING:
    from tinquire.document.filled_texts import FilledTexts

__all__ = ["Letter"]

_KINDS = (
    ".wordprocessingml.document.main+xml",
    ".wordprocessingml.template.main+xml",
    "document.macroEnabled.main+xml",
)
#: Kinds of parts with text of their own (11.3), and how messages call them.
_STORIES = {
    "header": "a header", "footer": "a footer", "footnotes": "the footnotes", "endnotes": "the endnotes",
    "comments": "the comments",
}  # fmt: skip


class Letter:
    """A document opened from a file, or from bytes. Parts that nobody changes are written as they were."""

    def __init__(self, package: Package) -> None:
        """Raises AccessError for a package that is no document."""
        self.package = package
        main = next((one.target for one in package.relations() if one.kind == "officeDocument"), None)
        kind = package.type_of(main) if main is not None and package.has(main) else ""
        if main is None or not kind.endswith(_KINDS):
            what = "it is a workbook" if "spreadsheetml" in kind else "it is no word-processing document"
            raise AccessError(Fault("opening a letter", what, package.name, "save it as .docx"))
        self.part = main
        #: What it was filled with, if it was made by a form and not changed since.
        self.filled: FilledTexts | None = None

    @classmethod
    def open(cls, path: Path) -> Letter:
        """Raises: AccessError for files that are missing, damaged or no documents."""
        return cls(Package.open(path))

    @classmethod
    def from_bytes(cls, data: bytes, name: str) -> Letter:
        return cls(Package.from_bytes(data, name))

    def copy(self) -> Letter:
        """The same letter, to be changed by itself."""
        fresh = object.__new__(Letter)
        fresh.package, fresh.part, fresh.filled = self.package.copy(), self.part, None
        return fresh

    @property
    def name(self) -> str:
        return self.package.name

    def stories(self) -> Iterator[tuple[str, str]]:
        """The parts with text, and how messages call each; the document's own first."""
        yield self.part, "the text"
        for relation in self.package.relations(self.part):
            if relation.kind in _STORIES and not relation.outside and self.package.has(relation.target):
                yield relation.target, _STORIES[relation.kind]

    def root(self, part: str) -> etree._Element:
        """A part parsed. Raises AccessError for markup that is damaged."""
        try:
            return self.package.root(part)
        except ValueError as error:
            why = f"its part '{part}' cannot be read: {error}"
            raise AccessError(Fault("opening a letter", why, self.name, "get the file again")) from None

    def put(self, part: str, root: etree._Element) -> None:
        self.filled = None
        self.package.put(part, serialise_xml(root))

    def to_bytes(self) -> bytes:
        return self.package.to_bytes()


def kind_of(element: etree._Element) -> str:
    """The local name of an element; '' for comments and instructions."""
    return local(element)
