"""Choices and truth values (18.17.7)."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import arrays
from tinquire.formula.engine.conversions import boolean_of, first_fault, logicals, with_faults
from tinquire.formula.engine.evaluate import evaluate, fixed_value, lift
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.operators import compare
from tinquire.formula.engine.references import grid_of, single
from tinquire.formula.engine.registry import declare_all, elementwise, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@special("IFS(condition: logical, value: value, condition...: logical, value...: value)")
def ifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value after the first condition that holds.

    >>> IFS(1 > 2, "a", 2 > 1, "b")
    b
    """
    if len(arguments) % 2:
        return Scalar(CellError.VALUE)
    for condition, value in zip(arguments[::2], arguments[1::2], strict=True):
        holds = boolean_of(fixed_value(condition, frame))
        if isinstance(holds, CellError):
            return Scalar(holds)
        if holds:
            return evaluate(value, frame)
    return Scalar(CellError.NA)


@special("SWITCH(value: value, case: value, result: value, case...: value, result...: value)")
def switch(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The result after the first case that is equal to a value; a last argument alone is for all others.

    >>> SWITCH(2, 1, "a", 2, "b", "other")
    b
    """
    value = Column.full(fixed_value(arguments[0], frame), 1)
    if value.kinds[0] == Kind.ERROR:
        return Scalar(value[0])
    cases, other = arguments[1:], None
    if len(cases) % 2:
        cases, other = cases[:-1], cases[-1]
    for case, result in zip(cases[::2], cases[1::2], strict=True):
        signs, faults = compare(value, Column.full(fixed_value(case, frame), 1))
        if faults is None and signs[0] == 0:
            return evaluate(result, frame)
    return Scalar(CellError.NA) if other is None else evaluate(other, frame)


@special("IFNA(value: value, otherwise: value)")
def ifna(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value, or another where it is not available.

    >>> IFNA(NA(), "none")
    none
    """
    value = single(evaluate(arguments[0], frame), frame)
    if isinstance(value, Scalar):
        return evaluate(arguments[1], frame) if value.value is CellError.NA else value
    other = single(evaluate(arguments[1], frame), frame)
    return lift(
        (value, other), lambda a, b: Column.where((a.kinds == Kind.ERROR) & (a.numbers == CellError.NA.code), b, a)
    )


def _xor(*grids: Grid) -> Value:
    held, seen = False, False
    for value in (value for grid in grids for column in grid.columns for value in column):
        if isinstance(value, CellError):
            return value
        if value is None or isinstance(value, str):
            continue
        held, seen = held ^ bool(value), True
    return held if seen else CellError.VALUE


declare_all(
    arrays,
    __name__,
    [
        (
            "XOR(condition: cells, condition...: cells)",
            _xor,
            "Whether an odd number of conditions hold.",
            "XOR(TRUE, FALSE, TRUE)",
            "FALSE",
        ),
    ],
)  # fmt: skip


declare_all(
    special,
    __name__,
    [
        ("TRUE()", lambda arguments, frame: Scalar(True), "Yes (18.17.7).", "TRUE()", "TRUE"),
        ("FALSE()", lambda arguments, frame: Scalar(False), "No (18.17.7).", "FALSE()", "FALSE"),
    ],
)  # fmt: skip


@special("IF(condition: logical, then: value, otherwise: value = FALSE)")
def if_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """One value or another; only what is chosen is calculated if the choice is the same everywhere (18.17.7).

    >>> IF(2 > 1, "more", "less")
    more
    """
    condition = single(evaluate(arguments[0], frame), frame)
    if isinstance(condition, Scalar):
        chosen = boolean_of(condition.value)
        if isinstance(chosen, CellError):
            return Scalar(chosen)
        if chosen:
            return evaluate(arguments[1], frame)
        return evaluate(arguments[2], frame) if len(arguments) > 2 else Scalar(False)
    then = single(evaluate(arguments[1], frame), frame)
    other = single(evaluate(arguments[2], frame), frame) if len(arguments) > 2 else Scalar(False)
    return lift((condition, then, other), _choose)


def _choose(condition: Column, then: Column, other: Column) -> Column:
    count = max(len(condition), len(then), len(other))
    flags, faults = logicals(condition.repeat(count))
    return with_faults(Column.where(flags, then.repeat(count), other.repeat(count)), faults)


@special("IFERROR(value: value, otherwise: value)")
def iferror(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value, or another where it is an error (OpenFormula 6).

    >>> IFERROR(1/0, "none")
    none
    """
    value = single(evaluate(arguments[0], frame), frame)
    if isinstance(value, Scalar):
        return evaluate(arguments[1], frame) if isinstance(value.value, CellError) else value
    column = value.column if isinstance(value, Lanes) else value.flat()
    if not (column.kinds == Kind.ERROR).any():
        return value
    other = single(evaluate(arguments[1], frame), frame)
    return lift((value, other), _mended)


def _mended(value: Column, other: Column) -> Column:
    return Column.where(value.kinds == Kind.ERROR, other, value)


@special("AND(condition: logical, condition...: logical)")
def and_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Whether all conditions hold; texts and blanks in ranges are left out (18.17.7).

    >>> AND(TRUE, 1 < 2)
    TRUE
    """
    return _all_together(arguments, frame, np.logical_and, start=True)


@special("OR(condition: logical, condition...: logical)")
def or_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Whether any condition holds (18.17.7).

    >>> OR(FALSE, 1 < 2)
    TRUE
    """
    return _all_together(arguments, frame, np.logical_or, start=False)


@elementwise("NOT(condition: logical)")
def not_(condition: Booleans) -> Booleans:
    """The opposite (18.17.7).

    >>> NOT(FALSE)
    TRUE
    """
    return ~condition


def _all_together(arguments: tuple[Node, ...], frame: Frame, join: np.ufunc, start: bool) -> Operand:
    operands = [_condition(evaluate(argument, frame), frame, join, start) for argument in arguments]

    def work(*columns: Column) -> Column:
        count = max(len(column) for column in columns)
        flags = np.full(count, start)
        faults = []
        nothing = np.full(count, True)
        for column in columns:
            wide = column.repeat(count)
            read, fault = logicals(wide)
            flags = join(flags, np.where(wide.kinds == Kind.BLANK, start, read))
            nothing &= wide.kinds == Kind.BLANK
            faults.append(fault)
        faults.append(np.where(nothing, np.uint8(CellError.VALUE.code + 1), np.uint8(0)))
        return with_faults(Column.of_booleans(flags), first_fault(*faults))

    return lift(operands, work)


def _condition(operand: Operand, frame: Frame, join: np.ufunc, start: bool) -> Scalar | Lanes:
    """One argument; a range is joined into one value first, blank when it holds no number and no yes/no."""
    if isinstance(operand, Span) and operand.is_cell:
        return _without_text(single(operand, frame))
    if isinstance(operand, Scalar | Lanes):
        return operand
    flat = grid_of(operand, frame, crop=True).flat()
    wrong = np.flatnonzero(flat.kinds == Kind.ERROR)
    if len(wrong):
        return Scalar(flat[int(wrong[0])])
    counted = (flat.kinds == Kind.NUMBER) | (flat.kinds == Kind.BOOL)
    if not counted.any():
        return Scalar(None)
    return Scalar(bool(join.reduce(flat.numbers[counted] != 0, initial=start)))


def _without_text(value: Scalar | Lanes | Grid) -> Scalar | Lanes:
    """A referenced cell's value; text counts as blank there, as it does in ranges."""
    if isinstance(value, Lanes):
        return Lanes(Column.where(value.column.kinds == Kind.TEXT, Column.blank(1), value.column))
    assert isinstance(value, Scalar)
    return Scalar(None) if isinstance(value.value, str) else value
