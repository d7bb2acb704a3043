"""Sums, counts and averages of ranges."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.coerce import Faulty, first_fault, number_of, with_faults
from tinquire.formula.evaluate import PerLane, evaluate, evaluate_scalar, grid_of, single
from tinquire.formula.matrix import Matrix
from tinquire.formula.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.registry import aggregate, special
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Node


@aggregate("SUM(number: cells, number...: cells)")
def sum_(cells: Matrix) -> Column:
    """The sum of all numbers; texts and yes/no in ranges are left out (18.17.7).

    >>> SUM(1, 2.5, {3, "x"})
    6.5
    """
    total = np.where(cells.is_number, cells.numbers, 0.0).sum(axis=0)
    return with_faults(Column.of_numbers(total), cells.first_errors())


@aggregate("COUNT(value: cells, value...: cells)")
def count(cells: Matrix) -> Column:
    """How many numbers there are (18.17.7).

    >>> COUNT({1, "x", 2})
    2
    """
    return Column.of_numbers(cells.is_number.sum(axis=0))


@aggregate("COUNTA(value: cells, value...: cells)")
def counta(cells: Matrix) -> Column:
    """How many values there are that are not blank (18.17.7).

    >>> COUNTA({1, "x", 2})
    3
    """
    return Column.of_numbers((cells.kinds != Kind.BLANK).sum(axis=0))


@aggregate("AVERAGE(number: cells, number...: cells)")
def average(cells: Matrix) -> Column:
    """The mean of all numbers; none at all divides by zero (18.17.7).

    >>> AVERAGE(1, 2, 6)
    3
    """
    many = cells.is_number.sum(axis=0)
    total = np.where(cells.is_number, cells.numbers, 0.0).sum(axis=0)
    mean = Column.of_numbers(total / np.maximum(many, 1))
    return with_faults(mean, first_fault(cells.first_errors(), _none(many)))


def _none(many: NDArray[np.int64]) -> Faulty:
    return np.where(many == 0, CellError.DIV0.code + 1, 0).astype(np.uint8)


@aggregate("MIN(number: cells, number...: cells)")
def min_(cells: Matrix) -> Column:
    """The smallest number, zero when there is none (18.17.7).

    >>> MIN(3, -1, 2)
    -1
    """
    return _extreme(cells, np.inf, np.min)


@aggregate("MAX(number: cells, number...: cells)")
def max_(cells: Matrix) -> Column:
    """The largest number, zero when there is none (18.17.7).

    >>> MAX(3, -1, 2)
    3
    """
    return _extreme(cells, -np.inf, np.max)


def _extreme(cells: Matrix, neutral: float, pick: Callable[..., Floats]) -> Column:
    found = pick(np.where(cells.is_number, cells.numbers, neutral), axis=0)
    return with_faults(Column.of_numbers(np.where(np.isinf(found), 0.0, found)), cells.first_errors())


@special("SUMPRODUCT(array: cells, array...: cells)")
def sumproduct(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the products of values in equal places; what is not a number counts as zero (18.17.7).

    >>> SUMPRODUCT({1,2,3}, {4,5,6})
    32
    """
    # Within SUMPRODUCT ranges are arrays, even in a formula that is not an array formula.
    inner = Frame(frame.scope, frame.sheet, frame.row, frame.column, frame.count, arrays=True)
    grids = [grid_of(single(evaluate(argument, inner), inner), inner) for argument in arguments]
    if any((grid.height, grid.width) != (grids[0].height, grids[0].width) for grid in grids):
        return Scalar(CellError.VALUE)
    product = np.ones(grids[0].height * grids[0].width)
    for grid in grids:
        flat = grid.flat()
        wrong = np.flatnonzero(flat.kinds == Kind.ERROR)
        if len(wrong):
            return Scalar(flat[int(wrong[0])])
        product = product * np.where(flat.kinds == Kind.NUMBER, flat.numbers, 0.0)
    return Scalar(float(product.sum()))


#: What SUBTOTAL's first argument picks (18.17.7); from 101 on rows hidden by hand are left out too.
_SUBTOTALS: dict[int, Callable[[Matrix], Column]] = {
    1: average, 2: count, 3: counta, 4: max_, 5: min_, 9: sum_,
}  # fmt: skip


@special("SUBTOTAL(choice: number, range: cells, range...: cells)")
def subtotal(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """An aggregate that leaves out other subtotals and filtered rows: 1 average, 2 count, 3 count of values,
    4 largest, 5 smallest, 9 sum; with 100 added, rows hidden by hand too (18.17.7).

    >>> SUBTOTAL(9, {1,2,3})
    6
    """
    choice = single(evaluate(arguments[0], frame), frame)
    if isinstance(choice, Lanes):
        raise PerLane
    number = number_of(evaluate_scalar(arguments[0], frame.lane(0)))
    if isinstance(number, CellError):
        return Scalar(number)
    work = _SUBTOTALS.get(int(number) % 100)
    if work is None or not 1 <= number < 200:
        return Scalar(CellError.VALUE)
    flat = [_kept(evaluate(argument, frame), frame, hidden=number > 100) for argument in arguments[1:]]
    column = Column.concat(flat)
    return Scalar(work(Matrix(column.kinds[:, None], column.numbers[:, None]))[0])


def _kept(operand: Operand, frame: Frame, hidden: bool) -> Column:
    """The cells of a range that SUBTOTAL counts."""
    grid: Grid = grid_of(operand, frame)
    column = grid.flat()
    if isinstance(operand, Span):
        area = operand.area.cropped(*(frame.scope.extent(operand.sheet) or (1, 1)))
        left_out = frame.scope.passed_over(operand.sheet, area, hidden)
        if left_out is not None:
            return column.take(~left_out)
    return column
