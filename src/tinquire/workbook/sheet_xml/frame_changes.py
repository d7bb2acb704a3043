"""Widths and merged cells of a sheet written into its part; all else around the cells stays as it was read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from lxml import etree

from tinquire.cells.address import area_name
from tinquire.packages.raw_xml import Unusual, sheet_data
from tinquire.packages.xml import child, children, insert_child, parse_xml, serialise_xml, tag
from tinquire.workbook.grid.sheet import Sheet, SheetFrame
from tinquire.workbook.parts.sheet_frame import SHEET_ORDER
from tinquire.workbook.sheet_xml.plain_spelling import canonical_cells

__all__ = ["edited_frame", "own_column", "with_frame"]


def with_frame(data: bytes, sheet: Sheet, before: SheetFrame | None) -> bytes:
    """The part of a sheet with its widths and merged cells, where they are not as before.

    Raises ValueError for other changes around the cells: they would be lost.
    """
    now = sheet.frame()
    if before is None or now == before:
        return data
    if replace(now, merged=before.merged, widths=before.widths) != before:
        raise ValueError("around the cells of a sheet that was read, only widths and merged cells can be changed")
    widths = before.widths

    def change(root: etree._Element) -> None:
        if now.widths != widths:
            changed: dict[int, float | None] = {
                number: width for number, width in now.widths.items() if widths.get(number) != width
            }
            changed |= dict.fromkeys(widths.keys() - now.widths.keys())
            _set_widths(root, changed)
        if now.merged != before.merged:
            _set_merged(root, sheet)

    return edited_frame(data, change)


def edited_frame(data: bytes, change: Callable[[etree._Element], None]) -> bytes:
    """A sheet's part with changes around its cells, which stay the bytes that they are. Raises ValueError."""
    try:
        prefix, cells = sheet_data(data)
    except Unusual:
        data, cells = canonical_cells(data)
        prefix = sheet_data(data)[0]
    start, end = cells.inside or (cells.end, cells.end)
    root = parse_xml(data[:start] + data[end:])
    change(root)
    fresh = serialise_xml(root)
    _, there = sheet_data(fresh)
    body = data[start:end]
    filled = b"<%ssheetData>%s</%ssheetData>" % (prefix, body, prefix) if body else b"<%ssheetData/>" % prefix
    return fresh[: there.start] + filled + fresh[there.end :]


def _set_widths(root: etree._Element, widths: dict[int, float | None]) -> None:
    """Give columns a width, or the usual one (None); what else is said of them stays (18.3.1.13)."""
    group = child(root, "cols")
    if group is None:
        group = insert_child(root, "cols", SHEET_ORDER)
    for number, width in sorted(widths.items()):
        column = own_column(group, number)
        for name in ("width", "customWidth"):
            if name in column.attrib:
                del column.attrib[name]
        if width is not None:
            column.set("width", f"{width:.8g}")
            column.set("customWidth", "1")
        elif not set(map(str, column.attrib)) - {"min", "max"}:
            group.remove(column)
    if not len(group):
        root.remove(group)


def own_column(group: etree._Element, number: int) -> etree._Element:
    """The element of one column alone, cut out of a run of columns where it is part of one."""
    after = 0
    for index, column in enumerate(children(group, "col")):
        first, last = int(column.get("min", "1")), int(column.get("max", "1"))
        if first <= number <= last:
            parts = [(first, number - 1), (number, number), (number + 1, last)]
            own = None
            for low, high in parts:
                if low > high:
                    continue
                piece = etree.fromstring(etree.tostring(column))
                piece.set("min", str(low))
                piece.set("max", str(high))
                piece.tail = None
                column.addprevious(piece)
                own = piece if low == number == high else own
            group.remove(column)
            assert own is not None
            return own
        if last < number:
            after = index + 1
    fresh = etree.Element(tag(group, "col"), min=str(number), max=str(number))
    group.insert(after, fresh)
    return fresh


def _set_merged(root: etree._Element, sheet: Sheet) -> None:
    """The areas of merged cells (18.3.1.55)."""
    group = child(root, "mergeCells")
    if group is not None:
        group[:] = []
    if not sheet.merged:
        if group is not None:
            root.remove(group)
        return
    if group is None:
        group = insert_child(root, "mergeCells", SHEET_ORDER)
    for area in sheet.merged:
        etree.SubElement(group, tag(group, "mergeCell"), ref=area_name(area))
    group.set("count", str(len(sheet.merged)))
