"""A formula of one cell run on plain numbers: for few cells a walk over the tree costs less than columns do.

The walk is exact or absent: where a value is not a number, a divisor is zero, a result is out of range or an operation
is not known here, `plain_number` raises NotPlain, and the formula is run on columns. The operations are those of the
columns, in the same order.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import isfinite
from typing import Any, Protocol

import numpy as np

from tinquire.cells.column import Column, Kind
from tinquire.formula.engine.operators import same_to_15_digits
from tinquire.formula.engine.registry import Function, Mode, functions
from tinquire.formula.language.tree import Binary, Call, Literal, Node, Reference, Unary, Varying

__all__ = ["ADDED_IN_ORDER", "NotPlain", "PlainCells", "is_plain", "plain_number", "singly"]

#: Sums of up to this many arguments are added up one after the other; of more, in an order of their own.
ADDED_IN_ORDER = 7


class NotPlain(Exception):  # noqa: N818 - a signal, not an error
    """A value or an operation that only columns can handle."""


class PlainCells(Protocol):
    """The cells that a formula reads."""

    #: Where the formula stands.
    row: int
    column: int

    def number(self, node: Reference, *, blank_is_zero: bool) -> float:
        """The number in the cell of a reference. Raises NotPlain."""
        ...

    def numbers(self, node: Reference) -> list[float]:
        """The numbers in a small area, column by column; blanks and texts are left out. Raises NotPlain."""
        ...


def is_plain(node: Node) -> bool:
    """Whether a tree has only operations that `plain_number` knows."""
    match node:
        case Literal(value=value):
            return isinstance(value, float)
        case Varying():
            return True
        case Reference():
            return node.top == node.bottom and node.left == node.right and ":" not in (node.sheet or "")
        case Unary(sign="-" | "+" | "%", operand=operand):
            return is_plain(operand)
        case Binary(sign="+" | "-" | "*" | "/", left=left, right=right):
            return is_plain(left) and is_plain(right)
        case Call(function="IF", arguments=(Binary(sign=sign, left=left, right=right), yes, no)):
            return sign in _COMPARISONS and all(map(is_plain, (left, right, yes, no)))
        case Call(function="SUM", arguments=(Reference() as area,)):
            return ":" not in (area.sheet or "")
        case Call(function=name, arguments=arguments):
            return _single_function(name, len(arguments)) is not None and all(map(is_plain, arguments))
    return False


def plain_number(node: Node, cells: PlainCells) -> float:
    """The number that a tree gives. Raises NotPlain."""
    value = _number(node, cells)
    if not isfinite(value):
        raise NotPlain
    return value


def _number(node: Node, cells: PlainCells) -> float:
    work = _EVALUATORS.get(type(node))
    if work is None:
        raise NotPlain
    value: float = work(node, cells)
    return value


def _literal(node: Literal, cells: PlainCells) -> float:
    if not isinstance(node.value, float):
        raise NotPlain
    return node.value


def _unary(node: Unary, cells: PlainCells) -> float:
    value = _number(node.operand, cells)
    if node.sign == "-":
        return -value
    if node.sign == "%":
        return value / 100.0
    if node.sign != "+":
        raise NotPlain
    return value


def _binary(node: Binary, cells: PlainCells) -> float:
    left, right = _number(node.left, cells), _number(node.right, cells)
    match node.sign:
        case "+":
            return left + right
        case "-":
            return left - right
        case "*":
            return left * right
        case "/" if right and isfinite(right):
            return left / right
    raise NotPlain


def _call(node: Call, cells: PlainCells) -> float:
    if node.function == "IF" and len(node.arguments) == 3:
        condition, yes, no = node.arguments
        chosen = yes if _holds(condition, cells) else no  # the other one is not asked: its error would not show either
        return _not_blank(chosen, cells)
    if node.function == "SUM" and len(node.arguments) == 1 and isinstance(node.arguments[0], Reference):
        total = 0.0
        for value in cells.numbers(node.arguments[0]):
            total += value
        return total
    work = _single_function(node.function, len(node.arguments))
    if work is None:
        raise NotPlain
    given = [_number(argument, cells) for argument in node.arguments]
    if not all(map(isfinite, given)):
        raise NotPlain
    return work(*given)


def _holds(node: Node, cells: PlainCells) -> bool:
    if not isinstance(node, Binary) or node.sign not in _COMPARISONS:
        raise NotPlain
    left, right = _not_blank(node.left, cells), _not_blank(node.right, cells)
    if not (isfinite(left) and isfinite(right)):
        raise NotPlain
    return _COMPARISONS[node.sign](left < right, left == right or same_to_15_digits(left, right))


def _not_blank(node: Node, cells: PlainCells) -> float:
    """A value where a blank cell is something else than zero."""
    return cells.number(node, blank_is_zero=False) if isinstance(node, Reference) else _number(node, cells)


@lru_cache(maxsize=1024)
def _single_function(name: str, given: int) -> Callable[..., float] | None:
    function = functions().get(name)
    if function is None or function.mode is not Mode.ELEMENTWISE or not function.takes(given):
        return None
    if any(parameter.kind != "number" or parameter.repeats for parameter in function.parameters):
        return None
    try:
        return singly(function, given)
    except NotPlain:
        return None


def singly(function: Function, given: int) -> Callable[..., float]:
    """A function of columns of numbers as one of numbers; it raises NotPlain where it gives no number.

    Raises NotPlain when an argument that is left out would not be a number.
    """
    left_out = [parameter.default for parameter in function.parameters[given:]]
    if not all(isinstance(value, float) for value in left_out):
        raise NotPlain
    if function.single is not None and not left_out:
        return function.single

    def called(*values: float) -> float:
        with np.errstate(all="ignore"):
            result = function.work(*(np.array([value]) for value in (*values, *left_out)))
        if isinstance(result, np.ndarray) and result.dtype == np.float64:
            return float(result[0])
        if isinstance(result, Column) and result.kinds[0] == Kind.NUMBER:
            return float(result.numbers[0])
        raise NotPlain

    return called


_COMPARISONS: dict[str, Callable[[bool, bool], bool]] = {
    "=": lambda below, equal: equal,
    "<>": lambda below, equal: not equal,
    "<": lambda below, equal: below and not equal,
    "<=": lambda below, equal: below or equal,
    ">": lambda below, equal: not below and not equal,
    ">=": lambda below, equal: not below or equal,
}
_EVALUATORS: dict[type, Callable[[Any, PlainCells], float]] = {
    Literal: _literal,
    Varying: lambda node, cells: node.numbers.one(node.index, cells.row, cells.column),
    Reference: lambda node, cells: cells.number(node, blank_is_zero=True),
    Unary: _unary,
    Binary: _binary,
    Call: _call,
}
