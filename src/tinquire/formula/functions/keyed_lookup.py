"""Keys sought exactly, by pattern, or nearest, from either end; and cells of a pivot (18.17.7)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.engine.criteria import wildcard_pattern
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.operators import compare
from tinquire.formula.engine.references import PerLane, crop_together, single
from tinquire.formula.engine.registry import special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.arrays import taken_rows, transposed
from tinquire.formula.functions.lookup import KeyIndex, line_of
from tinquire.formula.functions.references import whole_argument
from tinquire.formula.language.tree import Missing, Name, Node


@special("GETPIVOTDATA(data: text, pivot: cells, field...: text, item...: value)")
def getpivotdata(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value of a pivot's cell, by the data that it shows and the items of its fields (18.17.7). In a sheet the
    pivot is given by one of its cells, in a docket by its name; without an item of a field the value is a total.

    >>> GETPIVOTDATA("Charge", A1)
    #REF!
    """
    given = [fixed_value(one, frame) for one in (arguments[0], *arguments[2:])]
    pivot = arguments[1]
    wrong = next((value for value in given if isinstance(value, CellError)), None)
    if wrong is not None or len(given) % 2 == 0:
        return Scalar(wrong or CellError.REF)
    names = [text_of(value) for value in (given[0], *given[1::2])]
    pairs = [(str(name), item) for name, item in zip(names[1:], given[2::2], strict=True)]
    if isinstance(pivot, Name) and (found := frame.scope.named_pivot(pivot.name, str(names[0]), pairs)) is not None:
        return Scalar(found)
    operand = evaluate(pivot, frame)
    if not isinstance(operand, Span):
        return Scalar(CellError.REF)
    if operand.moves:
        raise PerLane
    return Scalar(frame.scope.pivot_value(operand.sheet, operand.area.top, operand.area.left, str(names[0]), pairs))


# -- finding ---------------------------------------------------------------------------------------------


def _wanted(index: KeyIndex, key: Value, match: float, search: float) -> int:
    """The position of a key: match 0 equal, -1 equal or the next smaller, 1 or the next larger, 2 with wildcards; search
    1 from the start, -1 from the end, 2 and -2 in sorted order."""
    kind, way = int(match), int(search)
    if kind not in (-1, 0, 1, 2) or way not in (1, -1, 2, -2):
        raise ErrorValue(CellError.VALUE)
    if kind == 2 and isinstance(key, str):
        matches = wildcard_pattern(key).match
        positions = [n for n, value in enumerate(index.column) if isinstance(value, str) and matches(value)]
        return (positions[0] if way > 0 else positions[-1]) if positions else -1
    found = index.same(key, last=way < 0)
    return found if found >= 0 or kind == 0 else _near(index.column, key, kind, way)


def _near(column: Column, key: Value, kind: int, way: int) -> int:
    """The position of the next smaller (-1) or larger (1) value of the key's kind, or -1."""
    signs, faults = compare(column, Column.full(0.0 if key is None else key, 1))
    alike = column.kinds == Column.full(0.0 if key is None else key, 1).kinds[0]
    side = alike & (signs == kind)
    if faults is not None:
        side &= faults == 0
    indexes = np.flatnonzero(side)
    if not len(indexes):
        return -1
    best = indexes[0]
    ranked = column.take(indexes)
    order = _ranked(ranked)
    wanted = order.max() if kind < 0 else order.min()
    best = indexes[np.flatnonzero(order == wanted)[0 if way > 0 else -1]]
    return int(best)


def _ranked(column: Column) -> Any:
    texts, _ = column.ranked_texts()
    return np.where(column.kinds == column.kinds[0], np.where(column.kinds == 2, texts, column.numbers), 0)


def _found(
    arguments: tuple[Node, ...], frame: Frame, least: int, beside: Sequence[Operand] = ()
) -> tuple[list[int | CellError], bool, Column]:
    """Where the keys of a call lie, whether there is one for each lane, and the column that was searched."""
    operand = evaluate(arguments[1], frame.as_arrays())
    if isinstance(operand, Span) and min(operand.area.height, operand.area.width) != 1:
        raise ErrorValue(CellError.VALUE)  # as it is written, however much of it is filled
    line = line_of(crop_together([operand, *beside], frame)[0])
    match = (
        whole_argument(arguments[least], frame)
        if len(arguments) > least and not isinstance(arguments[least], Missing)
        else 0.0
    )
    search = whole_argument(arguments[least + 1], frame) if len(arguments) > least + 1 else 1.0
    keys = single(evaluate(arguments[0], frame), frame)
    if isinstance(keys, Grid):
        raise PerLane
    index = _shared_index(operand, line, frame)
    values = [keys.value] if isinstance(keys, Scalar) else list(keys.column)
    known: dict[tuple[type, Value], int | CellError] = {}
    positions = []
    for value in values:
        if (key := (type(value), value)) not in known:
            known[key] = value if isinstance(value, CellError) else _wanted(index, value, match, search)
        positions.append(known[key])
    return positions, isinstance(keys, Lanes), line


def _shared_index(operand: Operand, line: Column, frame: Frame) -> KeyIndex:
    if not isinstance(operand, Span):
        return KeyIndex(line)
    return frame.scope.indexes.made(("keys", len(line)), (operand,), len(line), lambda: KeyIndex(line))


@special("XMATCH(key: value, range: cells, match: number = 0, search: number = 1)")
def xmatch(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The position of a key in a row or column: equal, or with match -1 the next smaller, 1 the next larger, 2 by
    wildcards; search -1 begins at the end.

    >>> XMATCH(4, {1,3,5}, 1)
    3
    """
    try:
        positions, lanes, _ = _found(arguments, frame, 2)
    except ErrorValue as fault:
        return Scalar(fault.error)
    values = [p if isinstance(p, CellError) else CellError.NA if p < 0 else p + 1.0 for p in positions]
    return Lanes(Column.from_values(values)) if lanes else Scalar(values[0])


@special("XLOOKUP(key: value, range: cells, results: cells, missing?: value, match: number = 0, search: number = 1)")
def xlookup(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value (or row, or column) of another range at the position of a key, or what is given for a missing key.

    >>> XLOOKUP("b", {"a","b"}, {10,20})
    20
    """
    try:
        inner = frame.as_arrays()
        given = [evaluate(argument, inner) for argument in arguments[1:3]]
        positions, lanes, line = _found(arguments, frame, 4, given[1:])
    except ErrorValue as fault:
        return Scalar(fault.error)
    results = crop_together(given, frame)[1]
    down = results.height == len(line)
    if not down and results.width != len(line):
        return Scalar(CellError.VALUE)
    rows = results if down else transposed(results)
    has_other = len(arguments) > 3 and not isinstance(arguments[3], Missing)
    other = evaluate(arguments[3], frame) if has_other else Scalar(CellError.NA)
    if not lanes:
        position = positions[0]
        if isinstance(position, CellError):
            return Scalar(position)
        if position < 0:
            return other
        if isinstance(given[1], Span):  # the reference itself, which may be an end of a range
            area = given[1].area
            top, left = (area.top + position, area.left) if down else (area.top, area.left + position)
            return Span(given[1].sheet, Area(top, left, top if down else area.bottom, area.right if down else left))
        found = taken_rows(rows, np.array([position]))
        if found.width == 1:
            return Scalar(found.value(0, 0))
        return found if down else transposed(found)
    if rows.width > 1:
        raise PerLane
    at = np.array([-1 if isinstance(position, CellError) else position for position in positions])
    picked = rows.columns[0].take(np.maximum(at, 0))
    instead = single(other, frame)
    if isinstance(instead, Grid):
        raise PerLane
    column = Column.where(
        at < 0, instead.column if isinstance(instead, Lanes) else Column.full(instead.value, 1), picked
    )
    wrong = np.array([isinstance(position, CellError) for position in positions])
    if wrong.any():
        errors = Column.from_values(position if isinstance(position, CellError) else None for position in positions)
        column = Column.where(wrong, errors, column)
    return Lanes(column)
