"""The operators on columns (ECMA-376 Part 1, 18.17.2.2). Columns have equal lengths, or one value."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tinquire.cells.column import Booleans, Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import MAX_TEXT, Faulty, faults_in, first_fault, numbers, texts, with_faults

__all__ = ["BINARY", "RUNNING", "UNARY", "compare", "running", "same_to_15_digits"]

_DIV0_FAULT = np.uint8(CellError.DIV0.code + 1)
_VALUE_FAULT = np.uint8(CellError.VALUE.code + 1)
_NUM_FAULT = np.uint8(CellError.NUM.code + 1)


def _arithmetic(work: Callable[[Floats, Floats], Floats]) -> Callable[[Column, Column], Column]:
    def operator(left: Column, right: Column) -> Column:
        a, a_faults = numbers(left)
        b, b_faults = numbers(right)
        with np.errstate(all="ignore"):
            result = work(a, b)
        return with_faults(Column.of_numbers(result), _spread(first_fault(a_faults, b_faults), len(result)))

    return operator


def running(first: Column, steps: Sequence[tuple[str, Column]]) -> Column:
    """A column to which others are added, subtracted or multiplied, one after the other.

    What is out of range stays so (a sum, difference or product with it is out of range too), so that it is looked
    for once, at the end.
    """
    result, faults = numbers(first)
    with np.errstate(all="ignore"):
        for index, (sign, column) in enumerate(steps):
            values, wrong = numbers(column)
            result = RUNNING[sign](result, values, out=result if index else None)
            faults = first_fault(faults, wrong)
    return with_faults(Column.of_numbers(result), faults)


def _spread(faults: Faulty | None, count: int) -> Faulty | None:
    return None if faults is None else np.broadcast_to(faults, count)


def divide(left: Column, right: Column) -> Column:
    """Division; by zero gives the error value for it, unless an operand was an error already."""
    a, a_faults = numbers(left)
    b, b_faults = numbers(right)
    with np.errstate(all="ignore"):
        result = a / b
    by_zero = np.where(b == 0, _DIV0_FAULT, np.uint8(0)) if (b == 0).any() else None
    faults = _spread(first_fault(a_faults, b_faults, by_zero), len(result))
    return with_faults(Column.of_numbers(result), faults)


def power(left: Column, right: Column) -> Column:
    """Powers; zero to the power of zero is out of range, zero to a negative power divides by zero."""
    a, a_faults = numbers(left)
    b, b_faults = numbers(right)
    with np.errstate(all="ignore"):
        result = np.power(a, b)
    undefined = np.where((a == 0) & (b == 0), _NUM_FAULT, np.where((a == 0) & (b < 0), _DIV0_FAULT, np.uint8(0)))
    return with_faults(Column.of_numbers(result), _spread(first_fault(a_faults, b_faults, undefined), len(result)))


def join(left: Column, right: Column) -> Column:
    """`&`: the texts of both, one after the other."""
    a, a_faults = texts(left)
    b, b_faults = texts(right)
    count = max(len(a), len(b))
    joined = [x + y for x, y in zip(a * (count // len(a)), b * (count // len(b)), strict=True)] if count else []
    column = with_faults(Column.of_texts(joined), _spread(first_fault(a_faults, b_faults), count))
    if max(map(len, joined), default=0) <= MAX_TEXT:
        return column
    too_long = np.array([_VALUE_FAULT if len(text) > MAX_TEXT else 0 for text in joined], np.uint8)
    return with_faults(column, too_long)


#: Numbers that lie further apart than this share of their size differ within 15 digits.
_FARTHEST = 1e-14


def same_to_15_digits(a: float, b: float) -> bool:
    """Whether two numbers are the same in the 15 digits that a cell holds: 0.1 + 0.2 is 0.3 (18.17.2.2, 18.17.5)."""
    return abs(a - b) <= _FARTHEST * max(abs(a), abs(b)) and f"{a:.14e}" == f"{b:.14e}"


def _order(a: Floats, b: Floats) -> Floats:
    """-1, 0 or 1 for each pair of numbers, by the 15 digits that a cell holds."""
    above, below = a > b, a < b
    with np.errstate(over="ignore"):
        near = np.abs(a - b) <= _FARTHEST * np.abs(a)
    near &= above | below
    for index in np.flatnonzero(near).tolist():
        if same_to_15_digits(float(a[index]), float(b[index])):
            above[index] = below[index] = False
    return above - below.astype(np.float64)


def compare(left: Column, right: Column) -> tuple[Floats, Faulty | None]:
    """-1, 0 or 1 for each pair, and the faults.

    Numbers come before texts, texts before yes/no; texts compare without regard to case (18.17.2.2). A blank
    counts as zero, empty text or FALSE, whichever the other side is.
    """
    count = max(len(left), len(right))
    left, right = left.repeat(count), right.repeat(count)
    if left.all_of(Kind.TEXT) and right.all_of(Kind.TEXT):
        ranks, _ = Column.concat([left, right]).ranked_texts()
        a, b = ranks[:count], ranks[count:]
        return (a > b) - (a < b).astype(np.float64), None
    faults = first_fault(faults_in(left), faults_in(right))
    if left.all_of(Kind.NUMBER) and right.all_of(Kind.NUMBER):
        return _order(left.numbers, right.numbers), None
    a_kinds = np.where(left.kinds == Kind.BLANK, right.kinds, left.kinds)
    b_kinds = np.where(right.kinds == Kind.BLANK, left.kinds, right.kinds)
    by_kind = np.sign(a_kinds.astype(np.int8) - b_kinds.astype(np.int8)).astype(np.float64)
    both_text = (a_kinds == Kind.TEXT) & (b_kinds == Kind.TEXT)
    a, b = left.numbers, right.numbers
    if both_text.any():
        ranks, _ = Column.concat([_blank_as_text(left), _blank_as_text(right)]).ranked_texts()
        a = np.where(both_text, ranks[:count], a)
        b = np.where(both_text, ranks[count:], b)
    return np.where(by_kind != 0, by_kind, _order(a, b)), faults if faults is not None and faults.any() else None


def _blank_as_text(column: Column) -> Column:
    if not (column.kinds == Kind.BLANK).any():
        return column
    return Column.where(column.kinds == Kind.BLANK, Column.full("", 1), column)


def _comparison(test: Callable[[Floats], Booleans]) -> Callable[[Column, Column], Column]:
    def operator(left: Column, right: Column) -> Column:
        signs, faults = compare(left, right)
        return with_faults(Column.of_booleans(test(signs)), faults)

    return operator


def negate(column: Column) -> Column:
    values, faults = numbers(column)
    return with_faults(Column.of_numbers(-values), faults)


def percent(column: Column) -> Column:
    values, faults = numbers(column)
    return with_faults(Column.of_numbers(values / 100), faults)


def _same(column: Column) -> Column:
    return column


#: Operators that `running` takes.
RUNNING: dict[str, np.ufunc] = {"+": np.add, "-": np.subtract, "*": np.multiply}

BINARY: dict[str, Callable[[Column, Column], Column]] = {
    "+": _arithmetic(np.add),
    "-": _arithmetic(np.subtract),
    "*": _arithmetic(np.multiply),
    "/": divide,
    "^": power,
    "&": join,
    "=": _comparison(lambda signs: signs == 0),
    "<>": _comparison(lambda signs: signs != 0),
    "<": _comparison(lambda signs: signs < 0),
    "<=": _comparison(lambda signs: signs <= 0),
    ">": _comparison(lambda signs: signs > 0),
    ">=": _comparison(lambda signs: signs >= 0),
}

UNARY: dict[str, Callable[[Column], Column]] = {"-": negate, "+": _same, "%": percent}
