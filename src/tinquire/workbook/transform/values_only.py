"""A workbook with results in place of formulas, for copies that leave the house."""

from __future__ import annotations

from collections.abc import Sequence

from tinquire.base.faults import DataError, Fault
from tinquire.base.faults import places as listed
from tinquire.cells.address import cell_name, quoted_sheet
from tinquire.packages.xml import local, serialised, without
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
    places = {sheet.name: _formula_cells(sheet) for sheet in chosen}
    blank = [
        f"{quoted_sheet(sheet.name)}!{cell_name(row, column)}"
        for sheet in chosen
        for row, column in places[sheet.name]
        if sheet.value(row, column) is None
    ]
    if blank:
        why = f"{len(blank):,} formulas have no stored result: {listed(blank)}"
        do = "save it once in the program that made it, so that it holds results"
        raise DataError(Fault("replacing formulas by results", why, book.name, do))
    for sheet in chosen:
        _replace(sheet, places[sheet.name])
        for part in book.table_parts(sheet.name):
            _plain_table(book, part)
    return sum(map(len, places.values()))


def _formula_cells(sheet: Sheet) -> list[tuple[int, int]]:
    return [(row, column) for column, top, bottom, _ in sheet.formula_runs() for row in range(top, bottom + 1)]


def _replace(sheet: Sheet, places: Sequence[tuple[int, int]]) -> None:
    areas = {formula.array for _, _, _, formula in sheet.formula_runs() if formula.array is not None}
    # The other cells of an array may have formula elements without a text (18.3.1.40), which would be left behind.
    members = [
        (row, column)
        for area in sorted(areas)
        for row in range(area.top, area.bottom + 1)
        for column in range(area.left, area.right + 1)
        if sheet.value(row, column) is not None
    ]
    for row, column in dict.fromkeys([*places, *members]):
        sheet.set(row, column, sheet.value(row, column))


def _plain_table(book: Workbook, part: str) -> None:
    root = book.package.root(part)
    for column in root.iter("{*}tableColumn"):
        without(column, "totalsRowFunction")
        for child in list(column):
            if local(child) in ("calculatedColumnFormula", "totalsRowFormula"):
                column.remove(child)
    book.package.put(part, serialised(root))
