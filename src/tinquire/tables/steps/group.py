"""group: one row for all rows with equal values."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation, aggregate
from tinquire.tables.keys import key_groups
from tinquire.tables.origin import Members
from tinquire.tables.pivots.groups import GroupSource
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, Table, require, require_distinct
from tinquire.tables.types import sum_type

_COUNTS = (Aggregation.COUNT, Aggregation.NUMBERS, Aggregation.DISTINCT)


@step
@dataclass(frozen=True)
class Group(Step):
    """Make one row of all rows that are equal in these columns, with values calculated over them: `values` gives for
    each new column its aggregation and the column, as `{ Charged = "sum Charge" }`. Rows are in the order in which
    their groups begin."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    group: list[str]
    values: dict[str, str]

    def apply(self, table: Table, context: StepContext) -> Table:
        positions = require(table, self.group, context.stopped)
        if positions and table.height:
            groups, count = key_groups([table.columns[index] for index in positions])
        else:
            groups, count = np.zeros(table.height, np.int32), min(table.height, 1)
        _, first = np.unique(groups, return_index=True)
        order = np.argsort(first, kind="stable")
        columns = [table.columns[index].take(first[order]) for index in positions]
        fields = [table.fields[index] for index in positions]
        for name, how, column in self.asked(context):
            (index,) = require(table, [column], context.stopped)
            require_numbers(table, column, how, context.stopped)
            fields.append(self._named(name, how, table.fields[index]))
            columns.append(aggregate(how, table.columns[index], groups, count).take(order))
        made = Table(table.name, tuple(fields), tuple(columns))
        if table.origin is None:
            return made
        return replace(made, origin=table.origin.brought_together(Members.of_groups(groups, count).take(order)))

    def of_groups(self, groups: GroupSource, context: StepContext) -> Table:
        """The same of rows that were brought together by these columns elsewhere, by the order of their values."""
        labels = groups.labels
        positions = require(labels, self.group, context.stopped)
        if positions and labels.height:
            numbers, count = key_groups([labels.columns[index] for index in positions])
        else:
            numbers, count = np.zeros(labels.height, np.int32), min(labels.height, 1)
        _, first = np.unique(numbers, return_index=True)
        fields = [labels.fields[index] for index in positions]
        columns = [labels.columns[index].take(first) for index in positions]
        for name, how, column in self.asked(context):
            fields.append(self._named(name, how, groups.field(column)))
            columns.append(groups.summary(column).rolled(numbers, count).result(how))
        return Table(context.stopped, tuple(fields), tuple(columns))

    def _require_names(self, context: StepContext) -> None:
        """Raises UseError where a value would have the heading of a column that is grouped by."""
        require_distinct([*self.group, *self.values], context.stopped, context.where)

    def asked(self, context: StepContext) -> list[tuple[str, Aggregation, str]]:
        """Each new column's heading, its aggregation, and the column that it is of."""
        self._require_names(context)
        return [(name, *self._asked(name, text, context)) for name, text in self.values.items()]

    @staticmethod
    def _named(name: str, how: Aggregation, one: Field) -> Field:
        kind = "whole" if how in _COUNTS else sum_type(one.type) if how is Aggregation.SUM else one.type
        return replace(one, name=name, type=kind, identity=object())

    @staticmethod
    def _asked(name: str, text: str, context: StepContext) -> tuple[Aggregation, str]:
        word, _, column = text.partition(" ")
        known = {how.value: how for how in Aggregation}
        if word in known and not column.strip():
            do = f'write it with the column that is meant, like "{word} {name}"'
            raise UseError(Fault(context.stopped, f"'{text}' does not say of which column", context.where, do))
        if word not in known:
            why = f"'{text}' is not an aggregation: {known_names(word, list(known))}"
            raise UseError(Fault(context.stopped, why, context.where, 'write it like "sum Charge"'))
        return known[word], column.strip()

    def says(self) -> str:
        return f"group by {', '.join(self.group)}"
