"""The pack's template: a cover sheet with slots, designed in the house style."""

from __future__ import annotations

from dataclasses import replace

from tinquire.cells.address import Area
from tinquire.larkfold.data import DEPOTS
from tinquire.looks import Appearance, Edge, Edges
from tinquire.workbook import Sheet, Workbook

__all__ = ["pack_template"]

_INK, _TIN, _LINEN, _MADDER, _WOAD = "27343A", "8A979C", "F4EFE6", "A6402F", "2F5D7C"
_FONT = "Verdana"
_BODY = Appearance(font=_FONT, size=10, colour=_INK, valign="center")
_BAND = replace(_BODY, fill=_INK, colour="FFFFFF")
_TITLE = replace(_BAND, size=20, bold=True, indent=1)
_SUBTITLE = replace(_BAND, size=11, colour=_LINEN, indent=1, valign="top")
_SECTION = replace(_BODY, bold=True, size=11, colour=_WOAD, edges=Edges(bottom=Edge("medium", _WOAD)))
_LINE = Edges(bottom=Edge("hair", _TIN))
_LABEL = replace(_BODY, edges=_LINE, indent=1)
_VALUE = replace(_BODY, edges=_LINE, align="right")
_SMALL = replace(_BODY, size=8, colour=_TIN, wrap=True, valign="top")
_NUMBER, _WHOLE = "#,##0.00", "#,##0"

#: Label, slot and number format of each line of the control panel; the house's money format comes with the slot.
_PANEL = (
    ("Total charged", "[:total charged as money:]", _NUMBER),
    ("Pickups charged", "[:pickups charged:]", _WHOLE),
    ("Pieces collected", "[:pieces collected:]", _WHOLE),
    ("Average charge per pickup", "[:average charge as money:]", _NUMBER),
    ("Largest single charge", "[:largest charge as money:]", _NUMBER),
    ("Given away as discount", "[:discount given as money:]", _NUMBER),
)


def pack_template() -> bytes:
    """The template's bytes: one sheet, `Cover`."""
    book = Workbook.new(_FONT, 10)
    sheet = Sheet("Cover", gridlines=False)
    sheet.widths = {1: 3.0, 2: 34.0, 3: 16.0, 4: 14.0, 5: 16.0, 6: 3.0}
    style = book.styles.number

    def put(row: int, column: int, text: str | None, look: Appearance, code: str = "General") -> None:
        sheet.set(row, column, text, style(replace(look, format=code)))

    def formula(row: int, column: int, text: str, look: Appearance, code: str) -> None:
        sheet.set(row, column, None, style(replace(look, format=code)), text)

    def line(row: int, label: str, text: str | None, code: str, bold: bool = False) -> None:
        """A label and a value over the width of the page."""
        put(row, 2, label, _LABEL)
        put(row, 3, None, _VALUE)
        put(row, 4, None, _VALUE)
        put(row, 5, text, replace(_VALUE, bold=bold), code)

    for row, height in ((1, 40.0), (2, 28.0), (3, 10.0)):
        sheet.heights[row] = height
    for column in range(1, 7):
        for row, look in ((1, _TITLE), (2, _SUBTITLE)):
            put(row, column, None, look)
    put(1, 2, "Larkfold Linen", _TITLE)
    put(2, 2, "Linen pack for [:period.long:]", _SUBTITLE)

    row = _section(put, 4, "Control panel")
    for label, slot, code in _PANEL:
        line(row, label, slot, code, bold=label == _PANEL[0][0])
        row += 1

    row = _section(put, row + 1, "Agreement with the ledger")
    first = row
    line(row, "Sheet Charges adds up to", "[:=SUM(Charges[Charge]) as money:]", _NUMBER)
    line(row + 1, "Ledger, account 4000", "[:ledger income as money:]", _NUMBER)
    line(row + 2, "Difference", None, _NUMBER)
    formula(row + 2, 5, f"ROUND(E{first}-E{first + 1},2)", _VALUE, f'{_NUMBER};[Red]-{_NUMBER};"none"')

    row = _section(put, row + 4, "Depots")
    heads = replace(_BODY, bold=True, colour=_TIN, size=9, align="right")
    for column, text in ((3, "Charged"), (4, "Pickups"), (5, "Share")):
        put(row, column, text, heads)
    for depot in DEPOTS:
        row += 1
        put(row, 2, depot, _LABEL)
        put(row, 3, f"[:=SUMIFS(Charges[Charge],Charges[Depot],B{row}) as money:]", _VALUE, _NUMBER)
        put(row, 4, f"[:=COUNTIFS(Charges[Depot],B{row}):]", _VALUE, _WHOLE)
        formula(row, 5, f"IF(E${first}=0,0,C{row}/E${first})", _VALUE, "0.0%")

    row += 2
    put(row, 2, "Pickups from [:period.first as d mmmm yyyy:] to [:period.last as d mmmm yyyy:]. "
        "Made by Tin Quire from [:files read as #,##0:] files; every number here is worked out from their rows.",
        _SMALL)  # fmt: skip
    sheet.merged.append(Area(row, 2, row, 5))
    sheet.heights[row] = 30.0
    book.add_sheet(sheet)
    return book.to_bytes()


def _section(put, row: int, title: str) -> int:  # type: ignore[no-untyped-def]
    """A section's heading over the width of the page; returns the next row."""
    for column in range(2, 6):
        put(row, column, title if column == 2 else None, _SECTION)
    return row + 1
