"""A workbook with a bit of everything that we write."""

from __future__ import annotations

import numpy as np

from tinquire.cells import Area, Column
from tinquire.cells.address import parse_cell
from tinquire.looks import Appearance, Edge, Edges
from tinquire.workbook import Formula, Sheet, SheetTable, Workbook
from tinquire.workbook.grid.sheet import TableColumn


def full_book() -> Workbook:
    """A workbook with a bit of everything that we write."""
    book = Workbook.new("Georgia", 11)
    sheet = Sheet("Linen & 'tin' x", gridlines=False, landscape=True, frozen=(1, 1), repeat_rows=(1, 1))
    look = Appearance("Georgia", 9, bold=True, colour="27343A", fill="F4EFE6", align="right", format='"£"#,##0.00',
                      edges=Edges(bottom=Edge("hair", "8A979C")))  # fmt: skip
    style = book.styles.number(look)
    sheet.put(1, 1, Column.from_values(["Item", "Sheet", "Towel"]))
    sheet.put(1, 2, Column.from_values(["Pieces", 2.0, 3.0]), np.array([0, style, style], np.int32))
    sheet.put(1, 3, Column.from_values(["Twice"]))
    sheet.put(2, 3, Column.from_values([4.0, 6.0]), style, Formula("B2*2", 2, 3))
    sheet.put(4, 2, Column.from_values([5.0]), style, Formula("SUBTOTAL(109,Items[Pieces])", 4, 2))
    sheet.put(4, 1, Column.from_values(["Sum"]))
    sheet.put(4, 3, Column.blank(1))
    sheet.widths = {1: 20.0, 2: 9.5}
    sheet.heights = {1: 22.0, 9: 30.0}
    sheet.merged = [Area(6, 1, 6, 3)]
    columns = (
        TableColumn("Item", total_label="Sum"),
        TableColumn("Pieces", total="sum"),
        TableColumn("Twice", formula="[@Pieces]*2"),
    )
    sheet.tables = [SheetTable("Items", Area(1, 1, 4, 3), columns, totals=True)]
    book.add_sheet(sheet)
    book.add_sheet(Sheet("Second"))
    return book


def book_of(sheets, tables=(), names=()):
    """A new workbook from `{sheet: {address: value or '=formula'}}`."""
    book = Workbook.new()
    for name, cells in sheets.items():
        sheet = Sheet(name)
        for address, content in cells.items():
            row, column = parse_cell(address)
            if isinstance(content, str) and content.startswith("="):
                sheet.put(row, column, Column.blank(1), None, Formula(content[1:], row, column))
            else:
                sheet.put(row, column, Column.from_values([content]))
        sheet.tables = [table for owner, table in tables if owner == name]
        book.add_sheet(sheet)
    book.names.extend(names)
    return book
