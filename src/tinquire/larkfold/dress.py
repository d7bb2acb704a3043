"""How the demo's designed workbooks look, and their sheet of sample rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.looks import Appearance, Edge, Edges
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.grid.sheet import TableColumn

__all__ = [
    "BODY",
    "FONT",
    "HEAD",
    "INK",
    "LABEL",
    "LINE",
    "LINEN",
    "MADDER",
    "MONEY",
    "SUBTITLE",
    "TILE",
    "TIN",
    "TITLE",
    "TOTAL",
    "WELD",
    "WHOLE",
    "WOAD",
    "data_sheet",
]

INK, TIN, LINEN, WOAD, WELD, MADDER = "27343A", "8A979C", "F4EFE6", "2F5D7C", "C99A2E", "A6402F"
FONT = "Verdana"
BODY = Appearance(font=FONT, size=9, colour=INK, valign="center")
TITLE = replace(BODY, fill=INK, colour="FFFFFF", size=18, bold=True, indent=1)
SUBTITLE = replace(BODY, fill=INK, colour=LINEN, size=10, indent=1, valign="top")
LABEL = replace(BODY, colour=TIN, size=8)
TILE = replace(BODY, size=15, bold=True, colour=WOAD, align="left", edges=Edges(bottom=Edge("medium", WOAD)))
HEAD = replace(BODY, bold=True, fill=INK, colour="FFFFFF")
LINE = replace(BODY, edges=Edges(bottom=Edge("hair", TIN)))
TOTAL = replace(BODY, bold=True, fill=LINEN, edges=Edges(top=Edge("thin", INK), bottom=Edge("thin", INK)))
MONEY, WHOLE = "£#,##0.00", "#,##0"


def data_sheet(book: Workbook, headings: Sequence[str], sample: Sequence[Sequence[Value]]) -> Sheet:
    """The sheet `Data`: sample rows as the table `Charges`, which a run's rows take the place of."""
    sheet = Sheet("Data", frozen=(1, 0))
    day = book.styles.number(replace(BODY, format="d mmm yyyy", align="left"))
    plain, money = book.styles.number(BODY), book.styles.number(replace(BODY, format=MONEY))
    for number, heading in enumerate(headings, start=1):
        sheet.set(1, number, heading, book.styles.number(HEAD))
        style = day if heading == "Collected" else money if heading == "Charge" else plain
        sheet.put(2, number, Column.from_values([row[number - 1] for row in sample]), style)
        sheet.widths[number] = 30.0 if heading == "Customer" else 15.0
    parts = tuple(TableColumn(heading) for heading in headings)
    sheet.tables.append(SheetTable("Charges", Area(1, 1, 1 + len(sample), len(headings)), parts))
    return sheet
