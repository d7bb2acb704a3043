"""Means, spread and shape of samples (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, call_guarded, grid_from, numbers_in, sample
from tinquire.formula.engine.matrix import Matrix
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import aggregate, declare_all


def require_count(numbers: Floats, count: int, error: CellError = CellError.DIV0) -> Floats:
    """The numbers. Raises ErrorValue when there are fewer than a sample needs."""
    if len(numbers) < count:
        raise ErrorValue(error)
    return numbers


def _variance(degrees: int) -> Callable[[Floats], float]:
    return lambda numbers: float(np.var(require_count(numbers, 1 + degrees), ddof=degrees))


def _deviation(degrees: int) -> Callable[[Floats], float]:
    return lambda numbers: float(np.std(require_count(numbers, 1 + degrees), ddof=degrees))


def _mode(numbers: Floats) -> float:
    """The most frequent number; of several, the one that comes first."""
    return float(_modes(numbers)[0])


def _modes(numbers: Floats) -> Floats:
    values, first, counts = np.unique(numbers, return_index=True, return_counts=True)
    if len(values) == 0 or counts.max() < 2:
        raise ErrorValue(CellError.NA)
    best = np.flatnonzero(counts == counts.max())
    return values[best[np.argsort(first[best])]]


def _skew(numbers: Floats) -> float:
    n, deviation = len(require_count(numbers, 3)), np.std(numbers, ddof=1)
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    return float(n / ((n - 1) * (n - 2)) * np.sum(((numbers - numbers.mean()) / deviation) ** 3))


def _skew_of_all(numbers: Floats) -> float:
    deviation = np.std(require_count(numbers, 3))
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    return float(np.mean(((numbers - numbers.mean()) / deviation) ** 3))


def _kurtosis(numbers: Floats) -> float:
    n, deviation = len(require_count(numbers, 4)), np.std(numbers, ddof=1)
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    total = np.sum(((numbers - numbers.mean()) / deviation) ** 4)
    return float(n * (n + 1) / ((n - 1) * (n - 2) * (n - 3)) * total - 3 * (n - 1) ** 2 / ((n - 2) * (n - 3)))


def _positive_mean(work: Callable[[Floats], Any]) -> Callable[[Floats], float]:
    def function(numbers: Floats) -> float:
        if len(require_count(numbers, 1, CellError.NUM)) and (numbers <= 0).any():
            raise ErrorValue(CellError.NUM)
        return float(work(numbers))

    return function


_SPREAD = [
    ("STDEV", _deviation(1), "The standard deviation of a population, estimated from a sample", "2.138"),
    ("STDEV.S", _deviation(1), "The standard deviation of a population, estimated from a sample", "2.138"),
    ("STDEVP", _deviation(0), "The standard deviation of a whole population", "2"),
    ("STDEV.P", _deviation(0), "The standard deviation of a whole population", "2"),
    ("VAR", _variance(1), "The variance of a population, estimated from a sample", "4.571"),
    ("VAR.S", _variance(1), "The variance of a population, estimated from a sample", "4.571"),
    ("VARP", _variance(0), "The variance of a whole population", "4"),
    ("VAR.P", _variance(0), "The variance of a whole population", "4"),
    ("DEVSQ", lambda n: float(np.sum((require_count(n, 1, CellError.NUM) - n.mean()) ** 2)), "The sum of the squares of the distances from the mean", "32"),
    ("AVEDEV", lambda n: float(np.mean(np.abs(require_count(n, 1, CellError.NUM) - n.mean()))), "The mean absolute distance from the mean", "1.5"),
    ("MEDIAN", lambda n: float(np.median(require_count(n, 1, CellError.NUM))), "The number in the middle; of two, their mean", "4.5"),
    ("MODE", _mode, "The most frequent number", "4"),
    ("MODE.SNGL", _mode, "The most frequent number", "4"),
    ("SKEW", _skew, "The skewness of a sample", "0.818"),
    ("SKEW.P", _skew_of_all, "The skewness of a whole population", "0.656"),
    ("KURT", _kurtosis, "The kurtosis of a sample, relative to a normal distribution", "0.941"),
    ("GEOMEAN", _positive_mean(lambda n: np.exp(np.mean(np.log(n)))), "The geometric mean of positive numbers", "4.603"),
    ("HARMEAN", _positive_mean(lambda n: len(n) / np.sum(1 / n)), "The harmonic mean of positive numbers", "4.202"),
]  # fmt: skip


declare_all(
    sample,
    __name__,
    [
        (f"{name}(number: cells, number...: cells)", work, f"{says} (18.17.7).", f"ROUND({name}(2,4,4,4,5,5,7,9), 3)", result)
        for name, work, says, result in _SPREAD
    ],
)  # fmt: skip


def _with_texts(work: Callable[[Floats], float]) -> Callable[[Matrix], Column]:
    """The functions that end in A: texts in ranges count as zero, yes/no as one and zero."""

    def function(cells: Matrix) -> Column:
        faults = cells.first_errors()
        results: list[Value] = []
        for lane in range(cells.lanes):
            kinds = cells.kinds[:, lane]
            numbers = np.where(kinds == Kind.TEXT, 0.0, cells.numbers[:, lane])[kinds != Kind.BLANK]
            wrong = faults is not None and faults[lane]
            results.append(
                CellError.from_code(int(faults[lane]) - 1)
                if wrong and faults is not None
                else call_guarded(work, numbers)
            )
        return Column.from_values(results)

    return function


declare_all(
    aggregate,
    __name__,
    [
        (f"{name}(value: cells, value...: cells)", _with_texts(work), f"{says}; texts count as zero, yes as one (18.17.7).", f'{name}({{1,"x",5}})', result)
        for name, work, says, result in (
            ("AVERAGEA", lambda n: float(require_count(n, 1).mean()), "The mean of all values", "2"),
            ("MAXA", lambda n: float(n.max()) if len(n) else 0.0, "The largest value", "5"),
            ("MINA", lambda n: float(n.min()) if len(n) else 0.0, "The smallest value", "0"),
            ("STDEVA", _deviation(1), "The standard deviation estimated from a sample", "2.645751311"),
            ("STDEVPA", _deviation(0), "The standard deviation of a population", "2.160246899"),
            ("VARA", _variance(1), "The variance estimated from a sample", "7"),
            ("VARPA", _variance(0), "The variance of a population", "4.666666667"),
        )
    ],
)  # fmt: skip


def _trimmed(grid: Grid, share: float) -> float:
    numbers = np.sort(numbers_in(grid))
    if not 0 <= share < 1 or not len(numbers):
        raise ErrorValue(CellError.NUM)
    cut = int(len(numbers) * share / 2)
    return float(numbers[cut : len(numbers) - cut].mean())


declare_all(
    arrays,
    __name__,
    [
        ("TRIMMEAN(array: cells, share: number)", _trimmed, "The mean without a share of the numbers, half of it at each end (18.17.7).", "TRIMMEAN({1,2,3,4,100}, 0.4)", "3"),
        ("MODE.MULT(array: cells)", lambda a: grid_from(_modes(numbers_in(a))[:, None]), "The most frequent numbers, below each other.", "SUM(MODE.MULT({1,2,2,3,3}))", "5"),
    ],
)  # fmt: skip
