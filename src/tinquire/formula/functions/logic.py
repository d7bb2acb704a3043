"""Choices and truth values."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import boolean_of, first_fault, logicals, with_faults
from tinquire.formula.engine.evaluate import evaluate, grid_of, lift, single
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.registry import elementwise, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@special("IF(condition: logical, then: value, otherwise: value = FALSE)")
def if_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """One value or another; only what is chosen is worked out when the choice is the same everywhere (18.17.7).

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
