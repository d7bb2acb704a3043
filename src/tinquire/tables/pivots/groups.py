"""Groups of rows that a pivot is made of: rows that agree in all of its fields, and what is known of their values.

A pivot looks at rows once, to tell them apart by its fields. All else, bringing days together into months, putting in
order, cutting to the top, adding up, is done with these groups, of which there are few.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from tinquire.cells.column import Codes, Column
from tinquire.cells.values import Value
from tinquire.tables.aggregation import Aggregation, Summary, aggregate, members
from tinquire.tables.keys import key_groups
from tinquire.tables.origin import Members, Origin
from tinquire.tables.scope import GroupScope, read_formula, scalar_value
from tinquire.tables.table import Field, Table, require

__all__ = ["GroupSource", "PivotValue", "RowGroups"]


@dataclass(frozen=True, slots=True)
class PivotValue:
    """One value of a pivot: the column it works on and how, or a formula over a group's rows; the name it goes by, and
    what it is shown in relation to (a word of `SHOWN`)."""

    column: str
    how: Aggregation | None
    name: str
    formula: str | None = None
    shown: str | None = None


class GroupSource(Protocol):
    """Rows distinguished by columns, wherever the rows live."""

    @property
    def labels(self) -> Table:
        """A row for each group, with at least the columns that tell groups apart."""

    def field(self, column: str) -> Field:
        """The heading and type of any column of the rows."""

    def summary(self, column: str) -> Summary:
        """What is known of a column's values in each group."""

    def origin(self) -> Origin | None:
        """Where all rows of each group came from; None where that is not known."""

    def worked_out(self, value: PivotValue, groups: Codes, count: int) -> Column:
        """A value that does not follow from summaries, for each of `count` larger groups: to each group belongs the
        one of its number, or none (-1)."""


class RowGroups:
    """Groups of the rows of a table."""

    def __init__(self, table: Table, columns: Sequence[str], scope: GroupScope, stopped: str) -> None:
        self.table, self.scope, self.stopped = table, scope, stopped
        positions = require(table, list(dict.fromkeys(columns)), stopped)
        if positions:
            self._groups, self._count = key_groups([table.columns[index] for index in positions])
        else:
            self._groups, self._count = np.zeros(table.height, np.int32), min(table.height, 1)
        first = np.zeros(self._count, np.int64)
        first[self._groups[::-1]] = np.arange(table.height - 1, -1, -1)  # the last one written is the first
        own = positions or ([0] if table.columns else [])
        origin = table.origin.firsts().take(first) if table.origin is not None else _rows_of(table, first)
        self.labels = Table(
            table.name, tuple(table.fields[n] for n in own), tuple(table.columns[n].take(first) for n in own), origin
        )
        self._summaries: dict[str, Summary] = {}
        self._flags: dict[str, Codes | None] = {}

    def field(self, column: str) -> Field:
        return self.table.field(column)

    def summary(self, column: str) -> Summary:
        key = column.casefold()
        if key not in self._summaries:
            values = self.table.columns[self.table.find(column, self.stopped)]
            self._summaries[key] = Summary.of(values, self._groups, self._count)
        return self._summaries[key]

    def origin(self) -> Origin | None:
        if self.table.origin is None:
            return None
        return self.table.origin.brought_together(Members.of_groups(self._groups, self._count))

    def worked_out(self, value: PivotValue, groups: Codes, count: int) -> Column:
        if value.how is Aggregation.DISTINCT and (flags := self._members(value.column)) is not None:
            return Column.of_numbers(_different(flags, groups, count))
        of_rows = groups.astype(np.int32)[self._groups]
        table = self.table
        if len(groups) and groups.min() < 0:
            table, of_rows = table.take(of_rows >= 0), of_rows[of_rows >= 0]
        if value.formula is None:
            assert value.how is not None
            return aggregate(value.how, table.columns[table.find(value.column, self.stopped)], of_rows, count)
        tree = read_formula(value.formula, self._over_all, self.stopped)
        order = np.argsort(of_rows, kind="stable")
        ends = np.searchsorted(of_rows[order], np.arange(count), side="right")
        found: list[Value] = []
        for start, end in zip([0, *ends[:-1].tolist()], ends.tolist(), strict=True):
            found.append(scalar_value(tree, self.scope.over(table.take(order[start:end]))) if end > start else None)
        return Column.from_values(found)

    def _members(self, column: str) -> Codes | None:
        """Which of a column's values each group has, eight to a byte, unless there are too many."""
        key = column.casefold()
        if key not in self._flags:
            values = self.table.columns[self.table.find(column, self.stopped)]
            flags = members(values, self._groups, self._count)
            self._flags[key] = None if flags is None else np.packbits(flags, axis=1)
        return self._flags[key]

    @cached_property
    def _over_all(self) -> GroupScope:
        return self.scope.over(self.table)


def _different(flags: Codes, groups: Codes, count: int) -> Codes:
    """How many different values each larger group has, from the flags of the groups in it."""
    order = np.argsort(groups, kind="stable")
    order = order[np.searchsorted(groups[order], 0) :]
    known, starts = np.unique(groups[order], return_index=True)
    different = np.zeros(count, np.int32)
    if len(known):
        different[known] = np.bitwise_count(np.bitwise_or.reduceat(flags[order], starts, axis=0)).sum(axis=1)
    return different


def _rows_of(table: Table, rows: Codes) -> Origin:
    """The origin of rows of a table that knows of none itself."""
    none = np.zeros(len(rows), np.int32)
    return Origin((f"table '{table.name}'",), ("",), none, none, rows + 1)
