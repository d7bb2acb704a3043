"""A sheet's part brought into the plain spelling that the changes of its bytes rely on."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import cell_name, parse_cell
from tinquire.packages.raw_xml import Element, Unusual, sheet_data
from tinquire.packages.xml import children, local, parse_xml, serialise_xml

__all__ = ["canonical", "canonical_cells"]


def canonical_cells(data: bytes) -> tuple[bytes, Element]:
    """A sheet's part in the plain spelling, and where its cells lie. Raises ValueError where that cannot be said."""
    plain = canonical(data)
    try:
        return plain, sheet_data(plain)[1]
    except Unusual:
        raise ValueError("its cells cannot be told from what stands around them") from None


def canonical(data: bytes) -> bytes:
    """A sheet's part in the plain spelling: UTF-8, no comments, rows and cells in order and with addresses. Raises
    ValueError for a part that cannot be read."""
    root = parse_xml(data)
    etree.strip_tags(root, etree.Comment, etree.ProcessingInstruction)
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
