"""sort: rows in order of columns."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from tinquire.cells.column import Codes, Column
from tinquire.cells.values import Value
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Sort(Step):
    """Sort rows by columns; a minus before a heading sorts it downwards. Rows that tie keep their order. `order`
    lists the values of a column in the wanted order; others come after them."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    sort: list[str]
    order: dict[str, list[bool | float | str]] = field(default_factory=dict)

    def apply(self, table: Table, context: StepContext) -> Table:
        keys = []
        for text in reversed(self.sort):
            downwards = table.index_of(text) is None and text.startswith("-")
            name = text[1:] if downwards else text
            groups, distinct = table.column(name, context.stopped).groups()
            ranks = self._ranks(name, distinct)[groups]
            keys.append(-ranks if downwards else ranks)
        return table.take(np.lexsort(keys)) if keys else table

    def _ranks(self, name: str, distinct: Column) -> Codes:
        """The position of each value of a column: as listed, or in their own order."""
        listed = next((values for key, values in self.order.items() if key.casefold() == name.casefold()), [])
        if not listed:
            return np.arange(len(distinct))
        known = {_fold(value): index for index, value in enumerate(listed)}
        indexes = np.array([known.get(_fold(value), len(listed)) for value in distinct], np.int64)
        ranks = np.empty(len(distinct), np.int64)
        ranks[np.lexsort((np.arange(len(distinct)), indexes))] = np.arange(len(distinct))
        return ranks

    def says(self) -> str:
        return f"sort by {', '.join(self.sort)}"


def _fold(value: Value) -> Value:
    return value.casefold() if isinstance(value, str) else value
