"""Results that spill: a formula that fills as many cells as its result has, unless something is in the way."""

from __future__ import annotations

from collections.abc import Iterator

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, area_name, cell_name
from tinquire.cells.column import Kind
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["left_behind", "obstacle"]


def left_behind(sheet: Sheet, column: int, first: int, last: int) -> Iterator[tuple[int, int]]:
    """Runs of rows, from `first` to `last`, of cells that are still a spilling formula's own: nobody set them since."""
    start = first
    for row in (*sheet.changed.with_formulas(column, first, last), last + 1):
        if start < row:
            yield start, row - 1
        start = row + 1


def obstacle(sheet: Sheet, before: Area, area: Area) -> str:
    """What stands where results would: a cell that holds anything, merged cells, a table, the edge of the grid.

    `before` is the area that the formula fills now, from the same corner: its cells are the formula's own, unless they
    have a formula themselves or were set since the workbook was read. Empty text when nothing is in the way.
    """
    if area.bottom > MAX_ROW or area.right > MAX_COLUMN:
        return ": its result goes beyond the grid"
    if area.height > 1 or area.width > 1:
        for merged in sheet.merged:
            if area.overlaps(merged):
                return f": the merged cells {area_name(merged)} are in the way"
        for table in sheet.tables:
            if area.overlaps(table.area):
                return f": the table '{table.name}' is in the way"
    for column in range(area.left, area.right + 1):
        cells = sheet.columns.get(column)
        if cells is None:
            continue
        at = cells.places(area.top, area.bottom)
        rows = cells.rows[at]
        formulas = cells.formulas[at] != NO_FORMULA
        own = (rows >= before.top) & (rows <= before.bottom) & (before.left <= column <= before.right)
        taken = formulas | ((cells.kinds[at] != Kind.BLANK) & ~own)
        if column == area.left:
            taken &= rows != area.top
        blocked = rows[taken].tolist()
        set_since = sheet.changed.with_formulas(column, area.top, area.bottom)
        blocked += [row for row in set_since if sheet.value(row, column) is not None]
        blocked = [row for row in blocked if (row, column) != (area.top, area.left)]
        if blocked:
            return f": {cell_name(min(blocked), column)} is in the way"
    return ""
