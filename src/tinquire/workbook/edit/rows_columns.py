"""Rows and columns inserted into a sheet or taken out of it; references of the whole workbook follow."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import Area, area_name, column_name, parse_area
from tinquire.cells.column import Column
from tinquire.cells.shifting import Moves, Removal, Shift
from tinquire.formula.language.reference_changes import MovedColumn, ShiftedLines, TableColumns
from tinquire.packages.xml import child, children, remove_attribute, tag
from tinquire.workbook.edit.propagate import change_part, follow
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import Formula, SheetTable
from tinquire.workbook.grid.sheet_entries import SheetEntry
from tinquire.workbook.parts.pivots import pivot_area
from tinquire.workbook.workbook import Workbook

__all__ = ["delete_columns", "delete_rows", "insert_columns", "insert_rows", "move_column", "remove_rows"]


def insert_rows(book: Workbook, sheet: str, at: int, count: int = 1) -> None:
    """Put blank rows in before row `at`; they look like the row above them.

    Raises: DataError when that would tear a pivot or an array formula, or push cells beyond the grid.
    """
    _shift(book, sheet, Shift(at, count))


def delete_rows(book: Workbook, sheet: str, at: int, count: int = 1) -> None:
    """Take rows out. Raises DataError when that would tear a pivot, an array formula or a table's heading."""
    _shift(book, sheet, Shift(at, -count))


def insert_columns(book: Workbook, sheet: str, at: int, count: int = 1) -> None:
    """Put blank columns in before column `at`; within a table they become columns of it. Raises DataError."""
    _shift(book, sheet, Shift(at, count, rows=False))


def delete_columns(book: Workbook, sheet: str, at: int, count: int = 1) -> None:
    """Take columns out, of tables too. Raises DataError."""
    _shift(book, sheet, Shift(at, -count, rows=False))


def remove_rows(book: Workbook, sheet: str, rows: Sequence[int]) -> None:
    """Take out any rows at once, wherever they stand. Raises DataError as `delete_rows` does."""
    if rows:
        _shift(book, sheet, Removal(tuple(sorted(set(rows)))))


def move_column(book: Workbook, sheet: str, column: int, before: int) -> None:
    """Move a column before another one, with its width and all that refers to its cells. Raises DataError as
    `insert_columns` does, and for columns of tables and array formulas."""
    insert_columns(book, sheet, before)
    old = column + 1 if column >= before else column
    name = book.sheet(sheet).name
    book.settle()
    follow(book, MovedColumn(name, old, before))
    book.formulas_moved()
    cells = book.sheet(sheet)
    used = cells.extent()[0]
    styles = cells.styles(old, 1, used)
    cells.dress(1, before, styles, used)
    for row, value in enumerate(cells.column(old, 1, used).to_list(), start=1):
        formula = cells.formula(row, old)
        if formula is not None or value is not None:
            text = None if formula is None else text_at(formula, row, old)
            cells.set(row, before, value, int(styles[row - 1]), text)
    width = cells.widths.get(old)
    if width is not None:
        cells.widths[before] = width
    else:
        cells.widths.pop(before, None)
    delete_columns(book, sheet, old)


def _shift(book: Workbook, name: str, shift: Moves) -> None:
    sheet = book.sheet(name)
    entry = book.entry(name)
    assert entry is not None
    tables = list(sheet.tables)
    faults = [
        Fault(_doing(entry.name, shift), why, book.name, "choose other rows or columns, or change it where it was made")
        for why in _obstacles(book, entry, shift)
    ]
    if faults:
        raise DataError(*faults)
    above = _styles_before(book, entry, shift) if shift.fresh else {}
    book.settle()
    if shift.rows:
        _drop_totals(book, entry, tables, shift)
    else:
        _table_columns(book, entry, tables, shift)
    follow(book, ShiftedLines(entry.name, shift), shift)
    _dress(book, entry, shift, above)
    _name_columns(book, entry, shift)
    _fill_rows(book, entry, shift)
    book.formulas_moved()


def _doing(sheet: str, shift: Moves) -> str:
    if isinstance(shift, Removal):
        return f"deleting {len(shift.lines):,} rows of sheet '{sheet}'"
    assert isinstance(shift, Shift)
    last = shift.at + abs(shift.count) - 1
    kind, first, end = (
        ("row", str(shift.at), str(last)) if shift.rows else ("column", column_name(shift.at), column_name(last))
    )
    what = f"{kind} {first}" if shift.at == last else f"{kind}s {first} to {end}"
    return f"{'inserting' if shift.count > 0 else 'deleting'} {what} of sheet '{sheet}'"


# -- what is in the way ------------------------------------------------------------------------------


def _obstacles(book: Workbook, entry: SheetEntry, shift: Moves) -> Iterator[str]:
    sheet = book.sheet(entry.name)
    used = sheet.used
    if isinstance(shift, Shift) and (not 1 <= shift.at <= shift.last or not shift.count):
        yield "that is not on the grid"
    elif used is not None and (used.bottom if shift.rows else used.right) + len(shift.fresh) > shift.last:
        yield "cells would move beyond the grid"
    for _, top, bottom, formula in sheet.formula_runs():
        if formula.array is not None and top == bottom == formula.row and shift.cuts(formula.array):
            yield f"it would split the array formula in {area_name(formula.array)}"
    for relation in book.package.relations(entry.part or "") if entry.part else ():
        if relation.kind == "pivotTable" and book.package.has(relation.target):
            area = pivot_area(book.package.root(relation.target))
            if area is not None and (shift.cuts(area) or shift.area(area) is None):
                yield f"it would split the pivot in {area_name(area)}"
    for table in sheet.tables:
        yield from _table_obstacles(table, shift)


def _table_obstacles(table: SheetTable, shift: Moves) -> Iterator[str]:
    moved = shift.area(table.area)
    if moved is None:
        yield f"it would delete the whole table '{table.name}'"
    elif shift.rows and table.headings and shift.line(table.area.top) is None:
        yield f"it would delete the heading row of table '{table.name}'"
    elif shift.rows and shift.area(table.data) is None:
        yield f"it would leave table '{table.name}' without rows"


# -- looks of what is put in -----------------------------------------------------------------------------


def _styles_before(book: Workbook, entry: SheetEntry, shift: Moves) -> dict[int, int]:
    """Style numbers of the cells in the line before, by their place in it."""
    sheet = book.sheet(entry.name)
    before = shift.fresh.start - 1
    if before < 1:
        return {}
    if shift.rows:
        return {
            column: style
            for column, cells in sheet.columns.items()
            if cells.places(before, before).stop > cells.places(before, before).start
            and (style := sheet.style(before, column))
        }
    cells = sheet.columns.get(before)
    if cells is None:
        return {}
    return {row: style for row, style in zip(cells.rows.tolist(), cells.styles.tolist(), strict=True) if style}


def _dress(book: Workbook, entry: SheetEntry, shift: Moves, styles: dict[int, int]) -> None:
    if not styles:
        return
    sheet = book.sheet(entry.name)
    if shift.rows:
        for column, style in styles.items():
            sheet.dress(shift.fresh.start, column, style, len(shift.fresh))
        return
    for line in shift.fresh:
        sheet.reserve(min(styles), line, max(styles) - min(styles) + 1)
        for row, style in styles.items():
            if row <= sheet.extent()[0]:
                sheet.set(row, line, None, style)


def _drop_totals(book: Workbook, entry: SheetEntry, tables: list[SheetTable], shift: Moves) -> None:
    """Tables whose totals row is taken out have none any more."""
    lost = {table.name.casefold() for table in tables if table.totals and shift.line(table.area.bottom) is None}
    for part in book.table_parts(entry.name) if lost else ():
        change_part(book, part, lambda root: (root.get("displayName") or "").casefold() in lost and _no_totals(root))


def _no_totals(root: etree._Element) -> bool:
    remove_attribute(root, "totalsRowCount")
    root.set("totalsRowShown", "0")
    for column in root.iter("{*}tableColumn"):
        for name in ("totalsRowFunction", "totalsRowLabel"):
            remove_attribute(column, name)
        for inner in children(column, "totalsRowFormula"):
            column.remove(inner)
    return True


# -- columns of tables -----------------------------------------------------------------------------------


def _table_columns(book: Workbook, entry: SheetEntry, tables: list[SheetTable], shift: Moves) -> None:
    """Give tables the columns that are put into them, and take those out that go."""
    areas = {table.name.casefold(): table.area for table in tables}
    for table in () if shift.fresh else tables:
        gone = [
            column.name for index, column in enumerate(table.columns) if shift.line(table.area.left + index) is None
        ]
        if gone:
            follow(book, TableColumns(table.name, {name.casefold(): None for name in gone}))
    for part in book.table_parts(entry.name):
        root = book.package.root(part)
        area = areas.get((root.get("displayName") or "").casefold()) or parse_area(root.get("ref", "A1"))
        if shift.area(area) != area and not (shift.fresh and shift.fresh.start <= area.left):
            change_part(book, part, partial(_change_columns, area=area, shift=shift))


def _change_columns(root: etree._Element, area: Area, shift: Moves) -> bool:
    group = child(root, "tableColumns")
    if group is None:
        raise ValueError("it has no columns")
    columns = children(group, "tableColumn")
    if len(columns) != area.width:  # whatever is added would stand below another heading
        raise ValueError(f"its table has {area.width} columns on its sheet and {len(columns)} by name")
    if not shift.fresh:
        for index, column in enumerate(columns):
            if shift.line(area.left + index) is None:
                group.remove(column)
    elif area.left < shift.fresh.start <= area.right:
        taken = {column.get("name", "").casefold() for column in columns}
        number = max((int(column.get("id", "0")) for column in columns), default=0)
        at = shift.fresh.start - area.left
        # Among the columns of a damaged or odd file other things may stand.
        after = columns[at] if at < len(columns) else None
        for extra in range(len(shift.fresh)):
            fresh = etree.Element(tag(group, "tableColumn"), id=str(number + extra + 1), name=_free_heading(taken))
            group.append(fresh) if after is None else after.addprevious(fresh)
    group.set("count", str(len(children(group, "tableColumn"))))
    for filtered in root.iter(tag(root, "filterColumn")):
        moved = shift.line(area.left + int(filtered.get("colId", "0")))
        parent = filtered.getparent()
        if moved is None and parent is not None:
            parent.remove(filtered)
        elif moved is not None:
            left = shift.area(area)
            filtered.set("colId", str(moved - (left.left if left else area.left)))
    return True


def _free_heading(taken: set[str]) -> str:
    number = 1
    while f"column {number}" in taken:
        number += 1
    taken.add(f"column {number}")
    return f"Column {number}"


def _name_columns(book: Workbook, entry: SheetEntry, shift: Moves) -> None:
    """Write the headings of columns that tables got: a table's columns are named by its heading cells."""
    if shift.rows or not shift.fresh:
        return
    sheet = book.sheet(entry.name)
    for table in sheet.tables:
        for index, column in enumerate(table.columns):
            at = table.area.left + index
            if table.headings and at in shift.fresh:
                sheet.set(table.area.top, at, column.name, sheet.style(table.area.top, at))


def _fill_rows(book: Workbook, entry: SheetEntry, shift: Moves) -> None:
    """Fill the formulas of tables' reckoned columns into rows that were put in."""
    if not shift.rows or not shift.fresh:
        return
    sheet = book.sheet(entry.name)
    for table in sheet.tables:
        for index, column in enumerate(table.columns):
            at = table.area.left + index
            model = sheet.formula(shift.fresh.start - 1, at) or sheet.formula(shift.fresh.stop, at)
            if column.formula is None or model is None:
                continue
            first, last = max(shift.fresh.start, table.data.top), min(shift.fresh.stop - 1, table.data.bottom)
            if first <= last:
                fresh = Formula(text_at(model, first, at), first, at)
                sheet.put(first, at, Column.blank(last - first + 1), sheet.styles(at, first, last), fresh)
