"""The cells that a formula of one cell reads, as plain numbers out of the sheets' blocks of values."""

from __future__ import annotations

from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.cells.column import Kind
from tinquire.formula.engine.plain_numbers import ADDED_IN_ORDER, NotPlain
from tinquire.formula.language.tree import Reference
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.dense import DenseValues

__all__ = ["CellReader"]

_NUMBER, _BLANK, _ERROR = int(Kind.NUMBER), int(Kind.BLANK), int(Kind.ERROR)


class CellReader:
    """Cells as seen from the one at `row` and `column`, which move from formula to formula."""

    def __init__(self, scope: BookScope, sheet: str) -> None:
        self._scope = scope
        self._sheet = sheet
        self._dense: dict[str | None, DenseValues | None] = {}
        self.row = self.column = 1

    def number(self, node: Reference, *, blank_is_zero: bool) -> float:
        kind, value = self._values(node.sheet).cell(*self._corner(node.top.at(self.row), node.left.at(self.column)))
        if kind == _NUMBER:
            return value
        if kind != _BLANK or not blank_is_zero:
            raise NotPlain
        return 0.0

    def numbers(self, node: Reference) -> list[float]:
        top, left = self._corner(node.top.at(self.row), node.left.at(self.column))
        bottom, right = self._corner(node.bottom.at(self.row), node.right.at(self.column))
        if bottom < top or right < left or (bottom - top + 1) * (right - left + 1) > ADDED_IN_ORDER:
            raise NotPlain
        values = self._values(node.sheet)
        found = []
        for column in range(left, right + 1):
            for row in range(top, bottom + 1):
                kind, value = values.cell(row, column)
                if kind == _NUMBER:
                    found.append(value)
                elif kind == _ERROR:
                    raise NotPlain
        return found

    @staticmethod
    def _corner(row: int, column: int) -> tuple[int, int]:
        if not (1 <= row <= MAX_ROW and 1 <= column <= MAX_COLUMN):
            raise NotPlain
        return row, column

    def _values(self, sheet: str | None) -> DenseValues:
        if sheet not in self._dense:
            self._dense[sheet] = self._scope.dense(sheet or self._sheet)
        found = self._dense[sheet]
        if found is None:
            raise NotPlain
        return found
