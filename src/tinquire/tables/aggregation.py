"""Values of groups worked out at once: one pass of counting and summing over all rows."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

import numpy as np

from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.coerce import with_faults

__all__ = ["Aggregation", "aggregated"]


class Aggregation(Enum):
    """How the values of a group become one. The word is the one a docket writes; there is no default."""

    SUM = "sum"
    AVERAGE = "average"
    COUNT = "count"
    NUMBERS = "numbers"
    DISTINCT = "distinct"
    SMALLEST = "smallest"
    LARGEST = "largest"
    MEDIAN = "median"
    PRODUCT = "product"
    DEVIATION = "deviation"
    VARIANCE = "variance"
    FIRST = "first"
    LAST = "last"


def aggregated(how: Aggregation, values: Column, groups: Codes, count: int) -> Column:
    """One value for each of `count` groups; rows belong to the group of their number.

    `count` counts values that are not blank, `numbers` numbers alone; `first` and `last` take a value of any kind, the
    others numbers, and leave texts and blanks out. `deviation` and `variance` are those of a sample. An error among a
    group's values is its result. A group without a value to work on is blank, but counts are zero.
    """
    if how is Aggregation.COUNT:
        return Column.of_numbers(np.bincount(groups[values.kinds != Kind.BLANK], minlength=count))
    is_number = values.kinds == Kind.NUMBER
    if how is Aggregation.NUMBERS:
        return Column.of_numbers(np.bincount(groups[is_number], minlength=count))
    if how is Aggregation.DISTINCT:
        return Column.of_numbers(_distinct(values, groups, count))
    if how in (Aggregation.FIRST, Aggregation.LAST):
        return _at_an_end(values, groups, count, last=how is Aggregation.LAST)
    members, numbers = groups[is_number], values.numbers[is_number]
    many = np.bincount(members, minlength=count)
    result = _WORK[how](members, numbers, many)
    few = many < (2 if how in (Aggregation.DEVIATION, Aggregation.VARIANCE) else 1)
    column = Column.where(few, Column.blank(1), Column.of_numbers(np.where(few, 0.0, result)))
    return _with_errors(column, values, groups, count)


def _sum(members: Codes, numbers: Floats, many: Codes) -> Floats:
    return np.bincount(members, weights=numbers, minlength=len(many)).astype(np.float64)


def _average(members: Codes, numbers: Floats, many: Codes) -> Floats:
    return _sum(members, numbers, many) / np.maximum(many, 1)


def _smallest(members: Codes, numbers: Floats, many: Codes) -> Floats:
    result = np.full(len(many), np.inf)
    np.minimum.at(result, members, numbers)
    return result


def _largest(members: Codes, numbers: Floats, many: Codes) -> Floats:
    return -_smallest(members, -numbers, many)


def _median(members: Codes, numbers: Floats, many: Codes) -> Floats:
    order = np.lexsort((numbers, members))
    ordered = np.append(numbers[order], 0.0)
    starts = np.cumsum(many) - many
    low, high = starts + np.maximum(many - 1, 0) // 2, starts + many // 2
    return (ordered[np.minimum(low, len(numbers))] + ordered[np.minimum(high, len(numbers))]) / 2


def _product(members: Codes, numbers: Floats, many: Codes) -> Floats:
    result = np.ones(len(many))
    np.multiply.at(result, members, numbers)
    return result


def _variance(members: Codes, numbers: Floats, many: Codes) -> Floats:
    """In two passes, so that large numbers close together keep their digits."""
    apart = numbers - _average(members, numbers, many)[members]
    return _sum(members, apart * apart, many) / np.maximum(many - 1, 1)


def _deviation(members: Codes, numbers: Floats, many: Codes) -> Floats:
    return np.sqrt(_variance(members, numbers, many))


def _at_an_end(values: Column, groups: Codes, count: int, *, last: bool) -> Column:
    """The first or last value of each group, blanks apart."""
    rows = np.flatnonzero(values.kinds != Kind.BLANK)
    rows = rows if last else rows[::-1]
    place = np.full(count, -1, np.int64)
    place[groups[rows]] = rows  # the last one written stays
    if not len(values):
        return Column.blank(count)
    return Column.where(place < 0, Column.blank(1), values.take(np.maximum(place, 0)))


_WORK: dict[Aggregation, Callable[[Codes, Floats, Codes], Floats]] = {
    Aggregation.SUM: _sum,
    Aggregation.AVERAGE: _average,
    Aggregation.SMALLEST: _smallest,
    Aggregation.LARGEST: _largest,
    Aggregation.MEDIAN: _median,
    Aggregation.PRODUCT: _product,
    Aggregation.DEVIATION: _deviation,
    Aggregation.VARIANCE: _variance,
}


def _distinct(values: Column, groups: Codes, count: int) -> Codes:
    """How many different values each group has, blanks apart."""
    filled = values.kinds != Kind.BLANK
    codes, distinct = values.groups()
    pairs = np.unique(groups[filled].astype(np.int64) * max(len(distinct), 1) + codes[filled])
    return np.bincount(pairs // max(len(distinct), 1), minlength=count).astype(np.int32)


def _with_errors(column: Column, values: Column, groups: Codes, count: int) -> Column:
    wrong = np.flatnonzero(values.kinds == Kind.ERROR)
    if not len(wrong):
        return column
    faults = np.zeros(count, np.uint8)
    for row in wrong[::-1].tolist():
        value = values[row]
        assert isinstance(value, CellError)
        faults[groups[row]] = value.code + 1
    return with_faults(column, faults)
