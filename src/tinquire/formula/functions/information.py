"""What a value is, and how large a range."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.evaluate import evaluate, fixed_value, grid_of, lift, single
from tinquire.formula.engine.operands import Closure, Grid, Operand, Scalar, Span
from tinquire.formula.engine.registry import declare_all, elementwise, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@elementwise("ISBLANK(value: value)")
def isblank(value: Column) -> Booleans:
    """Whether a cell is blank (18.17.7).

    >>> ISBLANK("")
    FALSE
    """
    return value.is_kind(Kind.BLANK)


@elementwise("ISNUMBER(value: value)")
def isnumber(value: Column) -> Booleans:
    """Whether a value is a number (18.17.7).

    >>> ISNUMBER("1")
    FALSE
    """
    return value.is_kind(Kind.NUMBER)


@elementwise("ISTEXT(value: value)")
def istext(value: Column) -> Booleans:
    """Whether a value is text (18.17.7).

    >>> ISTEXT("1")
    TRUE
    """
    return value.is_kind(Kind.TEXT)


@elementwise("ISERROR(value: value)")
def iserror(value: Column) -> Booleans:
    """Whether a value is an error (18.17.7).

    >>> ISERROR(1/0)
    TRUE
    """
    return value.is_kind(Kind.ERROR)


@special("NA()")
def na(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The error value for something that is not available (18.17.7).

    >>> NA()
    #N/A
    """
    return Scalar(CellError.NA)


@special("ROWS(range: cells)")
def rows(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many rows a range or a table has (18.17.7).

    >>> ROWS({1;2;3})
    3
    """
    return Scalar(float(_size(arguments[0], frame)[0]))


@special("COLUMNS(range: cells)")
def columns(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many columns a range or a table has (18.17.7).

    >>> COLUMNS({1,2,3})
    3
    """
    return Scalar(float(_size(arguments[0], frame)[1]))


def _size(node: Node, frame: Frame) -> tuple[int, int]:
    operand = evaluate(node, frame)
    if isinstance(operand, Span) and not operand.moves:
        return operand.area.height, operand.area.width
    grid = grid_of(operand, frame)
    return grid.height, grid.width


_TYPES = {Kind.BLANK: 1.0, Kind.NUMBER: 1.0, Kind.TEXT: 2.0, Kind.BOOL: 4.0, Kind.ERROR: 16.0}
#: The numbers of the error values (18.17.7, ERROR.TYPE).
_ERRORS = {
    CellError.NULL: 1.0, CellError.DIV0: 2.0, CellError.VALUE: 3.0, CellError.REF: 4.0, CellError.NAME: 5.0,
    CellError.NUM: 6.0, CellError.NA: 7.0, CellError.SPILL: 9.0, CellError.CALC: 14.0,
}  # fmt: skip


def _error_type(value: Column) -> list[Value]:
    return [_ERRORS[one] if isinstance(one, CellError) else CellError.NA for one in value]


def _number(value: Column) -> Column:
    """Numbers and yes/no as numbers, errors as they are, all else as nought."""
    counted = (value.kinds == Kind.NUMBER) | (value.kinds == Kind.BOOL)
    numbers = Column.of_numbers(np.where(counted, value.numbers, 0.0))
    return Column.where(value.kinds == Kind.ERROR, value, numbers)


declare_all(
    elementwise,
    __name__,
    [
        ("ISERR(value: value)", lambda v: v.is_kind(Kind.ERROR) & (v.numbers != CellError.NA.code), "Whether a value is an error other than not available (18.17.7).", "ISERR(NA())", "FALSE"),
        ("ISNA(value: value)", lambda v: v.is_kind(Kind.ERROR) & (v.numbers == CellError.NA.code), "Whether a value is not available (18.17.7).", "ISNA(NA())", "TRUE"),
        ("ISLOGICAL(value: value)", lambda v: v.is_kind(Kind.BOOL), "Whether a value is yes or no (18.17.7).", "ISLOGICAL(TRUE)", "TRUE"),
        ("ISNONTEXT(value: value)", lambda v: ~v.is_kind(Kind.TEXT), "Whether a value is not text (18.17.7).", "ISNONTEXT(1)", "TRUE"),
        ("ERROR.TYPE(value: value)", _error_type, "The number of an error value (18.17.7).", "ERROR.TYPE(1/0)", "2"),
        ("N(value: value)", _number, "A value as a number; texts are nought (18.17.7).", "N(TRUE)", "1"),
    ],
)  # fmt: skip


@special("TYPE(value: value)")
def type_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """What kind a value is: 1 number, 2 text, 4 yes/no, 16 error, 64 array, 128 function (18.17.7).

    >>> TYPE("tin")
    2
    """
    operand = evaluate(arguments[0], frame)
    if isinstance(operand, Closure):
        return Scalar(128.0)
    found = single(operand, frame)
    if isinstance(found, Grid):
        return Scalar(64.0)
    return lift([found], lambda column: Column.of_numbers([_TYPES[kind] for kind in column.kinds.tolist()]))


@special("INFO(about: text)")
def info(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """What is known: `numfile`, how many sheets there are; nothing that would differ from one machine to another
    (18.17.7).

    >>> INFO("numfile")
    2
    """
    about = str(fixed_value(arguments[0], frame)).casefold()
    if about == "numfile":
        return Scalar(float(len(frame.scope.sheets_between("", ""))))
    return Scalar(CellError.NA)
