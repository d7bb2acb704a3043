"""What a workbook has stored of other workbooks that its formulas read (ECMA-376 Part 1, 18.14): never opened."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from lxml import etree

from tinquire.cells.address import parse_cell
from tinquire.cells.values import ERROR_NAMES, Value
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import Name, Node, Reference
from tinquire.formula.language.writing import replace_nodes
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["OutsideBook", "OutsideBooks", "outside_books"]


@dataclass(frozen=True, slots=True)
class OutsideBook:
    """Another workbook that formulas read (18.14), by its number in them; it is never opened."""

    number: int
    target: str


def _linked_parts(package: Package, workbook: str) -> list[str]:
    """The parts of other workbooks in the order of their numbers; an empty name for one that is missing."""
    targets = {
        relation.id: relation.target for relation in package.relations(workbook) if relation.kind == "externalLink"
    }
    listed = children(child(package.root(workbook), "externalReferences"), "externalReference")
    identities = (next((str(v) for key, v in item.attrib.items() if str(key).endswith("}id")), "") for item in listed)
    return [target if package.has(target := targets.get(identity, "")) else "" for identity in identities]


def outside_books(package: Package, workbook: str) -> Iterator[OutsideBook]:
    """Other workbooks that formulas read, in the order of their numbers."""
    for number, part in enumerate(_linked_parts(package, workbook), start=1):
        if part:
            targets = [relation.target for relation in package.relations(part) if relation.outside]
            yield OutsideBook(number, targets[0] if targets else "unknown")


_NUMBERED = re.compile(r"\[([0-9]+)\](.*)\Z", re.DOTALL)


class OutsideBooks:
    """The stored values of other workbooks' sheets, by the names that formulas give them: `[1]Rates`."""

    def __init__(self, package: Package, workbook: str) -> None:
        self._parts = _linked_parts(package, workbook)
        self._package = package
        self._sheets: dict[str, Sheet | None] = {}

    def sheet(self, name: str) -> Sheet | None:
        """What is stored of a sheet; None when nothing is. Raises AccessError for a damaged part."""
        folded = name.casefold()
        if folded not in self._sheets:
            self._sheets[folded] = self._read(name)
        return self._sheets[folded]

    def name(self, name: str, owner: str) -> Node | None:
        """What a name of another workbook refers to, as this one's formulas would write it; None when nothing is stored
        of it. `owner` is the workbook with the sheet that the name is spoken of with: `[1]`, `[1]Rates` (18.14.6)."""
        match = _NUMBERED.match(owner)
        book = None if match is None else self._book(int(match[1]))
        if match is None or book is None:
            return None
        sheets = [item.get("val", "").casefold() for item in children(child(book, "sheetNames"), "sheetName")]
        own = str(sheets.index(match[2].casefold())) if match[2].casefold() in sheets else None
        listed = [
            item
            for item in children(child(book, "definedNames"), "definedName")
            if item.get("name", "").casefold() == name.casefold() and item.get("sheetId") in (own, None)
        ]
        for item in sorted(
            listed, key=lambda item: item.get("sheetId") is None
        ):  # a sheet's own name before the book's
            try:
                return replace_nodes(
                    parse(item.get("refersTo", "").removeprefix("=")), lambda node: _of_book(node, match[1])
                )
            except FormulaError:
                continue
        return None

    def _book(self, number: int) -> etree._Element | None:
        """What is stored of one of the other workbooks."""
        if not 1 <= number <= len(self._parts) or not self._parts[number - 1]:
            return None
        return child(self._package.root(self._parts[number - 1]), "externalBook")

    def _read(self, name: str) -> Sheet | None:
        match = _NUMBERED.match(name)
        book = None if match is None else self._book(int(match[1]))
        if match is None or book is None:
            return None
        names = [item.get("val", "").casefold() for item in children(child(book, "sheetNames"), "sheetName")]
        if match[2].casefold() not in names:
            return None
        wanted = str(names.index(match[2].casefold()))
        for data in children(child(book, "sheetDataSet"), "sheetData"):
            if data.get("sheetId") == wanted:
                return _read_sheet(name, data)
        return None


def _of_book(node: Node, number: str) -> Node | None:
    """A reference of another workbook's name, with that workbook's number."""
    if isinstance(node, Reference | Name) and node.sheet and not node.sheet.startswith("["):
        return replace(node, sheet=f"[{number}]{node.sheet}")
    return None


def _read_sheet(name: str, data: object) -> Sheet:
    sheet = Sheet(name)
    for row in children(data, "row"):  # type: ignore[arg-type]
        for cell in children(row, "cell"):
            position = parse_cell(cell.get("r", "A1"))
            text = child(cell, "v")
            sheet.set(*position, _value(cell.get("t", "n"), "" if text is None else text.text or ""))
    return sheet


def _value(form: str, text: str) -> Value:
    match form:
        case "str":
            return text
        case "b":
            return text == "1"
        case "e":
            return ERROR_NAMES.get(text)
    return float(text) if text else None
