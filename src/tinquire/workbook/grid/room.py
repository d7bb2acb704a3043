"""How much of an area may be empty before it is not built at all: one cell far out makes a rectangle of billions."""

from __future__ import annotations

from typing import NoReturn

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import Area, area_name
from tinquire.cells.room import mostly_empty
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["require_filled", "require_filled_lines"]


def require_filled(sheet: Sheet, area: Area, stopped: str, shown: str) -> None:
    """Stop before an area is built that is nearly all empty. Raises DataError."""
    size = area.height * area.width
    if not mostly_empty(size, 0):
        return
    filled = sum(
        len(cells.rows[cells.places(area.top, area.bottom)])
        for number, cells in sheet.columns.items()
        if area.left <= number <= area.right
    )
    if mostly_empty(size, filled):
        _refuse(sheet, f"the cells {area_name(area)}", size, filled, stopped, shown)


def require_filled_lines(sheet: Sheet, stopped: str, shown: str) -> None:
    """The same for the rows and columns that hold anything, however far apart they are. Raises DataError."""
    held = [cells.rows for cells in sheet.columns.values() if len(cells.rows)]
    filled = sum(map(len, held))
    if not mostly_empty(len(held) * filled, 0):
        return
    seen = np.zeros(max(int(rows[-1]) for rows in held) + 1, bool)
    for rows in held:
        seen[rows] = True
    size = len(held) * int(np.count_nonzero(seen))
    if mostly_empty(size, filled):
        _refuse(sheet, "the rows and columns in use", size, filled, stopped, shown)


def _refuse(sheet: Sheet, what: str, size: int, filled: int, stopped: str, shown: str) -> NoReturn:
    why = f"{what} of sheet '{sheet.name}' make {size:,} cells, and only {filled:,} of them are filled"
    do = "delete what stands far out, or name the table or the range that is meant"
    raise DataError(Fault(stopped, why, shown, do))
