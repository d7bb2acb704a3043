"""limit: the first rows only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.base.wording import counted
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Limit(Step):
    """Keep the first n rows."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    limit: int

    def apply(self, table: Table, context: StepContext) -> Table:
        return table.take(np.arange(min(max(self.limit, 0), table.height)))

    def says(self) -> str:
        return f"limit to {counted(self.limit, 'row')}"
