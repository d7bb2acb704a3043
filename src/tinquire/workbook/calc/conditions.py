"""Conditions over areas of a sheet, as marks and entry rules have them: a formula, written as the first cell of the
areas reads it, run for all their cells column by column."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.address import Area, cell_name
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.language.tree import Binary, Call, Coordinate, Node, Reference
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["Conditions"]

#: Operators of 18.18.15 and 18.18.20 with one bound.
_SIGNS = {
    "equal": "=", "notEqual": "<>", "greaterThan": ">", "lessThan": "<", "greaterThanOrEqual": ">=",
    "lessThanOrEqual": "<=",
}  # fmt: skip


class Conditions:
    """The cells of some areas, as far as their sheet is used."""

    def __init__(self, scope: BookScope, sheet: Sheet, areas: Sequence[Area]) -> None:
        self.scope, self.sheet = scope, sheet
        bottom, right = sheet.extent()
        #: Column, first and last row of every run of cells.
        self.runs = [
            (column, area.top, min(area.bottom, bottom))
            for area in areas
            if area.top <= bottom
            for column in range(area.left, min(area.right, right) + 1)
        ]
        # Formulas are written as the first cell of all areas reads them.
        self.row = min((area.top for area in areas), default=1)
        self.column = min((area.left for area in areas), default=1)

    @property
    def first(self) -> str:
        """The name of the cell that formulas are written for."""
        return cell_name(self.row, self.column)

    def parse(self, text: str) -> Node:
        """Raises FormulaError."""
        return parse(text, self.row, self.column)

    def comparison(self, operator: str, bounds: Sequence[str], cell: Node | None = None) -> Node:
        """A comparison of each cell with one bound or two, or of what is made of it. Raises FormulaError, and
        ValueError for an operator that does not have so many bounds."""
        trees = [self.parse(text) for text in bounds]
        here = Coordinate(0, False)
        cell = Reference(None, here, here, here, here) if cell is None else cell
        if operator in ("between", "notBetween") and len(trees) == 2:
            inside = Call("AND", (Binary(">=", cell, trees[0]), Binary("<=", cell, trees[1])))
            return inside if operator == "between" else Call("NOT", (inside,))
        if operator not in _SIGNS or len(trees) != 1:
            raise ValueError(f"it compares by '{operator}' with {len(trees)} bounds")
        return Binary(_SIGNS[operator], cell, trees[0])

    def where(self, tree: Node) -> list[Booleans]:
        """Whether a condition holds, run by run: an error, and what is neither yes nor a number, is no."""
        found = []
        for column, top, bottom in self.runs:
            frame = Frame(self.scope, self.sheet.name, top, column, bottom - top + 1)
            result = evaluate_column(tree, frame)
            found.append(((result.kinds == Kind.BOOL) | (result.kinds == Kind.NUMBER)) & (result.numbers != 0))
        return found

    def filled(self) -> list[Booleans]:
        """Which cells hold something, run by run."""
        return [self.sheet.column(column, top, bottom).kinds != Kind.BLANK for column, top, bottom in self.runs]

    def together(self) -> Column:
        """The values of all cells."""
        return Column.concat([self.sheet.column(column, top, bottom) for column, top, bottom in self.runs])

    def split(self, values: NDArray[np.generic]) -> list[NDArray[np.generic]]:
        """What was worked out for all cells together, run by run."""
        ends = np.cumsum([0, *(bottom - top + 1 for _, top, bottom in self.runs)]).tolist()
        return [values[first:last] for first, last in pairwise(ends)]
