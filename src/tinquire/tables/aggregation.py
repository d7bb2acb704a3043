"""Values of groups calculated at once: one pass of counting and summing over all rows."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from typing import TypeAlias

import numpy as np

from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind
from tinquire.formula.engine.conversions import with_faults

__all__ = ["Aggregation", "Summary", "aggregate", "members"]


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


_Part: TypeAlias = Callable[[str], Floats]


class Summary:
    """What is known of the values of each group: how many there are, how many are numbers, their sum, smallest, largest
    and product. Each part is calculated when it is first asked for.

    From a summary follow the aggregations of `Summary.KINDS`; and summaries of groups make one of larger groups, for
    which the rows need not be gone through again.
    """

    KINDS = frozenset(
        (
            Aggregation.SUM, Aggregation.AVERAGE, Aggregation.COUNT, Aggregation.NUMBERS,
            Aggregation.SMALLEST, Aggregation.LARGEST, Aggregation.PRODUCT,
        )
    )  # fmt: skip

    def __init__(self, count: int, part: _Part, faults: Codes | None = None) -> None:
        """`part` gives "filled", "numbers", "sum", "smallest", "largest" or "product" of `count` groups; `faults` is
        of each group the row of its first error and that error's code, as one number (the largest: none)."""
        self.count = count
        self._part = part
        self._known: dict[str, Floats] = {}
        self._faults = faults

    @classmethod
    def of(cls, values: Column, groups: Codes, count: int) -> Summary:
        """Of rows that belong to the group of their number."""
        if values.all_of(Kind.NUMBER):
            members, numbers, filled = groups, values.numbers, groups
        else:
            is_number = values.kinds == Kind.NUMBER
            members, numbers = groups[is_number], values.numbers[is_number]
            filled = groups[values.kinds != Kind.BLANK]

        def part(name: str) -> Floats:
            if name == "filled" and filled is members:
                return summary.part("numbers")
            if name in ("filled", "numbers"):
                return np.bincount(filled if name == "filled" else members, minlength=count).astype(np.float64)
            return _TOGETHER[name](members, numbers, count)

        summary = cls(count, part, _first_faults(values, groups, count))
        return summary

    def part(self, name: str) -> Floats:
        if name not in self._known:
            self._known[name] = self._part(name)
        return self._known[name]

    def rolled(self, groups: Codes, count: int, kept: Codes | None = None) -> Summary:
        """Of larger groups: each group (of those kept) belongs to the one of its number."""

        def part(name: str) -> Floats:
            own = self.part(name)
            return _TOGETHER.get(name, _sum)(groups, own if kept is None else own[kept], count)

        if self._faults is None:
            return Summary(count, part)
        faults = np.full(count, _NO_FAULT)
        np.minimum.at(faults, groups, self._faults if kept is None else self._faults[kept])
        return Summary(count, part, faults)

    def result(self, how: Aggregation) -> Column:
        """The value of each group; see `aggregate`."""
        if how is Aggregation.COUNT:
            return Column.of_numbers(self.part("filled"))
        if how is Aggregation.NUMBERS:
            return Column.of_numbers(self.part("numbers"))
        many = self.part("numbers")
        by_many = how is Aggregation.AVERAGE
        result = self.part("sum") / np.maximum(many, 1) if by_many else self.part(how.value)
        column = Column.where(many < 1, Column.blank(1), Column.of_numbers(np.where(many < 1, 0.0, result)))
        return column if self._faults is None else _with_errors(column, self._faults)


def aggregate(how: Aggregation, values: Column, groups: Codes, count: int) -> Column:
    """One value for each of `count` groups; rows belong to the group of their number.

    `count` counts values that are not blank, `numbers` numbers alone; `first` and `last` take a value of any kind, the
    others numbers, and leave texts and blanks out. `deviation` and `variance` are those of a sample. An error among a
    group's values is its result. A group without a value to work on is blank, but counts are zero.
    """
    if how in Summary.KINDS:
        return Summary.of(values, groups, count).result(how)
    is_number = values.kinds == Kind.NUMBER
    if how is Aggregation.DISTINCT:
        return Column.of_numbers(_distinct(values, groups, count))
    if how in (Aggregation.FIRST, Aggregation.LAST):
        return _at_an_end(values, groups, count, last=how is Aggregation.LAST)
    members, numbers = groups[is_number], values.numbers[is_number]
    many = np.bincount(members, minlength=count)
    result = _WORK[how](members, numbers, many)
    few = many < (1 if how is Aggregation.MEDIAN else 2)
    column = Column.where(few, Column.blank(1), Column.of_numbers(np.where(few, 0.0, result)))
    faults = _first_faults(values, groups, count)
    return column if faults is None else _with_errors(column, faults)


def _sum(members: Codes, numbers: Floats, count: int) -> Floats:
    return np.bincount(members, weights=numbers, minlength=count).astype(np.float64)


def _smallest(members: Codes, numbers: Floats, count: int) -> Floats:
    result = np.full(count, np.inf)
    np.minimum.at(result, members, numbers)
    return result


def _largest(members: Codes, numbers: Floats, count: int) -> Floats:
    result = np.full(count, -np.inf)
    np.maximum.at(result, members, numbers)
    return result


def _product(members: Codes, numbers: Floats, count: int) -> Floats:
    result = np.ones(count)
    np.multiply.at(result, members, numbers)
    return result


#: How the numbers of a group make one, and how such make one of a larger group.
_TOGETHER: dict[str, Callable[[Codes, Floats, int], Floats]] = {
    "sum": _sum,
    "smallest": _smallest,
    "largest": _largest,
    "product": _product,
}


def _median(members: Codes, numbers: Floats, many: Codes) -> Floats:
    order = np.lexsort((numbers, members))
    ordered = np.append(numbers[order], 0.0)
    starts = np.cumsum(many) - many
    low, high = starts + np.maximum(many - 1, 0) // 2, starts + many // 2
    return (ordered[np.minimum(low, len(numbers))] + ordered[np.minimum(high, len(numbers))]) / 2


def _variance(members: Codes, numbers: Floats, many: Codes) -> Floats:
    """In two passes, so that large numbers close together keep their digits."""
    average = _sum(members, numbers, len(many)) / np.maximum(many, 1)
    apart = numbers - average[members]
    return _sum(members, apart * apart, len(many)) / np.maximum(many - 1, 1)


def _deviation(members: Codes, numbers: Floats, many: Codes) -> Floats:
    return np.sqrt(_variance(members, numbers, many))


def _at_an_end(values: Column, groups: Codes, count: int, *, last: bool) -> Column:
    """The first or last value of each group, without blanks."""
    rows = np.flatnonzero(values.kinds != Kind.BLANK)
    rows = rows if last else rows[::-1]
    index = np.full(count, -1, np.int64)
    index[groups[rows]] = rows  # the last one written stays
    if not len(values):
        return Column.blank(count)
    return Column.where(index < 0, Column.blank(1), values.take(np.maximum(index, 0)))


_WORK: dict[Aggregation, Callable[[Codes, Floats, Codes], Floats]] = {
    Aggregation.MEDIAN: _median,
    Aggregation.DEVIATION: _deviation,
    Aggregation.VARIANCE: _variance,
}


#: So many flags for each row are still quicker than sorting.
_WIDEST = 32


def _distinct(values: Column, groups: Codes, count: int) -> Codes:
    """How many different values each group has, without blanks."""
    flags = members(values, groups, count)
    if flags is not None:
        return np.count_nonzero(flags, axis=1).astype(np.int32)
    pairs, width = _pairs(values, groups)
    return np.bincount(np.unique(pairs) // width, minlength=count).astype(np.int32)


def members(values: Column, groups: Codes, count: int) -> Booleans | None:
    """Which of all values each group has, without blanks: a row of flags for each; None if there are too many."""
    pairs, width = _pairs(values, groups)
    if count * width > _WIDEST * (len(pairs) + 1):
        return None
    flags = np.zeros((count, width), np.bool_)
    flags.reshape(-1)[pairs] = True
    return flags


def _pairs(values: Column, groups: Codes) -> tuple[Codes, int]:
    """For every row that is not blank its group and the code of its value as one number; how many codes there are."""
    codes, distinct = values.groups()
    width = max(len(distinct), 1)
    pairs = groups.astype(np.int64) * width + codes
    return (pairs if values.all_of(Kind.NUMBER) else pairs[values.kinds != Kind.BLANK]), width


#: Of a group's first error, the row and the error's code as one number.
_FAULT_WIDTH = 256
_NO_FAULT = np.iinfo(np.int64).max


def _first_faults(values: Column, groups: Codes, count: int) -> Codes | None:
    """Of each group the row of its first error, and that error's code; None when there is no error."""
    rows = np.flatnonzero(values.kinds == Kind.ERROR)
    if not len(rows):
        return None
    faults = np.full(count, _NO_FAULT)
    np.minimum.at(faults, groups[rows], rows * _FAULT_WIDTH + values.numbers[rows].astype(np.int64) + 1)
    return faults


def _with_errors(column: Column, faults: Codes) -> Column:
    return with_faults(column, np.where(faults == _NO_FAULT, 0, faults % _FAULT_WIDTH).astype(np.uint8))
