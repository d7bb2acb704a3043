"""Table parts (ECMA-376 Part 1, 18.5.1)."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import Area, area_name, parse_area
from tinquire.cells.shifting import Moves
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.xml import MAIN, child, children, escape_attribute, escape_formula
from tinquire.workbook.grid.sheet import SheetTable, TableColumn
from tinquire.workbook.parts.frame_change import lost_lines
from tinquire.workbook.parts.sheet_frame import follow_frame

__all__ = ["follow_table", "read_table", "table_part"]


def read_table(root: etree._Element) -> SheetTable:
    """A table from its part's root. Raises ValueError for an invalid area."""
    columns = tuple(
        TableColumn(
            column.get("name", "").replace("_x000a_", "\n").replace("_x000A_", "\n"),
            _text(child(column, "calculatedColumnFormula")),
            column.get("totalsRowFunction"),
            column.get("totalsRowLabel"),
        )
        for column in children(child(root, "tableColumns"), "tableColumn")
    )
    return SheetTable(
        name=root.get("displayName") or root.get("name") or "",
        area=parse_area(root.get("ref", "")),
        columns=columns,
        headings=root.get("headerRowCount", "1") != "0",
        totals=root.get("totalsRowCount", "0") != "0",
        filter=child(root, "autoFilter") is not None,
    )


def _text(element: etree._Element | None) -> str | None:
    return None if element is None else element.text


def table_part(table: SheetTable, number: int) -> bytes:
    """A table's part; `number` is its id, unique in the workbook."""
    area, name = table.area, escape_attribute(table.name)
    totals = ' totalsRowCount="1"' if table.totals else ' totalsRowShown="0"'
    filtered = Area(area.top, area.left, area.bottom - table.totals, area.right)
    pieces = [
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n',
        f'<table xmlns="{MAIN}" id="{number}" name="{name}" displayName="{name}" ref="{area_name(area)}"{totals}>',
        f'<autoFilter ref="{area_name(filtered)}"/>' if table.filter else "",
        f'<tableColumns count="{len(table.columns)}">',
    ]
    for index, column in enumerate(table.columns, start=1):
        attributes = f'id="{index}" name="{escape_attribute(column.name)}"'
        if column.total_label:
            attributes += f' totalsRowLabel="{escape_attribute(column.total_label)}"'
        if column.total:
            attributes += f' totalsRowFunction="{column.total}"'
        inside = (
            f"<calculatedColumnFormula>{escape_formula(column.formula)}</calculatedColumnFormula>"
            if column.formula
            else ""
        )
        pieces.append(f"<tableColumn {attributes}>{inside}</tableColumn>")
    pieces.append("</tableColumns></table>")
    return "".join(pieces).encode()


def follow_table(root: etree._Element, home: str, following: ReferenceChange, shift: Moves | None) -> bool:
    """A table's areas and formulas; how its columns change is the business of who shifts them."""
    changed = follow_frame(root, home, following)
    area = parse_area(root.get("ref", "A1"))
    data = area._replace(top=area.top + (root.get("headerRowCount", "1") != "0"))
    rows, columns = lost_lines(data, shift) if shift is not None else (0, 0)
    moved = following.area(area, home)
    if moved is not None and moved != area:
        root.set("ref", area_name(moved))
        changed = True
    for column in children(child(root, "tableColumns"), "tableColumn"):
        for formula in column:
            text = formula.text or ""
            if (fresh := following.formula(offset_text(text, rows, columns), home)) != text:
                formula.text = fresh
                changed = True
    return changed
