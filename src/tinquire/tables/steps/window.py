"""window: a column calculated from the rows around, within groups."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Annotated

import numpy as np
from pydantic import Field as Key

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.tables.keys import key_groups
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, Table, require


@step
@dataclass(frozen=True)
class Window(Step):
    """Add a column calculated from the rows above, in the order in which they stand, within groups of rows that are
    equal in the columns of `within`: `as` is the way and the column, as "running Charge" (the sum so far), "previous
    Charge", "difference Charge" (to the row above), "rank Charge" (the largest is first), "share Charge" (of the
    group's sum), or "number" (the row's number)."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    window: str
    as_: Annotated[str, Key(alias="as")]
    within: list[str] = field(default_factory=list)

    def apply(self, table: Table, context: StepContext) -> Table:
        way, _, name = self.as_.partition(" ")
        if way not in _FUNCTIONS or bool(name.strip()) == (way == "number"):
            why = f"'{self.as_}' is not a window function: {known_names(way, list(_FUNCTIONS))}"
            raise UseError(Fault(context.stopped, why, context.where, 'write it like "running Charge"'))
        positions = require(table, self.within, context.stopped)
        groups = (
            key_groups([table.columns[index] for index in positions])[0]
            if positions
            else np.zeros(table.height, np.int32)
        )
        order = np.argsort(groups, kind="stable")
        starts = np.flatnonzero(np.diff(groups[order], prepend=-1)) if table.height else np.zeros(0, np.int64)
        if way == "number":
            return table.with_column(Field(self.window, "whole"), _back(_numbers(starts, len(order)), order))
        (index,) = require(table, [name.strip()], context.stopped)
        one, column = table.fields[index], table.columns[index]
        if way == "previous":
            return table.with_column(replace(one, name=self.window), _previous(column, order, starts))
        wrong = np.flatnonzero((column.kinds != Kind.NUMBER) & (column.kinds != Kind.BLANK))
        if len(wrong):
            row = int(wrong[0])
            why = f"'{column[row]}' in column '{one.name}' is not a number"
            raise DataError(Fault(context.stopped, why, table.where(row), "give the column a type of number"))
        values = _FUNCTIONS[way](np.where(column.kinds == Kind.BLANK, np.nan, column.numbers)[order], starts)
        kind = {"rank": "whole", "share": "percent"}.get(way, one.type)
        return table.with_column(Field(self.window, kind), _back(values, order))

    def says(self) -> str:
        return f"window {self.window}"


def _back(values: Floats, order: Codes) -> Column:
    """Values in the table's own order; what is missing is blank."""
    placed = np.empty(len(values))
    placed[order] = values
    missing = np.isnan(placed)
    return Column.where(missing, Column.blank(1), Column.of_numbers(np.where(missing, 0.0, placed)))


def _numbers(starts: Codes, count: int) -> Floats:
    begun = np.zeros(count, np.int64)
    begun[starts] = starts
    return (np.arange(count) - np.maximum.accumulate(begun) + 1).astype(np.float64)


def _previous(column: Column, order: Codes, starts: Codes) -> Column:
    above = np.concatenate([order[:1], order[:-1]])
    first = np.zeros(len(order), bool)
    first[starts] = True
    indexes, none = np.empty(len(order), np.int64), np.empty(len(order), bool)
    indexes[order], none[order] = above, first
    return Column.where(none, Column.blank(1), column.take(indexes))


def _by_group(work: Callable[[Floats], Floats]) -> Callable[[Floats, Codes], Floats]:
    def over(values: Floats, starts: Codes) -> Floats:
        parts = [work(part) for part in np.split(values, starts[1:])]
        return np.concatenate(parts) if parts else values

    return over


def _running(values: Floats, starts: Codes) -> Floats:
    return _by_group(np.nancumsum)(values, starts)


def _difference(values: Floats, starts: Codes) -> Floats:
    apart = np.diff(values, prepend=np.nan)
    apart[starts] = np.nan
    return apart


def _rank(values: Floats) -> Floats:
    falling = -values
    positions = np.searchsorted(np.sort(falling), falling) + 1.0  # what is missing sorts behind
    return np.where(np.isnan(values), np.nan, positions)


def _share(values: Floats) -> Floats:
    total = np.nansum(values)
    return values / total if total else np.full(len(values), np.nan)


_FUNCTIONS: dict[str, Callable[[Floats, Codes], Floats]] = {
    "running": _running,
    "previous": lambda values, starts: values,
    "difference": _difference,
    "rank": _by_group(_rank),
    "share": _by_group(_share),
    "number": lambda values, starts: values,
}
