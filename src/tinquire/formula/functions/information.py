"""What a value is, and how large a range."""

from __future__ import annotations

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError
from tinquire.formula.evaluate import evaluate, grid_of
from tinquire.formula.operands import Operand, Scalar, Span
from tinquire.formula.registry import elementwise, special
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Node


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
