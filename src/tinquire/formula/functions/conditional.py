"""Sums, counts and averages of what meets criteria."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.criteria import Criterion, criterion
from tinquire.formula.evaluate import PerLane, evaluate, grid_of, single
from tinquire.formula.operands import Grid, Lanes, Operand, Scalar
from tinquire.formula.registry import special
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Node


@special("SUMIFS(sums: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def sumifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers whose rows meet all criteria (OpenFormula 6).

    >>> SUMIFS({10;20;30}, {"a";"b";"a"}, "a")
    40
    """
    return _conditional(arguments[0], arguments[1:], frame, _sum)


@special("AVERAGEIFS(means: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def averageifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The mean of the numbers whose rows meet all criteria; none at all divides by zero (OpenFormula 6).

    >>> AVERAGEIFS({10;20;30}, {"a";"b";"a"}, "a")
    20
    """
    return _conditional(arguments[0], arguments[1:], frame, _mean)


@special("COUNTIFS(range: cells, criterion: value, range...: cells, criterion...: value)")
def countifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many rows meet all criteria (OpenFormula 6).

    >>> COUNTIFS({10;20;30}, ">15")
    2
    """
    return _conditional(arguments[0], arguments, frame, lambda _values, mask: float(mask.sum()))


@special("SUMIF(range: cells, criterion: value, sums?: cells)")
def sumif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers that meet a criterion, or that stand beside those that do (18.17.7).

    >>> SUMIF({10;20;30}, ">15")
    50
    """
    return _conditional(arguments[-1] if len(arguments) == 3 else arguments[0], arguments[:2], frame, _sum)


@special("COUNTIF(range: cells, criterion: value)")
def countif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many values meet a criterion (18.17.7).

    >>> COUNTIF({"bed","bath","table"}, "b*")
    2
    """
    return countifs(arguments, frame)


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
    values: Node, pairs: tuple[Node, ...], frame: Frame, work: Callable[[Column, Booleans], Value]
) -> Operand:
    """Ranges and criteria in pairs; one mask for each distinct criterion, one result for each distinct set."""
    if len(pairs) % 2:
        return Scalar(CellError.VALUE)
    target = grid_of(evaluate(values, frame), frame)
    ranges = [grid_of(evaluate(node, frame), frame) for node in pairs[::2]]
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


def _criteria(operand: Scalar | Lanes | Grid) -> list[Criterion]:
    if isinstance(operand, Grid):
        raise PerLane
    if isinstance(operand, Scalar):
        return [criterion(operand.value)]
    groups, distinct = operand.column.groups()
    read = [criterion(value) for value in distinct]
    return [read[group] for group in groups.tolist()]
