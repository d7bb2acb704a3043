"""Products, determinants and inverses of matrices (18.17.7)."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all

# -- lines through many points ---------------------------------------------------------------------------


def matrix_of(grid: Grid) -> Floats:
    """An array of numbers alone. Raises ErrorValue for anything else in it."""
    for column in grid.columns:
        if not column.all_of(Kind.NUMBER):
            wrong = np.flatnonzero(column.kinds == Kind.ERROR)
            raise ErrorValue(CellError.from_code(int(column.numbers[wrong[0]])) if len(wrong) else CellError.VALUE)
    return np.column_stack([column.numbers for column in grid.columns])


declare_all(
    arrays,
    __name__,
    [
        ("MMULT(first: cells, second: cells)", lambda a, b: _multiplied(matrix_of(a), matrix_of(b)), "The product of two matrices (18.17.7).", "SUM(MMULT({1,2;3,4}, {1;1}))", "10"),
        ("MDETERM(matrix: cells)", lambda a: _determinant(matrix_of(a)), "The determinant of a square matrix (18.17.7).", "MDETERM({3,6;1,1})", "-3"),
        ("MINVERSE(matrix: cells)", lambda a: _inverse(matrix_of(a)), "The inverse of a square matrix (18.17.7).", "SUM(MINVERSE({4,0;0,2}))", "0.75"),
        ("MUNIT(size: number)", lambda n: grid_from(np.eye(_size(n))), "The identity matrix of a size (OpenFormula 6.6.7).", "SUM(MUNIT(3))", "3"),
    ],
)  # fmt: skip


def _size(number: float) -> int:
    if not 1 <= number <= 4000:
        raise ErrorValue(CellError.VALUE)
    return int(number)


def _multiplied(a: Floats, b: Floats) -> Grid:
    if a.shape[1] != b.shape[0]:
        raise ErrorValue(CellError.VALUE)
    return grid_from(a @ b)


def _square(matrix: Floats) -> Floats:
    if matrix.shape[0] != matrix.shape[1]:
        raise ErrorValue(CellError.VALUE)
    return matrix


def _determinant(matrix: Floats) -> float:
    """Of a matrix of whole numbers the determinant is whole; rounding errors are not shown."""
    found = float(np.linalg.det(_square(matrix)))
    whole = (matrix == np.rint(matrix)).all() and abs(found) < 2**40
    return float(round(found)) if whole else found


def _inverse(matrix: Floats) -> Grid:
    try:
        found = np.linalg.inv(_square(matrix))
    except np.linalg.LinAlgError:
        raise ErrorValue(CellError.NUM) from None
    return grid_from(found)
