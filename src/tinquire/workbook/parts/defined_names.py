"""Defined names (18.2.5) as values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.packages.xml import child, children, insert_child, tag, whole_number
from tinquire.workbook.parts.book_part import WORKBOOK_ORDER

__all__ = ["DefinedName", "add_name", "defined_names"]

_BUILT_IN_NAMES = {
    "_xlnm.Print_Titles": "print titles",
    "_xlnm.Print_Area": "print area",
    "_xlnm._FilterDatabase": "filtered area",
}


@dataclass(frozen=True, slots=True)
class DefinedName:
    """A name, the formula it stands for, and the sheet it belongs to (None for the whole workbook)."""

    name: str
    formula: str
    sheet: str | None = None
    hidden: bool = False

    @property
    def shown(self) -> str:
        """The name as a person says it: those that the standard keeps for itself (18.2.5) in words."""
        return _BUILT_IN_NAMES.get(self.name, self.name)


def defined_names(root: etree._Element, sheets: Sequence[str]) -> list[DefinedName]:
    """The names that a workbook's main part defines, whose sheets are named in their order."""
    found = []
    for element in children(child(root, "definedNames"), "definedName"):
        index = whole_number(element.get("localSheetId"))
        sheet = sheets[index] if index is not None and index < len(sheets) else None
        hidden = element.get("hidden") in ("1", "true")
        found.append(DefinedName(element.get("name", ""), element.text or "", sheet, hidden))
    return found


def add_name(
    root: etree._Element, name: str, formula: str, sheet: int | None = None, *, hidden: bool = False
) -> None:  # fmt: skip
    """Define a name in a workbook's main part, or on a sheet of it by its place from zero."""
    group = child(root, "definedNames")
    if group is None:
        group = insert_child(root, "definedNames", WORKBOOK_ORDER)
    element = etree.SubElement(group, tag(group, "definedName"), name=name)
    if sheet is not None:
        element.set("localSheetId", str(sheet))
    if hidden:
        element.set("hidden", "1")
    element.text = formula
