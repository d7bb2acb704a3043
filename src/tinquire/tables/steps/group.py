"""group: one row for all rows with equal values."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tinquire.faults import Fault, UseError, known_names
from tinquire.tables.aggregation import Aggregation, aggregated
from tinquire.tables.keys import key_groups
from tinquire.tables.steps.step import StepContext, step
from tinquire.tables.table import Table, require

_COUNTS = (Aggregation.COUNT, Aggregation.NUMBERS, Aggregation.DISTINCT)


@step
@dataclass(frozen=True)
class Group:
    """Make one row of all rows that are equal in these columns, with values worked out over them: `values` gives for
    each new column its aggregation and the column, as `{ Charged = "sum Charge" }`. Rows stand in the order in which
    their groups begin."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    group: list[str]
    values: dict[str, str]

    def apply(self, table: Table, context: StepContext) -> Table:
        places = require(table, self.group, context.stopped)
        if places and table.height:
            groups, count = key_groups([table.columns[place] for place in places])
        else:
            groups, count = np.zeros(table.height, np.int32), min(table.height, 1)
        _, first = np.unique(groups, return_index=True)
        order = np.argsort(first, kind="stable")
        columns = [table.columns[place].take(first[order]) for place in places]
        fields = [table.fields[place] for place in places]
        for name, text in self.values.items():
            how, column = self._asked(text, context)
            (place,) = require(table, [column], context.stopped)
            one = table.fields[place]
            kind = "whole" if how in _COUNTS else one.type
            fields.append(replace(one, name=name, type=kind, formula=None))
            columns.append(aggregated(how, table.columns[place], groups, count).take(order))
        made = Table(table.name, tuple(fields), tuple(columns))
        return replace(made, origin=table.origin.take(first[order])) if table.origin is not None else made

    @staticmethod
    def _asked(text: str, context: StepContext) -> tuple[Aggregation, str]:
        word, _, column = text.partition(" ")
        known = {how.value: how for how in Aggregation}
        if word not in known or not column.strip():
            why = f"'{text}' is no aggregation of a column: {known_names(word, list(known))}"
            raise UseError(Fault(context.stopped, why, context.where, 'write it like "sum Charge"'))
        return known[word], column.strip()

    def says(self) -> str:
        return f"group by {', '.join(self.group)}"
