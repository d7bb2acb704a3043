"""Ways to declare functions that are written for single values or whole arrays instead of for lanes.

    plain     one Python value for each parameter, one result: run once for each lane
    sample    the numbers of all arguments as one array: run once for each lane
    arrays    ranges as `Grid`, other parameters as Python values: the result is a value or a `Grid`

They are for the many functions of which no sheet holds a hundred thousand; those that fill whole columns are written
on arrays, with the decorators of `registry`. Such a function raises `ErrorValue` for an error of its own; a division
by zero, and a number out of range, become error values by themselves.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import boolean_of, number_of, text_of
from tinquire.formula.engine.evaluate import evaluate
from tinquire.formula.engine.matrix import Matrix
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar
from tinquire.formula.engine.references import PerLane, grid_of, single
from tinquire.formula.engine.registry import Parameter, aggregate, elementwise, parameters_of, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Missing, Node

__all__ = [
    "ErrorValue",
    "arrays",
    "call_guarded",
    "grid_from",
    "grid_rows",
    "numbers_in",
    "plain",
    "require_room",
    "sample",
]

#: An array of more cells than this is refused.
MAX_CELLS = 20_000_000


class ErrorValue(Exception):  # noqa: N818 - it becomes a value, not a message
    """The result is an error value."""

    def __init__(self, error: CellError) -> None:
        super().__init__(error.text)
        self.error = error


def call_guarded(work: Callable[..., Any], *given: Any) -> Any:
    """A function's result; what Python cannot calculate, and what is not a finite number, is an error value."""
    try:
        with np.errstate(all="ignore"):
            found = work(*given)
    except ErrorValue as fault:
        return fault.error
    except ZeroDivisionError:
        return CellError.DIV0
    except (ValueError, OverflowError, ArithmeticError):
        return CellError.NUM
    except (RecursionError, MemoryError):
        return CellError.CALC
    if isinstance(found, complex | np.complexfloating):
        return CellError.NUM
    if isinstance(found, np.generic):
        found = found.item()
    if isinstance(found, float) and not math.isfinite(found):
        return CellError.NUM
    return found


def plain(signature: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Declare a function of single values. A parameter without a default that is left out is None."""
    kinds = parameters_of(signature)

    def declare(work: Callable[..., Any]) -> Callable[..., Any]:
        def lanes(*given: Any) -> list[Value]:
            columns = [item.tolist() if isinstance(item, np.ndarray) else list(item) for item in given]
            return (
                [call_guarded(work, *values) for values in zip(*columns, strict=True)]
                if columns
                else [call_guarded(work)]
            )

        optional = any(kind.optional and kind.default is None and not kind.repeats for kind in kinds)
        if optional:  # a value left out must stay apart from zero
            return arrays(signature)(work)
        lanes.__doc__, lanes.__module__ = work.__doc__, work.__module__
        elementwise(signature)(lanes)
        return work

    return declare


def sample(signature: str) -> Callable[[Callable[[Floats], Any]], Callable[[Floats], Any]]:
    """Declare a function of the numbers among its arguments: texts, yes/no and blanks in ranges are left out, an error
    among them is the result."""

    def declare(work: Callable[[Floats], Any]) -> Callable[[Floats], Any]:
        def lanes(cells: Matrix) -> Column:
            faults = cells.first_errors()
            results: list[Value] = []
            for lane in range(cells.lanes):
                if faults is not None and faults[lane]:
                    results.append(CellError.from_code(int(faults[lane]) - 1))
                    continue
                numbers = cells.numbers[:, lane][cells.kinds[:, lane] == Kind.NUMBER]
                results.append(call_guarded(work, numbers))
            return Column.from_values(results)

        lanes.__doc__, lanes.__module__ = work.__doc__, work.__module__
        aggregate(signature)(lanes)
        return work

    return declare


def arrays(signature: str, *, framed: bool = False) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Declare a function of whole ranges; with `framed` it is given the frame first.

    Ranges are arrays in its `cells` parameters, whatever the formula is. A parameter that is left out is its default,
    None when it has none.
    """
    parameters = parameters_of(signature)

    def declare(work: Callable[..., Any]) -> Callable[..., Any]:
        def call(arguments: tuple[Node, ...], frame: Frame) -> Operand:
            given = [_argument(_parameter(parameters, n), argument, frame) for n, argument in enumerate(arguments)]
            given += [parameter.default for parameter in parameters[len(arguments) :] if not parameter.repeats]
            if framed:
                given.insert(0, frame)
            return _over_lanes(work, given, frame)

        call.__doc__, call.__module__ = work.__doc__, work.__module__
        special(signature)(call)
        return work

    return declare


def _parameter(parameters: tuple[Parameter, ...], place: int) -> Parameter:
    if place < len(parameters):
        return parameters[place]
    repeating = [parameter for parameter in parameters if parameter.repeats]
    return repeating[(place - len(parameters)) % len(repeating)]


class _Varied(list[Any]):
    """One value for each lane."""


def _argument(parameter: Parameter, argument: Node, frame: Frame) -> Any:
    """An argument as its parameter wants it; raises PerLane where it is an array in place of one value."""
    if isinstance(argument, Missing):
        if parameter.optional and not parameter.repeats:
            return parameter.default
        return grid_from([[None]]) if parameter.kind == "cells" else _convert(None, parameter.kind)
    if parameter.kind == "cells":
        inner = frame if frame.arrays else frame.as_arrays()
        return grid_of(evaluate(argument, inner), inner)
    operand = single(evaluate(argument, frame), frame)
    if isinstance(operand, Grid):
        if operand.height * operand.width > 1:
            raise PerLane
        operand = Scalar(operand.value(0, 0))
    if isinstance(operand, Lanes):
        return _Varied(_convert(value, parameter.kind) for value in operand.column)
    assert isinstance(operand, Scalar)
    return _convert(operand.value, parameter.kind)


def _convert(value: Value, kind: str) -> Any:
    convert: dict[str, Callable[[Value], Any]] = {"number": number_of, "text": text_of, "logical": boolean_of}
    return convert[kind](value) if kind in convert else value


def _over_lanes(work: Callable[..., Any], given: list[Any], frame: Frame) -> Operand:
    if not any(isinstance(item, _Varied) for item in given):
        return _operand(_call_lane(work, given))
    results = []
    for lane in range(frame.count):
        found = _call_lane(work, [item[lane] if isinstance(item, _Varied) else item for item in given])
        if isinstance(found, Grid):
            raise PerLane
        results.append(found)
    return Lanes(Column.from_values(results))


def _call_lane(work: Callable[..., Any], given: list[Any]) -> Any:
    """The result for values of one lane; an error among those that were converted is the result."""
    for item in given:
        if isinstance(item, CellError):
            return item
    return call_guarded(work, *given)


def _operand(found: Any) -> Operand:
    if isinstance(found, Grid):
        return found
    value = float(found) if isinstance(found, int) and not isinstance(found, bool) else found
    return Scalar(value)


# -- arrays ----------------------------------------------------------------------------------------------


def numbers_in(grid: Grid) -> Floats:
    """The numbers among an array's values, column after column. Raises ErrorValue for the first error among them."""
    flat = grid.flat()
    wrong = np.flatnonzero(flat.kinds == Kind.ERROR)
    if len(wrong):
        raise ErrorValue(CellError.from_code(int(flat.numbers[wrong[0]])))
    return flat.numbers[flat.kinds == Kind.NUMBER]


def grid_rows(grid: Grid) -> Iterator[tuple[Value, ...]]:
    """An array's rows as Python values."""
    return zip(*grid.columns, strict=True)


def require_room(height: int, width: int) -> None:
    """Refuse an array that no sheet could hold, or no memory. Raises ErrorValue."""
    if height > MAX_ROW or width > MAX_COLUMN or height * width > MAX_CELLS:
        raise ErrorValue(CellError.NUM)


def grid_from(rows: Any) -> Grid:
    """An array of rows of values, or of a matrix of numbers. Raises ErrorValue when it is empty or too large."""
    if isinstance(rows, np.ndarray):
        if rows.size == 0:
            raise ErrorValue(CellError.CALC)
        require_room(*rows.shape)
        return Grid(tuple(Column.of_numbers(rows[:, index]) for index in range(rows.shape[1])), rows.shape[0])
    rows = list(rows)
    if not rows or not rows[0]:
        raise ErrorValue(CellError.CALC)
    require_room(len(rows), len(rows[0]))
    return Grid(tuple(Column.from_values(column) for column in zip(*rows, strict=True)), len(rows))
