"""Powers, roots, exponentials and logarithms (18.17.7)."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows
from tinquire.formula.engine.conversions import with_faults
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all, elementwise


@arrays("SERIESSUM(x: number, first: number, step: number, coefficients: cells)")
def seriessum(x: float, first: float, step: float, coefficients: Grid) -> float:
    """A power series: each coefficient times the number to the next power (18.17.7).

    >>> SERIESSUM(2, 1, 1, {1,2,3})
    34
    """
    factors = [value for row in grid_rows(coefficients) for value in row]
    if any(not isinstance(factor, float) for factor in factors):
        raise ErrorValue(CellError.VALUE)
    powers = (x ** (first + step * index) for index in range(len(factors)))
    return sum(factor * power for factor, power in zip(factors, powers, strict=True) if isinstance(factor, float))


declare_all(
    elementwise,
    __name__,
    [
        ("EXP(number: number)", np.exp, "The base of natural logarithms to a power.", "ROUND(EXP(1), 6)", "2.718282"),
        ("LN(number: number)", lambda n: np.log(np.where(n > 0, n, np.nan)), "The natural logarithm.", "LN(EXP(3))", "3"),
        ("LOG10(number: number)", lambda n: np.log10(np.where(n > 0, n, np.nan)), "The logarithm to base ten.", "LOG10(1000)", "3"),
        ("SQRT(number: number)", np.sqrt, "The square root.", "SQRT(16)", "4"),
        ("SQRTPI(number: number)", lambda n: np.sqrt(n * np.pi), "The square root of a number times pi.", "ROUND(SQRTPI(1), 6)", "1.772454"),
    ],
)  # fmt: skip


@elementwise("LOG(number: number, base: number = 10)")
def log(number: Floats, base: Floats) -> Column:
    """The logarithm to a base (18.17.7).

    >>> LOG(8, 2)
    3
    """
    good = (number > 0) & (base > 0)
    over = np.log(np.where(good, base, np.e))
    # Whole powers come out whole: the quotient of two logarithms may be a hair away from them.
    result = np.log(np.where(good, number, np.nan)) / np.where(over == 0, 1.0, over)
    near = np.rint(result)
    exact = (np.abs(result - near) < 1e-9) & (np.power(np.where(good, base, 1.0), near) == number)
    column = Column.of_numbers(np.where(exact, near, result))
    return with_faults(column, np.where(good & (over == 0), CellError.DIV0.code + 1, 0).astype(np.uint8))


@elementwise("POWER(number: number, power: number)")
def power(number: Floats, power: Floats) -> Column:
    """A number to a power, as the operator `^` calculates it (18.17.7).

    >>> POWER(2, 10)
    1024
    """
    zero = np.where((number == 0) & (power < 0), CellError.DIV0.code + 1, 0)
    zero = np.where((number == 0) & (power == 0), CellError.NUM.code + 1, zero)
    return with_faults(Column.of_numbers(np.power(number, power)), zero.astype(np.uint8))
