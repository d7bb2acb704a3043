"""A sheet's part brought into the plain spelling that the changes of its bytes rely on."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import cell_name, parse_cell
from tinquire.packages.xml import children, local, parser, serialise_xml

__all__ = ["canonical"]


def canonical(data: bytes) -> bytes:
    """A sheet's part in the plain spelling: UTF-8, no comments, rows and cells in order and with addresses."""
    root = etree.fromstring(data, parser())
    etree.strip_tags(root, etree.Comment)
    for cells in children(root, "sheetData"):
        number = 0
        for row in children(cells, "row"):
            number = int(row.get("r") or number + 1)
            row.set("r", str(number))
            column = 0
            for cell in children(row, "c"):
                column = parse_cell(cell.get("r", ""))[1] if cell.get("r") else column + 1
                cell.set("r", cell_name(number, column))
            row[:] = sorted(row, key=lambda cell: parse_cell(cell.get("r", "A1"))[1] if local(cell) == "c" else 1 << 20)
        cells[:] = sorted(cells, key=lambda row: int(row.get("r") or 0))
    return serialise_xml(root)
