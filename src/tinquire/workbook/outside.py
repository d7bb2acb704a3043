"""What a workbook has stored of other workbooks that its formulas read (ECMA-376 Part 1, 18.14): never opened."""

from __future__ import annotations

import re

from tinquire.cells.address import parse_cell
from tinquire.cells.values import ERROR_NAMES, Value
from tinquire.workbook.markup import child, children
from tinquire.workbook.package import Package
from tinquire.workbook.sheet import Sheet

__all__ = ["OutsideBooks"]

_NUMBERED = re.compile(r"\[([0-9]+)\](.*)\Z", re.DOTALL)


class OutsideBooks:
    """The stored values of other workbooks' sheets, by the names that formulas give them: `[1]Rates`."""

    def __init__(self, package: Package, workbook: str) -> None:
        targets = {one.id: one.target for one in package.relations(workbook) if one.kind == "externalLink"}
        listed = children(child(package.root(workbook), "externalReferences"), "externalReference")
        identities = (next((str(v) for key, v in one.attrib.items() if str(key).endswith("}id")), "") for one in listed)
        self._parts = [targets.get(identity, "") for identity in identities]
        self._package = package
        self._sheets: dict[str, Sheet | None] = {}

    def sheet(self, name: str) -> Sheet | None:
        """What is stored of a sheet; None when nothing is. Raises AccessError for a damaged part."""
        folded = name.casefold()
        if folded not in self._sheets:
            self._sheets[folded] = self._read(name)
        return self._sheets[folded]

    def _read(self, name: str) -> Sheet | None:
        found = _NUMBERED.match(name)
        number = int(found[1]) if found else 0
        if found is None or not 1 <= number <= len(self._parts) or not self._package.has(self._parts[number - 1]):
            return None
        book = child(self._package.root(self._parts[number - 1]), "externalBook")
        if book is None:
            return None
        names = [one.get("val", "").casefold() for one in children(child(book, "sheetNames"), "sheetName")]
        if found[2].casefold() not in names:
            return None
        wanted = str(names.index(found[2].casefold()))
        for data in children(child(book, "sheetDataSet"), "sheetData"):
            if data.get("sheetId") == wanted:
                return _stored(name, data)
        return None


def _stored(name: str, data: object) -> Sheet:
    sheet = Sheet(name)
    for row in children(data, "row"):  # type: ignore[arg-type]
        for cell in children(row, "cell"):
            place = parse_cell(cell.get("r", "A1"))
            text = child(cell, "v")
            sheet.set(*place, _value(cell.get("t", "n"), "" if text is None else text.text or ""))
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
