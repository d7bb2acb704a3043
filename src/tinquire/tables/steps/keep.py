"""keep: these columns, in this order."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.base.wording import counted
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Keep(Step):
    """Keep these columns, in the order given, and drop all others."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    keep: list[str]

    def apply(self, table: Table, context: StepContext) -> Table:
        return table.select(require(table, self.keep, context.stopped))

    def says(self) -> str:
        return f"keep {counted(len(self.keep), 'column')}"
