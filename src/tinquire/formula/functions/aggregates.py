"""Sums, counts and averages of ranges (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import sample
from tinquire.formula.engine.conversions import Faulty, first_fault, number_of, with_faults
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.matrix import Matrix
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane, grid_of, single
from tinquire.formula.engine.registry import aggregate, declare_all, functions, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Call, Name, Node

declare_all(
    sample,
    __name__,
    [
        ("PRODUCT(number: cells, number...: cells)", lambda n: float(np.prod(n)) if len(n) else 0.0, "All numbers multiplied.", "PRODUCT(2, 3, 4)", "24"),
        ("SUMSQ(number: cells, number...: cells)", lambda n: float(np.dot(n, n)), "The sum of the squares.", "SUMSQ(3, 4)", "25"),
    ],
)  # fmt: skip


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
    """The mean of all numbers; without numbers a division by zero (18.17.7).

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
    """The sum of the products of values at the same positions; what is not a number counts as zero (18.17.7).

    >>> SUMPRODUCT({1,2,3}, {4,5,6})
    32
    """
    # Within SUMPRODUCT ranges are arrays, even in a formula that is not an array formula.
    inner = frame.as_arrays()
    grids = [grid_of(single(evaluate(argument, inner), inner), inner) for argument in arguments]
    if any((grid.height, grid.width) != (grids[0].height, grids[0].width) for grid in grids):
        return Scalar(CellError.VALUE)
    product = np.ones(grids[0].height * grids[0].width)
    for grid in grids:
        flat = grid.flat()
        wrong = np.flatnonzero(flat.kinds == Kind.ERROR)
        if len(wrong):
            return Scalar(flat[int(wrong[0])])
        with np.errstate(all="ignore"):  # what is out of range becomes an error value
            product = product * np.where(flat.kinds == Kind.NUMBER, flat.numbers, 0.0)
    with np.errstate(all="ignore"):
        return Scalar(float(product.sum()))


def _of_numbers(name: str) -> Callable[[Matrix], Column]:
    """A function of the registry, by its name."""

    def work(cells: Matrix) -> Column:
        found: Column = functions()[name].work(cells)
        return found

    return work


#: What SUBTOTAL's first argument picks (18.17.7); from 101 on rows hidden by hand are left out too.
_SUBTOTALS: dict[int, Callable[[Matrix], Column]] = {
    1: average, 2: count, 3: counta, 4: max_, 5: min_, 6: _of_numbers("PRODUCT"), 7: _of_numbers("STDEV"),
    8: _of_numbers("STDEVP"), 9: sum_, 10: _of_numbers("VAR"), 11: _of_numbers("VARP"),
}  # fmt: skip


#: What AGGREGATE's first argument picks besides: of numbers alone, and with a place or share.
_AGGREGATES = {12: "MEDIAN", 13: "MODE.SNGL"}
_WITH_PLACE = {14: "LARGE", 15: "SMALL", 16: "PERCENTILE.INC", 17: "QUARTILE.INC", 18: "PERCENTILE.EXC", 19: "QUARTILE.EXC"}  # fmt: skip


@special("AGGREGATE(choice: number, leave: number, range: cells, range...: cells)")
def aggregate_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """An aggregate that can leave things out: 1 to 11 as SUBTOTAL, 12 median, 13 mode, 14 largest, 15 smallest, 16 to
    19 percentiles and quartiles (with a place or share last). `leave` 0 leaves out subtotals, 4 nothing; with 1 added
    hidden rows, with 2 errors, with 3 both.

    >>> AGGREGATE(9, 6, {1,2,3})
    6
    """
    choice, leave = (number_of(fixed_value(argument, frame)) for argument in arguments[:2])
    if isinstance(choice, CellError) or isinstance(leave, CellError):
        return Scalar(choice if isinstance(choice, CellError) else leave)
    number, left_out = int(choice), int(leave)
    if not 1 <= number <= 19 or not 0 <= left_out <= 7:
        return Scalar(CellError.VALUE)
    ranges, last = (arguments[2:-1], arguments[-1:]) if number in _WITH_PLACE else (arguments[2:], ())
    if not ranges:
        return Scalar(CellError.VALUE)
    inner = frame.as_arrays()
    kept = [_kept(evaluate(item, inner), inner, hidden=bool(left_out & 1), subtotals=left_out < 4) for item in ranges]
    column = Column.concat(kept)
    if left_out & 2:
        column = column.take(column.kinds != Kind.ERROR)
    matrix = Matrix(column.kinds[:, None], column.numbers[:, None])
    if number in _WITH_PLACE:
        frame_ = frame.naming({_INSIDE: Grid((column,), len(column)) if len(column) else Scalar(None)})
        return evaluate(Call(_WITH_PLACE[number], (Name(_INSIDE), *last)), frame_)
    work = _of_numbers(_AGGREGATES[number]) if number in _AGGREGATES else _SUBTOTALS[number]
    return Scalar(work(matrix)[0])


#: A name that no formula can spell.
_INSIDE = "\0"


@special("SUBTOTAL(choice: number, range: cells, range...: cells)")
def subtotal(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """An aggregate that leaves out other subtotals and filtered rows: 1 average, 2 count, 3 count of values,
    4 largest, 5 smallest, 6 product, 7 and 8 deviations, 9 sum, 10 and 11 variances; with 100 added, rows hidden by hand too (18.17.7).

    >>> SUBTOTAL(9, {1,2,3})
    6
    """
    choice = single(evaluate(arguments[0], frame), frame)
    if isinstance(choice, Lanes):
        raise PerLane
    number = number_of(fixed_value(arguments[0], frame))
    if isinstance(number, CellError):
        return Scalar(number)
    work = _SUBTOTALS.get(int(number) % 100)
    if work is None or not 1 <= number < 200:
        return Scalar(CellError.VALUE)
    flat = [_kept(evaluate(argument, frame), frame, hidden=number > 100) for argument in arguments[1:]]
    column = Column.concat(flat)
    with np.errstate(all="ignore"):  # what is out of range becomes an error value
        return Scalar(work(Matrix(column.kinds[:, None], column.numbers[:, None]))[0])


def _kept(operand: Operand, frame: Frame, hidden: bool, subtotals: bool = True) -> Column:
    """The cells of a range that SUBTOTAL counts."""
    grid: Grid = grid_of(operand, frame, crop=True)
    column = grid.flat()
    if isinstance(operand, Span) and (hidden or subtotals):
        area = operand.area.cropped(*(frame.scope.extent(operand.sheet) or (1, 1)))
        left_out = frame.scope.passed_over(operand.sheet, area, hidden)
        if left_out is not None:
            return column.take(~left_out)
    return column


@special("COUNTBLANK(range: cells)")
def countblank(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many cells of a range are blank or hold empty text (18.17.7).

    >>> COUNTBLANK({"", 1, "a"})
    1
    """
    operand = evaluate(arguments[0], frame)
    flat = grid_of(operand, frame, crop=True).flat()
    empty = int((flat.kinds == Kind.BLANK).sum())
    texts = flat.kinds == Kind.TEXT
    empty += sum(flat.texts[code] == "" for code in flat.codes[texts].tolist())
    beyond = operand.area.height * operand.area.width - len(flat) if isinstance(operand, Span) else 0
    return Scalar(float(empty + beyond))
