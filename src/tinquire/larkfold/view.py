"""The depot view's template: one sheet that shows the depot chosen in a cell, over rows that each run puts in."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from tinquire.cells.address import Area
from tinquire.cells.dates import serial_from_date
from tinquire.charts.chart import Axis, Chart, Series
from tinquire.larkfold import data
from tinquire.larkfold.dress import (
    BODY,
    FONT,
    HEAD,
    INK,
    LABEL,
    LINE,
    MADDER,
    MONEY,
    SUBTITLE,
    TIN,
    TITLE,
    TOTAL,
    WELD,
    WHOLE,
    WOAD,
    data_sheet,
)
from tinquire.looks import Edge, Edges
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.page_setup import PageSetup

__all__ = ["view_template"]

_TILE = replace(BODY, size=14, bold=True, colour=WOAD, align="left", edges=Edges(bottom=Edge("medium", WOAD)))
_CHOSEN = replace(BODY, fill="FBF3DC", bold=True, edges=Edges(bottom=Edge("thin", WELD)), locked=False)
_SHARE = "0.0%"
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
    book = Workbook.new(FONT, 9)
    book.add_sheet(_view(book))
    book.add_sheet(data_sheet(book, _HEADINGS, _SAMPLE))
    book.settle()
    set_name(book, "depot", "View!$B$5")
    set_name(book, "_xlnm.Print_Area", f"View!$A$1:$G${_BY_ITEM + len(data.rates()) + 2}", "View")
    recalculate(book)
    return book.to_bytes()


def _view(book: Workbook) -> Sheet:
    page = PageSetup(
        paper=9, fit=(1, 1), margins=(0.5, 0.5, 0.5, 0.6, 0.25, 0.3), centred=(True, False),
        footer="&LDepot view, [:period.long:]&RLarkfold Linen",
    )  # fmt: skip
    sheet = Sheet("View", gridlines=False, page=page)
    sheet.widths = {1: 2.0, 2: 26.0, **dict.fromkeys(range(3, _LAST + 1), 16.0), 7: 2.0, 9: 14.0}
    style = book.styles.number
    for row, height, look in ((1, 34.0, TITLE), (2, 22.0, SUBTITLE)):
        sheet.heights[row] = height
        for column in range(1, 8):
            sheet.set(row, column, None, style(look))
    sheet.set(1, 2, None, style(TITLE), "B5")
    sheet.set(2, 2, "Larkfold Linen, charges of [:period.long:]", style(SUBTITLE))
    sheet.set(4, 2, "Depot", style(LABEL))
    sheet.set(5, 2, _ALL, style(_CHOSEN))
    listed = ",".join((_ALL, *data.DEPOTS))
    sheet.entry_rules.append(EntryRule((Area(5, 2, 5, 2),), "list", "between", (f'"{listed}"',)))
    # What the sums look for stands beside the report: a star is any depot.
    sheet.set(4, 9, "looked for", style(LABEL))
    sheet.set(5, 9, None, style(BODY), f'IF($B$5="{_ALL}","*",$B$5)')
    own = "Charges[Depot],$I$5"
    tiles = (
        (2, "Charged", f"SUMIFS(Charges[Charge],{own})", MONEY),
        (3, "Pickups", f"COUNTIFS({own})", WHOLE),
        (4, "Pieces", f"SUMIFS(Charges[Pieces],{own})", WHOLE),
        (5, "Average charge", "IFERROR(B8/C8,0)", MONEY),
        (6, "Share of all", "B8/SUM(Charges[Charge])", _SHARE),
    )
    sheet.heights[7], sheet.heights[8] = 16.0, 24.0
    for column, label, formula, code in tiles:
        sheet.set(7, column, label, style(LABEL))
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
        sheet.set(top, column, head, style(replace(HEAD, align=None if column == 2 else "right")))
    for row, name in enumerate(names, start=top + 1):
        of = f"{own},Charges[{field}],$B{row}"
        cells = (f"SUMIFS(Charges[Charge],{of})", f"COUNTIFS({of})", f"SUMIFS(Charges[Pieces],{of})",
                 f"IFERROR(C{row}/C${last + 1},0)")  # fmt: skip
        sheet.set(row, 2, name, style(LINE))
        for column, (formula, code) in enumerate(zip(cells, (MONEY, WHOLE, WHOLE, _SHARE), strict=True), start=3):
            sheet.set(row, column, None, style(replace(LINE, format=code)), formula)
    sheet.set(last + 1, 2, "All", style(TOTAL))
    for column, (letter, code) in enumerate(zip("CDEF", (MONEY, WHOLE, WHOLE, _SHARE), strict=True), start=3):
        formula = f"SUM({letter}{top + 1}:{letter}{last})"
        sheet.set(last + 1, column, None, style(replace(TOTAL, format=code)), formula)


def _charts() -> list[Frame]:
    """What was charged by band and by item."""
    shared = {"colours": (WOAD, WELD, MADDER, TIN), "ink": INK, "faint": TIN, "font": FONT}

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
