"""A sheet in memory as a part (ECMA-376 Part 1, 18.3.1), elements in the order of the schema."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from tinquire.cells.address import area_name, cell_name, column_name, quoted_sheet
from tinquire.packages.xml import MAIN, RELATIONS, escape_attribute
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.parts.entry_rules import entry_rules_markup
from tinquire.workbook.parts.marks import marks_markup
from tinquire.workbook.parts.page_setup import fixed_area, page_markup
from tinquire.workbook.sheet_xml.row_writer import PlacesOf, row_bytes

__all__ = ["Related", "filter_area", "print_area", "print_titles", "sheet_part"]


_USUAL_WIDTH = 9.0
#: Pages of a sheet that nobody set up: the whole width on one, the sheet's name and the page's number below.
_PAGE = PageSetup(paper=9, fit=(1, 0), margins=(0.5, 0.5, 0.6, 0.6, 0.3, 0.3), footer="&L&A&R&P / &N")


@dataclass(frozen=True, slots=True)
class Related:
    """The relationships of a new sheet: to its tables, to the targets of its links outside, to its drawing and
    notes."""

    tables: Sequence[str] = ()
    links: Mapping[str, str] = field(default_factory=dict)
    drawing: str = ""
    notes: str = ""


def sheet_part(sheet: Sheet, places_of: PlacesOf, related: Related = Related()) -> Iterator[bytes]:
    """The part's bytes, piece by piece. `places_of` gives texts' places among the shared ones."""
    used = sheet.used
    page = sheet.page or _PAGE
    page = replace(page, orientation="landscape") if sheet.landscape else page
    pieces = [
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n',
        f'<worksheet xmlns="{MAIN}" xmlns:r="{RELATIONS}">',
        _properties(sheet, fits=page.fit is not None),
        f'<dimension ref="{area_name(used) if used else "A1"}"/>',
        _view(sheet),
        _usual_sizes(sheet),
        _columns(sheet),
    ]
    yield "".join([*pieces, "<sheetData>"]).encode()
    yield from row_bytes(sheet, places_of)
    pieces = ["</sheetData>"]
    if sheet.protected:
        # Whoever opens the file may still fold, sort and filter; what is locked cannot be changed by mistake.
        pieces.append('<sheetProtection sheet="1" objects="1" scenarios="1" formatColumns="0" formatRows="0"/>')
    if sheet.filter is not None:
        pieces.append(f'<autoFilter ref="{area_name(sheet.filter)}"/>')
    if sheet.merged:
        cells = "".join(f'<mergeCell ref="{area_name(area)}"/>' for area in sheet.merged)
        pieces.append(f'<mergeCells count="{len(sheet.merged)}">{cells}</mergeCells>')
    pieces += [marks_markup(sheet.marks), entry_rules_markup(sheet.entry_rules)]
    pieces += [_links(sheet, related), page_markup(page)]
    pieces += [f'<drawing r:id="{related.drawing}"/>'] if related.drawing else []
    pieces += [f'<legacyDrawing r:id="{related.notes}"/>'] if related.notes else []
    if related.tables:
        parts = "".join(f'<tablePart r:id="{identity}"/>' for identity in related.tables)
        pieces.append(f'<tableParts count="{len(related.tables)}">{parts}</tableParts>')
    pieces.append("</worksheet>")
    yield "".join(pieces).encode()


def filter_area(sheet: Sheet) -> str:
    """The area of a filter as the name for it says it (18.2.5)."""
    return "" if sheet.filter is None else fixed_area(sheet.name, sheet.filter)


def print_area(sheet: Sheet) -> str:
    """The areas that are printed, as their name says it (18.2.5)."""
    return ",".join(fixed_area(sheet.name, area) for area in sheet.print_areas)


def print_titles(sheet: Sheet) -> str:
    """The columns and rows that stand on every page, as their name says it (18.2.5)."""
    name, lines = quoted_sheet(sheet.name), []
    if sheet.repeat_columns:
        lines.append(f"{name}!$A:${column_name(sheet.repeat_columns)}")
    if sheet.repeat_rows:
        lines.append(f"{name}!${sheet.repeat_rows[0]}:${sheet.repeat_rows[1]}")
    return ",".join(lines)


def _view(sheet: Sheet) -> str:
    lines = "" if sheet.gridlines else ' showGridLines="0"'
    zoom = "" if sheet.zoom == 100 else f' zoomScale="{sheet.zoom}"'
    rows, columns = sheet.frozen
    if not rows and not columns:
        return f'<sheetViews><sheetView workbookViewId="0"{lines}{zoom}/></sheetViews>'
    pane = "bottomRight" if rows and columns else "bottomLeft" if rows else "topRight"
    splits = (f' xSplit="{columns}"' if columns else "") + (f' ySplit="{rows}"' if rows else "")
    corner = cell_name(rows + 1, columns + 1)
    return (
        f'<sheetViews><sheetView workbookViewId="0"{lines}{zoom}>'
        f'<pane{splits} topLeftCell="{corner}" activePane="{pane}" state="frozen"/>'
        f'<selection pane="{pane}" activeCell="{corner}" sqref="{corner}"/></sheetView></sheetViews>'
    )


def _properties(sheet: Sheet, *, fits: bool) -> str:
    """The colour of a sheet's tab, where totals of its outline stand, and whether its pages are made to fit
    (18.3.1.82)."""
    inside = f'<tabColor rgb="FF{sheet.tab}"/>' if sheet.tab else ""
    inside += '<outlinePr summaryBelow="0"/>' if sheet.summary_above else ""
    inside += '<pageSetUpPr fitToPage="1"/>' if fits else ""
    return f"<sheetPr>{inside}</sheetPr>" if inside else ""


def _usual_sizes(sheet: Sheet) -> str:
    """The usual height of rows, and the deepest levels of the outline (18.3.1.81)."""
    rows, columns = max(sheet.outline_rows.values(), default=0), max(sheet.outline_columns.values(), default=0)
    levels = f' outlineLevelRow="{rows}"' if rows else ""
    levels += f' outlineLevelCol="{columns}"' if columns else ""
    return f'<sheetFormatPr defaultRowHeight="15"{levels}/>'


def _links(sheet: Sheet, related: Related) -> str:
    """Links of cells (18.3.1.47)."""
    if not sheet.links:
        return ""
    items = []
    for link in sheet.links:
        to = f'r:id="{related.links[link.target]}"' if link.outside else f'location="{escape_attribute(link.target)}"'
        tip = f' tooltip="{escape_attribute(link.tip)}"' if link.tip else ""
        items.append(f'<hyperlink ref="{cell_name(link.row, link.column)}" {to}{tip}/>')
    return f"<hyperlinks>{''.join(items)}</hyperlinks>"


def _columns(sheet: Sheet) -> str:
    numbers = sorted(sheet.widths.keys() | sheet.hidden_columns | sheet.outline_columns.keys())
    if not numbers:
        return ""
    each = "".join(
        f'<col min="{number}" max="{number}" width="{sheet.widths.get(number, _USUAL_WIDTH):.8g}" customWidth="1"'
        + (' hidden="1"' if number in sheet.hidden_columns else "")
        + (f' outlineLevel="{sheet.outline_columns[number]}"/>' if number in sheet.outline_columns else "/>")
        for number in numbers
    )
    return f"<cols>{each}</cols>"
