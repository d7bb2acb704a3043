"""Tables of a sheet given other areas, other headings or other rows; what reads them follows."""

from __future__ import annotations

from collections.abc import Sequence

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import known_names
from tinquire.cells.address import MAX_ROW, Area, area_name, parse_area
from tinquire.cells.column import Column
from tinquire.formula.language.reference_changes import TableColumns
from tinquire.packages.xml import child, children
from tinquire.workbook.edit.propagate import change_part, follow
from tinquire.workbook.edit.rows_columns import delete_rows, insert_rows
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import Formula, SheetTable
from tinquire.workbook.workbook import Workbook

__all__ = ["rename_column", "resize_table", "set_rows"]


def _table(book: Workbook, name: str, doing: str) -> tuple[str, SheetTable, str]:
    """A table with its sheet and its part. Raises DataError."""
    known = book.tables()
    if name.casefold() not in known:
        why = f"it has no table '{name}': {known_names(name, [table.name for _, table in known.values()])}"
        raise DataError(Fault(doing, why, book.name, "check the table's name"))
    sheet, table = known[name.casefold()]
    for part in book.table_parts(sheet):
        if (book.package.root(part).get("displayName") or "").casefold() == table.name.casefold():
            return sheet, table, part
    raise DataError(Fault(doing, f"table '{name}' was not saved yet", book.name, "save the workbook first"))


def rename_column(book: Workbook, table: str, old: str, new: str) -> None:
    """Give a column of a table another heading, in its cell too; formulas that name it follow. Raises DataError."""
    doing = "renaming a table's column"
    book.settle()
    name, found, part = _table(book, table, doing)
    index = found.index_of(old)
    if index is None:
        why = f"table '{table}' has no column '{old}': {known_names(old, [item.name for item in found.columns])}"
        raise DataError(Fault(doing, why, book.name, "check the heading"))
    other = found.index_of(new)
    if not new.strip() or (other is not None and other != index):
        why = f"a column cannot be named '{new}': " + ("there is one already" if other is not None else "it is blank")
        raise DataError(Fault(doing, why, book.name, "choose another heading"))

    def renamed(root: etree._Element) -> bool:
        children(child(root, "tableColumns"), "tableColumn")[index].set("name", new.replace("\n", "_x000a_"))
        return True

    change_part(book, part, renamed)
    follow(book, TableColumns(found.name, {found.columns[index].name.casefold(): new}))
    if found.headings:
        sheet = book.sheet(name)
        row, column = found.area.top, found.area.left + index
        sheet.set(row, column, new, sheet.style(row, column))


def resize_table(book: Workbook, table: str, area: Area) -> None:
    """Let a table reach over another area with the same first row and the same columns; the cells stay where they are.

    Raises: DataError when it would move, lose its rows, or lie over another table.
    """
    doing = "resizing a table"
    book.settle()
    name, found, part = _table(book, table, doing)
    why = ""
    if (area.top, area.left, area.right) != (found.area.top, found.area.left, found.area.right):
        why = f"it must keep its first row and its columns: {area_name(found.area)}"
    elif area.height < 1 + found.headings + found.totals:
        why = "it would have no row left"
    elif area.bottom > MAX_ROW:
        why = "it would go beyond the grid"
    elif found.totals and area != found.area:
        why = "it has a totals row: put rows in before that instead"
    else:
        others = [item for item in book.sheet(name).tables if item.name != found.name]
        why = next((f"it would overlap table '{other.name}'" for other in others if other.area.overlaps(area)), "")
    if why:
        raise DataError(Fault(doing, f"table '{table}' cannot become {area_name(area)}: {why}", book.name))
    change_part(book, part, lambda root: _resize(root, area))
    book.formulas_moved()


def _resize(root: etree._Element, area: Area) -> bool:
    root.set("ref", area_name(area))
    for element in children(root, "autoFilter"):
        filtered = parse_area(element.get("ref", area_name(area)))
        element.set("ref", area_name(Area(filtered.top, area.left, area.bottom, area.right)))
    return True


def set_rows(book: Workbook, table: str, columns: Sequence[tuple[str, Column]]) -> None:
    """Give a table other rows: values by heading, for some or all of its columns; other columns are filled with their
    formula, or left blank.

    Rows are put in or taken out within the table, so that all below it moves, and whatever reads the table follows.
    Raises: DataError for unknown headings, for no rows, and for what is in the way of the rows below.
    """
    doing = "setting a table's rows"
    height = len(columns[0][1]) if columns else 0
    if height == 0:
        raise DataError(Fault(doing, f"there are no rows for table '{table}'", book.name, "a table has at least one"))
    name, found, _ = _table(book, table, doing)
    unknown = [heading for heading, _ in columns if found.index_of(heading) is None]
    if unknown:
        why = (
            f"table '{table}' has no column '{unknown[0]}': {known_names(unknown[0], [c.name for c in found.columns])}"
        )
        raise DataError(Fault(doing, why, book.name, "check the heading"))
    data = found.data
    if height > data.height:
        insert_rows(book, name, data.top + 1 if data.height > 1 else data.bottom + 1, height - data.height)
        if data.height == 1 and not found.totals:
            _, now, _ = _table(book, table, doing)
            area = Area(now.area.top, now.area.left, data.top + height - 1, now.area.right)
            resize_table(book, table, area)
    elif height < data.height:
        delete_rows(book, name, data.top + 1 if height > 0 else data.top, data.height - height)
    sheet = book.sheet(name)
    given = {heading.casefold(): values for heading, values in columns}
    for index, column in enumerate(found.columns):
        at = found.area.left + index
        style = sheet.style(data.top, at)
        model = sheet.formula(data.top, at)
        values = given.get(column.name.casefold())
        if values is None and model is not None:
            fresh = Formula(text_at(model, data.top, at), data.top, at)
            sheet.put(data.top, at, Column.blank(height), style, fresh)
        else:
            sheet.put(data.top, at, Column.blank(height) if values is None else values, style)
    book.formulas_moved()
