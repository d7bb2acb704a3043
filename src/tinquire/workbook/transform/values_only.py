"""A workbook with results in place of formulas, for copies that leave the house."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import listed
from tinquire.cells.address import cell_name, quoted_sheet
from tinquire.cells.column import Kind
from tinquire.packages.xml import local, remove_attribute, serialise_xml
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["keep_values"]


def keep_values(book: Workbook, sheets: Sequence[str] = ()) -> int:
    """Replace the formulas of the named sheets, or of all, by their stored results; returns how many there were.

    The columns of tables lose the formulas that new rows would get, and their totals the functions behind them.
    Everything else stays. Raises DataError for a sheet that is not there, and for formulas that have no result yet:
    their cells would be blank.
    """
    chosen = [book.sheet(name) for name in sheets or book.sheet_names()]
    blank = [cell for sheet in chosen for cell in _without_result(sheet)]
    if blank:
        why = f"{len(blank):,} formulas have no stored result: {listed(blank)}"
        do = "save it once in the program that made it, so that it holds results"
        raise DataError(Fault("replacing formulas by results", why, book.name, do))
    count = sum(sheet.formula_count() for sheet in chosen)
    for sheet in chosen:
        _replace(sheet)
        for part in book.table_parts(sheet.name):
            _plain_table(book, part)
    return count


def _without_result(sheet: Sheet) -> Iterator[str]:
    """The cells with a formula and no value."""
    for column, top, bottom, _ in sheet.formula_runs():
        kinds = sheet.column(column, top, bottom).kinds
        for offset in np.flatnonzero(kinds == Kind.BLANK).tolist():
            yield f"{quoted_sheet(sheet.name)}!{cell_name(top + offset, column)}"


def _replace(sheet: Sheet) -> None:
    runs = list(sheet.formula_runs())
    for column, top, bottom, _ in runs:
        sheet.put(top, column, sheet.column(column, top, bottom))
    # The other cells of an array may have formula elements without a text (18.3.1.40), which would be left behind.
    for area in sorted({formula.array for _, _, _, formula in runs if formula.array is not None}):
        for column in range(area.left, area.right + 1):
            values = sheet.column(column, area.top, area.bottom)
            for offset in np.flatnonzero(values.kinds != Kind.BLANK).tolist():
                sheet.put(area.top + offset, column, values.slice(offset, offset + 1))


def _plain_table(book: Workbook, part: str) -> None:
    root = book.package.root(part)
    for column in root.iter("{*}tableColumn"):
        remove_attribute(column, "totalsRowFunction")
        for child in list(column):
            if local(child) in ("calculatedColumnFormula", "totalsRowFormula"):
                column.remove(child)
    book.package.put(part, serialise_xml(root))
