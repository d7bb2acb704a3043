"""The depot view's template: one sheet that shows the depot chosen in a cell, over rows that each run puts in."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.charts.chart import Axis, Chart, Series
from tinquire.larkfold import data
from tinquire.looks import Appearance, Edge, Edges
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.grid.sheet import TableColumn

__all__ = ["view_template"]

_INK, _TIN, _LINEN, _WOAD, _WELD, _MADDER = "27343A", "8A979C", "F4EFE6", "2F5D7C", "C99A2E", "A6402F"
_FONT = "Verdana"
_BODY = Appearance(font=_FONT, size=9, colour=_INK, valign="center")
_TITLE = replace(_BODY, fill=_INK, colour="FFFFFF", size=18, bold=True, indent=1)
_SUBTITLE = replace(_BODY, fill=_INK, colour=_LINEN, size=10, indent=1, valign="top")
_LABEL = replace(_BODY, colour=_TIN, size=8)
_TILE = replace(_BODY, size=14, bold=True, colour=_WOAD, align="left", edges=Edges(bottom=Edge("medium", _WOAD)))
_HEAD = replace(_BODY, bold=True, fill=_INK, colour="FFFFFF")
_LINE = replace(_BODY, edges=Edges(bottom=Edge("hair", _TIN)))
_TOTAL = replace(_BODY, bold=True, fill=_LINEN, edges=Edges(top=Edge("thin", _INK), bottom=Edge("thin", _INK)))
_CHOSEN = replace(_BODY, fill="FBF3DC", bold=True, edges=Edges(bottom=Edge("thin", _WELD)), locked=False)
_MONEY, _WHOLE, _SHARE = "£#,##0.00", "#,##0", "0.0%"
_HEADINGS = ("Depot", "Collected", "Customer", "Item", "Band", "Pieces", "Charge")
_ALL = "All depots"
_BANDS = ("Bath", "Bed", "Table", "Workwear")
_DAY = serial_from_date(date(2026, 1, 5))
_SAMPLE = (
    ("Sample depot", _DAY, "A customer", "Single sheet", "Bed", 4.0, 4.8),
    ("Sample depot", _DAY, "A customer", "Bath towel", "Bath", 6.0, 4.2),
)
#: The first rows of the two tables, and the last column of the report.
_BY_BAND, _BY_ITEM, _LAST = 10, 30, 6


def view_template() -> bytes:
    """The template's bytes: sheets `View` and `Data`."""
    book = Workbook.new(_FONT, 9)
    book.add_sheet(_view(book))
    book.add_sheet(_data(book))
    book.settle()
    set_name(book, "depot", "View!$B$5")
    set_name(book, "_xlnm.Print_Area", f"View!$A$1:$G${_BY_ITEM + len(data.rates()) + 2}", "View")
    recalculate(book)
    return book.to_bytes()


def _data(book: Workbook) -> Sheet:
    sheet = Sheet("Data", frozen=(1, 0))
    day = book.styles.number(replace(_BODY, format="d mmm yyyy", align="left"))
    plain, money = book.styles.number(_BODY), book.styles.number(replace(_BODY, format=_MONEY))
    for number, heading in enumerate(_HEADINGS, start=1):
        sheet.set(1, number, heading, book.styles.number(_HEAD))
        style = day if heading == "Collected" else money if heading == "Charge" else plain
        sheet.put(2, number, Column.from_values([row[number - 1] for row in _SAMPLE]), style)
        sheet.widths[number] = 30.0 if heading == "Customer" else 15.0
    parts = tuple(TableColumn(heading) for heading in _HEADINGS)
    sheet.tables.append(SheetTable("Charges", Area(1, 1, 1 + len(_SAMPLE), len(_HEADINGS)), parts))
    return sheet


def _view(book: Workbook) -> Sheet:
    page = PageSetup(
        paper=9, fit=(1, 1), margins=(0.5, 0.5, 0.5, 0.6, 0.25, 0.3), centred=(True, False),
        footer="&LDepot view, [:period.long:]&RLarkfold Linen",
    )  # fmt: skip
    sheet = Sheet("View", gridlines=False, page=page)
    sheet.widths = {1: 2.0, 2: 26.0, **dict.fromkeys(range(3, _LAST + 1), 16.0), 7: 2.0, 9: 14.0}
    style = book.styles.number
    for row, height, look in ((1, 34.0, _TITLE), (2, 22.0, _SUBTITLE)):
        sheet.heights[row] = height
        for column in range(1, 8):
            sheet.set(row, column, None, style(look))
    sheet.set(1, 2, None, style(_TITLE), "B5")
    sheet.set(2, 2, "Larkfold Linen, charges of [:period.long:]", style(_SUBTITLE))
    sheet.set(4, 2, "Depot", style(_LABEL))
    sheet.set(5, 2, _ALL, style(_CHOSEN))
    listed = ",".join((_ALL, *data.DEPOTS))
    sheet.entry_rules.append(EntryRule((Area(5, 2, 5, 2),), "list", "between", (f'"{listed}"',)))
    # What the sums look for stands beside the report: a star is any depot.
    sheet.set(4, 9, "looked for", style(_LABEL))
    sheet.set(5, 9, None, style(_BODY), f'IF($B$5="{_ALL}","*",$B$5)')
    own = "Charges[Depot],$I$5"
    tiles = (
        (2, "Charged", f"SUMIFS(Charges[Charge],{own})", _MONEY),
        (3, "Pickups", f"COUNTIFS({own})", _WHOLE),
        (4, "Pieces", f"SUMIFS(Charges[Pieces],{own})", _WHOLE),
        (5, "Average charge", "IFERROR(B8/C8,0)", _MONEY),
        (6, "Share of all", "B8/SUM(Charges[Charge])", _SHARE),
    )
    sheet.heights[7], sheet.heights[8] = 16.0, 24.0
    for column, label, formula, code in tiles:
        sheet.set(7, column, label, style(_LABEL))
        sheet.set(8, column, None, style(replace(_TILE, format=code)), formula)
    _table(book, sheet, _BY_BAND, "Band", _BANDS, own)
    _table(book, sheet, _BY_ITEM, "Item", tuple(item for _, item, *_ in data.rates()), own)
    sheet.frames = list(_charts())
    return sheet


def _table(book: Workbook, sheet: Sheet, top: int, field: str, names: tuple[str, ...], own: str) -> None:
    """What was charged for each value of a field, and in all."""
    style, last = book.styles.number, top + len(names)
    heads = (field, "Charged", "Pickups", "Pieces", "Share")
    for column, head in enumerate(heads, start=2):
        sheet.set(top, column, head, style(replace(_HEAD, align=None if column == 2 else "right")))
    for row, name in enumerate(names, start=top + 1):
        of = f"{own},Charges[{field}],$B{row}"
        cells = (f"SUMIFS(Charges[Charge],{of})", f"COUNTIFS({of})", f"SUMIFS(Charges[Pieces],{of})",
                 f"IFERROR(C{row}/C${last + 1},0)")  # fmt: skip
        sheet.set(row, 2, name, style(_LINE))
        for column, (formula, code) in enumerate(zip(cells, (_MONEY, _WHOLE, _WHOLE, _SHARE), strict=True), start=3):
            sheet.set(row, column, None, style(replace(_LINE, format=code)), formula)
    sheet.set(last + 1, 2, "All", style(_TOTAL))
    for column, (letter, code) in enumerate(zip("CDEF", (_MONEY, _WHOLE, _WHOLE, _SHARE), strict=True), start=3):
        formula = f"SUM({letter}{top + 1}:{letter}{last})"
        sheet.set(last + 1, column, None, style(replace(_TOTAL, format=code)), formula)


def _charts() -> list[Frame]:
    """What was charged by band and by item."""
    shared = {"colours": (_WOAD, _WELD, _MADDER, _TIN), "ink": _INK, "faint": _TIN, "font": _FONT}

    def series(top: int, count: int, kind: str) -> Series:
        rows = f"{top + 1}:$C${top + count}"
        labels = f"{top + 1}:$B${top + count}"
        return Series(
            "Charged", (1.0,) * count, ("a",) * count, kind=kind, name_at=f"View!$C${top}", format="£#,##0",
            values_at=f"View!$C${rows}", labels_at=f"View!$B${labels}",
        )  # fmt: skip

    items = len(data.rates())
    bands = Chart((series(_BY_BAND, len(_BANDS), "ring"),), "By band", legend="no", **shared)  # type: ignore[arg-type]
    bars = Chart(
        (series(_BY_ITEM, items, "bars"),), "By item", legend="no", values=Axis("", "£#,##0"), **shared,  # type: ignore[arg-type]
    )  # fmt: skip
    return [
        Frame(17, 2, 225.0, 165.0, bands, "by band", "What was charged, by band"),
        Frame(17, 4, 290.0, 165.0, bars, "by item", "What was charged, by item"),
    ]
