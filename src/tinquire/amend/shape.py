"""Rows, columns and sheets put in, taken out, renamed and hidden by amendments."""

from __future__ import annotations

from collections.abc import Iterator

from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.schema import Amendment
from tinquire.amend.targets import matching_sheets
from tinquire.base.wording import counted
from tinquire.cells.address import column_number
from tinquire.workbook import Sheet, Workbook, edit

__all__ = ["shaped"]


def shaped(book: Workbook, amendment: Amendment) -> Iterator[Change]:
    """A change of shape of each sheet that the amendment names."""
    if amendment.add_sheet is not None:
        if amendment.add_sheet.casefold() in map(str.casefold, book.sheet_names()):
            raise NotThereError(f"it has a sheet '{amendment.add_sheet}' already")
        book.add_sheet(Sheet(amendment.add_sheet))
        yield Change(amendment.add_sheet, "", "", "a new sheet")
        return
    names = matching_sheets(book, amendment.sheet)
    if amendment.sheet is None and len(names) > 1:
        raise NotThereError(f"it has {len(names)} sheets, and the amendment does not say which: sheet = '{names[0]}'")
    if amendment.rename_sheet is not None and len(names) > 1:
        raise NotThereError(f"{counted(len(names), 'sheet')} match '{amendment.sheet}', and only one can be renamed")
    if amendment.delete_sheet:
        if len(names) == len(book.sheet_names()):
            raise NotThereError("a workbook keeps at least one sheet, and none would be left")
        edit.delete_sheets(book, names)
        yield from (Change(name, "", "", "without this sheet") for name in names)
        return
    for name in names:
        for key, work, says in _LINES:
            lines: str | None = getattr(amendment, key)
            if lines is not None:
                first, _, last = lines.partition(":")
                at, end = (int(item) if item.isdecimal() else column_number(item) for item in (first, last or first))
                work(book, name, min(at, end), abs(end - at) + 1)
                yield Change(name, "", "", f"{says} {lines.upper()}")
        if amendment.hide_sheet is not None:
            edit.hide_sheet(book, name, "hidden" if amendment.hide_sheet else "visible")
            yield Change(name, "", "", "hidden" if amendment.hide_sheet else "shown")
        if amendment.rename_sheet is not None:
            edit.rename_sheet(book, name, amendment.rename_sheet)
            yield Change(name, "", name, amendment.rename_sheet)


_LINES = (
    ("insert_rows", edit.insert_rows, "rows inserted before"),
    ("delete_rows", edit.delete_rows, "without rows"),
    ("insert_columns", edit.insert_columns, "columns inserted before"),
    ("delete_columns", edit.delete_columns, "without columns"),
)
