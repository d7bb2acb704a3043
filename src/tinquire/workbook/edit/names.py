"""Defined names set and taken away (ECMA-376 Part 1, 18.2.5)."""

from __future__ import annotations

import re

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import parse_area
from tinquire.packages.xml import child, children, insert_child, tag
from tinquire.workbook.parts.book_part import WORKBOOK_ORDER
from tinquire.workbook.workbook import Workbook

__all__ = ["set_name", "valid_name"]

_NAME = re.compile(r"[^\W\d][\w.\\?]*\Z|\\[\w.]*\Z")
_MOST = 255


def valid_name(name: str) -> bool:
    """Whether a name may be defined: no blank, no digit first, nothing that reads as an address."""
    if len(name) > _MOST or not _NAME.match(name) or name.casefold() in ("r", "c", "true", "false"):
        return False
    try:
        parse_area(name)
    except ValueError:
        return re.fullmatch(r"[Rr]\d*[Cc]\d*", name) is None
    return False


def set_name(book: Workbook, name: str, formula: str | None, sheet: str | None = None) -> None:
    """Let a name stand for a formula (without `=`), or take it away (None); `sheet` makes it that sheet's own.

    Raises: DataError for names that are not allowed, or taken by a table.
    """
    if not name.startswith("_xlnm.") and (not valid_name(name) or name.casefold() in book.tables()):
        why = f"'{name}' cannot be a name: " + (
            "a table has it" if name.casefold() in book.tables() else "it must begin with a letter, without blanks, "
            "and not read as an address"
        )  # fmt: skip
        raise DataError(Fault("setting a name", why, book.name, "choose another name"))
    book.settle()
    position = None
    if sheet is not None:
        entry = book.entry(sheet)
        if entry is None:
            raise DataError(Fault("setting a name", f"it has no sheet '{sheet}'", book.name, "check the sheet's name"))
        position = str(book.entries.index(entry))
    group = child(book.root, "definedNames")
    known = next((item for item in children(group, "definedName") if _is(item, name, position)), None)
    if formula is None:
        if known is not None and group is not None:
            group.remove(known)
            if not len(group):
                book.root.remove(group)
    else:
        if group is None:
            group = insert_child(book.root, "definedNames", WORKBOOK_ORDER)
        if known is None:
            known = etree.SubElement(group, tag(group, "definedName"), name=name)
            if position is not None:
                known.set("localSheetId", position)
        known.text = formula
    book.root_changed()
    book.formulas_moved()


def _is(element: etree._Element, name: str, place: str | None) -> bool:
    return element.get("name", "").casefold() == name.casefold() and element.get("localSheetId") == place
