"""sort: rows in order of columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.tables.steps.step import StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Sort:
    """Sort rows by columns; a minus in front of a heading sorts it downwards. Rows that tie keep their order."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    sort: list[str]

    def apply(self, table: Table, context: StepContext) -> Table:
        keys = []
        for text in reversed(self.sort):
            downwards = table.place(text) is None and text.startswith("-")
            groups, _ = table.column(text[1:] if downwards else text, context.stopped).groups()
            keys.append(-groups if downwards else groups)
        return table.take(np.lexsort(keys)) if keys else table

    def says(self) -> str:
        return f"sort by {', '.join(self.sort)}"
