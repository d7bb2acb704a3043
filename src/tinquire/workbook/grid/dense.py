"""A sheet's values as one block, for calculations that read and set cells anywhere on it."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Codes, Column, Kind
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["DenseValues"]

#: Larger sheets keep to their columns: a block takes 13 bytes a cell, blank ones too.
_MOST_CELLS = 6_000_000


class DenseValues:
    """Values of all cells from A1 to a sheet's last row and column, which share the sheet's texts."""

    def __init__(self, sheet: Sheet) -> None:
        height, width = sheet.extent()
        self.sheet = sheet
        # Column by column, so that a part of a column is a view.
        self._kinds = np.zeros((height + 1, width + 1), np.uint8, order="F")
        self._numbers = np.zeros((height + 1, width + 1), order="F")
        self._codes = np.zeros((height + 1, width + 1), np.int32, order="F")
        for number, cells in sheet.columns.items():
            self._kinds[cells.rows, number] = cells.kinds
            self._numbers[cells.rows, number] = cells.numbers
            self._codes[cells.rows, number] = cells.codes

    @staticmethod
    def fits(sheet: Sheet) -> bool:
        height, width = sheet.extent()
        return height * width <= _MOST_CELLS

    def column(self, column: int, top: int, bottom: int) -> Column:
        """Part of a column, blank beyond the used part."""
        height, width = self._kinds.shape
        if column >= width or top >= height:
            return Column.blank(bottom - top + 1)
        cut = slice(top, bottom + 1)
        kinds, numbers, codes = self._kinds[cut, column], self._numbers[cut, column], self._codes[cut, column]
        found = Column(kinds, numbers, codes, self.sheet.texts)
        missing = bottom + 1 - max(height, top)
        return found if missing <= 0 else Column.concat([found, Column.blank(missing)])

    def cell(self, row: int, column: int) -> tuple[int, float]:
        """The kind and the number of one cell."""
        if row >= self._kinds.shape[0] or column >= self._kinds.shape[1]:
            return int(Kind.BLANK), 0.0
        return self._kinds.item(row, column), self._numbers.item(row, column)

    def gather(self, rows: Codes, columns: Codes) -> Column:
        """Values of cells anywhere."""
        height, width = self._kinds.shape
        if int(rows.max()) >= height or int(columns.max()) >= width:
            beyond = (rows >= height) | (columns >= width)
            rows, columns = np.where(beyond, 0, rows), np.where(beyond, 0, columns)  # row 0 is always blank
        at = rows, columns
        return Column(self._kinds[at], self._numbers[at], self._codes[at], self.sheet.texts)

    def put(self, rows: Codes | slice, columns: Codes | int, values: Column) -> None:
        """Set cells within the used part."""
        at = rows, columns
        self._kinds[at], self._numbers[at] = values.kinds, values.numbers
        if (values.kinds == Kind.TEXT).any():
            self._codes[at] = self.sheet.coded(values)

    def put_numbers(self, rows: Codes, columns: Codes, numbers: list[float]) -> None:
        """Set cells within the used part to numbers."""
        at = rows, columns
        self._kinds[at], self._numbers[at] = Kind.NUMBER, numbers
