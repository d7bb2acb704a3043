"""Calendar parts of date serials, in the date system of the scope."""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.dates import DateParts, date_parts, serials_from_parts
from tinquire.formula.engine.conversions import Faulty, first_fault, numbers, with_faults
from tinquire.formula.engine.evaluate import evaluate, lift, single
from tinquire.formula.engine.operands import Operand
from tinquire.formula.engine.registry import special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@special("DATE(year: number, month: number, day: number)")
def date(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The serial of a day; months and days run over into the next (18.17.7).

    >>> DATE(2026, 14, 1)
    46419
    """
    operands = [single(evaluate(argument, frame), frame) for argument in arguments]

    def work(*columns: Column) -> Column:
        read = [numbers(column) for column in columns]
        year, month, day = (values for values, _ in read)
        serials = serials_from_parts(year, month, day, frame.scope.date_system)
        return with_faults(Column.of_numbers(serials), _spread(first_fault(*(f for _, f in read)), serials))

    return lift(operands, work)


def _spread(faults: Faulty | None, values: Floats) -> Faulty | None:
    return None if faults is None else np.broadcast_to(faults, values.shape)


def _part(arguments: tuple[Node, ...], frame: Frame, part: str) -> Operand:
    def work(column: Column) -> Column:
        values, faults = numbers(column)
        parts: DateParts = date_parts(values, frame.scope.date_system)
        return with_faults(Column.of_numbers(parts._asdict()[part]), faults)

    return lift([single(evaluate(arguments[0], frame), frame)], work)


@special("YEAR(day: number)")
def year(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The year of a day (18.17.7).

    >>> YEAR(DATE(2026, 10, 31))
    2026
    """
    return _part(arguments, frame, "year")


@special("MONTH(day: number)")
def month(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The month of a day, 1 to 12 (18.17.7).

    >>> MONTH("2026-10-31")
    10
    """
    return _part(arguments, frame, "month")


@special("DAY(day: number)")
def day(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The day of the month, 1 to 31 (18.17.7).

    >>> DAY(DATE(2026, 10, 31))
    31
    """
    return _part(arguments, frame, "day")
