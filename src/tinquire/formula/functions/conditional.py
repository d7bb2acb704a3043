"""Sums, counts and averages of what meets criteria."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.criteria import Criterion, criterion
from tinquire.formula.evaluate import PerLane, evaluate, grid_of, single
from tinquire.formula.functions.shapes import stretched
from tinquire.formula.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.registry import special
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Node


@special("SUMIFS(sums: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def sumifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers whose rows meet all criteria (OpenFormula 6).

    >>> SUMIFS({10;20;30}, {"a";"b";"a"}, "a")
    40
    """
    return _conditional(evaluate(arguments[0], frame), arguments[1:], frame, _sum)


@special("AVERAGEIFS(means: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def averageifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The mean of the numbers whose rows meet all criteria; none at all divides by zero (OpenFormula 6).

    >>> AVERAGEIFS({10;20;30}, {"a";"b";"a"}, "a")
    20
    """
    return _conditional(evaluate(arguments[0], frame), arguments[1:], frame, _mean)


@special("COUNTIFS(range: cells, criterion: value, range...: cells, criterion...: value)")
def countifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many rows meet all criteria (OpenFormula 6).

    >>> COUNTIFS({10;20;30}, ">15")
    2
    """
    return _conditional(evaluate(arguments[0], frame), arguments, frame, lambda _values, mask: float(mask.sum()))


@special("SUMIF(range: cells, criterion: value, sums?: cells)")
def sumif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers that meet a criterion, or that stand beside those that do (18.17.7).

    >>> SUMIF({10;20;30}, ">15")
    50
    """
    return _beside(arguments, frame, _sum)


@special("AVERAGEIF(range: cells, criterion: value, means?: cells)")
def averageif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The mean of the numbers that meet a criterion, or that stand beside those that do (18.17.7).

    >>> AVERAGEIF({10;20;30}, ">15")
    25
    """
    return _beside(arguments, frame, _mean)


@special("MAXIFS(values: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def maxifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The largest of the numbers whose rows meet all criteria; nought when there is none.

    >>> MAXIFS({10;20;30}, {"a";"b";"a"}, "a")
    30
    """
    return _conditional(
        evaluate(arguments[0], frame), arguments[1:], frame, lambda values, mask: _extreme(values, mask, np.max)
    )


@special("MINIFS(values: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def minifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The smallest of the numbers whose rows meet all criteria; nought when there is none.

    >>> MINIFS({10;20;30}, {"a";"b";"a"}, "a")
    10
    """
    return _conditional(
        evaluate(arguments[0], frame), arguments[1:], frame, lambda values, mask: _extreme(values, mask, np.min)
    )


@special("COUNTIF(range: cells, criterion: value)")
def countif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many values meet a criterion (18.17.7).

    >>> COUNTIF({"bed","bath","table"}, "b*")
    2
    """
    return countifs(arguments, frame)


def _beside(arguments: tuple[Node, ...], frame: Frame, work: Callable[[Column, Booleans], Value]) -> Operand:
    """A range and its criterion, with what is summed beside it: an area of the same size from where that begins."""
    if len(arguments) < 3:
        return _conditional(evaluate(arguments[0], frame), arguments[:2], frame, work)
    tested, beside = evaluate(arguments[0], frame), evaluate(arguments[2], frame)
    if isinstance(tested, Span) and isinstance(beside, Span) and not tested.moves and not beside.moves:
        size, corner = tested.area, beside.area
        bottom, right = corner.top + size.height - 1, corner.left + size.width - 1
        if bottom > MAX_ROW or right > MAX_COLUMN:
            return Scalar(CellError.REF)
        beside = Span(beside.sheet, Area(corner.top, corner.left, bottom, right))
    return _conditional(beside, arguments[:2], frame, work)


def _extreme(values: Column, mask: Booleans, pick: Callable[..., np.float64]) -> Value:
    wrong = mask & (values.kinds == Kind.ERROR)
    if wrong.any():
        return values[int(wrong.argmax())]
    numbers = values.numbers[mask & (values.kinds == Kind.NUMBER)]
    return float(pick(numbers)) if len(numbers) else 0.0


def _sum(values: Column, mask: Booleans) -> Value:
    wrong = mask & (values.kinds == Kind.ERROR)
    if wrong.any():
        return values[int(wrong.argmax())]
    return float(values.numbers[mask & (values.kinds == Kind.NUMBER)].sum())


def _mean(values: Column, mask: Booleans) -> Value:
    total = _sum(values, mask)
    many = int((mask & (values.kinds == Kind.NUMBER)).sum())
    if not isinstance(total, float):
        return total
    return total / many if many else CellError.DIV0


def _conditional(
    values: Operand, pairs: tuple[Node, ...], frame: Frame, work: Callable[[Column, Booleans], Value]
) -> Operand:
    """Ranges and criteria in pairs; one mask for each distinct criterion, one result for each distinct set."""
    if len(pairs) % 2:
        return Scalar(CellError.VALUE)
    operands = [values, *(evaluate(node, frame) for node in pairs[::2])]
    target, *ranges = _alike([grid_of(operand, frame) for operand in operands], operands)
    if any((grid.height, grid.width) != (target.height, target.width) for grid in ranges):
        return Scalar(CellError.VALUE)
    flat = [grid.flat() for grid in ranges]
    flat_target = target.flat()
    wanted = [_criteria(single(evaluate(node, frame), frame)) for node in pairs[1::2]]
    masks: dict[tuple[int, Criterion], Booleans] = {}
    results: dict[tuple[Criterion, ...], Value] = {}

    def result(criteria: tuple[Criterion, ...]) -> Value:
        if criteria not in results:
            mask = np.ones(len(flat_target), bool)
            for place, one in enumerate(criteria):
                if (place, one) not in masks:
                    masks[place, one] = one.mask(flat[place])
                mask = mask & masks[place, one]
            results[criteria] = work(flat_target, mask)
        return results[criteria]

    lanes = max(len(criteria) for criteria in wanted)
    if lanes == 1:
        return Scalar(result(tuple(criteria[0] for criteria in wanted)))
    spread = [criteria if len(criteria) == lanes else criteria * lanes for criteria in wanted]
    return Lanes(Column.from_values(result(criteria) for criteria in zip(*spread, strict=True)))


def _alike(grids: list[Grid], operands: list[Operand]) -> list[Grid]:
    """Ranges of one size that were cut to the used parts of their sheets, made of one size again with blanks."""
    spans = [operand.area for operand in operands if isinstance(operand, Span)]
    if len(spans) < len(grids) or any((a.height, a.width) != (spans[0].height, spans[0].width) for a in spans):
        return grids
    height, width = max(grid.height for grid in grids), max(grid.width for grid in grids)
    return [
        grid if (grid.height, grid.width) == (height, width) else stretched(grid, height, width, None) for grid in grids
    ]


def _criteria(operand: Scalar | Lanes | Grid) -> list[Criterion]:
    if isinstance(operand, Grid):
        raise PerLane
    if isinstance(operand, Scalar):
        return [criterion(operand.value)]
    groups, distinct = operand.column.groups()
    read = [criterion(value) for value in distinct]
    return [read[group] for group in groups.tolist()]
