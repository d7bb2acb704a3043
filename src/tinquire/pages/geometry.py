"""Where the lines of a sheet lie, in points from its first corner (ECMA-376 Part 1, 18.3.1.13, .73, .81)."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes, Floats
from tinquire.pages.primitives import Box
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.inspect.printed import PrintedSheet

__all__ = [
    "LINE_PADDING",
    "PIXEL",
    "Grid",
    "column_width",
    "column_widths",
    "digit_pixels",
    "line_height",
    "usual_width",
]

#: A pixel at 96 an inch, in points: files state widths in whole ones.
PIXEL = 0.75
#: Pixels above and below a line of text together.
LINE_PADDING = 2
#: A column's padding, and the step to which a width that nobody stated is rounded, in pixels.
_PADDING, _STEP = 5, 8
_WIDEST = 255.0
_TALLEST = 409.5


def digit_pixels(digit: float, size: float) -> int:
    """The widest digit of a font in whole pixels; `digit` is in parts of the size, the size in points."""
    return max(1, math.floor(digit * size / PIXEL + 0.5))


def column_width(stated: float, digit: int) -> float:
    """A column's width in points, from what a file states in digits (18.3.1.13): whole pixels."""
    wide = min(max(stated, 0.0), _WIDEST)
    return math.floor((256 * wide + math.floor(128 / digit)) / 256 * digit) * PIXEL


def usual_width(digits: int, digit: int) -> float:
    """The width in points of a column of which a file states nothing but how many digits it holds (18.3.1.81)."""
    return math.ceil((digits * digit + _PADDING) / _STEP) * _STEP * PIXEL


def line_height(share: float, size: float) -> float:
    """The height in points of a row that holds one line; `share` is the reach of the letters in parts of the size."""
    return (math.floor(share * size / PIXEL + 0.5) + LINE_PADDING) * PIXEL


def _usual_column(printed: PrintedSheet, digit: int) -> float:
    """The width of columns of which nothing is stated."""
    return usual_width(printed.digits, digit) if printed.width is None else column_width(printed.width, digit)


def column_widths(printed: PrintedSheet, digit: int, columns: int) -> Floats:
    """The widths in points of so many columns, by their numbers from one on; hidden ones have none."""
    usual = _usual_column(printed, digit)
    widths = np.full(columns + 1, usual)
    for span in printed.columns:
        width = usual if span.width is None else column_width(span.width, digit)
        widths[span.first : span.last + 1] = 0.0 if span.hidden else width
    widths[0] = 0.0
    return widths


class Grid:
    """The places of a sheet's columns and rows. Hidden ones have no width."""

    def __init__(
        self, sheet: Sheet, printed: PrintedSheet, last: tuple[int, int], digit: int, row_height: float,
        fitted: Callable[[Codes], Floats],
    ) -> None:  # fmt: skip
        """`last` are the last row and column that matter. `fitted` gives the heights that rows without a stated one
        need for what they hold, by their numbers; `row_height` is that of an empty row."""
        rows, columns = last
        self.columns, self.rows = columns, rows
        self.right_to_left = printed.right_to_left
        widths = column_widths(printed, digit, columns)
        heights = np.full(rows + 1, 0.0 if printed.zero else row_height)
        heights[0] = 0.0
        stated = np.zeros(rows + 1, bool)
        if sheet.heights:
            numbers = np.fromiter(sheet.heights, np.int64, len(sheet.heights))
            values = np.fromiter(sheet.heights.values(), float, len(sheet.heights))
            inside = numbers <= rows
            heights[numbers[inside]] = np.clip(values[inside], 0.0, _TALLEST)
            stated[numbers[inside]] = True
        if not printed.zero:
            free = np.flatnonzero(~stated[1:]) + 1
            heights[free] = np.minimum(np.maximum(fitted(free), row_height), _TALLEST)
        if sheet.hidden_rows:
            hidden = np.fromiter(sheet.hidden_rows, np.int64, len(sheet.hidden_rows))
            heights[hidden[hidden <= rows]] = 0.0
        self.widths: list[float] = widths.tolist()
        self.heights: list[float] = heights.tolist()
        # From line n to the next: the places of lines 1 to n + 1.
        self._across: list[float] = np.concatenate(([0.0], np.cumsum(widths))).tolist()
        self._down: list[float] = np.concatenate(([0.0], np.cumsum(heights))).tolist()
        self._usual, self._row = _usual_column(printed, digit), row_height

    def before(self, column: int) -> float:
        """How much room the columns before one take; beyond the last that matters they are of usual width."""
        if column <= self.columns + 1:
            return self._across[column]
        return self._across[-1] + (column - self.columns - 1) * self._usual

    def edge(self, column: int) -> float:
        """The place of the line behind a column, counted from the sheet's first corner: to the left it is negative."""
        return -self.before(column + 1) if self.right_to_left else self.before(column + 1)

    def left(self, first: int, last: int | None = None) -> float:
        """The left side of a column, or of several."""
        return self.edge(first if last is None else last) if self.right_to_left else self.before(first)

    def box(self, area: Area) -> Box:
        """Where an area of cells lies: heights count upwards."""
        wide, high = self.width(area.left, area.right), self.height(area.top, area.bottom)
        return Box(self.left(area.left, area.right), -self.top(area.top) - high, wide, high)

    def top(self, row: int) -> float:
        if row <= self.rows + 1:
            return self._down[row]
        return self._down[-1] + (row - self.rows - 1) * self._row

    def row_at(self, down: float) -> int:
        """The row that lies so far below the first one's top."""
        return max(1, min(bisect_right(self._down, down) - 1, self.rows))

    def column_at(self, along: float) -> int:
        """The column that lies so far from the sheet's first corner."""
        return max(1, min(bisect_right(self._across, along) - 1, self.columns))

    def width(self, left: int, right: int) -> float:
        return self.before(right + 1) - self.before(left)

    def height(self, top: int, bottom: int) -> float:
        return self.top(bottom + 1) - self.top(top)
