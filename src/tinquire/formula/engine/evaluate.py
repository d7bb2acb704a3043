"""Running a tree for a whole run of cells at once.

Each node gives one operand for all lanes. Where that cannot be (a range that grows with the lane inside a function
that takes whole ranges, arrays met by lanes), `PerLane` is raised and the nearest call is run lane by lane
instead: slower, never different.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from tinquire.cells.column import Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import first_fault, logicals, numbers, texts, with_faults
from tinquire.formula.engine.matrix import Matrix, stack_arguments
from tinquire.formula.engine.operands import Areas, Closure, Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.operators import BINARY, RUNNING, UNARY, running
from tinquire.formula.engine.references import (
    PerLane,
    for_lanes_single,
    grid_of,
    intersect,
    join_references,
    single,
    span_of,
    spill_area,
)
from tinquire.formula.engine.registry import Function, Mode, functions
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import (
    Apply,
    ArrayConstant,
    Binary,
    Call,
    Literal,
    Missing,
    Name,
    Node,
    Reference,
    TableReference,
    Unary,
    Union,
    Varying,
)

__all__ = [
    "LEFT_OUT",
    "PerLane",
    "apply",
    "evaluate",
    "evaluate_column",
    "evaluate_scalar",
    "fixed_value",
    "grid_of",
    "lift",
    "single",
    "span_of",
]

#: A name may stand for a formula that holds names; deeper chains than this are treated as a loop.
MAX_NAME_DEPTH = 32
#: Functions that call themselves deeper than this are treated as a loop.
MAX_CALL_DEPTH = 50
#: What stands for a parameter that a call leaves out.
LEFT_OUT = Scalar(None)


def evaluate(node: Node, frame: Frame) -> Operand:
    """The value of an expression in a frame; references stay references."""
    return _EVALUATORS[type(node)](node, frame)


def _table(node: TableReference, frame: Frame) -> Operand:
    found = frame.scope.table(node, frame)
    return Scalar(CellError.REF) if found is None else _for_lanes(found, frame)


def _array(node: ArrayConstant, frame: Frame) -> Operand:
    columns = (
        Column.from_values(constant.value for constant in constants) for constants in zip(*node.rows, strict=True)
    )
    return Grid(tuple(columns), len(node.rows))


def _binary(node: Binary, frame: Frame) -> Operand:
    return _or_by_lane(node, frame, _chain if node.sign in BINARY else _joined_areas)


def _unary(node: Unary, frame: Frame) -> Operand:
    if node.sign == "#":
        return spill_area(evaluate(node.operand, frame), frame)
    return _or_by_lane(node, frame, _one_value if node.sign == "@" else _apply_sign)


def _apply_operator(node: Apply, frame: Frame) -> Operand:
    return apply(evaluate(node.function, frame), [evaluate(argument, frame) for argument in node.arguments], frame)


def evaluate_column(node: Node, frame: Frame) -> Column:
    """One value for each lane; of an array, its first."""
    try:
        operand = _one_operand(node, frame)
    except PerLane:
        return Column.from_values(evaluate_scalar(node, frame.lane(lane)) for lane in range(frame.count))
    if isinstance(operand, Lanes):
        return operand.column
    value = operand.value(0, 0) if isinstance(operand, Grid) else operand.value
    return Column.full(value, frame.count)


def _one_operand(node: Node, frame: Frame) -> Scalar | Lanes | Grid:
    return single(_or_by_lane(node, frame, _value), frame)


def evaluate_scalar(node: Node, frame: Frame) -> Value:
    """The one value of an expression in a frame of one lane; of an array, its first."""
    return evaluate_column(node, frame)[0]


def fixed_value(node: Node, frame: Frame) -> Value:
    """The value of an argument that must be the same for all lanes. Raises PerLane when it is not."""
    operand = single(evaluate(node, frame), frame)
    if not isinstance(operand, Scalar):
        raise PerLane
    return operand.value


# -- references ------------------------------------------------------------------------------------------


def _joined_areas(node: Binary, frame: Frame) -> Operand:
    return join_references(node.sign, evaluate(node.left, frame), evaluate(node.right, frame), frame)


def _one_value(node: Unary, frame: Frame) -> Operand:
    """`@`: the value in the cell's own row or column; of an array, the first."""
    operand = evaluate(node.operand, frame)
    if isinstance(operand, Span) and not operand.is_cell:
        if operand.moves:
            raise PerLane
        return intersect(operand, frame)
    found = single(operand, frame)
    return Scalar(found.value(0, 0)) if isinstance(found, Grid) else found


def apply(called: Operand, given: Sequence[Operand], frame: Frame) -> Operand:
    """A function value's result; one that is no function, or takes other arguments, is an error value."""
    if isinstance(called, Scalar) and isinstance(called.value, CellError):
        return called
    if not isinstance(called, Closure) or len(given) > len(called.parameters):
        return Scalar(CellError.VALUE)
    if frame.depth >= MAX_CALL_DEPTH:
        return Scalar(CellError.NUM)
    known = dict(zip(called.parameters, given, strict=False))
    left_out = dict.fromkeys(called.parameters[len(given) :], LEFT_OUT)
    return evaluate(called.body, replace(frame, names={**called.names, **known, **left_out}, depth=frame.depth + 1))


def _for_lanes(operand: Operand, frame: Frame) -> Operand:
    return for_lanes_single(operand.column, frame) if isinstance(operand, Lanes) else operand


def _name(node: Name, frame: Frame, depth: int = 0) -> Operand:
    if node.sheet is None and (own := frame.names.get(node.name.casefold())) is not None:
        return own
    found = frame.scope.name(node.name, node.sheet, frame)
    if found is None or depth > MAX_NAME_DEPTH:
        return Scalar(CellError.NAME)
    if isinstance(found, Scalar | Lanes | Grid | Span | Areas | Closure):
        return _for_lanes(found, frame)
    return _name(found, frame, depth + 1) if isinstance(found, Name) else evaluate(found, frame)


# -- one value per lane ----------------------------------------------------------------------------------


def lift(operands: Sequence[Scalar | Lanes | Grid], work: Callable[..., Column]) -> Scalar | Lanes | Grid:
    """Apply work on columns to operands of any shape; arrays spread over each other as 18.17.2.7 says.

    Raises PerLane when lanes meet arrays.
    """
    grids = [operand for operand in operands if isinstance(operand, Grid)]
    lanes = [operand for operand in operands if isinstance(operand, Lanes)]
    if grids:
        if lanes:
            raise PerLane
        height, width = max(grid.height for grid in grids), max(grid.width for grid in grids)
        flat = work(*(_spread(operand, height, width) for operand in operands)).repeat(height * width)
        return Grid(tuple(flat.slice(c * height, (c + 1) * height) for c in range(width)), height)
    if lanes:
        count = len(lanes[0].column)
        columns = (o.column if isinstance(o, Lanes) else _one(o) for o in operands)
        return Lanes(work(*columns).repeat(count))
    return Scalar(work(*(_one(operand) for operand in operands))[0])


def _one(operand: Operand) -> Column:
    assert isinstance(operand, Scalar)
    return Column.full(operand.value, 1)


def _spread(operand: Operand, height: int, width: int) -> Column:
    """An array's values as they spread over a larger one: one row or column repeats, the rest is missing."""
    if isinstance(operand, Scalar):
        return _one(operand)
    assert isinstance(operand, Grid)
    columns = operand.columns * width if operand.width == 1 else operand.columns
    missing = Column.full(CellError.NA, height)
    stretched = []
    for index in range(width):
        column = columns[index] if index < len(columns) else missing
        if len(column) == 1:
            column = column.repeat(height)
        elif len(column) < height:
            column = Column.concat([column, missing.slice(len(column), height)])
        stretched.append(column)
    return Column.concat(stretched)


def _or_by_lane(node: Node, frame: Frame, work: Callable[[Any, Frame], Operand]) -> Operand:
    try:
        return work(node, frame)
    except PerLane:
        return by_lane(node, frame)


def _value(node: Node, frame: Frame) -> Operand:
    return single(evaluate(node, frame), frame)


def _apply_sign(node: Unary, frame: Frame) -> Operand:
    return lift([single(evaluate(node.operand, frame), frame)], UNARY[node.sign])


def _chain(node: Binary, frame: Frame) -> Operand:
    """An operator and those to its left, without a call for each: long sums are common."""
    spine: list[Binary] = []
    first: Node = node
    while isinstance(first, Binary) and first.sign in BINARY:
        spine.append(first)
        first = first.left
    result = single(evaluate(first, frame), frame)
    waiting: list[tuple[str, Column]] = []
    for item in reversed(spine):
        right = single(evaluate(item.right, frame), frame)
        if item.sign in RUNNING and isinstance(right, Lanes) and isinstance(result, Lanes):
            waiting.append((item.sign, right.column))
            continue
        result = lift([_add_chain(result, waiting), right], BINARY[item.sign])
        waiting = []
    return _add_chain(result, waiting)


def _add_chain(result: Scalar | Lanes | Grid, waiting: list[tuple[str, Column]]) -> Scalar | Lanes | Grid:
    """Sums, differences and products of columns that follow each other, calculated together."""
    return Lanes(running(result.column, waiting)) if waiting and isinstance(result, Lanes) else result


def by_lane(node: Node, frame: Frame) -> Operand:
    """Run one node for each lane on its own; in one lane, what has no single value there is run by element.

    Raises PerLane when a lane gives an array: then what stands around the node must be run lane by lane, too.
    """
    if frame.count == 1:
        return by_element(node, frame)
    values: list[Value] = []
    for lane in range(frame.count):
        operand = _one_operand(node, frame.lane(lane))
        if isinstance(operand, Grid) and (operand.height > 1 or operand.width > 1):
            raise PerLane
        values.append(
            operand.column[0]
            if isinstance(operand, Lanes)
            else operand.value(0, 0)
            if isinstance(operand, Grid)
            else operand.value
        )
    return Lanes(Column.from_values(values))


def by_element(node: Node, frame: Frame) -> Operand:
    """Run a call once for each element of the arrays that stand where it wants one value: an array of the results.

    So `SUM(SUMIFS(a, b, {"x","y"}))` adds up two conditional sums (18.17.2.7).
    """
    function = functions().get(node.function) if isinstance(node, Call) else None
    if function is None or not isinstance(node, Call):
        return Scalar(CellError.VALUE)
    arrays: dict[int, Grid] = {}
    for index, argument in enumerate(node.arguments):
        if function.parameter(index).kind != "cells":
            operand = single(evaluate(argument, frame), frame)
            if isinstance(operand, Grid):
                arrays[index] = operand
    if not arrays:
        return Scalar(CellError.VALUE)
    height = max(grid.height for grid in arrays.values())
    width = max(grid.width for grid in arrays.values())
    columns = [_spread(grid, height, width) for grid in arrays.values()]
    flat = Column.from_values(
        _call_value(node, dict(zip(arrays, values, strict=True)), frame) for values in zip(*columns, strict=True)
    )
    return Grid(tuple(flat.slice(index * height, (index + 1) * height) for index in range(width)), height)


def _call_value(node: Call, constants: Mapping[int, Value], frame: Frame) -> Value:
    """A call's value with constants in some of its arguments' places."""
    arguments = tuple(
        Literal(constants[index]) if index in constants else argument for index, argument in enumerate(node.arguments)
    )
    return evaluate_scalar(Call(node.function, arguments), frame)


# -- calls -----------------------------------------------------------------------------------------------


def _call(node: Call, frame: Frame) -> Operand:
    function = functions().get(node.function)
    if node.function.casefold() in frame.names or function is None:
        called = _name(Name(node.function), frame)
        return apply(called, [evaluate(argument, frame) for argument in node.arguments], frame)
    if not function.takes(len(node.arguments)):
        return Scalar(CellError.VALUE)
    try:
        match function.mode:
            case Mode.SPECIAL:
                result: Operand = function.work(node.arguments, frame)
                return _for_lanes(result, frame)
            case Mode.AGGREGATE:
                return _aggregate(function, node, frame)
            case Mode.ELEMENTWISE:
                return _elementwise(function, node, frame)
    except PerLane:
        return by_lane(node, frame)


def _aggregate(function: Function, node: Call, frame: Frame) -> Operand:
    operands = list(_parts(evaluate(argument, frame) for argument in node.arguments))
    matrix: Matrix | None = stack_arguments(operands, frame)
    if matrix is None:
        raise PerLane
    with np.errstate(all="ignore"):  # what is out of range becomes an error value
        column: Column = function.work(matrix)
    return Lanes(column) if frame.count > 1 and len(column) == frame.count else Scalar(column[0])


def _parts(operands: Iterable[Operand]) -> Iterator[Operand]:
    """Operands, of several areas each one."""
    for operand in operands:
        if isinstance(operand, Areas):
            yield from _parts(operand.parts)
        else:
            yield operand


_CONVERSIONS: dict[str, Callable[[Column], tuple[Any, Any]]] = {
    "number": numbers,
    "text": texts,
    "logical": logicals,
    "value": lambda column: (column, None),
}


def _elementwise(function: Function, node: Call, frame: Frame) -> Operand:
    operands = [single(evaluate(argument, frame), frame) for argument in node.arguments]
    given = len(operands)
    left_out = function.parameters[given:]
    operands.extend(Scalar(parameter.default) for parameter in left_out if not parameter.repeats)
    kinds = [function.parameter(index).kind for index in range(len(operands))]

    def work(*columns: Column) -> Column:
        count = max(len(column) for column in columns) if columns else 1
        converted = [_CONVERSIONS[kind](column.repeat(count)) for kind, column in zip(kinds, columns, strict=True)]
        with np.errstate(all="ignore"):
            result = function.work(*(values for values, _ in converted))
        faults = first_fault(*(fault for _, fault in converted))
        return with_faults(_as_column(result), faults)

    return lift(operands, work) if operands else Scalar(_as_column(function.work())[0])


def _as_column(result: Any) -> Column:
    """What an elementwise function returned, as a column."""
    if isinstance(result, Column):
        return result
    if isinstance(result, np.ndarray):
        return Column.of_booleans(result) if result.dtype == np.bool_ else Column.of_numbers(result)
    return Column.from_values(result)


def blank_to_zero(column: Column) -> Column:
    """What a formula's cell shows for a blank result: zero (18.17.2.6)."""
    if not column.holds(Kind.BLANK):
        return column
    return Column.where(column.kinds == Kind.BLANK, Column.full(0.0, 1), column)


def _varying(node: Varying, frame: Frame) -> Operand:
    if frame.count == 1:
        return Scalar(node.numbers.one(node.index, frame.row, frame.column))
    return Lanes(Column.of_numbers(node.numbers.many(node.index, frame.rows(), frame.columns())))


_EVALUATORS: dict[type, Callable[[Any, Frame], Operand]] = {
    Literal: lambda node, frame: Scalar(node.value),
    Varying: _varying,
    Missing: lambda node, frame: Scalar(None),
    Reference: span_of,
    Binary: _binary,
    Unary: _unary,
    Call: _call,
    TableReference: _table,
    Name: _name,
    ArrayConstant: _array,
    Union: lambda node, frame: Areas(tuple(evaluate(part, frame) for part in node.parts)),
    Apply: _apply_operator,
}
