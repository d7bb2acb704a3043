"""The changed cells of a sheet in its part: by whichever of the ways suits the part's size and form."""

from __future__ import annotations

from contextlib import suppress

from tinquire.packages.package import Outline, Package
from tinquire.packages.raw_xml import Unusual, has_formula, sheet_data
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.parts.shared_strings import SharedStrings
from tinquire.workbook.sheet_xml.cell_patch import changed_cells, patch_cells
from tinquire.workbook.sheet_xml.cell_rewrite import rewrite_cells
from tinquire.workbook.sheet_xml.small_splice import splice_changed

__all__ = ["LARGE_PART", "MANY_CELLS", "put_rewritten", "with_changed_cells"]

#: Changed cells of parts this large, in bytes, or this many of them, are written all at once; others one by one, which
#: starts sooner.
LARGE_PART, MANY_CELLS = 1 << 16, 1 << 10


def put_rewritten(package: Package, part: str, data: bytes, sheet: Sheet, strings: SharedStrings) -> bool:
    """Write a large part, packed as its pieces are made; False for one that is small, or not in the plain form."""
    if _is_small(data, sheet):
        return False
    with suppress(Unusual):
        cells = sheet_data(data)[1]
        outline = Outline(data[: cells.start] + data[cells.end :], has_formula(data) or sheet.formula_count() > 0)
        package.put_pieces(part, rewrite_cells(data, sheet, strings.places_of), outline)
        return True
    return False


def with_changed_cells(data: bytes, sheet: Sheet, strings: SharedStrings) -> bytes:
    """A part's bytes with the changed cells of its sheet. Raises ValueError, IndexError and KeyError for damage."""
    with suppress(Unusual):
        if _is_small(data, sheet):
            return splice_changed(data, sheet, strings.places_of)
        return b"".join(rewrite_cells(data, sheet, strings.places_of))
    return patch_cells(data, changed_cells(sheet, strings.index_of))


def _is_small(data: bytes, sheet: Sheet) -> bool:
    return len(data) < LARGE_PART and len(sheet.changed) < MANY_CELLS
