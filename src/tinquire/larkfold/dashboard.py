"""The dashboard's template: sample rows, two pivots over them, charts over the pivots, and a filter to click."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from lxml import etree

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.charts.chart import Axis, Chart, Series
from tinquire.larkfold.dress import (
    FONT,
    HEAD,
    INK,
    LABEL,
    LINE,
    MADDER,
    MONEY,
    SUBTITLE,
    TILE,
    TIN,
    TITLE,
    TOTAL,
    WELD,
    WHOLE,
    WOAD,
    data_sheet,
)
from tinquire.packages.xml import MAIN, RELATIONS, child, parse_xml, serialise_xml, tag
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.pivots.making import NewPivot, NewValue, make_pivot, make_store, put_pivots
from tinquire.workbook.pivots.refresh import refresh_pivots
from tinquire.workbook.pivots.store import Rows

__all__ = ["dashboard_template"]

_HEADINGS = ("Depot", "Ticket", "Collected", "Customer", "Item", "Band", "Pieces", "Charge")
#: The first row of both pivots, and the first columns.
_TOP, _LEFT, _RIGHT = 27, 2, 10
_DAY = serial_from_date(date(2026, 1, 5))
_SAMPLE = (
    ("Sample depot", "S-1", _DAY, "A customer", "Bed sheet", "Bed", 4.0, 4.8),
    ("Sample depot", "S-2", _DAY, "A customer", "Bath towel", "Bath", 6.0, 4.2),
    ("Other depot", "S-3", _DAY, "Another one", "Table cloth", "Table", 2.0, 5.0),
    ("Other depot", "S-4", _DAY, "Another one", "Work coat", "Workwear", 3.0, 6.6),
)
#: A filter that people click is an extension of the format, by these names.
_LATER = "http://schemas.microsoft.com/office/spreadsheetml/2009/9/main"
_LATER_KINDS = "http://schemas.microsoft.com/office/2007/relationships/"


def dashboard_template() -> bytes:
    """The template's bytes: sheets `Dashboard` and `Data`."""
    book = Workbook.new(FONT, 9)
    board = _board(book)
    book.add_sheet(board)
    book.add_sheet(data_sheet(book, _HEADINGS, _SAMPLE))
    book.settle()
    set_name(book, "_xlnm.Print_Area", "Dashboard!$A$1:$M$45", "Dashboard")
    columns = tuple(Column.from_values([row[at] for row in _SAMPLE]) for at in range(len(_HEADINGS)))
    rows = Rows(_HEADINGS, columns, tuple(heading == "Collected" for heading in _HEADINGS))
    store = make_store("Charges", rows, {"depot", "band", "item", "customer", "collected"})
    charged = NewValue("Charged", "Charge", "sum", format=MONEY)
    by_depot = NewPivot("by depot", ["Depot"], ["Band"], [charged], {}, total="All", total_across="All")
    by_item = NewPivot("by item", ["Item"], [], [charged], {}, sorts={"Item": (0, True)}, total="All")
    spots = ((by_depot, _LEFT), (by_item, _RIGHT))
    pivots = [make_pivot(new, store, (_TOP, left), book.styles) for new, left in spots]
    put_pivots(book, [("Dashboard", made) for made in pivots])
    refresh_pivots(book)
    for made, captions in zip(pivots, (("Charged", "Depot"), ("", "Item")), strict=True):
        _dress(book, made.area, captions, labels=1)
    book.settle()
    for number, name in enumerate(("by depot", "by item"), start=1):
        _over_pivot(book, f"xl/charts/chart{number}.xml", name)
    refresh_pivots(book)
    _add_filter(book, "Dashboard", "Depot", ("by depot", "by item"), (12, 26, 12, 33))
    return book.to_bytes()


def _board(book: Workbook) -> Sheet:
    """The sheet that is looked at: a heading, four figures of the pivots, and their charts."""
    page = PageSetup(
        paper=9, orientation="landscape", fit=(1, 1), margins=(0.4, 0.4, 0.5, 0.5, 0.2, 0.2), centred=(True, False),
        footer="&LDashboard, [:period.long:]&RLarkfold Linen",
    )  # fmt: skip
    sheet = Sheet("Dashboard", gridlines=False, page=page)
    sheet.widths = {1: 2.0, 2: 15.0, **dict.fromkeys(range(3, 9), 12.5), 9: 2.0, 10: 20.0, 11: 13.0, 12: 2.0, 13: 20.0}
    style = book.styles.number
    for row, height, look in ((1, 34.0, TITLE), (2, 22.0, SUBTITLE)):
        sheet.heights[row] = height
        for column in range(1, 14):
            sheet.set(row, column, None, style(look))
    sheet.set(1, 2, "Larkfold Linen", style(TITLE))
    sheet.set(2, 2, "Charges of [:period.long:] at a glance", style(SUBTITLE))
    first, item = f"$B${_TOP}", f"$J${_TOP}"
    tiles = (
        (2, "Charged", f'GETPIVOTDATA("Charged",{first})', MONEY),
        (5, "Charged most for", f"J{_TOP + 1}", "General"),
        (7, "which is, of all", f'K{_TOP + 1}/GETPIVOTDATA("Charged",{item})', "0.0%"),
    )
    sheet.heights[4], sheet.heights[5] = 16.0, 26.0
    for column, label, formula, code in tiles:
        sheet.set(4, column, label, style(LABEL))
        sheet.set(5, column, None, style(replace(TILE, format=code)), formula)
        sheet.set(5, column + 1, None, style(TILE))
        sheet.merged.append(Area(5, column, 5, column + 1))
    sheet.set(4, 10, "Pickups in all", style(LABEL))
    sheet.set(5, 10, "[:pickups charged:]", style(replace(TILE, format=WHOLE)))
    sheet.set(5, 11, None, style(TILE))
    sheet.merged.append(Area(5, 10, 5, 11))
    colours = (WOAD, WELD, MADDER, TIN)
    last = _TOP + 3
    bands = [
        Series(
            band, (1.0, 1.0), ("a", "b"), name_at=f"Dashboard!{letter}{_TOP + 1}", format=MONEY,
            values_at=f"Dashboard!{letter}{_TOP + 2}:{letter}{last}", labels_at=f"Dashboard!B{_TOP + 2}:B{last}",
        )
        for band, letter in zip(("Bath", "Bed", "Table", "Workwear"), "CDEF", strict=True)
    ]  # fmt: skip
    items = Series(
        "Charged", (1.0,) * 4, tuple("abcd"), kind="bars", name_at=f"Dashboard!K{_TOP}", format=MONEY,
        values_at=f"Dashboard!K{_TOP + 1}:K{_TOP + 4}", labels_at=f"Dashboard!J{_TOP + 1}:J{_TOP + 4}",
    )  # fmt: skip
    shared = {"values": Axis("", "£#,##0"), "colours": colours, "ink": INK, "faint": TIN, "font": FONT}
    left = Chart(tuple(bands), "Charged by depot and band", "stacked", legend="bottom", **shared)  # type: ignore[arg-type]
    right = Chart((items,), "Charged by item", legend="no", **shared)  # type: ignore[arg-type]
    sheet.frames = [
        Frame(7, 2, 470.0, 270.0, left, "by depot", "What each depot charged, by band"),
        Frame(7, 10, 315.0, 270.0, right, "by item", "What was charged for each item"),
    ]
    return sheet


def _dress(book: Workbook, area: Area, captions: tuple[str, str], labels: int) -> None:
    """The looks of a pivot, from which those of every later one follow, and its captions: of its values, which stands
    above the labels of columns where there are any, and of its row field."""
    sheet, style = book.sheet("Dashboard"), book.styles.number
    heads = 2 if captions[0] else 1
    for row in range(area.top, area.bottom + 1):
        head, total = row < area.top + heads, row == area.bottom
        for column in range(area.left, area.right + 1):
            is_label = column < area.left + labels
            look = HEAD if head else TOTAL if total else LINE
            code = "General" if is_label or head else MONEY
            align = "right" if not is_label and row >= area.top + heads - 1 else None
            sheet.dress(row, column, style(replace(look, format=code, align=align)))
    if captions[0]:
        sheet.set(area.top, area.left, captions[0])
        sheet.set(area.top, area.left + labels, "Band")
    else:
        sheet.set(area.top, area.left + labels, "Charged")
    sheet.set(area.top + heads - 1, area.left, captions[1])


def _over_pivot(book: Workbook, part: str, name: str) -> None:
    """Say of a chart that it shows a pivot (21.2.2.144)."""
    root = book.package.root(part)
    chart = child(root, "chart")
    assert chart is not None
    source = etree.Element(tag(root, "pivotSource"))
    etree.SubElement(source, tag(root, "name")).text = f"[dashboard.xlsx]Dashboard!{name}"
    etree.SubElement(source, tag(root, "fmtId"), val="0")
    chart.addprevious(source)
    book.package.put(part, serialise_xml(root))


# -- the filter that people click ------------------------------------------------------------------------


def _add_filter(
    book: Workbook, sheet: str, field: str, pivots: tuple[str, ...], place: tuple[int, int, int, int]
) -> None:  # fmt: skip
    """A button for each item of a field, which filters pivots; `place` is columns and rows, from and to, from zero."""
    package, entry = book.package, book.entry(sheet)
    assert entry is not None and entry.part is not None
    cache = next(one.target for one in package.relations(book.part) if one.kind == "pivotCacheDefinition")
    root = package.root(cache)
    extensions = etree.SubElement(root, f"{{{MAIN}}}extLst")
    extensions.append(
        _extension("725AE2AE-9491-48be-B2B4-4EB974FC3084", '<x14:pivotCacheDefinition pivotCacheId="1"/>')
    )
    package.put(cache, serialise_xml(root))
    fields = [one.get("name") for one in root.iter(f"{{{MAIN}}}cacheField")]
    shared = list(root.iter(f"{{{MAIN}}}cacheField"))[fields.index(field)]
    count = len(next(shared.iter(f"{{{MAIN}}}sharedItems")))
    sheets = [one.get("name") for one in _group(book, "sheets")]
    number = _group(book, "sheets")[sheets.index(sheet)].get("sheetId")
    names = "".join(f'<pivotTable tabId="{number}" name="{name}"/>' for name in pivots)
    items = "".join(f'<i x="{at}" s="1"/>' for at in range(count))
    _part(book, "xl/slicerCaches/slicerCache1.xml", "slicerCache",
        f'<slicerCacheDefinition xmlns="{_LATER}" name="Slicer_{field}" sourceName="{field}"><pivotTables>{names}'
        f'</pivotTables><data><tabular pivotCacheId="1"><items count="{count}">{items}</items></tabular></data>'
        "</slicerCacheDefinition>")  # fmt: skip
    _part(book, "xl/slicers/slicer1.xml", "slicer",
        f'<slicers xmlns="{_LATER}"><slicer name="{field}" cache="Slicer_{field}" caption="{field}" '
        'rowHeight="241300"/></slicers>')  # fmt: skip
    identity = package.relate(book.part, f"{_LATER_KINDS}slicerCache", "xl/slicerCaches/slicerCache1.xml")
    listed = f'<x14:slicerCaches><x14:slicerCache r:id="{identity}"/></x14:slicerCaches>'
    holder = etree.SubElement(book.root, f"{{{MAIN}}}extLst")
    holder.append(_extension("BBE1A952-AA13-448e-AADC-164F8A28A991", listed))
    set_name(book, f"Slicer_{field}", "#N/A")
    identity = package.relate(entry.part, f"{_LATER_KINDS}slicer", "xl/slicers/slicer1.xml")
    page = package.root(entry.part)
    holder = etree.SubElement(page, f"{{{MAIN}}}extLst")
    listed = f'<x14:slicerList><x14:slicer r:id="{identity}"/></x14:slicerList>'
    holder.append(_extension("A8765BA9-456A-4dab-B4F3-ACF838C121DE", listed))
    book.part_changed(entry.part, serialise_xml(page))
    drawing = next(one.target for one in package.relations(entry.part) if one.kind == "drawing")
    anchors = package.root(drawing)
    anchors.append(parse_xml(_frame(field, place).encode()))
    package.put(drawing, serialise_xml(anchors))
    book.root_changed()


def _group(book: Workbook, name: str) -> etree._Element:
    found = child(book.root, name)
    assert found is not None
    return found


def _part(book: Workbook, part: str, kind: str, content: str) -> None:
    book.package.put(part, f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n{content}'.encode())
    book.package.set_type(part, f"application/vnd.ms-excel.{kind}+xml")


def _extension(identity: str, inside: str) -> etree._Element:
    text = f'<ext xmlns="{MAIN}" xmlns:x14="{_LATER}" xmlns:r="{RELATIONS}" uri="{{{identity}}}">{inside}</ext>'
    return parse_xml(text.encode())


def _frame(name: str, place: tuple[int, int, int, int]) -> str:
    """The filter's frame, with a plain box for programs that do not know it."""
    left, top, right, bottom = place
    spaces = (
        'xmlns:xdr="http://schemas.openxmlformats.org/drawingml/2006/spreadsheetDrawing" '
        'xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main" '
        'xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006" '
        'xmlns:a14="http://schemas.microsoft.com/office/drawing/2010/main"'
    )

    def corner(what: str, column: int, row: int, across: int = 0) -> str:
        return (
            f"<xdr:{what}><xdr:col>{column}</xdr:col><xdr:colOff>{across}</xdr:colOff><xdr:row>{row}</xdr:row>"
            f"<xdr:rowOff>{across and 150_000}</xdr:rowOff></xdr:{what}>"
        )

    return (
        f'<xdr:twoCellAnchor {spaces} editAs="oneCell">{corner("from", left, top)}'
        f"{corner('to', right, bottom, 1_750_000)}"
        '<mc:AlternateContent><mc:Choice Requires="a14"><xdr:graphicFrame macro=""><xdr:nvGraphicFramePr>'
        f'<xdr:cNvPr id="90" name="{name}"/><xdr:cNvGraphicFramePr/></xdr:nvGraphicFramePr><xdr:xfrm>'
        '<a:off x="0" y="0"/><a:ext cx="0" cy="0"/></xdr:xfrm><a:graphic><a:graphicData '
        'uri="http://schemas.microsoft.com/office/drawing/2010/slicer"><sle:slicer '
        f'xmlns:sle="http://schemas.microsoft.com/office/drawing/2010/slicer" name="{name}"/></a:graphicData>'
        "</a:graphic>"
        '</xdr:graphicFrame></mc:Choice><mc:Fallback><xdr:sp macro="" textlink=""><xdr:nvSpPr>'
        f'<xdr:cNvPr id="0" name="{name}"/><xdr:cNvSpPr/></xdr:nvSpPr><xdr:spPr><a:xfrm><a:off x="0" y="0"/>'
        '<a:ext cx="0" cy="0"/></a:xfrm><a:prstGeom prst="rect"><a:avLst/></a:prstGeom></xdr:spPr></xdr:sp>'
        "</mc:Fallback>"
        "</mc:AlternateContent><xdr:clientData/></xdr:twoCellAnchor>"
    )
