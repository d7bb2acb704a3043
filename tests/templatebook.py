"""A template with sample rows, formulas, a name and a chart over them, and a docket that fills it."""

from __future__ import annotations

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.charts import Chart, Series
from tinquire.looks import Appearance, Variation
from tinquire.workbook import Formula, Sheet, SheetTable, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.sheet import TableColumn

ROWS = "Depot,Item,Pieces,Rate\n" + "".join(f"{depot},{item},{n},{n / 4}\n" for n, (depot, item) in enumerate(
    [("Harbour", "Sheet"), ("Millrace", "Towel"), ("Uplands", "Apron"), ("Harbour", "Napkin"), ("Uplands", "Sheet")], start=2))  # fmt: skip
DOCKET = """
title = "T"
period = "month"
sources.bags.file = "bags.csv"
sources.bags.types = {{ Pieces = "whole", Rate = "money" }}
tables.few.from = "bags"
tables.few.steps = [{{ limit = 1 }}]
tables.none.from = "bags"
tables.none.steps = [{{ keep_rows = "[Pieces] > 99" }}]
[workbooks.w]
template = "t.xlsx"
name = "out.xlsx"
rows = {{ {rows} }}
"""


def template(path, *, table, sample=3, chart=True):
    """A data sheet with sample rows under headings in row 3, a formula in them and one beside, a sum below; a second sheet
    with formulas, a chart and a name over them."""
    book = Workbook.new()
    sheet, last = Sheet("Data"), 3 + sample
    for column, heading in enumerate(("Depot", "Item", "Pieces", "Rate", "Charge"), start=1):
        sheet.set(3, column, heading, book.styles.number(Appearance(bold=True)))
    odd = book.styles.number(Appearance(fill="EEEEEE"))
    for column, values in enumerate((["x", "y", "z"], ["a", "b", "c"], [1.0, 2.0, 3.0], [2.0, 2.0, 2.0]), start=1):
        sheet.put(4, column, Column.from_values(values[:sample]), odd if column == 3 else 0)
    sheet.put(4, 5, Column.blank(sample), None, Formula("C4*D4", 4, 5))
    sheet.put(4, 7, Column.blank(sample), None, Formula('"no "&ROW()-3', 4, 7))
    sheet.heights[4] = 21.0
    sheet.marks = [Mark((Area(4, 3, last, 3),), "expression", ("C4>2",), 1, book.styles.partial_number(PARTIAL))]
    below = last + 1
    if table:
        names = ("Depot", "Item", "Pieces", "Rate", "Charge")
        parts = tuple(TableColumn(name, "C4*D4" if name == "Charge" else None) for name in names)
        sheet.tables.append(SheetTable("Bags", Area(3, 1, last, 5), parts))
        below += 1
    sheet.set(below, 1, "Sum")
    sheet.set(below, 5, None, formula=f"SUM(E4:E{last})")
    book.add_sheet(sheet)
    board = Sheet("Board")
    board.set(1, 1, "Pieces")
    board.set(1, 2, None, formula=f"SUM(Data!C4:C{last})")
    board.set(2, 2, None, formula=f"Data!E{below}")
    board.set(3, 2, None, formula="COUNTA(whole)")
    board.set(4, 2, None, formula="Data!C4")
    board.set(6, 1, "from [:period:]")
    series = Series(
        "Pieces", (1.0,) * sample, ("x",) * sample, values_at=f"Data!$C$4:$C${last}", labels_at=f"Data!$A$4:$A${last}"
    )
    board.frames += [Frame(8, 1, 300, 200, Chart((series,), title="Pieces"), "Chart 1")] * chart
    book.add_sheet(board)
    book.settle()
    set_name(book, "whole", f"Data!$A$4:$A${last}")
    recalculate(book)
    book.save(path)


PARTIAL = Variation(bold=True)
